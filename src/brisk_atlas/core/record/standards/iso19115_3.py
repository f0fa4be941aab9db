"""ISO 19115-3: the XML of ISO 19115-1:2014, with the feature catalogue of ISO 19110 and quality of ISO 19157."""

from __future__ import annotations

from dataclasses import replace

from lxml import etree

from ..binding import NOT_MINE, Codec, Slot, many, one, shape
from ..iso_values import (
    Attribute,
    Dialect,
    IsoBoolean,
    IsoChild,
    IsoCode,
    IsoDate,
    IsoEnum,
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
    Entity,
    FieldDefinition,
    Format,
    HeightRange,
    Identifier,
    KeywordSet,
    Link,
    Locale,
    Meaning,
    ObjectCount,
    Period,
    Picture,
    ProcessStep,
    QualityResult,
    Record,
    Related,
    Series,
    Source,
    System,
)
from ..words import tidy
from ..xml_writer import Grammar
from .iso19139 import DISTANCE, QUALITY_KINDS

_BASE, _19157, _19110 = (
    "http://standards.iso.org/iso/19115/-3/",
    "http://standards.iso.org/iso/19157/-2/",
    "http://standards.iso.org/iso/19110/",
)
SPACES = {
    **{p: f"{_BASE}{p}/1.0" for p in ("mcc", "mco", "mri", "mrs", "msr", "mmi", "mrd", "gex", "lan", "gcx", "gco")},
    **{p: f"{_BASE}{p}/2.0" for p in ("mdb", "cit", "mrl", "mrc")},
    "mdq": f"{_19157}mdq/1.0",
    "gfc": f"{_19110}gfc/1.1",
    "gml": "http://www.opengis.net/gml/3.2",
}
GCO = SPACES["gco"]
ISO = Dialect(
    GCO,
    SPACES["gml"],
    SPACES["lan"],
    "lan:PT_FreeText_PropertyType",
    "http://standards.iso.org/iso/19115/resources/Codelists/cat/codelists.xml",
)
TEXT, DAY, UNIT, PERIOD = IsoText(ISO), IsoDate(ISO), IsoUnit(ISO), IsoPeriod(ISO)
INTEGER, DECIMAL, REAL = (IsoNumber(ISO, name) for name in ("Integer", "Decimal", "Real"))


def _code(tag: str) -> IsoCode:
    prefix, _, name = tag.partition(":")
    return IsoCode(ISO, SPACES[prefix], name)


class Number(Codec):
    """A telephone number of one type; a number without a type is for talking."""

    def __init__(self, kind: str) -> None:
        self.kind, self.code = kind, _code("cit:CI_TelephoneTypeCode")

    def read(self, element: etree._Element) -> str | None:
        kind = element.find("{*}numberType")
        stated = self.code.read(kind) if kind is not None else None
        if (stated or "voice") != self.kind:
            return NOT_MINE
        number = element.find("{*}number")
        return TEXT.read(number) if number is not None else None

    def write(self, element: etree._Element, value: str) -> None:
        number = element.find("{*}number")
        if number is None:
            number = etree.Element(f"{{{SPACES['cit']}}}number")
            element.insert(0, number)
        TEXT.write(number, value)
        kind = element.find("{*}numberType")
        if kind is None:
            kind = etree.SubElement(element, f"{{{SPACES['cit']}}}numberType")
        self.code.write(kind, self.kind)


class Moment(Codec):
    """A time given as a GML instant; the model has its day."""

    def read(self, element: etree._Element) -> str | None:
        period = PERIOD.read(element)
        return period.begin or period.end if period else None

    def write(self, element: etree._Element, value: str) -> None:
        PERIOD.write(element, Period(value, value))

    def representable(self, value: str) -> str:
        period = PERIOD.representable(Period(value, value))
        return period.begin if period else ""


ONLINE = shape(
    Link,
    one("url", "cit:linkage", TEXT),
    one("protocol", "cit:protocol", TEXT),
    one("name", "cit:name", TEXT),
    one("description", "cit:description", TEXT),
    one("function", "cit:function", _code("cit:CI_OnLineFunctionCode")),
)
_FIRM, _SELF = "cit:party/cit:CI_Organisation", "cit:party/cit:CI_Individual"
_AT = "cit:contactInfo/cit:CI_Contact"


