"""Metadata records beside the data: ISO 19139, ISO 19115-3 and FGDC, one with gaps, and a template."""

from __future__ import annotations

from pathlib import Path

from lxml import etree
from rasterio.warp import transform_bounds

from .ground import CRS, EAST, NORTH, SOUTH, WEST

GMD, GCO, GML = "http://www.isotc211.org/2005/gmd", "http://www.isotc211.org/2005/gco", "http://www.opengis.net/gml/3.2"
CODES = "http://standards.iso.org/iso/19139/resources/gmxCodelists.xml"
BOX = tuple(round(v, 5) for v in transform_bounds(CRS, 4326, WEST, SOUTH, EAST, NORTH))

OFFICE = dict(organisation="Tolvane Survey Office", person="Ines Maro", role="pointOfContact", email="data@survey.tolvane.example",
              phone="+000 20 9000", city="Harrow Landing")  # fmt: skip
CONDITIONS = "Free to use with the words: Tolvane Survey Office, made-up data."
RECORDS = {  # beside which file: what the record says
    "elevation_2029.tif": dict(
        title="Elevation of Tolvane Island before the eruption, 2029", published="2029-05-20", created="2029-03-11",
        abstract="Elevation of the island and its shallow shelf at 10 m, made from an airborne laser survey in March 2029. "
                 "Heights are metres above mean sea level at Harrow Landing, 2029.",
        purpose="Base for measuring what later eruptions change.", keywords=("elevation", "topography", "Tolvane Island"),
        topic="elevation", kind="grid", resolution=10, lineage="Laser points of class ground and water were gridded by their mean in each "
        "10 m cell; holes up to 30 m were filled from their edges. Heights were rounded to 1/16 m.",
        accuracy=("vertical accuracy, root mean square, at 212 control points", 0.18, "m"), maintenance="asNeeded"),
    "elevation_2031.tif": dict(
        title="Elevation of Tolvane Island after the eruption, 2031", published="2031-07-30", created="2031-06-24",
        abstract="Elevation of the island and its shallow shelf at 10 m after the eruption of Mount Serrick in April 2031. "
                 "Same grid and vertical datum as the survey of 2029, so the two can be subtracted.",
        purpose="Measures new lava, the delta at Harrow Bay and the collapse of the crater rim.",
        keywords=("elevation", "eruption", "lava", "Tolvane Island"), topic="elevation", kind="grid", resolution=10,
        lineage="As for 2029. The new delta below sea level was sounded by boat in June 2031 and merged.",
        accuracy=("vertical accuracy, root mean square, at 187 control points", 0.21, "m"), maintenance="asNeeded"),
    "delivery_2032/elevation_2032.tif": dict(
        title="Elevation of Tolvane Island a year after the eruption, 2032", published="2032-07-11", created="2032-06-08",
        abstract="Elevation of the island and its shallow shelf at 10 m, made again a year after the eruption. "
                 "Same grid and vertical datum as the surveys of 2029 and 2031.",
        purpose="Shows how far the new lava sank as it cooled and what the sea took of the delta.",
        keywords=("elevation", "lava", "erosion", "Tolvane Island"), topic="elevation", kind="grid", resolution=10,
        lineage="As for 2031.", accuracy=("vertical accuracy, root mean square, at 187 control points", 0.17, "m"),
        maintenance="asNeeded"),
    "tolvane_survey.gpkg": dict(
        title="Survey layers of Tolvane Island", published="2031-08-04", created="2031-06-30",
        abstract="Coastline before and after the eruption, lava flows by year, fissures, bands of ash thickness, trails, buildings and "
                 "closed zones. Lava outlines follow the 10 m cells where the surface rose by at least 0.5 m.",
        purpose="Reference layers for planning and for reports on the eruption of 2031.",
        keywords=("lava", "fissure", "ash", "closed zone", "buildings"), topic="geoscientificInformation", kind="vector", scale=5000,
        lineage="Lava of 2031 mapped from the difference of the two elevation grids; older flows from field maps.",
        maintenance="irregular"),
    "harrow_bay_2031.laz": dict(
        title="Laser strip over Harrow Bay, 2031", published="2031-07-12", created="2031-06-24",
        abstract="One strip of an airborne laser survey over the lava delta at Harrow Bay: some 300,000 points with intensity, class, colour "
                 "and modelled ash thickness.",
        purpose="Detailed shape of the new coast.", keywords=("laser scan", "point cloud", "lava"), topic="elevation", kind="textTable",
        lineage="Points classified by height above ground and checked by eye.", accuracy=("vertical accuracy on hard ground", 0.05, "m"),
        maintenance="notPlanned"),
    "MERIDEL3_20310624/MERIDEL3_20310624_META.txt": dict(
        title="Meridel-3 scene of Tolvane Island, 24 June 2031", published="2031-06-25", created="2031-06-24",
        abstract="Nine bands of the Meridel-3 satellite after the eruption: visible, near and shortwave infrared at 30 m, panchromatic at "
                 "15 m, thermal at 60 m and a quality band.",
        purpose="Maps fresh lava, ash and damage to vegetation.", keywords=("satellite image", "thermal", "vegetation"),
        topic="imageryBaseMapsEarthCover", kind="grid", resolution=30, lineage="Level 1: calibrated and map projected, not corrected for haze.",
        maintenance="notPlanned"),
    "gas_readings.parquet": dict(
        title="Volcanic gas readings on Tolvane Island, 2030 to 2031", published="2031-07-05", created="2031-07-01",
        abstract="Sulphur dioxide, carbon dioxide, hydrogen sulphide and air temperature every six hours at twelve stations.",
        purpose="Watches the volcano.", keywords=("gas", "sulphur dioxide", "monitoring"), topic="environment", kind="textTable",
        lineage="Instrument readings; 1.5 % are missing. Station G05 was lost to the lava on 18 April 2031.", maintenance="daily"),
}  # fmt: skip
WITH_GAPS = dict(
    title="Ash samples",
    abstract="Ash thickness and grain size at 74 places.",
    keywords=(),
    topic=None,
    kind=None,
    gaps=True,
)


