"""The words of a metadata record that people search by: title, summary and keywords, in any standard.

Light on purpose: it goes by the names of elements. `core.record` reads records properly.
"""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any, NamedTuple

from lxml import etree

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.record.detect import standard_of
from brisk_atlas.core.record.safe_xml import parse_xml

from .record import title_in

TITLES = ("title",)
SUMMARIES = ("abstract", "purpose", "description", "statement", "supplementalInformation")
KEYWORDS = ("keyword", "subject", "themekey", "placekey", "topicCategory")
PLACES = ("place", "stratum", "temporal")  # kinds of keywords that are no themes
MOST_TEXT = 20_000  # characters of a summary
MOST_OTHERS = 60_000  # characters of the rest
MOST_DCAT = 64_000_000  # bytes
_TURTLE = re.compile(r'"((?:[^"\\]++|\\.)*+)"')


class RecordWords(NamedTuple):
    """`themes` are those keywords that say what the data is about; `others` is all else that it says in words:
    lineage, quality, contacts, the meanings of fields and values."""

    title: str = ""
    summary: str = ""
    keywords: tuple[str, ...] = ()
    themes: tuple[str, ...] = ()
    standard: str = ""
    others: str = ""


def words_of(path: Path) -> RecordWords | None:
    """Return the words of a record file, or None where it is no record that is known."""
    suffix = path.suffix.lower()
    if suffix == ".json":
        return _stac(path)
    if suffix in (".jsonld", ".ttl"):
        return _dcat(path)
    try:
        root = parse_xml(path).getroot()
    except (CannotRead, OSError):
        return None
    standard = standard_of(root)
    if standard is None:
        return None
    titles: list[str] = []
    summaries: list[str] = []
    keywords: list[str] = []
    themes: list[str] = []
    others: list[str] = []
    for element in root.iter():
        if not isinstance(element.tag, str):
            continue
        name = element.tag.rpartition("}")[2]
        own = (element.text or "").strip()
        if own and name not in KEYWORDS and own[0].isalnum() and not own.replace(".", "").isdigit():
            others.append(" ".join(own.split()))
        if name in TITLES or name in SUMMARIES or name in KEYWORDS:
            text = " ".join("".join(element.itertext()).split())
            if not text:
                continue
            if name in TITLES:
                titles.append(text)
            elif name in SUMMARIES:
                summaries.append(text)
            else:
                keywords.append(text)
                if name != "placekey" and name != "topicCategory" and _kind(element) not in PLACES:
                    themes.append(text)
    words = tuple(dict.fromkeys(keywords))
    return RecordWords(
        titles[0] if titles else "", "\n".join(summaries)[:MOST_TEXT], words, tuple(dict.fromkeys(themes)), standard,
        "\n".join(dict.fromkeys(others))[:MOST_OTHERS],
    )  # fmt: skip


def _dcat(path: Path) -> RecordWords | None:
    """Return the words of a DCAT file in JSON-LD or Turtle: its texts, without following anything it names."""
    try:
        if path.stat().st_size > MOST_DCAT:
            return None
        text = path.read_text("utf-8", "replace")
        found = _texts_of(json.loads(text)) if path.suffix.lower() == ".jsonld" else _TURTLE.findall(text)
    except (OSError, ValueError, RecursionError):
        return None
    texts = [" ".join(t.split()) for t in found if t and not t.startswith(("http:", "https:", "urn:", "xsd:"))]
    title = title_in(path)
    return RecordWords(title, "", (), (), "DCAT-AP", "\n".join(dict.fromkeys(texts))[:MOST_OTHERS]) if texts else None


def _texts_of(content: Any) -> list[str]:
    """Return all texts of a JSON document but for keys and context."""
    waiting, found = [content], []
    while waiting:
        thing = waiting.pop()
        if isinstance(thing, dict):
            waiting += [value for key, value in thing.items() if key not in ("@context", "@id", "@type")]
        elif isinstance(thing, list):
            waiting += thing
        elif isinstance(thing, str):
            found.append(thing)
    return found


def _kind(keyword: etree._Element) -> str:
    """Return the kind of the list that a keyword stands in, as ISO records say it."""
    parent = keyword.getparent()
    coded = parent.find(".//{*}MD_KeywordTypeCode") if parent is not None else None
    return coded.get("codeListValue", "") if coded is not None else ""


def _stac(path: Path) -> RecordWords | None:
    try:
        content = json.loads(path.read_text("utf-8"))
        about = {**content, **content.get("properties", {})}
        keywords = tuple(map(str, about.get("keywords") or ()))
        title, summary = str(about.get("title") or content.get("id") or ""), str(about.get("description") or "")
    except (OSError, ValueError, AttributeError, TypeError):
        return None
    return RecordWords(title, summary[:MOST_TEXT], keywords, keywords, "STAC")
