"""Records as other people write them, in each standard: what is read, what is left, what an edit leaves alone."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from lxml import etree

from brisk_atlas.core.record import STANDARDS, check, check_schema, document_in
from brisk_atlas.core.record.elements import value_at
from brisk_atlas.core.record.model import (
    Box,
    Contact,
    DatedEvent,
    HeightRange,
    KeywordSet,
    Meaning,
    Measure,
    Overview,
    Period,
    System,
)

FGDC = """<?xml version="1.0"?>
<metadata>
 <idinfo>
  <citation><citeinfo>
   <origin>Tolvane Survey Office</origin><origin>Harrow Bay Geology Club</origin>
   <pubdate>203107</pubdate><pubtime>Unknown</pubtime>
   <title>Ash thickness
     around Mount Serrick</title>
   <edition>2</edition><geoform>raster digital data</geoform>
   <serinfo><sername>Ash of 2031</sername><issue>4</issue></serinfo>
   <pubinfo><pubplace>Harrow Landing</pubplace><publish>Island Press</publish></pubinfo>
   <onlink>https://data.survey.tolvane.example/ash</onlink>
   <lworkcit><citeinfo><origin>Office</origin><pubdate>2031</pubdate><title>The eruption of 2031</title></citeinfo></lworkcit>
  </citeinfo></citation>
  <descript><abstract>How thick the ash lies.

   Second paragraph.</abstract><purpose>Clearing roofs.</purpose><supplinf>See the report.</supplinf></descript>
  <timeperd><timeinfo><rngdates><begdate>20310418</begdate><enddate>Present</enddate></rngdates></timeinfo>
   <current>ground condition</current></timeperd>
  <status><progress>In work</progress><update>Monthly</update></status>
  <spdom><bounding><westbc>-20.95</westbc><eastbc>-20.83</eastbc><northbc>-38.16</northbc><southbc>-38.245</southbc></bounding></spdom>
  <keywords><theme><themekt>Office list</themekt><themekey>ash</themekey><themekey>roofs</themekey></theme>
   <place><placekt>None</placekt><placekey>Tolvane Island</placekey></place></keywords>
  <accconst>None</accconst><useconst>Name the office.</useconst>
  <ptcontac><cntinfo><cntperp><cntper>Ines Maro</cntper><cntorg>Tolvane Survey Office</cntorg></cntperp>
   <cntpos>Surveyor</cntpos><cntaddr><addrtype>mailing</addrtype><address>Quay 1</address><city>Harrow Landing</city>
   <state>North</state><postal>0001</postal><country>Tolvane</country></cntaddr><cntvoice>+000 20 9000</cntvoice>
   <cntfax>+000 20 9001</cntfax><cntemail>data@survey.tolvane.example</cntemail><hours>9 to 5</hours></cntinfo></ptcontac>
  <browse><browsen>ash.png</browsen><browsed>a picture</browsed><browset>PNG</browset></browse>
  <datacred>The crew of the Kite</datacred>
  <secinfo><secsys>None</secsys><secclass>Unclassified</secclass><sechandl>none needed</sechandl></secinfo>
  <native>Tolvane strip builder 1</native>
  <crossref><citeinfo><origin>Office</origin><pubdate>2029</pubdate><title>Ash of older eruptions</title></citeinfo></crossref>
 </idinfo>
 <dataqual>
  <attracc><attraccr>Weighed twice.</attraccr><qattracc><attraccv>2 mm</attraccv><attracce>standard error</attracce></qattracc></attracc>
  <logic>No gaps.</logic><complete>All roofs seen.</complete>
  <posacc><horizpa><horizpar>By satellite.</horizpar><qhorizpa><horizpav>3</horizpav><horizpae>metres, 95 percent</horizpae></qhorizpa></horizpa>
   <vertacc><vertaccr>By level.</vertaccr></vertacc></posacc>
  <lineage><srcinfo><srccite><citeinfo><origin>Office</origin><pubdate>20310601</pubdate><title>Field book 7</title></citeinfo></srccite>
   <srcscale>5000</srcscale><typesrc>paper</typesrc><srctime><timeinfo><sngdate><caldate>20310601</caldate></sngdate></timeinfo>
   <srccurr>ground condition</srccurr></srctime><srccitea>BOOK7</srccitea><srccontr>thickness</srccontr></srcinfo>
   <procstep><procdesc>Interpolated.</procdesc><procdate>20310610</procdate></procstep></lineage>
 </dataqual>
 <spdoinfo><direct>Raster</direct><rastinfo><rasttype>Grid Cell</rasttype><rowcount>900</rowcount><colcount>1024</colcount></rastinfo></spdoinfo>
 <spref><horizsys><planar><gridsys><gridsysn>Universal Transverse Mercator</gridsysn><utm><utmzone>-27</utmzone></utm></gridsys>
  <planci><plance>row and column</plance><coordrep><absres>10</absres><ordres>10</ordres></coordrep><plandu>meters</plandu></planci></planar>
  <geodetic><horizdn>D_WGS_1984</horizdn><ellips>WGS_1984</ellips><semiaxis>6378137</semiaxis><denflat>298.257</denflat></geodetic></horizsys>
  <vertdef><altsys><altdatum>Mean sea level at Harrow Landing</altdatum><altres>0.1</altres><altunits>metres</altunits><altenc>Explicit</altenc></altsys></vertdef></spref>
 <eainfo><detailed><enttyp><enttypl>ash</enttypl><enttypd>thickness</enttypd><enttypds>Office</enttypds></enttyp>
  <attr><attrlabl>CLS</attrlabl><attrdef>Class of damage</attrdef><attrdefs>Office</attrdefs>
   <attrdomv><edom><edomv>1</edomv><edomvd>light</edomvd><edomvds>Office</edomvds></edom></attrdomv>
   <attrdomv><edom><edomv>2</edomv><edomvd>heavy</edomvd><edomvds>Office</edomvds></edom></attrdomv></attr>
  <attr><attrlabl>SRC</attrlabl><attrdef>Where from</attrdef><attrdefs>Office</attrdefs>
   <attrdomv><codesetd><codesetn>Codes of sources</codesetn><codesets>Office</codesets></codesetd></attrdomv></attr>
 </detailed><overview><eaover>Values are mm.</eaover><eadetcit>none</eadetcit></overview></eainfo>
 <distinfo><distrib><cntinfo><cntorgp><cntorg>Island Press</cntorg></cntorgp><cntaddr><addrtype>mailing</addrtype><city>Harrow Landing</city>
  <state>North</state><postal>0001</postal></cntaddr><cntvoice>+000 20 9010</cntvoice></cntinfo></distrib>
  <distliab>None assumed.</distliab>
  <stdorder><digform><digtinfo><formname>GeoTIFF</formname><formvern>1.1</formvern><transize>2.5</transize></digtinfo>
   <digtopt><onlinopt><computer><networka><networkr>https://data.survey.tolvane.example/ash.tif</networkr></networka></computer></onlinopt></digtopt></digform>
   <fees>none</fees><ordering>Write to us.</ordering></stdorder></distinfo>
 <metainfo><metd>20310801</metd><metc><cntinfo><cntorgp><cntorg>Tolvane Survey Office</cntorg></cntorgp>
  <cntaddr><addrtype>mailing</addrtype><city>Harrow Landing</city><state>North</state><postal>0001</postal></cntaddr>
  <cntvoice>+000 20 9000</cntvoice></cntinfo></metc><metstdn>FGDC Content Standard for Digital Geospatial Metadata</metstdn>
  <metstdv>FGDC-STD-001-1998</metstdv><mettc>local time</mettc></metainfo>