def _q(name: str) -> str:
    prefix, _, local = name.rpartition(":")
    return f"{{{dict(gco=GCO, gml=GML).get(prefix, GMD)}}}{local}"


def node(name: str, *children, **attributes) -> etree._Element:
    """Return an element of ISO 19139; text and numbers among `children` become gco character strings."""
    element = etree.Element(_q(name), {k.replace("__", ":"): v for k, v in attributes.items()})
    for child in children:
        if child is None:
            continue
        if isinstance(child, str):
            etree.SubElement(element, _q("gco:CharacterString")).text = child
        else:
            element.append(child)
    return element


def value(kind: str, content: object, **attributes) -> etree._Element:
    element = etree.Element(_q(f"gco:{kind}"), attributes)
    element.text = str(content)
    return element


def code(name: str, entry: str) -> etree._Element:
    element = etree.Element(_q(name), codeList=f"{CODES}#{name}", codeListValue=entry)
    element.text = entry
    return element


def party(role: str, contact=OFFICE) -> etree._Element:
    return node(
        "CI_ResponsibleParty", node("individualName", contact["person"]), node("organisationName", contact["organisation"]),
        node("contactInfo", node("CI_Contact",
             node("phone", node("CI_Telephone", node("voice", contact["phone"]))),
             node("address", node("CI_Address", node("city", contact["city"]), node("electronicMailAddress", contact["email"]))))),
        node("role", code("CI_RoleCode", role)),
    )  # fmt: skip


def dated(day: str, kind: str) -> etree._Element:
    return node(
        "date", node("CI_Date", node("date", value("Date", day)), node("dateType", code("CI_DateTypeCode", kind)))
    )


