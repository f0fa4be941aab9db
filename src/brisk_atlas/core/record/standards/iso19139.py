"""ISO 19139: the XML of ISO 19115:2003, with the INSPIRE profile's use of it."""

from __future__ import annotations

from dataclasses import replace

from lxml import etree

from ..binding import many, one, shape
from ..iso_values import (
    Attribute,
    Dialect,
    IsoBoolean,
    IsoChild,
    IsoCode,
    IsoDate,
    IsoEnum,
    IsoMoment,
    IsoNumber,
    IsoPeriod,
    IsoText,
    IsoUnit,
    MeasuredNumber,
    XmlId,
)
from ..model import (
    BandDefinition,
    Box,
    Constraint,
    Contact,
    DatedEvent,
    Dimension,
    Format,
    HeightRange,
    Identifier,
    KeywordSet,
    Link,
    Locale,
    Measure,
    ObjectCount,
    Picture,
    ProcessStep,
    QualityResult,
    Record,
    Related,
    Series,
    Source,
    System,
)
from ..schemas import needs_of_schema, order_of_schema
from ..xml_writer import Grammar

GMD, GCO = "http://www.isotc211.org/2005/gmd", "http://www.isotc211.org/2005/gco"
GML, XLINK = "http://www.opengis.net/gml/3.2", "http://www.w3.org/1999/xlink"
SPACES = {"": GMD, "gmd": GMD, "gco": GCO, "gml": GML}
PREFIXES = {"gmd": GMD, "gco": GCO, "gml": GML, "xlink": XLINK, "xsi": "http://www.w3.org/2001/XMLSchema-instance"}
CODE_LISTS = "http://standards.iso.org/iso/19139/resources/gmxCodelists.xml"
ISO = Dialect(GCO, GML, GMD, "gmd:PT_FreeText_PropertyType", CODE_LISTS)

TEXT, DAY, MOMENT, UNIT, PERIOD = IsoText(ISO), IsoDate(ISO), IsoMoment(ISO), IsoUnit(ISO), IsoPeriod(ISO)
INTEGER, DECIMAL, REAL = (IsoNumber(ISO, name) for name in ("Integer", "Decimal", "Real"))
URL = IsoChild(GMD, "URL")
TOPIC = IsoEnum(GMD, "MD_TopicCategoryCode")

QUALITY_KINDS = {  # class of ISO 19115: its name in the model
    f"DQ_{name[0].upper()}{name[1:]}": name
    for name in (
        "completenessCommission",
        "completenessOmission",
        "conceptualConsistency",
        "domainConsistency",
        "formatConsistency",
        "topologicalConsistency",
        "absoluteExternalPositionalAccuracy",
        "relativeInternalPositionalAccuracy",
        "griddedDataPositionalAccuracy",
        "accuracyOfATimeMeasurement",
        "temporalConsistency",
        "temporalValidity",
        "thematicClassificationCorrectness",
        "nonQuantitativeAttributeAccuracy",
        "quantitativeAttributeAccuracy",
    )
}


def _code(name: str) -> IsoCode:
    return IsoCode(ISO, GMD, name)


