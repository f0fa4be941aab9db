"""Catalogue Service for the Web 2.0.2 (OGC 07-006r1): by GET with conditions as CQL text, by POST with a filter."""

from __future__ import annotations

import re
from pathlib import Path

from lxml import etree
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from brisk_atlas.core.model import CannotRead, Extent
from brisk_atlas.core.record.safe_xml import xml_in

from . import answers
from .answers import Refused, document, number_in, settings_of
from .catalogue import CatalogueEntry, entries_of
from .features import time_stamp
from .offers import DEGREES, Depot

OWN = "http://www.opengis.net/cat/csw/2.0.2"  # the schema of records that each such service has
FORMS = {"brief": "BriefRecord", "summary": "SummaryRecord", "full": "Record"}  # sets of elements, and what holds them
ISO = "http://www.isotc211.org/2005/gmd"
LIKE = re.compile(r"AnyText\s+LIKE\s+'((?:[^']|'')*)'", re.IGNORECASE)
BBOX = re.compile(r"BBOX\s*\(\s*ows:BoundingBox\s*,([^)]*)\)", re.IGNORECASE)
USUAL, MOST = 10, 100
MOST_SENT = 1_000_000  # bytes of a question
CORNERS = ("lowerCorner", "upperCorner")


class CatalogueAnswers:
    """Answers about the records of offers."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot

    def routes(self) -> list[Route]:
        return [Route("/csw", self.answer), Route("/csw", self.answer_sent, methods=["POST"])]

    async def answer_sent(self, request: Request) -> Response:
        """Answer a question that was sent as XML."""
        body = b""
        async for part in request.stream():
            body += part
            if len(body) > MOST_SENT:
                return _refused(Refused("InvalidParameterValue", "the question is too large", 413))
        try:
            settings = _settings_sent(body)
        except Refused as error:
            return _refused(error)
        return await run_in_threadpool(self._answered, settings, answers.base_of(request))

    def answer(self, request: Request) -> Response:
        return self._answered(settings_of(request), answers.base_of(request))

    def _answered(self, settings: dict[str, str], base: str) -> Response:
        try:
            match settings.get("request", "").lower():
                case "getcapabilities":
                    body = document("csw_202.xml", title=self.depot.title, address=f"{base}/csw?")
                case "getrecords":
                    body = self._records(settings, base)
                case "getrecordbyid":
                    body = self._record(settings, base)
                case other:
                    raise Refused("OperationNotSupported", f"there is no request '{other}'")
        except Refused as error:
            return _refused(error)
        return answers.xml(body, media_type="application/xml")

    def _records(self, settings: dict[str, str], base: str) -> bytes:
        words, box = _conditions(settings.get("constraint", ""))
        found = [entry for entry in entries_of(self.depot, base) if entry.has(words, box)]
        first = number_in(settings, "startposition", 1, 10**9, 1)
        count = min(number_in(settings, "maxrecords", 0, 10**9, USUAL), MOST)
        page = found[first - 1 : first - 1 + count] if settings.get("resulttype", "").lower() != "hits" else []
        following = first + len(page) if first - 1 + len(page) < len(found) else 0
        return _stated(page, settings, matched=len(found), following=following)

    def _record(self, settings: dict[str, str], base: str) -> bytes:
        wanted = settings.get("id", "").split(",")
        found = [entry for entry in entries_of(self.depot, base) if entry.id in wanted]
        return _stated(found, settings, by_id=True)


def _refused(error: Refused) -> Response:
    return answers.xml(document("ows_exception.xml", version="1.0.0", code=error.code, reason=error.reason))


def _settings_sent(body: bytes) -> dict[str, str]:
    """Return the settings that a question in XML means, as they would stand in an address. Raises Refused."""
    try:
        root = xml_in(body, Path("question.xml"))[0].getroot()
    except CannotRead as error:
        raise Refused("InvalidParameterValue", f"the question can't be read: {error.reason}") from None
    name = etree.QName(root).localname
    found = {"request": name, **{key.lower(): str(value) for key, value in root.attrib.items()}}
    if name == "GetRecordById":
        found["id"] = ",".join(each.text or "" for each in root.findall("{*}Id"))
    if (form := root.findtext(".//{*}ElementSetName")) is not None:
        found["elementsetname"] = form
    found["constraint"] = " AND ".join(_condition_sent(each) for each in root.iterfind(".//{*}Filter/*"))
    return found


def _condition_sent(node: etree._Element) -> str:
    """Return a condition of a filter (OGC 04-095) as a text. Raises Refused for one that is not followed here."""
    match etree.QName(node).localname:
        case "And":
            return " AND ".join(map(_condition_sent, node))
        case "PropertyIsLike" | "PropertyIsEqualTo":
            name = (node.findtext("{*}PropertyName") or "").rpartition(":")[2].lower()
            if name in ("anytext", "title", "abstract"):
                words = (node.findtext("{*}Literal") or "").strip("%*").replace("'", "''")
                return f"AnyText LIKE '%{words}%'"
        case "BBOX":
            corners = [" ".join((node.findtext(f".//{{*}}{each}") or "").split()) for each in CORNERS]
            return f"BBOX(ows:BoundingBox, {', '.join(corners).replace(' ', ',').replace(',,', ',')})"
    raise Refused("InvalidParameterValue", f"the condition {etree.QName(node).localname} is not followed here")


def _stated(
    records: list[CatalogueEntry],
    settings: dict[str, str],
    *,
    by_id: bool = False,
    matched: int = 0,
    following: int = 0,
) -> bytes:
    """Return records in the asked form: the service's own, brief, in summary or full, or ISO 19139. Raises Refused."""
    form, schema = settings.get("elementsetname", "").lower() or "summary", settings.get("outputschema", "") or OWN
    if form not in FORMS:
        raise Refused("InvalidParameterValue", f"there is no set of elements '{form}'")
    if schema not in (OWN, ISO):
        raise Refused("InvalidParameterValue", f"there is no schema '{schema}'")
    own = document(
        "csw_records.xml",
        records=records if schema == OWN else [],
        names=FORMS,
        form=form,
        schema=schema,
        by_id=by_id,
        matched=matched,
        returned=len(records),
        following=following,
        now=time_stamp(),
    )
    if schema == OWN:
        return own
    root = etree.fromstring(own)
    place = root if by_id else root[-1]
    for entry in records:
        place.append(entry.iso())
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")


def _conditions(text: str) -> tuple[str, Extent | None]:
    """Return the words and the box of a condition. Raises Refused for anything else."""
    words = " ".join(each.replace("''", "'").strip("%") for each in LIKE.findall(text))
    boxes = BBOX.findall(text)
    rest = BBOX.sub("", LIKE.sub("", text)).replace("AND", "").strip()
    if rest or len(boxes) > 1:
        raise Refused("InvalidParameterValue", f"the constraint '{text[:100]}' is not followed here")
    try:
        sides = [float(each) for each in boxes[0].split(",")] if boxes else []
    except ValueError:
        sides = [0.0]
    if boxes and len(sides) != 4:
        raise Refused("InvalidParameterValue", "the box has not four sides")
    return words, Extent.of(sides, DEGREES) if boxes else None