def iso19139(name: str, about: dict) -> etree._Element:
    """Return the record as MD_Metadata of ISO 19139."""
    gaps = about.get("gaps", False)
    root = etree.Element(_q("MD_Metadata"), nsmap={"gmd": GMD, "gco": GCO, "gml": GML})
    citation = node("CI_Citation", node("title", about["title"]))
    for kind, key in (("creation", "created"), ("publication", "published")):
        if key in about:
            citation.append(dated(about[key], kind))
    identity = node("MD_DataIdentification", node("citation", citation), node("abstract", about["abstract"]))
    if "purpose" in about:
        identity.append(node("purpose", about["purpose"]))
    if not gaps:
        identity.append(node("status", code("MD_ProgressCode", "completed")))
        identity.append(node("pointOfContact", party("owner")))
    if "maintenance" in about:
        identity.append(node("resourceMaintenance", node("MD_MaintenanceInformation", node(
            "maintenanceAndUpdateFrequency", code("MD_MaintenanceFrequencyCode", about["maintenance"])))))  # fmt: skip
    if about["keywords"]:
        words = node("MD_Keywords", *[node("keyword", word) for word in about["keywords"]])
        words.append(node("type", code("MD_KeywordTypeCode", "theme")))
        identity.append(node("descriptiveKeywords", words))
    if not gaps:
        legal = node("MD_LegalConstraints", node("useLimitation", CONDITIONS),
                     node("accessConstraints", code("MD_RestrictionCode", "otherRestrictions")),
                     node("otherConstraints", "No limits on access."))  # fmt: skip
        identity.append(node("resourceConstraints", legal))
    if about["kind"]:
        identity.append(node("spatialRepresentationType", code("MD_SpatialRepresentationTypeCode", about["kind"])))
    if "scale" in about:
        identity.append(node("spatialResolution", node("MD_Resolution", node("equivalentScale", node(
            "MD_RepresentativeFraction", node("denominator", value("Integer", about["scale"])))))))  # fmt: skip
    if "resolution" in about:
        identity.append(
            node(
                "spatialResolution",
                node("MD_Resolution", node("distance", value("Distance", about["resolution"], uom="m"))),
            )
        )
    identity.append(node("language", code("LanguageCode", "eng")))
    if about["topic"]:
        topic = etree.Element(_q("MD_TopicCategoryCode"))
        topic.text = about["topic"]
        identity.append(node("topicCategory", topic))
    sides = ("westBoundLongitude", "eastBoundLongitude", "southBoundLatitude", "northBoundLatitude")
    box = node(
        "EX_GeographicBoundingBox",
        *[node(s, value("Decimal", v)) for s, v in zip(sides, (BOX[0], BOX[2], BOX[1], BOX[3]))],
    )
    identity.append(node("extent", node("EX_Extent", node("geographicElement", box))))

    root.append(node("fileIdentifier", f"tolvane-{name.replace('/', '-').replace('.', '-').lower()}"))
    root.append(node("language", code("LanguageCode", "eng")))
    root.append(node("characterSet", code("MD_CharacterSetCode", "utf8")))
    root.append(node("hierarchyLevel", code("MD_ScopeCode", "dataset")))
    if not gaps:
        root.append(node("contact", party("pointOfContact")))
    root.append(node("dateStamp", value("Date", about.get("published", "2031-06-02"))))
    root.append(node("metadataStandardName", "ISO 19115:2003/19139"))
    if not gaps:
        identifier = node("RS_Identifier", node("code", "32727"), node("codeSpace", "EPSG"))
        root.append(
            node("referenceSystemInfo", node("MD_ReferenceSystem", node("referenceSystemIdentifier", identifier)))
        )
    root.append(node("identificationInfo", identity))
    if "lineage" in about:
        quality = node(
            "DQ_DataQuality", node("scope", node("DQ_Scope", node("level", code("MD_ScopeCode", "dataset"))))
        )
        if "accuracy" in about:
            measure, figure, unit = about["accuracy"]
            record = etree.Element(_q("gco:Record"))
            record.text = str(figure)
            units = etree.Element(_q("gml:BaseUnit"), {_q("gml:id"): "unit-m"})
            etree.SubElement(units, _q("gml:identifier"), codeSpace="ucum").text = unit
            etree.SubElement(units, _q("gml:unitsSystem"))
            result = node("DQ_QuantitativeResult", node("valueUnit", units), node("value", record))
            quality.append(
                node(
                    "report",
                    node(
                        "DQ_AbsoluteExternalPositionalAccuracy", node("nameOfMeasure", measure), node("result", result)
                    ),
                )
            )
        quality.append(node("lineage", node("LI_Lineage", node("statement", about["lineage"]))))
        root.append(node("dataQualityInfo", quality))
    return root