def _reach(name: str, path: str, value: Codec, own: bool = False) -> list[Slot]:
    """Return the slots of a way to reach someone: the organisation's, the person's in it, a person's alone."""
    inside = f"{_FIRM}/cit:individual/cit:CI_Individual"
    return [one(name, f"{base}/{_AT}/{path}", value, own=own) for base in (_FIRM, inside, _SELF)]


CONTACT = shape(
    Contact,
    one("role", "cit:role", _code("cit:CI_RoleCode")),
    one("organisation", f"{_FIRM}/cit:name", TEXT),
    one("person", f"{_FIRM}/cit:individual/cit:CI_Individual/cit:name", TEXT),
    one("person", f"{_SELF}/cit:name", TEXT),
    one("position", f"{_FIRM}/cit:individual/cit:CI_Individual/cit:positionName", TEXT),
    one("position", f"{_SELF}/cit:positionName", TEXT),
    *_reach("phone", "cit:phone+/cit:CI_Telephone", Number("voice"), own=True),
    *_reach("fax", "cit:phone+/cit:CI_Telephone", Number("facsimile"), own=True),
    *_reach("street", "cit:address/cit:CI_Address/cit:deliveryPoint", TEXT),
    *_reach("city", "cit:address/cit:CI_Address/cit:city", TEXT),
    *_reach("region", "cit:address/cit:CI_Address/cit:administrativeArea", TEXT),
    *_reach("postcode", "cit:address/cit:CI_Address/cit:postalCode", TEXT),
    *_reach("country", "cit:address/cit:CI_Address/cit:country", TEXT),
    *_reach("email", "cit:address/cit:CI_Address/cit:electronicMailAddress", TEXT),
    *_reach("link", "cit:onlineResource/cit:CI_OnlineResource/cit:linkage", TEXT),
    *_reach("hours", "cit:hoursOfService", TEXT),
    *_reach("instructions", "cit:contactInstructions", TEXT),
)
DATED = shape(DatedEvent, one("day", "cit:date", DAY), one("kind", "cit:dateType", _code("cit:CI_DateTypeCode")))
_LIST = "mri:thesaurusName/cit:CI_Citation"
KEYWORDS = shape(
    KeywordSet,
    many("words", "mri:keyword", TEXT),
    one("kind", "mri:type", _code("mri:MD_KeywordTypeCode")),
    one("thesaurus", f"{_LIST}/cit:title", TEXT),
    one("thesaurus_date", f"{_LIST}/cit:date/cit:CI_Date/cit:date", DAY),
    one("thesaurus_event", f"{_LIST}/cit:date/cit:CI_Date/cit:dateType", _code("cit:CI_DateTypeCode")),
)
PICTURE = shape(
    Picture,
    one("link", "mcc:fileName", TEXT),
    one("description", "mcc:fileDescription", TEXT),
    one("type", "mcc:fileType", TEXT),
)
LEGAL = shape(
    Constraint,
    many("limits", "mco:useLimitation", TEXT),
    many("access", "mco:accessConstraints", _code("mco:MD_RestrictionCode")),
    many("use", "mco:useConstraints", _code("mco:MD_RestrictionCode")),
    many("other", "mco:otherConstraints", TEXT),
)
SECURITY = shape(
    Constraint,
    many("limits", "mco:useLimitation", TEXT),
    one("classification", "mco:classification", _code("mco:MD_ClassificationCode")),
    one("handling", "mco:handlingDescription", TEXT),
)
LIMITS = shape(Constraint, many("limits", "mco:useLimitation", TEXT))
RELATED = shape(
    Related,
    one("title", "mri:name/cit:CI_Citation/cit:title", TEXT),
    one("identifier", "mri:name/cit:CI_Citation/cit:identifier/mcc:MD_Identifier/mcc:code", TEXT),
    one("kind", "mri:associationType", _code("mri:DS_AssociationTypeCode")),
)
IDENTIFIER = shape(Identifier, one("code", "mcc:code", TEXT), one("space", "mcc:codeSpace", TEXT))
SYSTEM = shape(
    System, one("code", "mcc:code", TEXT), one("space", "mcc:codeSpace", TEXT), one("version", "mcc:version", TEXT)
)
BOX = shape(
    Box,
    one("west", "gex:westBoundLongitude", DECIMAL),
    one("east", "gex:eastBoundLongitude", DECIMAL),
    one("south", "gex:southBoundLatitude", DECIMAL),
    one("north", "gex:northBoundLatitude", DECIMAL),
)
AXIS = shape(
    Dimension,
    one("name", "msr:dimensionName", _code("msr:MD_DimensionNameTypeCode")),
    one("size", "msr:dimensionSize", INTEGER),
    one("resolution", "msr:resolution/gco:Measure", MeasuredNumber()),
    one("unit", "msr:resolution/gco:Measure", Attribute("uom")),
    trim=lambda axis: axis if axis.resolution is not None else replace(axis, unit=""),
)
OBJECTS = shape(
    ObjectCount,
    one("type", "msr:geometricObjectType", _code("msr:MD_GeometricObjectTypeCode")),
    one("count", "msr:geometricObjectCount", INTEGER),
)
STEP = shape(
    ProcessStep,
    one("description", "mrl:description", TEXT),
    one("rationale", "mrl:rationale", TEXT),
    one("day", "mrl:stepDateTime", Moment()),
    many("processor", "mrl:processor+/cit:CI_Responsibility", CONTACT),
)
_FRACTION = "mri:MD_Resolution/mri:equivalentScale/mri:MD_RepresentativeFraction/mri:denominator"
SOURCE = shape(
    Source,
    one("description", "mrl:description", TEXT),
    one("scale", f"mrl:sourceSpatialResolution/{_FRACTION}", INTEGER),
    one("title", "mrl:sourceCitation/cit:CI_Citation/cit:title", TEXT),
    one("day", "mrl:sourceCitation/cit:CI_Citation/cit:date/cit:CI_Date/cit:date", DAY),
)
_CONFORMS, _FIGURE = "mdq:result+/mdq:DQ_ConformanceResult", "mdq:result+/mdq:DQ_QuantitativeResult"
_SPEC = f"{_CONFORMS}/mdq:specification/cit:CI_Citation"
RESULT = shape(
    QualityResult,
    one("measure", "mdq:measure/mdq:DQ_MeasureReference/mdq:nameOfMeasure", TEXT),
    one("specification", f"{_SPEC}/cit:title", TEXT),
    one("specification_date", f"{_SPEC}/cit:date/cit:CI_Date/cit:date", DAY),
    one("specification_event", f"{_SPEC}/cit:date/cit:CI_Date/cit:dateType", _code("cit:CI_DateTypeCode")),
    one("explanation", f"{_CONFORMS}/mdq:explanation", TEXT),
    one("conforms", f"{_CONFORMS}/mdq:pass", IsoBoolean(ISO)),
    one("value", f"{_FIGURE}/mdq:value", IsoChild(GCO, "Record")),
    one("unit", f"{_FIGURE}/mdq:valueUnit", UNIT),
    one("report", "mdq:result+/mdq:DQ_DescriptiveResult/mdq:statement", TEXT),
)
BAND = shape(
    BandDefinition,
    one("description", "mrc:description", TEXT),
    one("name", "mrc:name/mcc:MD_Identifier/mcc:code", TEXT),
    one("most", "mrc:boundMax", REAL),
    one("least", "mrc:boundMin", REAL),
    one("unit", "mrc:boundUnits", UNIT),
)
MEANING = shape(
    Meaning, one("meaning", "gfc:label", TEXT), one("value", "gfc:code", TEXT), one("source", "gfc:definition", TEXT)
)
FIELD = shape(
    FieldDefinition,
    one("name", "gfc:memberName", TEXT),
    one("definition", "gfc:definition", TEXT),
    one("alias", "gfc:designation", TEXT),
    one("unit", "gfc:valueMeasurementUnit", UNIT),
    one("type", "gfc:valueType/gco:TypeName/gco:aName", TEXT),
    many("meanings", "gfc:listedValue+/gfc:FC_ListedValue", MEANING),
)
ENTITY = shape(
    Entity,
    one("name", "gfc:typeName", TEXT),
    one("definition", "gfc:definition", TEXT),
    many("fields", "gfc:carrierOfCharacteristics+/gfc:FC_FeatureAttribute", FIELD),
)
LOCALE = shape(
    Locale,
    one("id", ".", XmlId("id")),
    one("language", "lan:language", _code("lan:LanguageCode")),
    one("charset", "lan:characterEncoding", _code("lan:MD_CharacterSetCode")),
)
_FORMAT = "mrd:formatSpecificationCitation/cit:CI_Citation"
FORMAT = shape(Format, one("name", f"{_FORMAT}/cit:title", TEXT), one("version", f"{_FORMAT}/cit:edition", TEXT))
_DATA = "mdb:identificationInfo/mri:MD_DataIdentification"
_CITE = f"{_DATA}/mri:citation/cit:CI_Citation"
_EXTENT = f"{_DATA}/mri:extent+/gex:EX_Extent/gex"
_GRID = "mdb:spatialRepresentationInfo+/msr:MD_GridSpatialRepresentation"
_VECTOR = "mdb:spatialRepresentationInfo+/msr:MD_VectorSpatialRepresentation"
_KEPT = f"{_DATA}/mri:resourceMaintenance/mmi:MD_MaintenanceInformation"
_GIVEN = "mdb:distributionInfo/mrd:MD_Distribution"
_ORDER = f"{_GIVEN}/mrd:distributor/mrd:MD_Distributor/mrd:distributionOrderProcess/mrd:MD_StandardOrderProcess"
_MADE = "mdb:resourceLineage/mrl:LI_Lineage"
_LOCALE = "lan:PT_Locale"
_STANDARD = "mdb:metadataStandard/cit:CI_Citation"
_SCOPE = "mdb:metadataScope/mdb:MD_MetadataScope"

