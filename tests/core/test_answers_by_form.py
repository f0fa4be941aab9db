"""What the Depot answers in XML is as the OGC's schemas have it."""

from __future__ import annotations

from importlib.resources import files

import httpx
import pytest
from lxml import etree

from brisk_atlas.core.record import schemas
from stand_in import demo_server
from xml_forms import faults_of

GML_ID = "{http://www.opengis.net/gml/3.2}id"
WFS, OLD_WFS, WMS, WMTS, WCS, CSW = (
    "/wfs?service=WFS&version=2.0.0&request=",
    "/wfs?service=WFS&version=1.1.0&request=",
    "/wms?service=WMS&version=1.3.0&request=",
    "/wmts?service=WMTS&version=1.0.0&request=",
    "/wcs?service=WCS&version=2.0.1&request=",
    "/csw?service=CSW&version=2.0.2&request=",
)
BY_ID = "urn:ogc:def:query:OGC-WFS::GetFeatureById"


@pytest.fixture(scope="module")
def server():
    with demo_server() as (_, server):
        yield server


def answer(server, question):
    return httpx.get(server.address + question)


@pytest.mark.parametrize(
    "question, root",
    [
        (WMS + "GetCapabilities", "WMS_Capabilities"),
        (WMS + "GetMap&layers=nothing", "ServiceExceptionReport"),
        (WMS + "GetFeatureInfo&layers=nothing", "ServiceExceptionReport"),
        (WFS + "GetCapabilities", "WFS_Capabilities"),
        (OLD_WFS + "GetCapabilities", "WFS_Capabilities"),
        (OLD_WFS + "GetFeature&typeName=trails&resultType=hits", "FeatureCollection"),
        (OLD_WFS + "GetFeature&typeName=nothing", "ExceptionReport"),
        (WFS + "ListStoredQueries", "ListStoredQueriesResponse"),
        (WFS + "DescribeStoredQueries", "DescribeStoredQueriesResponse"),
        (WFS + "GetFeature&typeNames=trails", "FeatureCollection"),
        (WFS + "GetFeature&typeNames=trails&resultType=hits", "FeatureCollection"),
        (WFS + "GetFeature&typeNames=nothing", "ExceptionReport"),
        (WFS + f"GetFeature&storedQuery_Id={BY_ID}&id=trails.99999", "ExceptionReport"),
        (WFS + "LockFeature", "ExceptionReport"),
        (WMTS + "GetCapabilities", "Capabilities"),
        (WMTS + "GetTile&layer=elevation_2029", "ExceptionReport"),
        (WMTS + "GetFeatureInfo", "ExceptionReport"),
        (WCS + "GetCapabilities", "Capabilities"),
        (WCS + "DescribeCoverage&coverageId=elevation_2029", "CoverageDescriptions"),
        (WCS + "GetCoverage&coverageId=nothing", "ExceptionReport"),
        (CSW + "GetCapabilities", "Capabilities"),
        (CSW + "GetRecords&typeNames=csw:Record&resultType=results&elementSetName=full", "GetRecordsResponse"),
        (CSW + "GetRecords&typeNames=csw:Record&resultType=results&elementSetName=brief", "GetRecordsResponse"),
        (CSW + "GetRecords&typeNames=csw:Record&outputSchema=http://www.isotc211.org/2005/gmd", "GetRecordsResponse"),
        (CSW + "GetRecords&typeNames=csw:Record&elementSetName=colourful", "ExceptionReport"),
        (CSW + "GetRecordById&id=trails&elementSetName=full", "GetRecordByIdResponse"),
        (CSW + "GetRecordById&id=nothing", "GetRecordByIdResponse"),
        (CSW + "DescribeRecord", "ExceptionReport"),
    ],
)
def test_an_answer_has_the_form_of_its_schema(server, question, root):
    text = answer(server, question).content
    assert etree.QName(etree.fromstring(text)).localname == root
    assert faults_of(text) == []