def iso19115_3() -> etree._Element:
    """Return the sea floor's record as mdb:MD_Metadata of ISO 19115-3."""
    base = "http://standards.iso.org/iso/19115/-3/"
    spaces = {"mdb": f"{base}mdb/2.0", "mri": f"{base}mri/1.0", "cit": f"{base}cit/2.0", "gex": f"{base}gex/1.0",
              "mrl": f"{base}mrl/2.0", "mcc": f"{base}mcc/1.0", "gco": f"{base}gco/1.0"}  # fmt: skip
    w, e, s, n = -21.10, -20.70, -38.36, -38.04
    box = "".join(f"<gex:{k}><gco:Decimal>{v}</gco:Decimal></gex:{k}>" for k, v in (
        ("westBoundLongitude", w), ("eastBoundLongitude", e), ("southBoundLatitude", s), ("northBoundLatitude", n)))  # fmt: skip

    def text(tag, words):
        return f"<{tag}><gco:CharacterString>{words}</gco:CharacterString></{tag}>"

    def listed(tag, entry):
        return f'<{tag} codeList="codeListLocation#{tag.split(":")[1]}" codeListValue="{entry}"/>'

    body = f"""<mdb:MD_Metadata {" ".join(f'xmlns:{k}="{v}"' for k, v in spaces.items())}>
<mdb:metadataIdentifier><mcc:MD_Identifier>{text("mcc:code", "tolvane-seafloor")}</mcc:MD_Identifier></mdb:metadataIdentifier>
<mdb:contact><cit:CI_Responsibility><cit:role>{listed("cit:CI_RoleCode", "pointOfContact")}</cit:role><cit:party><cit:CI_Organisation>
{text("cit:name", OFFICE["organisation"])}</cit:CI_Organisation></cit:party></cit:CI_Responsibility></mdb:contact>
<mdb:dateInfo><cit:CI_Date><cit:date><gco:Date>2029-09-02</gco:Date></cit:date><cit:dateType>{listed("cit:CI_DateTypeCode", "creation")}</cit:dateType></cit:CI_Date></mdb:dateInfo>
<mdb:identificationInfo><mri:MD_DataIdentification><mri:citation><cit:CI_Citation>{text("cit:title", "Sea floor around Tolvane Island, 2029")}
<cit:date><cit:CI_Date><cit:date><gco:Date>2029-09-02</gco:Date></cit:date><cit:dateType>{listed("cit:CI_DateTypeCode", "publication")}</cit:dateType></cit:CI_Date></cit:date></cit:CI_Citation></mri:citation>
{text("mri:abstract", "Sea floor elevation on a grid of 0.001 degrees, from boat soundings of 2029 and the laser survey of the shelf.")}
<mri:topicCategory><mri:MD_TopicCategoryCode>oceans</mri:MD_TopicCategoryCode></mri:topicCategory>
<mri:extent><gex:EX_Extent><gex:geographicElement><gex:EX_GeographicBoundingBox>{box}</gex:EX_GeographicBoundingBox></gex:geographicElement></gex:EX_Extent></mri:extent>
</mri:MD_DataIdentification></mdb:identificationInfo>
<mdb:resourceLineage><mrl:LI_Lineage>{text("mrl:statement", "Soundings corrected for tide, gridded by minimum curvature.")}</mrl:LI_Lineage></mdb:resourceLineage>
</mdb:MD_Metadata>"""
    return etree.fromstring(body, etree.XMLParser(remove_blank_text=True))


