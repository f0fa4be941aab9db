"""Catalogue Service for the Web 2.0.2 (OGC 07-006r1): questions by GET, conditions as CQL text."""

from __future__ import annotations

import re

from lxml import etree
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from brisk_atlas.core.model import Extent

from . import answers
from .answers import Refused, document, number_in, settings_of
from .catalogue import CatalogueEntry, entries_of
from .offers import DEGREES, Depot

ISO = "http://www.isotc211.org/2005/gmd"
LIKE = re.compile(r"AnyText\s+LIKE\s+'((?:[^']|'')*)'", re.IGNORECASE)
BBOX = re.compile(r"BBOX\s*\(\s*ows:BoundingBox\s*,([^)]*)\)", re.IGNORECASE)
USUAL, MOST = 10, 100


class CatalogueAnswers:
    """Answers about the records of offers."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot

    def routes(self) -> list[Route]:
        return [Route("/csw", self.answer)]

    def answer(self, request: Request) -> Response:
        settings, base = settings_of(request), answers.base_of(request)
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
            return answers.xml(document("ows_exception.xml", version="1.0.0", code=error.code, reason=error.reason))
        return answers.xml(body, media_type="application/xml")

    def _records(self, settings: dict[str, str], base: str) -> bytes:
        words, box = _conditions(settings.get("constraint", ""))
        found = [entry for entry in entries_of(self.depot, base) if entry.has(words, box)]
        first = number_in(settings, "startposition", 1, 10**9, 1)
        page = found[first - 1 : first - 1 + min(number_in(settings, "maxrecords", 0, 10**9, USUAL), MOST)]
        following = first + len(page) if first - 1 + len(page) < len(found) else 0
        return document("csw_records.xml", records=page, matched=len(found), following=following)

    def _record(self, settings: dict[str, str], base: str) -> bytes:
        wanted = settings.get("id", "").split(",")
        found = [entry for entry in entries_of(self.depot, base) if entry.offer.id in wanted]
        if settings.get("outputschema", "") != ISO:
            return document("csw_records.xml", records=found, matched=len(found), following=0)
        return _in_iso(found)


def _in_iso(found: list[CatalogueEntry]) -> bytes:
    space = "http://www.opengis.net/cat/csw/2.0.2"
    root = etree.Element(f"{{{space}}}GetRecordByIdResponse", nsmap={"csw": space})
    for entry in found:
        root.append(entry.iso())
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
