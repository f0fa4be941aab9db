"""Names in a folder as datasets: files that form one dataset are one entry."""

from __future__ import annotations

from collections.abc import Collection

from brisk_atlas.core.connect.members import names_with

from .scene_names import META_ENDINGS, STAC_ENDING, bands_named_like


def suffix_of_name(name: str) -> str:
    """Return the ending that tells the format of a bare name, whatever it is packed with; cheap, as a folder has
    many."""
    name = name.lower()
    name = name[:-3] if name.endswith(".gz") else name
    at = name.rfind(".")
    return name[at:] if at > 0 else ""


def group(names: Collection[str]) -> dict[str, list[str]]:
    """Return the datasets among the file names of one folder: what to open, and all its members.

    Sidecars and records go with their dataset, bands with their scene; names that no reader claims
    are left out.
    """
    from .registry import known_suffixes

    present = set(names)
    known = known_suffixes()
    mains = [name for name in names if suffix_of_name(name) in known]
    found: dict[str, list[str]] = {}
    taken: set[str] = set()
    for name in mains:
        if name.endswith((*META_ENDINGS, STAC_ENDING)):
            belongs = [name, *bands_named_like(name, present)]
            found[name] = belongs
            taken.update(belongs[1:])
    for name in mains:
        if name not in found and name not in taken and not name.lower().endswith(".xml"):
            belongs = names_with(name, present)
            found[name] = belongs
            taken.update(belongs[1:])
    for name in mains:
        if name.lower().endswith(".xml") and name not in taken and name not in found:
            found[name] = [name]
    for name in taken & found.keys():
        del found[name]
    return found
