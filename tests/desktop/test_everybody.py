"""Everybody can use the window: whatever takes the hand or the keyboard has a name that is read aloud, and colours of text
stand out from what they lie on."""

from __future__ import annotations

import pytest
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QSlider,
    QTextEdit,
)

from brisk_atlas import demo
from brisk_atlas.core.strip.inks import INKS, legible
from brisk_atlas.desktop import theme as themes

ASKED = (QAbstractButton, QLineEdit, QComboBox, QAbstractSpinBox, QAbstractItemView, QPlainTextEdit, QTextEdit, QSlider)
INNER = (QComboBox, QAbstractSpinBox)  # whose parts are read as the whole


def nameless(window):
    """Return what is in sight and has no name, with where it is."""
    buddies = {label.buddy(): label.text() for label in window.findChildren(QLabel) if label.buddy() is not None}
    found = []
    for widget in window.findChildren(ASKED):
        if not widget.isVisible() or isinstance(widget.parent(), INNER) or isinstance(widget, QHeaderView):
            continue
        text = widget.text() if isinstance(widget, QAbstractButton) else ""
        if not (widget.accessibleName() or text or buddies.get(widget, "")).strip():
            if widget.objectName().startswith("qt_"):
                continue  # of the toolkit
            found.append(f"{type(widget).__name__} {widget.objectName()} in {type(widget.parent()).__name__}")
    return found


def test_whatever_can_be_used_has_a_name(demo_driver):
    d, window = demo_driver, demo_driver.window
    window.show_page("find")
    window.find_page.go_to(demo.DATA, choose="elevation_2031.tif")
    d.settle()
    assert nameless(window) == []
    window.find_page.show_welcome()
    d.settle()
    assert nameless(window) == []
    window.show_page("desk")
    window.commands.do("sheet")
    for number in range(window.desk.side.tabs.count()):
        window.desk.side.tabs.setCurrentIndex(number)
        d.settle()
        assert nameless(window) == []
    window.show_page("record")
    for view in range(4):
        window.record.show_view(view)
        d.settle()
        assert nameless(window) == []
    window.show_page("handover")
    for half in ("recipe", "depot", "album", "catalogue"):
        window.handover.show_half(half)
        d.settle()
        assert nameless(window) == []


def luminance(colour):
    """Return the relative luminance of WCAG 2.2."""
    parts = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in QColor(colour).getRgbF()[:3]]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(a, b):
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("theme", [themes.LIGHT, themes.NIGHT], ids=lambda each: each.name)
def test_text_stands_out_in_both_themes_as_wcag_aa_asks(theme):
    for colours, grounds in ((theme, (theme.paper, theme.raised)), (theme.on_wash, (theme.wash,))):
        for ground in grounds:
            for ink in (colours.ink, colours.quiet, colours.good, colours.caution, colours.fault):
                assert contrast(ink, ground) >= 4.5, (ink, ground)
    assert contrast(theme.on_accent, theme.accent) >= 4.5 and contrast(theme.second, theme.raised) >= 3.0
    for ink in INKS:
        assert contrast(legible(ink, theme.raised), theme.raised) >= 4.5, ink
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21.0)