RECORD = shape(
    Record,
    one("identifier", "mdb:metadataIdentifier/mcc:MD_Identifier/mcc:code", TEXT),
    one("language", f"mdb:defaultLocale/{_LOCALE}/lan:language", _code("lan:LanguageCode")),
    one("record_charset", f"mdb:defaultLocale/{_LOCALE}/lan:characterEncoding", _code("lan:MD_CharacterSetCode")),
    one("parent", "mdb:parentMetadata/cit:CI_Citation/cit:identifier/mcc:MD_Identifier/mcc:code", TEXT),
    one("level", f"{_SCOPE}/mdb:resourceScope", _code("mcc:MD_ScopeCode")),
    one("level_name", f"{_SCOPE}/mdb:name", TEXT),
    many("record_contacts", "mdb:contact+/cit:CI_Responsibility", CONTACT),
    one("stamped", "mdb:dateInfo/cit:CI_Date/cit:date", DAY),
    one("standard_name", f"{_STANDARD}/cit:title", TEXT),
    one("standard_version", f"{_STANDARD}/cit:edition", TEXT),
    many("locales", f"mdb:otherLocale+/{_LOCALE}", LOCALE),
    many("dimensions", f"{_GRID}/msr:axisDimensionProperties+/msr:MD_Dimension", AXIS),
    one("cell_geometry", f"{_GRID}/msr:cellGeometry", _code("msr:MD_CellGeometryCode")),
    one("topology", f"{_VECTOR}/msr:topologyLevel", _code("msr:MD_TopologyLevelCode")),
    many("objects", f"{_VECTOR}/msr:geometricObjects+/msr:MD_GeometricObjects", OBJECTS),
    many(
        "systems",
        "mdb:referenceSystemInfo+/mrs:MD_ReferenceSystem/mrs:referenceSystemIdentifier/mcc:MD_Identifier",
        SYSTEM,
    ),
    one("title", f"{_CITE}/cit:title", TEXT),
    many("alternate_titles", f"{_CITE}/cit:alternateTitle", TEXT),
    many("dates", f"{_CITE}/cit:date+/cit:CI_Date", DATED),
    one("edition", f"{_CITE}/cit:edition", TEXT),
    many("identifiers", f"{_CITE}/cit:identifier+/mcc:MD_Identifier", IDENTIFIER),
    one("form", f"{_CITE}/cit:presentationForm", _code("cit:CI_PresentationFormCode")),
    many(
        "series",
        f"{_CITE}/cit:series+/cit:CI_Series",
        shape(Series, one("name", "cit:name", TEXT), one("issue", "cit:issueIdentification", TEXT)),
        most=1,
    ),
    one("other_citation", f"{_CITE}/cit:otherCitationDetails", TEXT),
    one("abstract", f"{_DATA}/mri:abstract", TEXT),
    one("purpose", f"{_DATA}/mri:purpose", TEXT),
    many("credits", f"{_DATA}/mri:credit", TEXT),
    one("status", f"{_DATA}/mri:status", _code("mcc:MD_ProgressCode")),
    many("contacts", f"{_DATA}/mri:pointOfContact+/cit:CI_Responsibility", CONTACT),
    many("representation", f"{_DATA}/mri:spatialRepresentationType", _code("mcc:MD_SpatialRepresentationTypeCode")),
    many("scales", f"{_DATA}/mri:spatialResolution+/{_FRACTION}", INTEGER),
    many("distances", f"{_DATA}/mri:spatialResolution+/mri:MD_Resolution/mri:distance/gco:Distance", DISTANCE),
    many("topics", f"{_DATA}/mri:topicCategory", IsoEnum(SPACES["mri"], "MD_TopicCategoryCode")),
    one("extent_note", f"{_DATA}/mri:extent/gex:EX_Extent/gex:description", TEXT),
    many("boxes", f"{_EXTENT}:geographicElement/gex:EX_GeographicBoundingBox", BOX),
    many(
        "places",
        f"{_EXTENT}:geographicElement/gex:EX_GeographicDescription/gex:geographicIdentifier/mcc:MD_Identifier/mcc:code",
        TEXT,
    ),
    many("times", f"{_EXTENT}:temporalElement/gex:EX_TemporalExtent/gex:extent", PERIOD),
    many(
        "heights",
        f"{_EXTENT}:verticalElement/gex:EX_VerticalExtent",
        shape(HeightRange, one("low", "gex:minimumValue", REAL), one("high", "gex:maximumValue", REAL)),
    ),
    one("maintenance", f"{_KEPT}/mmi:maintenanceAndUpdateFrequency", _code("mmi:MD_MaintenanceFrequencyCode")),
    one("next_update", f"{_KEPT}/mmi:maintenanceDate/cit:CI_Date/cit:date", DAY),
    one("maintenance_note", f"{_KEPT}/mmi:maintenanceNote", TEXT),
    many("pictures", f"{_DATA}/mri:graphicOverview+/mcc:MD_BrowseGraphic", PICTURE),
    many("keywords", f"{_DATA}/mri:descriptiveKeywords+/mri:MD_Keywords", KEYWORDS),
    many("uses", f"{_DATA}/mri:resourceSpecificUsage+/mri:MD_Usage/mri:specificUsage", TEXT),
    many("constraints", f"{_DATA}/mri:resourceConstraints+/mco:MD_LegalConstraints", LEGAL, kind="legal"),
    many("constraints", f"{_DATA}/mri:resourceConstraints+/mco:MD_SecurityConstraints", SECURITY, kind="security"),
    many("constraints", f"{_DATA}/mri:resourceConstraints+/mco:MD_Constraints", LIMITS, kind="limits"),
    many("related", f"{_DATA}/mri:associatedResource+/mri:MD_AssociatedResource", RELATED),
    many("languages", f"{_DATA}/mri:defaultLocale+/{_LOCALE}/lan:language", _code("lan:LanguageCode"), most=1),
    one("charset", f"{_DATA}/mri:defaultLocale/{_LOCALE}/lan:characterEncoding", _code("lan:MD_CharacterSetCode")),
    many("languages", f"{_DATA}/mri:otherLocale+/{_LOCALE}/lan:language", _code("lan:LanguageCode")),
    one("environment", f"{_DATA}/mri:environmentDescription", TEXT),
    one("supplement", f"{_DATA}/mri:supplementalInformation", TEXT),
    many(
        "bands",
        "mdb:contentInfo+/mrc:MD_CoverageDescription/mrc:attributeGroup/mrc:MD_AttributeGroup/mrc:attribute+/mrc:MD_Band",
        BAND,
    ),
    many(
        "entities",
        "mdb:contentInfo+/mrc:MD_FeatureCatalogue/mrc:featureCatalogue/gfc:FC_FeatureCatalogue/gfc:featureType+/gfc:FC_FeatureType",
        ENTITY,
    ),
    many("formats", f"{_GIVEN}/mrd:distributionFormat+/mrd:MD_Format", FORMAT),
    many(
        "distributors",
        f"{_GIVEN}/mrd:distributor+/mrd:MD_Distributor/mrd:distributorContact/cit:CI_Responsibility",
        CONTACT,
    ),
    one("fees", f"{_ORDER}/mrd:fees", TEXT),
    one("ordering", f"{_ORDER}/mrd:orderingInstructions", TEXT),
    one("size_mb", f"{_GIVEN}/mrd:transferOptions/mrd:MD_DigitalTransferOptions/mrd:transferSize", REAL),
    many(
        "links", f"{_GIVEN}/mrd:transferOptions/mrd:MD_DigitalTransferOptions/mrd:onLine+/cit:CI_OnlineResource", ONLINE
    ),
    *(
        many("quality", f"mdb:dataQualityInfo/mdq:DQ_DataQuality/mdq:report+/mdq:{tag}", RESULT, kind=kind)
        for tag, kind in QUALITY_KINDS.items()
    ),
    one("lineage", f"{_MADE}/mrl:statement", TEXT),
    many("steps", f"{_MADE}/mrl:processStep+/mrl:LI_ProcessStep", STEP),
    many("sources", f"{_MADE}/mrl:source+/mrl:LI_Source", SOURCE),
    aside=("mdb:dataQualityInfo/mdq:DQ_DataQuality/mdq:scope", "mdb:dateInfo/cit:CI_Date/cit:dateType"),
)

