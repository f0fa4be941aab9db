"""What a service says of a layer, as notes beside its facts."""

from __future__ import annotations

from brisk_atlas.core.connect.service import LayerAbout

TITLE, ATTRIBUTION, RECORD = "title", "attribution", "metadata record"  # names of notes that others look for


def notes_of(about: LayerAbout) -> dict[str, str]:
    """Return the notes of a layer; what is not stated is left out."""
    stated = {
        TITLE: about.title, ATTRIBUTION: about.attribution, "abstract": about.abstract,
        "keywords": ", ".join(about.keywords), RECORD: about.record,
    }  # fmt: skip
    return {name: value for name, value in stated.items() if value} | dict(about.notes)
