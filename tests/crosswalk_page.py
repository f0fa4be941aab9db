"""Writes docs/crosswalk.md from the standards themselves: `python tests/crosswalk_page.py > docs/crosswalk.md`."""

from __future__ import annotations

import re

from brisk_atlas.core.record.elements import elements
from brisk_atlas.core.record.standards import STANDARDS, crosswalk

HEAD = """# Crosswalk

Where each element of the record model stands in each standard. The table is made from the descriptions that
reading and writing go by, so it cannot say anything else; `tests/core/test_records.py` holds it to that.

- A dash says that the standard has no place for the element: converting to it loses the element, and the report of
  the conversion says so.
- Paths of XML standards are shortened to their last three steps, without the classes between; RDF properties and
  JSON members are as they are.
- **FGDC CSDGM** has one contact, one publication date, one box and one free text each for access and use; what is
  more than that is lost. A lineage statement is written as the first process step, topic categories and places as
  keywords of a list, several conditions as one text (*moved*). Mandatory texts that no one said are written as
  `Unknown`, which is read as not said. Times of day are lost. Reference systems are spelt out; those that are
  neither geographic nor UTM are written as "other grid system" with their EPSG code.
- **ISO 19139** names a feature catalogue but does not hold one: field definitions are lost. A day in a place that
  takes a moment only is written as its midnight.
- **ISO 19115-3** holds fields in a feature catalogue of ISO 19110: names, definitions, units, types and listed
  values; ranges, code sets and who defined a field are lost.
- **Dublin Core**, **DCAT-AP** and **STAC** hold parties by organisation and a few roles, conditions as texts,
  and one list of keywords. DCAT-AP keeps translations; ISO does too.
- Codes that a standard has no word for are written as they are (FGDC), or left out where only an address of a list
  would do (DCAT-AP).

"""


def _short(path: str) -> str:
    steps = [step.rpartition(":")[2] for step in path.split("/")]
    plain = [step for step in steps if not re.match(r"[A-Z]{2}_|[A-Z]{2}[A-Z]?_|gml", step)]
    return "/".join((plain or steps)[-3:])


def page() -> str:
    names = [name for name in STANDARDS if name != "INSPIRE"]
    out = [HEAD, f"| element | in plain words | {' | '.join(names)} |\n", f"|---|---|{'---|' * len(names)}\n"]
    section = ""
    for element, label, places in crosswalk():
        about = elements()[element.partition(".")[0]]
        if about.section != section:
            section = about.section
            out.append(f"| **{section}** | |{' |' * len(names)}\n")
        cells = []
        for name in names:
            paths = dict.fromkeys(p if name in ("DCAT-AP", "STAC") else _short(p) for p in places[name])
            cells.append(", ".join(f"`{p}`" for p in list(paths)[:3]) or "–")
        words = label if "." not in element else f"{about.label}: {label}"
        out.append(f"| `{element}` | {words} | {' | '.join(cells)} |\n")
    return "".join(out)


if __name__ == "__main__":
    print(page(), end="")
