"""Reading ISO 19139 (the XML of ISO 19115:2003). Tolerant: what is absent stays empty."""

from __future__ import annotations

from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.read.record import standard_of
from brisk_atlas.core.read.xml import parse_xml

from .model import Contact, DatedEvent, MetadataRecord, Quality

GMD, GCO = "{http://www.isotc211.org/2005/gmd}", "{http://www.isotc211.org/2005/gco}"
NAMES = {"gmd": GMD[1:-1], "gco": GCO[1:-1]}
SIDES = ("westBoundLongitude", "southBoundLatitude", "eastBoundLongitude", "northBoundLatitude")


def _said(element: etree._Element | None) -> str:
    """Return what an element says: its text, or the value of its code list."""
    if element is None:
        return ""
    words = " ".join("".join(element.itertext()).split())
    if words:
        return words
    coded = element.find(".//*[@codeListValue]")
    return coded.get("codeListValue", "") if coded is not None else ""


def _one(root: etree._Element, path: str) -> str:
    return _said(root.find(path, NAMES))


def _all(root: etree._Element, path: str) -> tuple[str, ...]:
    return tuple(words for e in root.findall(path, NAMES) if (words := _said(e)))


def _contact(party: etree._Element) -> Contact:
    return Contact(
        _one(party, "gmd:individualName"),
        _one(party, "gmd:organisationName"),
        _one(party, "gmd:role"),
        _one(party, ".//gmd:electronicMailAddress"),
        _one(party, ".//gmd:voice"),
        _one(party, ".//gmd:city"),
    )


def _box(root: etree._Element) -> tuple[float, float, float, float] | None:
    box = root.find(".//gmd:EX_GeographicBoundingBox", NAMES)
    if box is None:
        return None
    try:
        west, south, east, north = (float(_one(box, f"gmd:{side}")) for side in SIDES)
    except ValueError:
        return None
    return west, south, east, north


def read_iso19139(path: Path) -> MetadataRecord:
    """Return the record in an ISO 19139 file. Raises CannotRead."""
    root = parse_xml(path).getroot()
    if standard_of(root) != "ISO 19139":
        raise CannotRead(path, "it is not an ISO 19139 record", "Look at its XML instead.")
    identity = root.find("gmd:identificationInfo/*", NAMES)
    identity = identity if identity is not None else etree.Element("none")
    dates = tuple(
        DatedEvent(_one(d, "gmd:date"), _one(d, "gmd:dateType"))
        for d in identity.findall("gmd:citation/*/gmd:date/gmd:CI_Date", NAMES)
    )
    distance = identity.find("gmd:spatialResolution/*/gmd:distance/gco:Distance", NAMES)
    denominator = _one(identity, "gmd:spatialResolution//gmd:denominator")
    quality = []
    for report in root.findall("gmd:dataQualityInfo/*/gmd:report/*", NAMES):
        unit = report.find(".//gmd:valueUnit//{*}identifier", NAMES)
        quality.append(Quality(_one(report, "gmd:nameOfMeasure"), _one(report, ".//gmd:value"), _said(unit)))
    systems = []
    for identifier in root.findall("gmd:referenceSystemInfo//gmd:RS_Identifier", NAMES):
        space, code = _one(identifier, "gmd:codeSpace"), _one(identifier, "gmd:code")
        systems.append(f"{space}:{code}" if space else code)
    return MetadataRecord(
        standard="ISO 19139",
        path=path,
        identifier=_one(root, "gmd:fileIdentifier"),
        title=_one(identity, "gmd:citation/*/gmd:title"),
        abstract=_one(identity, "gmd:abstract"),
        purpose=_one(identity, "gmd:purpose"),
        status=_one(identity, "gmd:status"),
        dates=dates,
        contacts=tuple(_contact(p) for p in identity.findall("gmd:pointOfContact/gmd:CI_ResponsibleParty", NAMES)),
        keywords=_all(identity, "gmd:descriptiveKeywords/*/gmd:keyword"),
        topics=_all(identity, "gmd:topicCategory"),
        language=_one(identity, "gmd:language"),
        representation=_one(identity, "gmd:spatialRepresentationType"),
        scale=f"1:{int(denominator):,}" if denominator.isdigit() else denominator,
        resolution=f"{distance.text} {distance.get('uom', '')}".strip() if distance is not None else "",
        box=_box(identity),
        crs=tuple(systems),
        use_limits=_all(identity, "gmd:resourceConstraints/*/gmd:useLimitation"),
        access=(
            *_all(identity, "gmd:resourceConstraints/*/gmd:accessConstraints"),
            *_all(identity, "gmd:resourceConstraints/*/gmd:otherConstraints"),
        ),
        lineage=_one(root, "gmd:dataQualityInfo/*/gmd:lineage//gmd:statement"),
        quality=tuple(quality),
        maintenance=_one(identity, "gmd:resourceMaintenance//gmd:maintenanceAndUpdateFrequency"),
        record_date=_one(root, "gmd:dateStamp"),
        record_contacts=tuple(_contact(p) for p in root.findall("gmd:contact/gmd:CI_ResponsibleParty", NAMES)),
    )