ONLINE = shape(
    Link,
    one("url", "linkage", URL),
    one("protocol", "protocol", TEXT),
    one("name", "name", TEXT),
    one("description", "description", TEXT),
    one("function", "function", _code("CI_OnLineFunctionCode")),
)
_REACH = "contactInfo/CI_Contact"
CONTACT = shape(
    Contact,
    one("person", "individualName", TEXT),
    one("organisation", "organisationName", TEXT),
    one("position", "positionName", TEXT),
    one("phone", f"{_REACH}/phone/CI_Telephone/voice", TEXT),
    one("fax", f"{_REACH}/phone/CI_Telephone/facsimile", TEXT),
    one("street", f"{_REACH}/address/CI_Address/deliveryPoint", TEXT),
    one("city", f"{_REACH}/address/CI_Address/city", TEXT),
    one("region", f"{_REACH}/address/CI_Address/administrativeArea", TEXT),
    one("postcode", f"{_REACH}/address/CI_Address/postalCode", TEXT),
    one("country", f"{_REACH}/address/CI_Address/country", TEXT),
    one("email", f"{_REACH}/address/CI_Address/electronicMailAddress", TEXT),
    one("link", f"{_REACH}/onlineResource/CI_OnlineResource/linkage", URL),
    one("hours", f"{_REACH}/hoursOfService", TEXT),
    one("instructions", f"{_REACH}/contactInstructions", TEXT),
    one("role", "role", _code("CI_RoleCode")),
)
DATED = shape(DatedEvent, one("day", "date", DAY), one("kind", "dateType", _code("CI_DateTypeCode")))
_THESAURUS = "thesaurusName/CI_Citation"
KEYWORDS = shape(
    KeywordSet,
    many("words", "keyword", TEXT),
    one("kind", "type", _code("MD_KeywordTypeCode")),
    one("thesaurus", f"{_THESAURUS}/title", TEXT),
    one("thesaurus_date", f"{_THESAURUS}/date/CI_Date/date", DAY),
    one("thesaurus_event", f"{_THESAURUS}/date/CI_Date/dateType", _code("CI_DateTypeCode")),
)
PICTURE = shape(
    Picture, one("link", "fileName", TEXT), one("description", "fileDescription", TEXT), one("type", "fileType", TEXT)
)
LEGAL = shape(
    Constraint,
    many("limits", "useLimitation", TEXT),
    many("access", "accessConstraints", _code("MD_RestrictionCode")),
    many("use", "useConstraints", _code("MD_RestrictionCode")),
    many("other", "otherConstraints", TEXT),
)
SECURITY = shape(
    Constraint,
    many("limits", "useLimitation", TEXT),
    one("classification", "classification", _code("MD_ClassificationCode")),
    one("handling", "handlingDescription", TEXT),
)
LIMITS = shape(Constraint, many("limits", "useLimitation", TEXT))
RELATED = shape(
    Related,
    one("title", "aggregateDataSetName/CI_Citation/title", TEXT),
    one("identifier", "aggregateDataSetIdentifier/MD_Identifier/code", TEXT),
    one("kind", "associationType", _code("DS_AssociationTypeCode")),
)
IDENTIFIER = shape(Identifier, one("code", "code", TEXT), one("space", "codeSpace", TEXT))
PLAIN_IDENTIFIER = shape(Identifier, one("code", "code", TEXT))
SYSTEM = shape(System, one("code", "code", TEXT), one("space", "codeSpace", TEXT), one("version", "version", TEXT))
BOX = shape(
    Box,
    one("west", "westBoundLongitude", DECIMAL),
    one("east", "eastBoundLongitude", DECIMAL),
    one("south", "southBoundLatitude", DECIMAL),
    one("north", "northBoundLatitude", DECIMAL),
)
HEIGHTS = shape(HeightRange, one("low", "minimumValue", REAL), one("high", "maximumValue", REAL))


def _with_value(measure: Measure) -> Measure:
    """Return a measure, or nothing: a unit alone cannot be written."""
    return measure if measure.value is not None else Measure()


DISTANCE = shape(Measure, one("value", ".", MeasuredNumber()), one("unit", ".", Attribute("uom")), trim=_with_value)
AXIS = shape(
    Dimension,
    one("name", "dimensionName", _code("MD_DimensionNameTypeCode")),
    one("size", "dimensionSize", INTEGER),
    one("resolution", "resolution/gco:Measure", MeasuredNumber()),
    one("unit", "resolution/gco:Measure", Attribute("uom")),
    trim=lambda axis: axis if axis.resolution is not None else replace(axis, unit=""),
)
OBJECTS = shape(
    ObjectCount,
    one("type", "geometricObjectType", _code("MD_GeometricObjectTypeCode")),
    one("count", "geometricObjectCount", INTEGER),
)
STEP = shape(
    ProcessStep,
    one("description", "description", TEXT),
    one("rationale", "rationale", TEXT),
    one("day", "dateTime", MOMENT),
    many("processor", "processor+/CI_ResponsibleParty", CONTACT),
)
SOURCE = shape(
    Source,
    one("description", "description", TEXT),
    one("scale", "scaleDenominator/MD_RepresentativeFraction/denominator", INTEGER),
    one("title", "sourceCitation/CI_Citation/title", TEXT),
    one("day", "sourceCitation/CI_Citation/date/CI_Date/date", DAY),
)
_CONFORMANCE, _FIGURE = "result+/DQ_ConformanceResult", "result+/DQ_QuantitativeResult"
RESULT = shape(
    QualityResult,
    one("measure", "nameOfMeasure", TEXT),
    one("report", "measureDescription", TEXT),
    one("method", "evaluationMethodDescription", TEXT),
    one("day", "dateTime", MOMENT),
    one("specification", f"{_CONFORMANCE}/specification/CI_Citation/title", TEXT),
    one("specification_date", f"{_CONFORMANCE}/specification/CI_Citation/date/CI_Date/date", DAY),
    one(
        "specification_event",
        f"{_CONFORMANCE}/specification/CI_Citation/date/CI_Date/dateType",
        _code("CI_DateTypeCode"),
    ),
    one("explanation", f"{_CONFORMANCE}/explanation", TEXT),
    one("conforms", f"{_CONFORMANCE}/pass", IsoBoolean(ISO)),
    one("unit", f"{_FIGURE}/valueUnit", UNIT),
    one("value", f"{_FIGURE}/value", IsoChild(GCO, "Record")),
)
_MEMBER = "sequenceIdentifier/gco:MemberName/gco:aName"
BAND = shape(
    BandDefinition,
    one("name", _MEMBER, TEXT),
    one("description", "descriptor", TEXT),
    one("most", "maxValue", REAL),
    one("least", "minValue", REAL),
    one("unit", "units", UNIT),
)
LOCALE = shape(
    Locale,
    one("id", ".", XmlId("id")),
    one("language", "languageCode", _code("LanguageCode")),
    one("charset", "characterEncoding", _code("MD_CharacterSetCode")),
)
FORMAT = shape(Format, one("name", "name", TEXT), one("version", "version", TEXT))
_DATA = "identificationInfo/MD_DataIdentification"
_CITE = f"{_DATA}/citation/CI_Citation"
_EXTENT = f"{_DATA}/extent+/EX_Extent"
_GRID = "spatialRepresentationInfo+/MD_GridSpatialRepresentation"
_VECTOR = "spatialRepresentationInfo+/MD_VectorSpatialRepresentation"
_QUALITY = "dataQualityInfo/DQ_DataQuality"
_GIVEN = "distributionInfo/MD_Distribution"
_KEPT = f"{_DATA}/resourceMaintenance/MD_MaintenanceInformation"

