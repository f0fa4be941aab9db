"""The pictures of an album as files, with their captions."""

from __future__ import annotations

import io
import re
import zipfile

from .page_parts import PageContent, PageFigure
from .slides import as_jpeg

CAPTIONS = "captions.txt"


def album_pictures(content: PageContent) -> bytes:
    """Return a zip of the pictures in their order, and a text with the title, caption and sources of each."""
    out, lines = io.BytesIO(), [content.title, content.summary, ""]
    number = 0
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as files:  # pictures are packed already
        for figure in content.parts:
            if not isinstance(figure, PageFigure):
                continue
            for picture in figure.pictures:
                number += 1
                words = "_".join(filter(None, (figure.title, picture.name)))
                name = f"{number:03d}_{re.sub(r'[^A-Za-z0-9]+', '_', words).strip('_')[:60]}".rstrip("_") + ".jpg"
                files.writestr(name, as_jpeg(picture)[0])
                stated = (figure.title, picture.name, figure.caption, "; ".join(figure.sources))
                lines += [name, *filter(None, stated), ""]
        files.writestr(CAPTIONS, "\n".join(lines).encode("utf-8", "replace"))
    return out.getvalue()
