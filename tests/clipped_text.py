"""Where text does not fit into its widget, and where a widget does not fit into its window."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QCheckBox,
    QComboBox,
    QLabel,
    QPushButton,
    QRadioButton,
    QScrollArea,
    QStyle,
    QStyleOptionButton,
    QTabBar,
    QToolButton,
    QWidget,
)

SLACK_PX = 2  # of rounding


def clipped(root: QWidget) -> list[str]:
    """Return what is cut off in a shown window, in words."""
    found = []
    for widget in root.findChildren(QWidget):
        if not widget.isVisible() or widget.window() is not root:
            continue
        text = _text(widget)
        if text and _needs(widget, text) > _room(widget) + SLACK_PX:
            found.append(f"{_name(widget)} “{text[:40]}” needs {_needs(widget, text)} of {_room(widget)} px")
        if isinstance(widget, QTabBar) and _tabs_wide(widget) > widget.width() and not _can_be_scrolled(widget):
            found.append(f"{_name(widget)} has tabs that are not shown")
        if text:
            page = _page_of(widget, root)
            at = QRect(widget.mapTo(page, QPoint(0, 0)), widget.size())
            if not page.rect().adjusted(-SLACK_PX, -SLACK_PX, SLACK_PX, SLACK_PX).contains(at):
                found.append(f"{_name(widget)} “{text[:40]}” is outside of {page.size()}: {at.getRect()}")
    return found


def _text(widget: QWidget) -> str:
    if isinstance(widget, QToolButton) and (
        widget.toolButtonStyle() == Qt.ToolButtonStyle.ToolButtonIconOnly and not widget.icon().isNull()
    ):
        return ""
    if isinstance(widget, QAbstractButton):
        return widget.text().replace("&", "")
    if isinstance(widget, QLabel) and widget.pixmap().isNull():
        return "" if widget.wordWrap() else widget.text()
    if isinstance(widget, QComboBox):
        return widget.currentText()
    return ""


def _needs(widget: QWidget, text: str) -> int:
    lines = text.splitlines() or [""]
    return max(widget.fontMetrics().horizontalAdvance(line) for line in lines)


def _room(widget: QWidget) -> int:
    style = widget.style()
    assert style is not None
    if isinstance(widget, QCheckBox | QRadioButton):
        mark = style.pixelMetric(QStyle.PixelMetric.PM_IndicatorWidth, None, widget)
        return widget.width() - mark
    if isinstance(widget, QPushButton):
        option = QStyleOptionButton()
        widget.initStyleOption(option)
        return style.subElementRect(QStyle.SubElement.SE_PushButtonContents, option, widget).width()
    return widget.contentsRect().width()


def _tabs_wide(bar: QTabBar) -> int:
    return sum(bar.tabRect(number).width() for number in range(bar.count()))


def _can_be_scrolled(bar: QTabBar) -> bool:
    """Whether arrows lead to the tabs that are not shown, and can be seen."""
    arrows = [each for each in bar.findChildren(QToolButton) if each.isVisible()]
    return bool(arrows) and all(_is_drawn(each) for each in arrows)


def _is_drawn(button: QToolButton) -> bool:
    image = button.grab().toImage()
    return len({image.pixel(x, y) for x in range(image.width()) for y in range(image.height())}) > 2


def _page_of(widget: QWidget, root: QWidget) -> QWidget:
    """Return what a widget must lie within: what is scrolled, where it lies in that, else the window."""
    inner, above = widget, widget.parentWidget()
    while above is not None and above is not root:
        if isinstance(above.parentWidget(), QAbstractScrollArea) and above is above.parentWidget().viewport():
            return inner if isinstance(above.parentWidget(), QScrollArea) else above
        inner, above = above, above.parentWidget()
    return root


def _name(widget: QWidget) -> str:
    return widget.objectName() or widget.accessibleName() or type(widget).__name__