def fgdc() -> etree._Element:
    """Return the FGDC CSDGM record that explains the Shapefile's cut-off field names."""
    meaning = (
        ("FISS_ID", "Fissure identifier", "The office's code, F and a number.", None),
        ("OPEN_DT", "Opened on", "Day on which the fissure was first seen open.", "date, year-month-day"),
        ("ERUP_YR", "Eruption year", "Year of the eruption that opened it.", ("1962", "2031", "year")),
        ("FISS_LEN_M", "Fissure length", "Length along the trace.", ("0", "500", "metres")),
        ("MAXOPEN_M", "Largest opening", "Widest gap measured across the fissure.", ("0", "5", "metres")),
        ("DIP_DEG", "Dip", "Dip of the wall from the horizontal.", ("0", "90", "degrees")),
        ("ACT_2031", "Active in 2031", "Whether lava or gas left it in 2031: 1 yes, 0 no.", None),
    )
    attributes = ""
    for label, alias, definition, domain in meaning:
        if isinstance(domain, tuple):
            limits = f"<rdom><rdommin>{domain[0]}</rdommin><rdommax>{domain[1]}</rdommax><attrunit>{domain[2]}</attrunit></rdom>"
        elif label == "ACT_2031":
            limits = "".join(f"<edom><edomv>{v}</edomv><edomvd>{d}</edomvd><edomvds>Tolvane Survey Office</edomvds></edom>"
                             for v, d in (("1", "active"), ("0", "not active")))  # fmt: skip
        else:
            limits = f"<udom>{domain or alias}</udom>"
        attributes += (f"<attr><attrlabl>{label}</attrlabl><attrdef>{alias}. {definition}</attrdef><attrdefs>Tolvane Survey Office</attrdefs>"
                       f"<attrdomv>{limits}</attrdomv></attr>")  # fmt: skip
    w, s, e, n = BOX
    contact = (f"<cntinfo><cntorgp><cntorg>{OFFICE['organisation']}</cntorg><cntper>{OFFICE['person']}</cntper></cntorgp>"
               f"<cntaddr><addrtype>mailing</addrtype><city>{OFFICE['city']}</city><state>none</state><postal>0001</postal></cntaddr>"
               f"<cntvoice>{OFFICE['phone']}</cntvoice><cntemail>{OFFICE['email']}</cntemail></cntinfo>")  # fmt: skip
    return etree.fromstring(
        f"""<metadata><idinfo><citation><citeinfo><origin>{OFFICE["organisation"]}</origin><pubdate>20310612</pubdate>
<title>Fissures of Mount Serrick</title><geoform>vector digital data</geoform></citeinfo></citation>
<descript><abstract>Six eruptive fissures of Mount Serrick, 1962 to 2031, walked and measured by the office.</abstract>
<purpose>Hazard planning after the eruption of 2031.</purpose></descript>
<timeperd><timeinfo><sngdate><caldate>20310610</caldate></sngdate></timeinfo><current>ground condition</current></timeperd>
<status><progress>Complete</progress><update>As needed</update></status>
<spdom><bounding><westbc>{w}</westbc><eastbc>{e}</eastbc><northbc>{n}</northbc><southbc>{s}</southbc></bounding></spdom>
<keywords><theme><themekt>None</themekt><themekey>fissure</themekey><themekey>volcano</themekey></theme></keywords>
<accconst>None</accconst><useconst>{CONDITIONS}</useconst><ptcontac>{contact}</ptcontac></idinfo>
<dataqual><logic>Lines do not cross.</logic><complete>All fissures seen by June 2031.</complete>
<lineage><procstep><procdesc>Walked with a satellite receiver, one fix every 25 m.</procdesc><procdate>20310610</procdate></procstep></lineage></dataqual>
<spdoinfo><direct>Vector</direct><ptvctinf><sdtsterm><sdtstype>String</sdtstype><ptvctcnt>6</ptvctcnt></sdtsterm></ptvctinf></spdoinfo>
<eainfo><detailed><enttyp><enttypl>fissures</enttypl><enttypd>Eruptive fissure</enttypd><enttypds>Tolvane Survey Office</enttypds></enttyp>
{attributes}</detailed></eainfo>
<metainfo><metd>20310612</metd><metc>{contact}</metc><metstdn>FGDC Content Standard for Digital Geospatial Metadata</metstdn>
<metstdv>FGDC-STD-001-1998</metstdv></metainfo></metadata>""",
        etree.XMLParser(remove_blank_text=True),
    )


TEMPLATE = dict(title="", abstract="", purpose="", keywords=("Tolvane Island",), topic="geoscientificInformation", kind="vector",
                lineage="", maintenance="irregular")  # fmt: skip


def write_records(folder: Path) -> None:
    written = {f"{name}.xml": iso19139(name, about) for name, about in RECORDS.items()}
    written["ash_samples.geojson.xml"] = iso19139("ash_samples.geojson", WITH_GAPS)
    written["seafloor.nc.xml"] = iso19115_3()
    written["fissures_2031/fissures.shp.xml"] = fgdc()
    written["templates/office_iso19139.xml"] = iso19139("template", TEMPLATE)
    for name, root in written.items():
        path = folder / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))