# The children of each class, in the order of its schema; ! marks those that must be there.
_CLASSES = """
MD_Metadata: metadataIdentifier defaultLocale parentMetadata metadataScope contact! dateInfo! metadataStandard
    metadataProfile alternativeMetadataReference otherLocale metadataLinkage spatialRepresentationInfo
    referenceSystemInfo metadataExtensionInfo identificationInfo! contentInfo distributionInfo dataQualityInfo
    resourceLineage portrayalCatalogueInfo metadataConstraints applicationSchemaInfo metadataMaintenance
    acquisitionInformation
MD_MetadataScope: resourceScope! name
PT_Locale: language! country characterEncoding!
CI_Responsibility: role! extent party!
CI_Organisation: name contactInfo partyIdentifier logo individual
CI_Individual: name contactInfo partyIdentifier positionName
CI_Contact: phone address onlineResource hoursOfService contactInstructions contactType
CI_Telephone: number! numberType
CI_Address: deliveryPoint city administrativeArea postalCode country electronicMailAddress
CI_OnlineResource: linkage! protocol applicationProfile name description function protocolRequest
CI_Date: date! dateType!
CI_Series: name issueIdentification page
CI_Citation: title! alternateTitle date edition editionDate identifier citedResponsibleParty presentationForm
    series otherCitationDetails ISBN ISSN onlineResource graphic
MD_Identifier: authority code! codeSpace version description
MD_DataIdentification: citation! abstract! purpose credit status pointOfContact spatialRepresentationType
    spatialResolution temporalResolution topicCategory extent additionalDocumentation processingLevel
    resourceMaintenance graphicOverview resourceFormat descriptiveKeywords resourceSpecificUsage
    resourceConstraints associatedResource defaultLocale otherLocale environmentDescription
    supplementalInformation
MD_Keywords: keyword! type thesaurusName keywordClass
MD_BrowseGraphic: fileName! fileDescription fileType imageConstraints linkage
MD_LegalConstraints: useLimitation constraintApplicationScope graphic reference releasability responsibleParty
    accessConstraints useConstraints otherConstraints
MD_SecurityConstraints: useLimitation constraintApplicationScope graphic reference releasability responsibleParty
    classification! userNote classificationSystem handlingDescription
MD_Constraints: useLimitation constraintApplicationScope graphic reference releasability responsibleParty
MD_AssociatedResource: name associationType! initiativeType metadataReference
EX_Extent: description geographicElement temporalElement verticalElement
EX_GeographicBoundingBox: extentTypeCode westBoundLongitude! eastBoundLongitude! southBoundLatitude!
    northBoundLatitude!
EX_VerticalExtent: minimumValue! maximumValue! verticalCRS verticalCRSId
MD_MaintenanceInformation: maintenanceAndUpdateFrequency maintenanceDate userDefinedMaintenanceFrequency
    maintenanceScope maintenanceNote contact
MD_GridSpatialRepresentation: scope numberOfDimensions! axisDimensionProperties cellGeometry!
    transformationParameterAvailability!
MD_Dimension: dimensionName! dimensionSize! resolution dimensionTitle dimensionDescription
MD_VectorSpatialRepresentation: scope topologyLevel geometricObjects
MD_GeometricObjects: geometricObjectType! geometricObjectCount
MD_CoverageDescription: attributeDescription! processingLevelCode attributeGroup
MD_AttributeGroup: contentType! attribute
MD_Band: sequenceIdentifier description name maxValue minValue units scaleFactor offset meanValue numberOfValues
    standardDeviation otherPropertyType otherProperty bitsPerValue rangeElementDescription boundMax boundMin
    boundUnits peakResponse toneGradation
FC_FeatureCatalogue: name! scope! fieldOfApplication versionNumber! versionDate! producer! functionalLanguage
    featureType! inheritanceRelation globalProperty
FC_FeatureType: typeName! definition code isAbstract! aliases inheritsFrom featureCatalogue! constrainedBy
    definitionReference carrierOfCharacteristics
FC_FeatureAttribute: memberName! definition cardinality! designation code valueMeasurementUnit valueType!
    listedValue
FC_ListedValue: label! code definition
MD_Distribution: description distributionFormat distributor transferOptions
MD_Format: formatSpecificationCitation! amendmentNumber fileDecompressionTechnique medium formatDistributor
MD_Distributor: distributorContact! distributionOrderProcess distributorFormat distributorTransferOptions
MD_StandardOrderProcess: fees plannedAvailableDateTime orderingInstructions turnaround
MD_DigitalTransferOptions: unitsOfDistribution transferSize onLine offLine transferFrequency distributionFormat
DQ_DataQuality: scope! standaloneQualityReport report!
DQ_MeasureReference: measureIdentification nameOfMeasure measureDescription
DQ_ConformanceResult: dateTime resultScope specification! explanation pass!
DQ_QuantitativeResult: dateTime resultScope value! valueUnit valueRecordType
DQ_DescriptiveResult: dateTime resultScope statement!
LI_Lineage: statement scope additionalDocumentation source processStep
LI_ProcessStep: description! rationale stepDateTime processor reference scope source
LI_Source: description sourceSpatialResolution sourceReferenceSystem sourceCitation sourceMetadata scope sourceStep
"""
_QUALITY_ORDER = ["standaloneQualityElement", "measure", "evaluationMethod", "result", "derivedElement"]


