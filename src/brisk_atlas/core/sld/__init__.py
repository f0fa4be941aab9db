"""Styles as OGC Styled Layer Descriptor 1.0 and 1.1 with Symbology Encoding 1.1: read and written."""

from .reading import ReadStyle, read_styles, styles_in_text
from .writing import style_text

__all__ = ["ReadStyle", "read_styles", "style_text", "styles_in_text"]
