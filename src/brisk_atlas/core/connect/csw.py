"""Catalogue Services for the Web 2.0.2 and 3.0.0 (OGC 07-006r1, 12-176r7): records found by words and by place."""

from __future__ import annotations

from typing import Any

from lxml import etree

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .catalogues import MAX_RECORDS, PAGE, RECORD_BYTES, RecordCatalogue, RecordSearch
from .connector import Item
from .fetching import fetch
from .ows import asking, capabilities, tree_of

ISO = "http://www.isotc211.org/2005/gmd"
RECORDS = "records"  # the one collection that such a catalogue has


class Csw(RecordCatalogue):
    """All records are in one list, which a search narrows."""

    def list(self, ref: DataRef) -> list[Item]:
        search, found = RecordSearch.of(ref), list[Item]()
        version = _version(ref)
        while len(found) < MAX_RECORDS:
            root = self._page(ref, version, search, len(found) + 1)
            records = [each for each in root.iter() if _name(each) in ("SummaryRecord", "Record", "BriefRecord")]
            for each in records:
                name, title, state = (_text(each, word) for word in ("identifier", "title", "modified"))
                if name:
                    found.append(self.item(ref, RECORDS, name, title, state))
            results = next((each for each in root.iter() if _name(each) == "SearchResults"), None)
            following = int(results.get("nextRecord") or 0) if results is not None else 0
            if not records or following <= len(found):
                break
        return found[:MAX_RECORDS]

    @staticmethod
    def _page(ref: DataRef, version: str, search: RecordSearch, first: int) -> etree._Element:
        settings = {
            "service": "CSW", "version": version, "request": "GetRecords", "typenames": "csw:Record",
            "resulttype": "results", "elementsetname": "summary", "outputschema": _schema(version),
            "startposition": str(first), "maxrecords": str(PAGE),
        }  # fmt: skip
        if version >= "3":
            settings |= {"q": search.words} if search.words else {}
            settings |= {"bbox": ",".join(map(repr, search.box))} if search.box else {}
        elif search.words or search.box:
            conditions = [f"AnyText LIKE '%{_escaped(search.words)}%'"] if search.words else []
            if search.box:
                west, south, east, north = search.box
                conditions.append(f"BBOX(ows:BoundingBox, {west!r}, {south!r}, {east!r}, {north!r})")
            settings |= {
                "constraintlanguage": "CQL_TEXT", "constraint_language_version": "1.1.0",
                "constraint": " AND ".join(conditions),
            }  # fmt: skip
        return _answered(ref, settings)

    def record(self, ref: DataRef) -> tuple[bytes, str]:
        version = _version(ref)
        settings = {
            "service": "CSW", "version": version, "request": "GetRecordById", "id": self.name_in(ref),
            "elementsetname": "full", "outputschema": ISO,
        }  # fmt: skip
        try:
            root = _answered(ref, settings)
        except CannotRead:
            root = _answered(ref, settings | {"outputschema": _schema(version)})  # one that speaks no ISO
        found = root if _name(root) != "GetRecordByIdResponse" else next(iter(root), None)
        if found is None:
            raise CannotRead(ref, tr("the catalogue has no such record any more"), tr("List it again."))
        return etree.tostring(found, xml_declaration=True, encoding="UTF-8"), ".xml"


def _version(ref: DataRef) -> str:
    whole = DataRef(ref.kind, ref.place)
    return "3.0.0" if capabilities(whole, "CSW", _stated).startswith("3") else "2.0.2"


def _stated(version: str, body: bytes) -> str:
    return version


def _schema(version: str) -> str:
    return f"http://www.opengis.net/cat/csw/{'3.0' if version >= '3' else '2.0.2'}"


def _answered(ref: DataRef, settings: dict[str, str]) -> etree._Element:
    body = fetch(ref, asking(ref.address, settings), accept="application/xml, text/xml", limit=RECORD_BYTES).body
    return tree_of(ref, body)


def _escaped(words: str) -> str:
    return words.replace("'", "''").replace("%", "").replace("_", "\\_")


def _name(element: Any) -> str:
    return etree.QName(element).localname if isinstance(element.tag, str) else ""


def _text(record: etree._Element, word: str) -> str:
    return next((" ".join((each.text or "").split()) for each in record.iter() if _name(each) == word), "")


CONNECTOR = Csw()
