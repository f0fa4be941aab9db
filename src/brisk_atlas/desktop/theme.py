"""Ink on paper: the colours by role, in light and at night, and the style sheet made of them."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from brisk_atlas.core.paper.font_files import FOLDER, OTHER_SCRIPTS

MARKS = Path(__file__).parent / "marks"
SANS, MONO = "Source Sans 3", "Source Code Pro"
BASE_PX = 13
LATER_MS = 60
PICKED = "#7A2DBF"


class Theme(NamedTuple):
    """Colours by role. All text on `paper` and `raised` meets a contrast of 4.5 to 1."""

    name: str
    paper: str
    raised: str
    rule: str
    ink: str
    quiet: str
    accent: str
    second: str
    good: str
    caution: str
    fault: str
    wash: str  # behind what is chosen
    on_accent: str

    @property
    def on_wash(self) -> Theme:
        """The same colours with inks that meet that contrast on the wash too, for what is painted there."""
        return self._replace(**INKS_ON_WASH[self.name])


INKS_ON_WASH = {"light": {"quiet": "#55616A", "good": "#256B42", "caution": "#7D520F"}, "night": {"fault": "#F28A8A"}}
LIGHT = Theme(
    "light",
    "#F6F2EA",
    "#FFFDF8",
    "#D9D1C3",
    "#1D2A35",
    "#5F6B73",
    "#C2452D",
    "#1C7C7D",
    "#2F7D4F",
    "#8F5E12",
    "#A61B1B",
    "#EADFCB",
    "#FFFDF8",
)
NIGHT = Theme(
    "night",
    "#171D22",
    "#20282F",
    "#37424B",
    "#E9E4DA",
    "#9DA8AF",
    "#E8765C",
    "#56B5B3",
    "#6CC08B",
    "#DDAA55",
    "#F08080",
    "#2E3A43",
    "#171D22",
)


def load_fonts(app: QApplication) -> None:
    """Register and use the shipped fonts; those for numbers and other scripts a moment later, as an empty window shows
    none."""
    for file in ("SourceSans3-Regular.ttf", "SourceSans3-Semibold.ttf"):
        QFontDatabase.addApplicationFont(str(FOLDER / file))
    QTimer.singleShot(LATER_MS, _load_more_fonts)
    font = QFont(SANS)
    font.setPixelSize(BASE_PX)
    app.setFont(font)


def _load_more_fonts() -> None:
    for file in ("SourceCodePro-Regular.ttf", *OTHER_SCRIPTS):
        QFontDatabase.addApplicationFont(str(FOLDER / file))


def mono_font(px: int = BASE_PX - 1) -> QFont:
    font = QFont(MONO)
    font.setPixelSize(px)
    return font


def apply(app: QApplication, theme: Theme) -> None:
    """Give the whole application its colours. Costly once widgets stand, so not repeated; costlier before they are
    put into their places, as each move is a change of style."""
    if app.property("theme") == theme.name:
        return
    app.setProperty("theme", theme.name)
    palette = QPalette()
    role = QPalette.ColorRole
    for which, colour in (
        (role.Window, theme.paper),
        (role.Base, theme.raised),
        (role.AlternateBase, theme.paper),
        (role.Button, theme.raised),
        (role.WindowText, theme.ink),
        (role.Text, theme.ink),
        (role.ButtonText, theme.ink),
        (role.ToolTipBase, theme.raised),
        (role.ToolTipText, theme.ink),
        (role.Highlight, theme.wash),
        (role.HighlightedText, theme.ink),
        (role.PlaceholderText, theme.quiet),
        (role.Link, theme.second),
        (role.Mid, theme.rule),
    ):
        palette.setColor(which, QColor(colour))
    for which in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, which, QColor(theme.quiet))
    app.setPalette(palette)
    app.setStyleSheet(_sheet(theme))


def _sheet(t: Theme) -> str:
    arrows = ("up", "down", "left", "right")
    up, down, left, right = ((MARKS / f"{name}-{t.name}.svg").as_posix() for name in arrows)
    return f"""
    QWidget {{ font-family: "{SANS}"; font-size: {BASE_PX}px; }}
    QFrame#bar {{ background: {t.raised}; border: 0; border-bottom: 1px solid {t.rule}; }}
    QFrame#foot {{ background: {t.raised}; border: 0; border-top: 1px solid {t.rule}; }}
    QFrame#drawer {{ background: {t.raised}; border: 0; border-left: 1px solid {t.rule}; }}
    QFrame#bottomDrawer {{ background: {t.raised}; border: 0; border-top: 1px solid {t.rule}; }}
    QFrame#paneBar {{ background: {t.paper}; border: 0; border-bottom: 1px solid {t.rule}; }}
    QFrame#areaBox {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 4px; }}
    QFrame#spotCard {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 4px; }}
    QFrame#notice {{ background: {t.raised}; border: 1px solid {t.fault}; border-radius: 4px; }}
    QFrame#notice[mood="good"] {{ border-color: {t.good}; }}
    QLabel#title {{ font-weight: 600; font-size: 15px; }}
    QLabel#heading {{ font-weight: 600; color: {t.ink}; }}
    QLabel#quiet {{ color: {t.quiet}; }}
    QLabel#offline {{ color: {t.caution}; }}
    QLabel#fault {{ color: {t.fault}; }}
    QLabel#chip {{ background: {t.paper}; border: 1px solid {t.rule}; border-radius: 4px; padding: 1px 7px; color: {t.ink}; }}
    QLabel#chip[mood="caution"] {{ color: {t.caution}; border-color: {t.caution}; }}
    QLabel#chip[mood="good"] {{ color: {t.good}; }}
    QLabel#place {{ color: {t.quiet}; font-family: "{MONO}"; font-size: 11px; }}
    QLabel#mono {{ font-family: "{MONO}"; font-size: {BASE_PX - 1}px; }}
    QLabel#reliefReading {{ font-family: "{MONO}"; font-size: {BASE_PX - 1}px; background: {t.raised}; border-radius: 4px; padding: 2px 6px; }}
    QToolButton, QPushButton {{ background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 4px 8px; color: {t.ink}; }}
    QFrame#paneBar QToolButton {{ padding: 4px 6px; }}
    QToolButton:hover, QPushButton:hover {{ background: {t.wash}; }}
    QToolButton:checked {{ background: {t.wash}; border-color: {t.rule}; }}
    QToolButton:focus, QPushButton:focus {{ border-color: {t.second}; }}
    QToolButton:disabled, QPushButton:disabled {{ color: {t.quiet}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QPushButton {{ border-color: {t.rule}; background: {t.raised}; min-height: 18px; }}
    QPushButton#card, QToolButton#card {{ background: {t.raised}; border: 1px solid {t.rule}; padding: 8px 12px; text-align: left; }}
    QPushButton#card:hover, QToolButton#card:hover {{ border-color: {t.accent}; background: {t.raised}; }}
    QPushButton#card:focus, QToolButton#card:focus {{ border-color: {t.second}; }}
    QPushButton#line {{ background: transparent; border: 0; padding: 2px 4px; text-align: left; }}
    QPushButton#line:hover {{ background: {t.wash}; }}
    QPushButton#main {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: 600; }}
    QPushButton#main:disabled {{ background: {t.rule}; border-color: {t.rule}; color: {t.quiet}; }}
    QPushButton#main:focus {{ border: 2px solid {t.ink}; padding: 3px 7px; }}
    QToolButton#mono, QPushButton#copyable {{ font-family: "{MONO}"; font-size: {BASE_PX - 1}px; padding: 1px 4px; text-align: left; border: 0; background: transparent; min-height: 16px; }}
    QToolButton#mono:hover, QPushButton#copyable:hover {{ background: {t.wash}; }}
    QToolButton#scope {{ padding: 3px 6px; }}
    QFrame#columnMenu {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 4px; }}
    QPlainTextEdit:focus, QTextEdit:focus {{ border-color: {t.second}; }}
    QToolButton#page {{ font-weight: 600; font-size: 14px; padding: 6px 12px; border: 0; border-bottom: 3px solid transparent; border-radius: 0; }}
    QToolButton#page:checked {{ background: transparent; border-bottom-color: {t.accent}; color: {t.accent}; }}
    QToolButton#page:focus {{ background: {t.wash}; }}
    QLineEdit, QComboBox, QDateEdit, QDateTimeEdit, QSpinBox, QDoubleSpinBox, QPlainTextEdit, QTextEdit {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 4px;
        padding: 3px 6px; color: {t.ink}; selection-background-color: {t.second}; selection-color: {t.on_accent}; min-height: 18px; }}
    QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border-color: {t.second}; }}
    QLineEdit[wrong="true"], QPlainTextEdit[wrong="true"] {{ border-color: {t.fault}; }}
    QComboBox::drop-down {{ border: 0; width: 20px; }}
    QDateEdit::drop-down {{ border: 0; width: 18px; }}
    QDateEdit:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ color: {t.quiet}; background: {t.paper}; }}
    QComboBox::down-arrow, QDateEdit::down-arrow, QDateTimeEdit::down-arrow, QSpinBox::down-arrow, QDoubleSpinBox::down-arrow {{ image: url({down}); width: 10px; height: 10px; }}
    QSpinBox::up-arrow, QDoubleSpinBox::up-arrow, QDateTimeEdit::up-arrow {{ image: url({up}); width: 10px; height: 10px; }}
    QSpinBox::up-button, QDoubleSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::down-button, QDateTimeEdit::up-button, QDateTimeEdit::down-button {{ border: 0; width: 18px; background: transparent; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; border: 1px solid {t.rule}; outline: 0; }}
    QAbstractItemView {{ background: {t.raised}; border: 0; outline: 0; alternate-background-color: {t.paper};
        selection-background-color: {t.wash}; selection-color: {t.ink}; gridline-color: {t.rule}; }}
    QTreeView {{ show-decoration-selected: 1; }}
    QTreeView::item, QListView::item {{ padding: 3px 4px; border: 0; }}
    QTreeView::item:selected, QListView::item:selected, QTableView::item:selected {{ background: {t.wash}; color: {t.ink}; border: 0; }}
    QTreeView::item:selected:active, QListView::item:selected:active, QTableView::item:selected:active {{ background: {t.wash}; }}
    QHeaderView {{ background: {t.paper}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.quiet}; border: 0; border-right: 1px solid {t.rule}; border-bottom: 1px solid {t.rule};
        padding: 4px 6px; font-weight: 600; }}
    QTabBar::tab {{ background: transparent; color: {t.quiet}; padding: 6px 11px; border: 0; border-bottom: 2px solid transparent; font-weight: 600; }}
    QFrame#drawer QTabBar::tab {{ padding: 6px 5px; }}
    QTabBar QToolButton {{ background: {t.raised}; border: 0; padding: 0; }}
    QTabBar QToolButton::left-arrow {{ image: url({left}); width: 10px; height: 10px; }}
    QTabBar QToolButton::right-arrow {{ image: url({right}); width: 10px; height: 10px; }}
    QTabBar::tab:selected {{ color: {t.ink}; border-bottom-color: {t.accent}; }}
    QTabBar::tab:focus {{ background: {t.wash}; }}
    QTabWidget::pane {{ border: 0; border-top: 1px solid {t.rule}; }}
    QSplitter::handle {{ background: {t.rule}; }}
    QSplitter::handle:horizontal {{ width: 1px; }} QSplitter::handle:vertical {{ height: 1px; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.rule}; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {t.quiet}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollArea {{ border: 0; background: transparent; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenu::item {{ padding: 5px 26px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.wash}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
    QProgressBar {{ background: {t.paper}; border: 1px solid {t.rule}; border-radius: 4px; height: 8px; text-align: center; color: transparent; }}
    QProgressBar::chunk {{ background: {t.second}; border-radius: 3px; }}
    QSlider::groove:horizontal {{ height: 4px; background: {t.rule}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {t.second}; width: 14px; margin: -5px 0; border-radius: 7px; }}
    QSlider::sub-page:horizontal {{ background: {t.second}; border-radius: 2px; }}
    QTextBrowser {{ background: {t.raised}; border: 0; padding: 4px 12px; }}
    QDialog {{ background: {t.raised}; border: 1px solid {t.rule}; }}
    QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px; }}
    QCheckBox, QRadioButton {{ spacing: 6px; }}
    """