</metadata>
"""
FGDC_SAYS = {
    ("title",): "Ash thickness around Mount Serrick",
    ("abstract",): "How thick the ash lies.\n\nSecond paragraph.",
    ("supplement",): "See the report.",
    ("edition",): "2",
    ("form",): "imageDigital",
    ("series", 0, "issue"): "4",
    ("contacts", 1, "organisation"): "Harrow Bay Geology Club",
    ("contacts", 2): Contact(organisation="Island Press", role="publisher"),
    ("contacts", 3, "person"): "Ines Maro",
    ("contacts", 3, "fax"): "+000 20 9001",
    ("contacts", 3, "country"): "Tolvane",
    ("dates",): (DatedEvent("2031-07", "publication"),),
    ("times",): (Period("2031-04-18", "Present"),),
    ("currentness",): "ground condition",
    ("status",): "onGoing",
    ("maintenance",): "monthly",
    ("boxes",): (Box(-20.95, -38.245, -20.83, -38.16),),
    ("keywords", 0): KeywordSet("theme", ("ash", "roofs"), "Office list"),
    ("keywords", 1): KeywordSet("place", ("Tolvane Island",)),
    ("constraints", 0, "other"): ("None",),
    ("constraints", 1, "limits"): ("Name the office.",),
    ("constraints", 2, "classification"): "unclassified",
    ("pictures", 0, "link"): "ash.png",
    ("credits",): ("The crew of the Kite",),
    ("environment",): "Tolvane strip builder 1",
    ("related", 0, "title"): "The eruption of 2031",
    ("related", 1, "kind"): "crossReference",
    ("quality", 0, "value"): "2 mm",
    ("quality", 1, "report"): "No gaps.",
    ("quality", 3, "explanation"): "metres, 95 percent",
    ("quality", 4, "measure"): "vertical accuracy",
    ("sources", 0, "scale"): 5000,
    ("sources", 0, "day"): "2031-06-01",
    ("steps", 0, "day"): "2031-06-10",
    ("representation",): ("grid",),
    ("cell_geometry",): "area",
    ("dimensions", 0, "size"): 900,
    ("systems",): (System("32727", "EPSG"), System("Mean sea level at Harrow Landing", "height datum")),
    ("entities", 0, "fields", 0, "meanings", 1): Meaning("2", "heavy", "Office"),
    ("entities", 0, "fields", 1, "codeset"): "Codes of sources",
    ("overviews",): (Overview("Values are mm.", ("none",)),),
    ("distributors", 0, "organisation"): "Island Press",
    ("liability",): "None assumed.",
    ("formats", 0, "version"): "1.1",
    ("size_mb",): 2.5,
    ("links", 0, "url"): "https://data.survey.tolvane.example/ash",
    ("links", 1, "function"): "download",
    ("fees",): "none",
    ("ordering",): "Write to us.",
    ("stamped",): "2031-08-01",
    ("record_contacts", 0, "phone"): "+000 20 9000",
}
ISO = """<?xml version="1.0" encoding="UTF-8"?>
<gmd:MD_Metadata xmlns:gmd="http://www.isotc211.org/2005/gmd" xmlns:gco="http://www.isotc211.org/2005/gco"
  xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:gmx="http://www.isotc211.org/2005/gmx" xmlns:xlink="http://www.w3.org/1999/xlink"
  xmlns:srv="http://www.isotc211.org/2005/srv" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">
 <!-- kept by the office -->
 <gmd:fileIdentifier><gco:CharacterString>ash-2031</gco:CharacterString></gmd:fileIdentifier>
 <gmd:language><gmd:LanguageCode codeList="l" codeListValue="eng"/></gmd:language>
 <gmd:hierarchyLevel><gmd:MD_ScopeCode codeList="l" codeListValue="series"/></gmd:hierarchyLevel>
 <gmd:contact xlink:href="#office"/>
 <gmd:dateStamp><gco:DateTime>2031-08-01T10:00:00</gco:DateTime></gmd:dateStamp>
 <gmd:locale><gmd:PT_Locale id="POR"><gmd:languageCode><gmd:LanguageCode codeList="l" codeListValue="por"/></gmd:languageCode>
  <gmd:characterEncoding><gmd:MD_CharacterSetCode codeList="l" codeListValue="utf8"/></gmd:characterEncoding></gmd:PT_Locale></gmd:locale>
 <gmd:spatialRepresentationInfo><gmd:MD_Georectified><gmd:numberOfDimensions><gco:Integer>2</gco:Integer></gmd:numberOfDimensions>
  <gmd:axisDimensionProperties><gmd:MD_Dimension><gmd:dimensionName><gmd:MD_DimensionNameTypeCode codeList="l" codeListValue="row"/></gmd:dimensionName>
   <gmd:dimensionSize><gco:Integer>900</gco:Integer></gmd:dimensionSize><gmd:resolution><gco:Measure uom="m">10</gco:Measure></gmd:resolution></gmd:MD_Dimension></gmd:axisDimensionProperties>
  <gmd:cellGeometry><gmd:MD_CellGeometryCode codeList="l" codeListValue="area"/></gmd:cellGeometry></gmd:MD_Georectified></gmd:spatialRepresentationInfo>
 <gmd:referenceSystemInfo><gmd:MD_ReferenceSystem><gmd:referenceSystemIdentifier><gmd:RS_Identifier>
  <gmd:code><gmx:Anchor xlink:href="http://www.opengis.net/def/crs/EPSG/0/32727">32727</gmx:Anchor></gmd:code>
  <gmd:codeSpace><gco:CharacterString>EPSG</gco:CharacterString></gmd:codeSpace></gmd:RS_Identifier></gmd:referenceSystemIdentifier></gmd:MD_ReferenceSystem></gmd:referenceSystemInfo>
 <gmd:identificationInfo><gmd:MD_DataIdentification>
  <gmd:citation><gmd:CI_Citation>
   <gmd:title xsi:type="gmd:PT_FreeText_PropertyType"><gco:CharacterString>Ash bands</gco:CharacterString>
    <gmd:PT_FreeText><gmd:textGroup><gmd:LocalisedCharacterString locale="#POR">Faixas de cinza</gmd:LocalisedCharacterString></gmd:textGroup></gmd:PT_FreeText></gmd:title>
   <gmd:date><gmd:CI_Date><gmd:date><gco:Date>2031-07</gco:Date></gmd:date><gmd:dateType><gmd:CI_DateTypeCode codeList="l" codeListValue="publication"/></gmd:dateType></gmd:CI_Date></gmd:date>
   <gmd:identifier><gmd:MD_Identifier><gmd:code><gco:CharacterString>https://id.tolvane.example/ash</gco:CharacterString></gmd:code></gmd:MD_Identifier></gmd:identifier>
  </gmd:CI_Citation></gmd:citation>
  <gmd:abstract><gco:CharacterString>Bands of ash.</gco:CharacterString></gmd:abstract>
  <gmd:purpose gco:nilReason="unknown"/>
  <gmd:descriptiveKeywords><gmd:MD_Keywords><gmd:keyword><gmx:Anchor xlink:href="x">Natural risk zones</gmx:Anchor></gmd:keyword>
   <gmd:thesaurusName><gmd:CI_Citation><gmd:title><gco:CharacterString>GEMET - INSPIRE themes, version 1.0</gco:CharacterString></gmd:title>
    <gmd:date><gmd:CI_Date><gmd:date><gco:Date>2008-06-01</gco:Date></gmd:date><gmd:dateType><gmd:CI_DateTypeCode codeList="l" codeListValue="publication"/></gmd:dateType></gmd:CI_Date></gmd:date></gmd:CI_Citation></gmd:thesaurusName></gmd:MD_Keywords></gmd:descriptiveKeywords>
  <gmd:spatialResolution><gmd:MD_Resolution><gmd:equivalentScale><gmd:MD_RepresentativeFraction><gmd:denominator><gco:Integer>5000</gco:Integer></gmd:denominator></gmd:MD_RepresentativeFraction></gmd:equivalentScale></gmd:MD_Resolution></gmd:spatialResolution>
  <gmd:spatialResolution><gmd:MD_Resolution><gmd:distance><gco:Distance uom="m">10</gco:Distance></gmd:distance></gmd:MD_Resolution></gmd:spatialResolution>
  <gmd:language><gco:CharacterString>eng</gco:CharacterString></gmd:language>
  <gmd:extent><gmd:EX_Extent><gmd:description><gco:CharacterString>the island</gco:CharacterString></gmd:description>
   <gmd:geographicElement><gmd:EX_GeographicBoundingBox><gmd:westBoundLongitude><gco:Decimal>-20,95</gco:Decimal></gmd:westBoundLongitude>
    <gmd:eastBoundLongitude><gco:Decimal>-20.83</gco:Decimal></gmd:eastBoundLongitude><gmd:southBoundLatitude><gco:Decimal>-38.245</gco:Decimal></gmd:southBoundLatitude>
    <gmd:northBoundLatitude><gco:Decimal>-38.16</gco:Decimal></gmd:northBoundLatitude></gmd:EX_GeographicBoundingBox></gmd:geographicElement>
   <gmd:temporalElement><gmd:EX_TemporalExtent><gmd:extent><gml:TimePeriod gml:id="t"><gml:begin><gml:TimeInstant gml:id="b"><gml:timePosition>2031-04-18</gml:timePosition></gml:TimeInstant></gml:begin>
    <gml:endPosition indeterminatePosition="now"/></gml:TimePeriod></gmd:extent></gmd:EX_TemporalExtent></gmd:temporalElement>
   <gmd:verticalElement><gmd:EX_VerticalExtent><gmd:minimumValue><gco:Real>0</gco:Real></gmd:minimumValue><gmd:maximumValue><gco:Real>812.5</gco:Real></gmd:maximumValue><gmd:verticalCRS xlink:href="#msl"/></gmd:EX_VerticalExtent></gmd:verticalElement>
  </gmd:EX_Extent></gmd:extent>
 </gmd:MD_DataIdentification></gmd:identificationInfo>
 <gmd:dataQualityInfo><gmd:DQ_DataQuality><gmd:scope><gmd:DQ_Scope><gmd:level><gmd:MD_ScopeCode codeList="l" codeListValue="series"/></gmd:level></gmd:DQ_Scope></gmd:scope>
  <gmd:report><gmd:DQ_DomainConsistency><gmd:result><gmd:DQ_ConformanceResult><gmd:specification><gmd:CI_Citation><gmd:title><gco:CharacterString>Rules of the office</gco:CharacterString></gmd:title>
   <gmd:date><gmd:CI_Date><gmd:date><gco:Date>2030-01-01</gco:Date></gmd:date><gmd:dateType><gmd:CI_DateTypeCode codeList="l" codeListValue="publication"/></gmd:dateType></gmd:CI_Date></gmd:date></gmd:CI_Citation></gmd:specification>
   <gmd:explanation><gco:CharacterString>all of them</gco:CharacterString></gmd:explanation><gmd:pass><gco:Boolean>1</gco:Boolean></gmd:pass></gmd:DQ_ConformanceResult></gmd:result></gmd:DQ_DomainConsistency></gmd:report>
 </gmd:DQ_DataQuality></gmd:dataQualityInfo>