def test_the_stored_query_that_is_listed_gives_a_feature_by_its_id(server):
    listed = etree.fromstring(answer(server, WFS + "DescribeStoredQueries").content)
    assert [each.get("id") for each in listed] == [BY_ID]
    several = etree.fromstring(answer(server, WFS + "GetFeature&typeNames=trails&count=3").content)
    wanted = several.findall("{*}member")[2][0]
    found = answer(server, WFS + f"GetFeature&storedQuery_Id={BY_ID}&id={wanted.get(GML_ID)}")
    feature = etree.fromstring(found.content)
    assert found.status_code == 200
    assert etree.tostring(feature, method="c14n", exclusive=True) == etree.tostring(
        wanted, method="c14n", exclusive=True, with_tail=False
    )
    for wrong in ("trails.99999", "trails.-1", "trails", "nothing.1", "trails." + "9" * 30):
        assert answer(server, WFS + f"GetFeature&storedQuery_Id={BY_ID}&id={wrong}").status_code == 404
    assert answer(server, WFS + "GetFeature&storedQuery_Id=urn:other&id=trails.1").status_code == 400
    for asked in (WFS + "GetFeature&resourceId=trails.2,trails.4", OLD_WFS + "GetFeature&featureId=trails.2,trails.4"):
        found = etree.fromstring(answer(server, asked).content)
        features = [member[0] for member in found if etree.QName(member).localname in ("member", "featureMember")]
        assert [feature.attrib.values() for feature in features] == [["trails.2"], ["trails.4"]]


def test_records_come_in_the_form_that_is_asked_for(server):
    def tags(question):
        root = etree.fromstring(answer(server, CSW + question).content)
        return [etree.QName(each).localname for each in root.find("{*}SearchResults")]

    asked = "GetRecords&typeNames=csw:Record&resultType=results&maxRecords=2&elementSetName="
    assert tags(asked + "brief") == ["BriefRecord"] * 2 and tags(asked + "full") == ["Record"] * 2
    assert tags(asked + "summary&outputSchema=http://www.isotc211.org/2005/gmd") == ["MD_Metadata"] * 2
    assert tags("GetRecords&typeNames=csw:Record&resultType=hits") == []


@pytest.mark.parametrize("layer", ["coastline", "closed_zones", "buildings", "trails", "lava_flows"])
def test_features_are_as_their_own_schema_has_them(server, layer):
    """The schema of a layer builds on that of GML 3.2.1, which lies with the package."""
    stated = etree.fromstring(answer(server, WFS + f"DescribeFeatureType&typeNames={layer}").content)
    stated.find("{*}import").set("schemaLocation", str(files(schemas) / "gml" / "gml.xsd"))
    schema = etree.XMLSchema(stated)
    found = etree.fromstring(answer(server, WFS + f"GetFeature&typeNames={layer}&count=50").content)
    features = [etree.fromstring(etree.tostring(member[0])) for member in found.findall("{*}member")]
    assert features
    for feature in features:
        schema.assertValid(feature)


@pytest.mark.parametrize(
    "spoil, fault",
    [
        (lambda root: root.attrib.pop("timeStamp"), "lacks the attribute timeStamp"),
        (lambda root: root.set("numberReturned", "-1"), "is '-1', no NonNegativeInteger"),
        (lambda root: root.set("colour", "red"), "has no attribute colour"),
        (lambda root: root.append(root.makeelement(f"{{{root.nsmap['wfs']}}}Title")), "Title stands where it may not"),
    ],
)
def test_a_form_that_is_spoilt_is_noticed(server, spoil, fault):
    root = etree.fromstring(answer(server, WFS + "GetFeature&typeNames=trails&count=1").content)
    spoil(root)
    found = faults_of(etree.tostring(root))
    assert len(found) == 1 and fault in found[0]


def test_the_order_and_number_of_elements_is_looked_at(server):
    root = etree.fromstring(answer(server, WMS + "GetCapabilities").content)
    service = root[0]
    first = service[0]
    service.remove(first)
    assert any(each.endswith("Service lacks Name") for each in faults_of(etree.tostring(root)))
    service.append(first)
    assert any("Name stands too late" in each for each in faults_of(etree.tostring(root)))