RECORD = shape(
    Record,
    one("identifier", "fileIdentifier", TEXT),
    one("language", "language", _code("LanguageCode")),
    one("record_charset", "characterSet", _code("MD_CharacterSetCode")),
    one("parent", "parentIdentifier", TEXT),
    one("level", "hierarchyLevel", _code("MD_ScopeCode")),
    one("level_name", "hierarchyLevelName", TEXT),
    many("record_contacts", "contact+/CI_ResponsibleParty", CONTACT),
    one("stamped", "dateStamp", DAY),
    one("standard_name", "metadataStandardName", TEXT),
    one("standard_version", "metadataStandardVersion", TEXT),
    many("locales", "locale+/PT_Locale", LOCALE),
    many("dimensions", f"{_GRID}/axisDimensionProperties+/MD_Dimension", AXIS),
    one("cell_geometry", f"{_GRID}/cellGeometry", _code("MD_CellGeometryCode")),
    one("topology", f"{_VECTOR}/topologyLevel", _code("MD_TopologyLevelCode")),
    many("objects", f"{_VECTOR}/geometricObjects+/MD_GeometricObjects", OBJECTS),
    many("systems", "referenceSystemInfo+/MD_ReferenceSystem/referenceSystemIdentifier/RS_Identifier", SYSTEM),
    one("title", f"{_CITE}/title", TEXT),
    many("alternate_titles", f"{_CITE}/alternateTitle", TEXT),
    many("dates", f"{_CITE}/date+/CI_Date", DATED),
    one("edition", f"{_CITE}/edition", TEXT),
    many("identifiers", f"{_CITE}/identifier+/RS_Identifier", IDENTIFIER, takes=lambda i: bool(i.space)),
    many("identifiers", f"{_CITE}/identifier+/MD_Identifier", PLAIN_IDENTIFIER),
    one("form", f"{_CITE}/presentationForm", _code("CI_PresentationFormCode")),
    many(
        "series",
        f"{_CITE}/series+/CI_Series",
        shape(Series, one("name", "name", TEXT), one("issue", "issueIdentification", TEXT)),
        most=1,
    ),
    one("other_citation", f"{_CITE}/otherCitationDetails", TEXT),
    one("abstract", f"{_DATA}/abstract", TEXT),
    one("purpose", f"{_DATA}/purpose", TEXT),
    many("credits", f"{_DATA}/credit", TEXT),
    one("status", f"{_DATA}/status", _code("MD_ProgressCode")),
    many("contacts", f"{_DATA}/pointOfContact+/CI_ResponsibleParty", CONTACT),
    one("maintenance", f"{_KEPT}/maintenanceAndUpdateFrequency", _code("MD_MaintenanceFrequencyCode")),
    one("next_update", f"{_KEPT}/dateOfNextUpdate", DAY),
    one("maintenance_note", f"{_KEPT}/maintenanceNote", TEXT),
    many("pictures", f"{_DATA}/graphicOverview+/MD_BrowseGraphic", PICTURE),
    many("keywords", f"{_DATA}/descriptiveKeywords+/MD_Keywords", KEYWORDS),
    many("uses", f"{_DATA}/resourceSpecificUsage+/MD_Usage/specificUsage", TEXT),
    many("constraints", f"{_DATA}/resourceConstraints+/MD_LegalConstraints", LEGAL, kind="legal"),
    many("constraints", f"{_DATA}/resourceConstraints+/MD_SecurityConstraints", SECURITY, kind="security"),
    many("constraints", f"{_DATA}/resourceConstraints+/MD_Constraints", LIMITS, kind="limits"),
    many("related", f"{_DATA}/aggregationInfo+/MD_AggregateInformation", RELATED),
    many("representation", f"{_DATA}/spatialRepresentationType", _code("MD_SpatialRepresentationTypeCode")),
    many(
        "scales",
        f"{_DATA}/spatialResolution+/MD_Resolution/equivalentScale/MD_RepresentativeFraction/denominator",
        INTEGER,
    ),
    many("distances", f"{_DATA}/spatialResolution+/MD_Resolution/distance/gco:Distance", DISTANCE),
    many("languages", f"{_DATA}/language", _code("LanguageCode")),
    one("charset", f"{_DATA}/characterSet", _code("MD_CharacterSetCode")),
    many("topics", f"{_DATA}/topicCategory", TOPIC),
    one("environment", f"{_DATA}/environmentDescription", TEXT),
    one("extent_note", f"{_EXTENT.replace('+', '')}/description", TEXT),
    many("boxes", f"{_EXTENT}/geographicElement/EX_GeographicBoundingBox", BOX),
    many(
        "places", f"{_EXTENT}/geographicElement/EX_GeographicDescription/geographicIdentifier/MD_Identifier/code", TEXT
    ),
    many("times", f"{_EXTENT}/temporalElement/EX_TemporalExtent/extent", PERIOD),
    many("heights", f"{_EXTENT}/verticalElement/EX_VerticalExtent", HEIGHTS),
    one("supplement", f"{_DATA}/supplementalInformation", TEXT),
    many("bands", "contentInfo/MD_CoverageDescription/dimension+/MD_Band", BAND),
    many("formats", f"{_GIVEN}/distributionFormat+/MD_Format", FORMAT),
    many("distributors", f"{_GIVEN}/distributor+/MD_Distributor/distributorContact/CI_ResponsibleParty", CONTACT),
    one("fees", f"{_GIVEN}/distributor/MD_Distributor/distributionOrderProcess/MD_StandardOrderProcess/fees", TEXT),
    one(
        "ordering",
        f"{_GIVEN}/distributor/MD_Distributor/distributionOrderProcess/MD_StandardOrderProcess/orderingInstructions",
        TEXT,
    ),
    one("size_mb", f"{_GIVEN}/transferOptions/MD_DigitalTransferOptions/transferSize", REAL),
    many("links", f"{_GIVEN}/transferOptions/MD_DigitalTransferOptions/onLine+/CI_OnlineResource", ONLINE),
    *(many("quality", f"{_QUALITY}/report+/{tag}", RESULT, kind=kind) for tag, kind in QUALITY_KINDS.items()),
    one("lineage", f"{_QUALITY}/lineage/LI_Lineage/statement", TEXT),
    many("steps", f"{_QUALITY}/lineage/LI_Lineage/processStep+/LI_ProcessStep", STEP),
    many("sources", f"{_QUALITY}/lineage/LI_Lineage/source+/LI_Source", SOURCE),
    aside=(f"{_QUALITY}/scope",),
)


def _missing(element: etree._Element) -> bool:
    """Say that a property that must be there is not known, as ISO 19139 does."""
    name = element.tag.rpartition("}")[2]
    if name == "scope" and element.getparent().tag.endswith("DQ_DataQuality"):
        level = etree.SubElement(etree.SubElement(element, f"{{{GMD}}}DQ_Scope"), f"{{{GMD}}}level")
        _code("MD_ScopeCode").write(level, "dataset")
    else:
        element.set(f"{{{GCO}}}nilReason", "missing")
    return True


def _says_missing(element: etree._Element) -> bool:
    return len(element) == 0 and f"{{{GCO}}}nilReason" in element.attrib


GRAMMAR = Grammar(SPACES, order_of_schema, needs_of_schema, _missing, _says_missing)


def new_root() -> etree._Element:
    return etree.Element(f"{{{GMD}}}MD_Metadata", nsmap=PREFIXES)