</gmd:MD_Metadata>
"""
ISO_SAYS = {
    ("language",): "eng",
    ("level",): "series",
    ("stamped",): "2031-08-01T10:00:00",
    ("locales", 0, "language"): "por",
    ("dimensions", 0, "resolution"): 10.0,
    ("cell_geometry",): "area",
    ("systems",): (System("32727", "EPSG"),),
    ("title",): "Ash bands",
    ("identifiers", 0, "code"): "https://id.tolvane.example/ash",
    ("keywords", 0, "thesaurus"): "GEMET - INSPIRE themes, version 1.0",
    ("keywords", 0, "words"): ("Natural risk zones",),
    ("scales",): (5000,),
    ("distances",): (Measure(10.0, "m"),),
    ("languages",): ("eng",),
    ("extent_note",): "the island",
    ("boxes",): (Box(-20.95, -38.245, -20.83, -38.16),),
    ("times",): (Period("2031-04-18", "now"),),
    ("heights",): (HeightRange(0.0, 812.5),),
    ("quality", 0, "kind"): "domainConsistency",
    ("quality", 0, "conforms"): "yes",
    ("quality", 0, "specification"): "Rules of the office",
    ("purpose",): "",
}
DCAT = """@prefix dcat: <http://www.w3.org/ns/dcat#> . @prefix dct: <http://purl.org/dc/terms/> .
@prefix foaf: <http://xmlns.com/foaf/0.1/> . @prefix vcard: <http://www.w3.org/2006/vcard/ns#> . @prefix adms: <http://www.w3.org/ns/adms#> .
<urn:ash> a dcat:Dataset ; dct:title "Ash bands"@en , "Faixas de cinza"@pt ; dct:description "Bands of ash." ;
  dcat:keyword "roofs" , "ash" ; dct:issued "2031-07-30" ; dct:publisher [ a foaf:Agent ; foaf:name "Island Press" ] ;
  dcat:contactPoint [ a vcard:Kind ; vcard:fn "Ines Maro" ; vcard:hasEmail <mailto:data@survey.tolvane.example> ] ;
  dct:accrualPeriodicity <http://publications.europa.eu/resource/authority/frequency/MONTHLY> ;
  dct:temporal [ a dct:PeriodOfTime ; dcat:startDate "2031-04-18" ; dcat:endDate "2031-06-24" ] ;
  dct:conformsTo <http://www.opengis.net/def/crs/EPSG/0/32727> ; adms:sample <urn:sample> ;
  dcat:distribution [ a dcat:Distribution ; dcat:accessURL <https://data.survey.tolvane.example/ash> ; dct:title "GeoPackage" ] .
"""
DCAT_SAYS = {
    ("title",): "Ash bands",
    ("keywords", 0, "words"): ("ash", "roofs"),
    ("dates",): (DatedEvent("2031-07-30", "publication"),),
    ("contacts", 0, "organisation"): "Island Press",
    ("contacts", 1): Contact(person="Ines Maro", role="pointOfContact", email="data@survey.tolvane.example"),
    ("maintenance",): "monthly",
    ("times",): (Period("2031-04-18", "2031-06-24"),),
    ("systems",): (System("32727", "EPSG"),),
    ("links", 0, "name"): "GeoPackage",
}
DUBLIN = """<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns:dc="http://purl.org/dc/elements/1.1/">
 <rdf:Description><dc:title>Ash bands</dc:title><dc:creator>Tolvane Survey Office</dc:creator><dc:subject>ash</dc:subject>
 <dc:subject>roofs</dc:subject><dc:description>Bands of ash.</dc:description><dc:date>2031-07</dc:date><dc:type>Dataset</dc:type>
 <dc:coverage>Tolvane Island</dc:coverage><dc:rights>Name the office.</dc:rights></rdf:Description></rdf:RDF>
"""
DUBLIN_SAYS = {
    ("title",): "Ash bands",
    ("contacts",): (Contact(organisation="Tolvane Survey Office", role="originator"),),
    ("keywords",): (KeywordSet(words=("ash", "roofs")),),
    ("abstract",): "Bands of ash.",
    ("dates",): (DatedEvent("2031-07"),),
    ("level",): "dataset",
    ("places",): ("Tolvane Island",),
    ("constraints", 0, "limits"): ("Name the office.",),
}
STAC = """{"type": "Collection", "stac_version": "1.0.0", "id": "ash", "title": "Ash bands", "description": "Bands of ash.",
 "license": "CC-BY-4.0", "keywords": ["ash"], "providers": [{"name": "Tolvane Survey Office", "roles": ["producer", "host"], "url": "https://survey.tolvane.example"}],
 "extent": {"spatial": {"bbox": [[-20.95, -38.245, 0, -20.83, -38.16, 812]]}, "temporal": {"interval": [["2031-04-18T00:00:00Z", null]]}},
 "links": [{"rel": "self", "href": "c.json"}, {"rel": "about", "href": "https://survey.tolvane.example/ash"}], "summaries": {"gsd": [10]}}
"""
STAC_SAYS = {
    ("identifier",): "ash",
    ("constraints", 0, "other"): ("CC-BY-4.0",),
    ("contacts",): (
        Contact(organisation="Tolvane Survey Office", role="originator", link="https://survey.tolvane.example"),
    ),
    ("boxes",): (Box(-20.95, -38.245, -20.83, -38.16),),
    ("times",): (Period("2031-04-18", ""),),
    ("links", 0, "url"): "https://survey.tolvane.example/ash",
}
ISO3 = """<mdb:MD_Metadata xmlns:mdb="http://standards.iso.org/iso/19115/-3/mdb/2.0" xmlns:cit="http://standards.iso.org/iso/19115/-3/cit/2.0"
 xmlns:mri="http://standards.iso.org/iso/19115/-3/mri/1.0" xmlns:mcc="http://standards.iso.org/iso/19115/-3/mcc/1.0" xmlns:lan="http://standards.iso.org/iso/19115/-3/lan/1.0"
 xmlns:mrl="http://standards.iso.org/iso/19115/-3/mrl/2.0" xmlns:mrd="http://standards.iso.org/iso/19115/-3/mrd/1.0" xmlns:mrc="http://standards.iso.org/iso/19115/-3/mrc/2.0"
 xmlns:gfc="http://standards.iso.org/iso/19110/gfc/1.1" xmlns:gco="http://standards.iso.org/iso/19115/-3/gco/1.0" xmlns:gml="http://www.opengis.net/gml/3.2">
 <mdb:metadataIdentifier><mcc:MD_Identifier><mcc:code><gco:CharacterString>lava-2031</gco:CharacterString></mcc:code></mcc:MD_Identifier></mdb:metadataIdentifier>
 <mdb:defaultLocale><lan:PT_Locale><lan:language><lan:LanguageCode codeList="l" codeListValue="eng"/></lan:language>
  <lan:characterEncoding><lan:MD_CharacterSetCode codeList="l" codeListValue="utf8"/></lan:characterEncoding></lan:PT_Locale></mdb:defaultLocale>
 <mdb:contact><cit:CI_Responsibility><cit:role><cit:CI_RoleCode codeList="l" codeListValue="pointOfContact"/></cit:role>
  <cit:party><cit:CI_Organisation><cit:name><gco:CharacterString>Tolvane Survey Office</gco:CharacterString></cit:name>
   <cit:contactInfo><cit:CI_Contact>
    <cit:phone><cit:CI_Telephone><cit:number><gco:CharacterString>+000 20 9001</gco:CharacterString></cit:number>
     <cit:numberType><cit:CI_TelephoneTypeCode codeList="l" codeListValue="facsimile"/></cit:numberType></cit:CI_Telephone></cit:phone>
    <cit:phone><cit:CI_Telephone><cit:number><gco:CharacterString>+000 20 9000</gco:CharacterString></cit:number></cit:CI_Telephone></cit:phone>
    <cit:address><cit:CI_Address><cit:electronicMailAddress><gco:CharacterString>data@survey.tolvane.example</gco:CharacterString></cit:electronicMailAddress></cit:CI_Address></cit:address>
   </cit:CI_Contact></cit:contactInfo>
   <cit:individual><cit:CI_Individual><cit:name><gco:CharacterString>Ines Maro</gco:CharacterString></cit:name>
    <cit:positionName><gco:CharacterString>Surveyor</gco:CharacterString></cit:positionName></cit:CI_Individual></cit:individual></cit:CI_Organisation></cit:party></cit:CI_Responsibility></mdb:contact>
 <mdb:dateInfo><cit:CI_Date><cit:date><gco:Date>2031-08-01</gco:Date></cit:date><cit:dateType><cit:CI_DateTypeCode codeList="l" codeListValue="revision"/></cit:dateType></cit:CI_Date></mdb:dateInfo>
 <mdb:identificationInfo><mri:MD_DataIdentification>
  <mri:citation><cit:CI_Citation><cit:title><gco:CharacterString>Lava of 2031</gco:CharacterString></cit:title></cit:CI_Citation></mri:citation>
  <mri:abstract><gco:CharacterString>Outlines.</gco:CharacterString></mri:abstract>
  <mri:defaultLocale><lan:PT_Locale><lan:language><lan:LanguageCode codeList="l" codeListValue="eng"/></lan:language></lan:PT_Locale></mri:defaultLocale>
  <mri:otherLocale><lan:PT_Locale><lan:language><lan:LanguageCode codeList="l" codeListValue="por"/></lan:language></lan:PT_Locale></mri:otherLocale>
 </mri:MD_DataIdentification></mdb:identificationInfo>
 <mdb:contentInfo><mrc:MD_FeatureCatalogue><mrc:featureCatalogue><gfc:FC_FeatureCatalogue><gfc:featureType><gfc:FC_FeatureType>
  <gfc:typeName>lava_flows</gfc:typeName><gfc:definition><gco:CharacterString>flows</gco:CharacterString></gfc:definition>
  <gfc:carrierOfCharacteristics><gfc:FC_FeatureAttribute><gfc:memberName>YR</gfc:memberName><gfc:definition><gco:CharacterString>Year of the flow</gco:CharacterString></gfc:definition>
   <gfc:listedValue><gfc:FC_ListedValue><gfc:label><gco:CharacterString>the last one</gco:CharacterString></gfc:label><gfc:code><gco:CharacterString>2031</gco:CharacterString></gfc:code></gfc:FC_ListedValue></gfc:listedValue>
  </gfc:FC_FeatureAttribute></gfc:carrierOfCharacteristics></gfc:FC_FeatureType></gfc:featureType></gfc:FC_FeatureCatalogue></mrc:featureCatalogue></mrc:MD_FeatureCatalogue></mdb:contentInfo>
 <mdb:distributionInfo><mrd:MD_Distribution><mrd:distributionFormat><mrd:MD_Format><mrd:formatSpecificationCitation><cit:CI_Citation>
  <cit:title><gco:CharacterString>GeoPackage</gco:CharacterString></cit:title><cit:edition><gco:CharacterString>1.3</gco:CharacterString></cit:edition></cit:CI_Citation></mrd:formatSpecificationCitation></mrd:MD_Format></mrd:distributionFormat></mrd:MD_Distribution></mdb:distributionInfo>
 <mdb:resourceLineage><mrl:LI_Lineage><mrl:statement><gco:CharacterString>Mapped.</gco:CharacterString></mrl:statement>
  <mrl:processStep><mrl:LI_ProcessStep><mrl:description><gco:CharacterString>Walked.</gco:CharacterString></mrl:description>
   <mrl:stepDateTime><gml:TimeInstant gml:id="s"><gml:timePosition>2031-06-10</gml:timePosition></gml:TimeInstant></mrl:stepDateTime></mrl:LI_ProcessStep></mrl:processStep></mrl:LI_Lineage></mdb:resourceLineage>
</mdb:MD_Metadata>
"""
ISO3_SAYS = {
    ("identifier",): "lava-2031",
    ("language",): "eng",
    ("record_charset",): "utf8",
    ("record_contacts", 0): Contact(
        "Ines Maro",
        "Tolvane Survey Office",
        "Surveyor",
        "pointOfContact",
        "+000 20 9000",
        "+000 20 9001",
        email="data@survey.tolvane.example",
    ),
    ("stamped",): "2031-08-01",
    ("languages",): ("eng", "por"),
    ("entities", 0, "name"): "lava_flows",
    ("entities", 0, "fields", 0, "definition"): "Year of the flow",
    ("entities", 0, "fields", 0, "meanings"): (Meaning("2031", "the last one"),),
    ("formats", 0, "version"): "1.3",
    ("lineage",): "Mapped.",
    ("steps", 0, "day"): "2031-06-10",
}
SAMPLES = {
    "ISO 19115-3": (ISO3, "a.xml", ISO3_SAYS),
    "FGDC CSDGM": (FGDC, "a.xml", FGDC_SAYS),
    "ISO 19139": (ISO, "a.xml", ISO_SAYS),
    "DCAT-AP": (DCAT, "a.ttl", DCAT_SAYS),
    "Dublin Core": (DUBLIN, "a.rdf", DUBLIN_SAYS),
    "STAC": (STAC, "a.json", STAC_SAYS),
}


@pytest.fixture(params=SAMPLES)
def sample(request):
    text, name, says = SAMPLES[request.param]
    return document_in(text.encode(), Path(name)), STANDARDS[request.param], says


def test_a_record_is_read_whole(sample):
    document, standard, says = sample
    assert document.standard is standard
    for place, value in says.items():
        said = value_at(document.record, place)
        assert (str(said) if isinstance(value, str) else said) == value, place


def test_an_edit_changes_one_thing(sample):
    """The rest of the record, what the model does not know included, is as it was."""
    document, _, _ = sample
    edited = document.edited(replace(document.record, abstract="Thickness in bands."))
    assert edited.record == replace(document.record, abstract="Thickness in bands.")
    assert [u[1:] for u in edited.unplaced] == [u[1:] for u in document.unplaced]
    assert edited.edited(document.record).record == document.record


def test_every_item_can_be_removed_and_put_back(sample):
    document, _, _ = sample
    record = document.record
    for name in ("contacts", "keywords", "boxes", "times", "constraints", "dates", "links", "systems"):
        without = document.edited(replace(record, **{name: ()}))
        assert getattr(without.record, name) == ()
        assert without.edited(record).record == record, name


def test_what_is_left_over_is_named(sample):
    document, standard, _ = sample
    left = {u.path.rpartition("/")[2] for u in document.unplaced}
    known = {
        "FGDC CSDGM": {"pubplace", "mettc", "srccitea"},
        "ISO 19139": {"numberOfDimensions"},
        "ISO 19115-3": set(),
        "DCAT-AP": {"adms:sample"},
        "Dublin Core": set(),
        "STAC": {"summaries"},
    }[standard.name]
    assert known <= left and not left & {"formname", "transize", "absres"}  # read, or part of what is read whole


def test_the_sample_of_fgdc_is_whole_and_valid():
    document = document_in(FGDC.encode(), Path("a.xml"))
    assert check_schema(document.data, document.standard, document.place_at) == []
    assert [f.reason for f in check(document.record, document.standard) if f.severity == "fault"] == []
    changed = document.edited(replace(document.record, systems=(System("4326", "EPSG"), document.record.systems[1])))
    assert "<geograph>" in changed.text and "Mean sea level" in changed.text and "<utm>" not in changed.text
    assert check_schema(changed.data, changed.standard, changed.place_at) == []


def test_the_sample_of_iso_keeps_anchors_comments_and_links():
    document = document_in(ISO.encode(), Path("a.xml"))
    assert document.record.title.also == (("POR", "Faixas de cinza"),)
    edited = document.edited(
        replace(
            document.record, purpose="Clearing roofs.", scales=(10_000, 25_000), topics=("geoscientificInformation",)
        )
    )
    for kept in ("kept by the office", 'xlink:href="#office"', "gmx:Anchor", 'gml:id="t"', "Faixas de cinza"):
        assert kept in edited.text
    assert 'nilReason="unknown"' not in edited.text and edited.record.scales == (10_000, 25_000)
    names = [etree.QName(e).localname for e in etree.fromstring(edited.data).find(".//{*}MD_DataIdentification")]
    assert names == sorted(names, key=ORDER.index)


ORDER = [
    "citation",
    "abstract",
    "purpose",
    "descriptiveKeywords",
    "spatialResolution",
    "language",
    "topicCategory",
    "extent",
]


def test_a_file_with_two_datasets_says_so():
    two = DCAT + '<urn:b> a dcat:Dataset ; dct:title "Another" .'
    document = document_in(two.encode(), Path("two.ttl"))
    assert document.notes == ("It describes 2 datasets; this is the first.",)
    assert "Another" in document.edited(replace(document.record, title="Changed")).text


def test_what_is_said_twice_is_told_and_kept():
    text = FGDC.replace("<edition>2</edition>", "<edition>2</edition><edition>3</edition>")
    document = document_in(text.encode(), Path("a.xml"))
    told = next(u for u in document.unplaced if u.text == "3")
    assert "more than once" in told.reason and document.record.edition == "2"
    assert "<edition>3</edition>" in document.edited(replace(document.record, edition="4")).text


def test_a_fax_and_a_telephone_are_told_apart_and_changed_apart():
    document = document_in(ISO3.encode(), Path("a.xml"))
    contact = document.record.record_contacts[0]
    edited = document.edited(replace(document.record, record_contacts=(replace(contact, phone="+000 1", fax=""),)))
    assert edited.record.record_contacts == (replace(contact, phone="+000 1", fax=""),)
    assert edited.text.count("<cit:CI_Telephone>") == 1 and "facsimile" not in edited.text
    again = edited.edited(document.record)
    assert again.record == document.record and again.text.count("<cit:CI_Telephone>") == 2


def test_new_elements_of_iso_19115_3_stand_in_the_order_of_the_standard():
    document = document_in(ISO3.encode(), Path("a.xml"))
    edited = document.edited(
        replace(
            document.record,
            purpose="Planning.",
            boxes=(Box(-20.95, -38.245, -20.83, -38.16),),
            systems=(System("32727", "EPSG"),),
            maintenance="asNeeded",
            level="dataset",
        )
    )
    root = etree.fromstring(edited.data)
    names = [etree.QName(e).localname for e in root]
    assert (
        names.index("metadataScope")
        < names.index("contact")
        < names.index("referenceSystemInfo")
        < names.index("identificationInfo")
    )
    about = [etree.QName(e).localname for e in root.find(".//{*}MD_DataIdentification")]
    assert about == ["citation", "abstract", "purpose", "extent", "resourceMaintenance", "defaultLocale", "otherLocale"]
    assert edited.record.boxes == (Box(-20.95, -38.245, -20.83, -38.16),)