def _table() -> dict[str, list[tuple[str, bool]]]:
    found: dict[str, list[tuple[str, bool]]] = {
        tag: [(name, name == "result") for name in _QUALITY_ORDER] for tag in QUALITY_KINDS
    }
    for line in _CLASSES.replace("\n    ", " ").strip().splitlines():
        name, _, children = line.partition(":")
        found[name] = [(child.rstrip("!"), child.endswith("!")) for child in children.split()]
    return found


def _missing(element: etree._Element) -> bool:
    """Say that a property that must be there is not known."""
    parent = element.getparent()
    name = element.tag.rpartition("}")[2]
    if name == "scope" and parent.tag.endswith("DQ_DataQuality"):
        level = etree.SubElement(etree.SubElement(element, f"{{{SPACES['mcc']}}}MD_Scope"), f"{{{SPACES['mcc']}}}level")
        _code("mcc:MD_ScopeCode").write(level, "dataset")
    elif name == "dateType" and parent.getparent().tag.endswith(("dateInfo", "maintenanceDate")):
        kind = "revision" if parent.getparent().tag.endswith("dateInfo") else "nextUpdate"
        _code("cit:CI_DateTypeCode").write(element, kind)
    else:
        element.set(f"{{{GCO}}}nilReason", "missing")
    return True


def _says_missing(element: etree._Element) -> bool:
    return len(element) == 0 and not tidy(element.text) and f"{{{GCO}}}nilReason" in element.attrib


def _order(name: str) -> tuple[str, ...]:
    return tuple(child for child, _ in _TABLE.get(name, ()))


def _needs(name: str) -> tuple[tuple[str, ...], ...]:
    return tuple((child,) for child, needed in _TABLE.get(name, ()) if needed)


_TABLE = _table()
GRAMMAR = Grammar(SPACES, _order, _needs, _missing, _says_missing)


def new_root() -> etree._Element:
    spaces = {**SPACES, "xlink": "http://www.w3.org/1999/xlink", "xsi": "http://www.w3.org/2001/XMLSchema-instance"}
    return etree.Element(f"{{{SPACES['mdb']}}}MD_Metadata", nsmap=spaces)
