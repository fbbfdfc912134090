# SPDX-License-Identifier: GPL-3.0-or-later
"""Colours, fonts and the style sheet of the two themes."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from zolvek.storage.shipped_files import ASSETS

FAMILY = "IBM Plex Sans"
FONT_FILES = (
    "IBMPlexSans_400Regular.ttf",
    "IBMPlexSans_500Medium.ttf",
    "IBMPlexSans_600SemiBold.ttf",
)


ARROWS = ASSETS / "arrows"


class Theme(NamedTuple):
    """Every colour by what it is for, as #RRGGBB."""

    key: str
    name: str
    desk: str
    sheet: str
    raised: str  # fields and buttons on the desk
    hairline: str
    bar_line: str
    ink: str
    quiet: str  # text of less weight, still AA on desk and sheet
    curve: str
    selection: str
    ghost: str
    layer: str
    playhead: str
    wash: str  # under a selected span
    fault: str  # text of what is wrong, AA on desk and sheet


THEMES = {
    theme.key: theme
    for theme in (
        Theme(
            "vellum",
            "Vellum",
            "#E7DFCD",
            "#F5F0E4",
            "#FBF8F0",
            "#D5CBB5",
            "#B4A88E",
            "#22313A",
            "#5A5647",
            "#0C5B66",
            "#C9412B",
            "#9A8564",
            "#744B7F",
            "#2C3F8C",
            "#F1DACB",
            "#A3301D",
        ),
        Theme(
            "lamp",
            "Lamp",
            "#10181B",
            "#172024",
            "#202C31",
            "#2A373C",
            "#46565C",
            "#E4E1D6",
            "#A9AFA8",
            "#6FC3CF",
            "#F0836B",
            "#B59E78",
            "#C39BCF",
            "#9DAEF2",
            "#3A2D2B",
            "#F0836B",
        ),
    )
}


@lru_cache(maxsize=256)
def color(value: str, alpha: float = 1.0) -> QColor:
    """A colour to draw with; shared, so never to be changed."""
    color = QColor(value)
    color.setAlphaF(alpha)
    return color


# Colours of lanes: ten that stay apart for the three kinds of colour blindness too (found by search, held by a test);
# light and dark theme; the first is the theme's own curve ink. Lanes always
# bear their names too: colour is for finding, not for reporting.
LANE_INKS = {
    "vellum": (
        "#0C5B66",
        "#8F644D",
        "#4D6E01",
        "#AC3788",
        "#1964C7",
        "#6A473A",
        "#631A7C",
        "#484200",
        "#796A6A",
        "#3E4041",
    ),
    "lamp": (
        "#6FC3CF",
        "#A59E43",
        "#79A678",
        "#B58CA6",
        "#7692F3",
        "#C4C860",
        "#A3B5FF",
        "#B5BCAB",
        "#B6E4DF",
        "#7BEDFF",
    ),
}


def lane_ink(theme: Theme, lane: object) -> str:
    """The ink a lane is drawn in."""
    inks = LANE_INKS[theme.key]
    return inks[getattr(lane, "colour", 0) % len(inks)]


def section_ink(theme: Theme, section: object) -> str:
    """The ink a section is marked with; 0 is none of its own."""
    number = getattr(section, "colour", 0)
    return LANE_INKS[theme.key][(number - 1) % len(LANE_INKS[theme.key])] if number else theme.ghost


def load_fonts() -> None:
    """Load the shipped fonts."""
    folder = ASSETS / "fonts"
    for name in FONT_FILES:
        QFontDatabase.addApplicationFont(str(folder / name))


class TextScale:
    """How much larger text is than it is drawn for, one for the whole application."""

    factor = 1.0


def scale_text(factor: float) -> None:
    """Draw text larger from now on."""
    if factor != TextScale.factor:
        TextScale.factor = factor
        font.cache_clear()


@lru_cache(maxsize=32)
def font(points: float = 9.5, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """A font to draw with; shared, so never to be changed."""
    font = QFont(FAMILY)
    font.setPointSizeF(points * TextScale.factor)
    font.setWeight(weight)
    return font


def palette(theme: Theme) -> QPalette:
    """Qt's palette for a theme."""
    palette = QPalette()
    role = QPalette.ColorRole
    for key, value in (
        (role.Window, theme.desk),
        (role.WindowText, theme.ink),
        (role.Base, theme.raised),
        (role.AlternateBase, theme.sheet),
        (role.Text, theme.ink),
        (role.Button, theme.desk),
        (role.ButtonText, theme.ink),
        (role.ToolTipBase, theme.raised),
        (role.ToolTipText, theme.ink),
        (role.Highlight, theme.curve),
        (role.HighlightedText, theme.sheet),
        (role.PlaceholderText, theme.quiet),
        (role.Link, theme.curve),
        (role.Mid, theme.bar_line),
        (role.Dark, theme.bar_line),
        (role.Light, theme.raised),
        (role.Midlight, theme.hairline),
        (role.Shadow, theme.bar_line),
    ):
        palette.setColor(key, QColor(value))
    for key in (role.Text, role.ButtonText, role.WindowText):
        palette.setColor(QPalette.ColorGroup.Disabled, key, QColor(theme.quiet))
    return palette


def put_on(theme: Theme) -> None:
    """The whole application in a theme."""
    app = QApplication.instance()
    if isinstance(app, QApplication):
        app.setPalette(palette(theme))
        app.setStyleSheet(style_sheet(theme))


def style_sheet(theme: Theme) -> str:
    """The whole window's. Long: one sheet, read from top to bottom."""
    heading, field = (f"{points * TextScale.factor:g}pt" for points in (11.0, 9.5))
    return f"""
    QMainWindow, QDialog, QMessageBox {{ background: {theme.desk}; }}
    QDialog, QMessageBox, QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QMenuBar {{ background: {theme.desk}; padding: 1px 4px; }}
    QMenuBar::item {{ padding: 4px 9px; border-radius: 3px; }}
    QMenuBar::item:selected {{ background: {theme.hairline}; }}
    QMenu {{ background: {theme.raised}; border: 1px solid {theme.bar_line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 26px 5px 22px; border-radius: 3px; }}
    QMenu::item:selected {{ background: {theme.hairline}; }}
    QMenu::item:disabled {{ color: {theme.quiet}; }}
    QMenu::separator {{ height: 1px; background: {theme.hairline}; margin: 4px 8px; }}
    QToolTip {{ background: {theme.raised}; border: 1px solid {theme.bar_line}; padding: 3px; }}
    QLineEdit, QSpinBox, QDoubleSpinBox, QPlainTextEdit {{
        background: {theme.raised}; border: 1px solid {theme.bar_line}; border-radius: 3px;
        padding: 3px 6px; min-height: 19px; selection-background-color: {theme.curve};
        selection-color: {theme.sheet};
    }}
    QLineEdit:focus, QAbstractSpinBox:focus {{ border: 1px solid {theme.curve}; }}
    QLineEdit:disabled, QAbstractSpinBox:disabled {{
        color: {theme.quiet}; background: {theme.desk}; border-color: {theme.hairline}; }}
    QAbstractSpinBox {{ padding: 2px 4px; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; border: none; }}
    QAbstractSpinBox QLineEdit {{ border: none; padding: 0; min-height: 0; background: transparent; }}
    QComboBox {{ background: {theme.raised}; border: 1px solid {theme.bar_line}; border-radius: 3px;
        padding: 2px 6px; min-height: 19px; }}
    QComboBox:focus, QComboBox:hover {{ border-color: {theme.curve}; }}
    QComboBox:disabled {{ color: {theme.quiet}; background: {theme.desk}; border-color: {theme.hairline}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: url("{(ARROWS / theme.key).as_posix()}.svg"); width: 10px; height: 6px; }}
    QLineEdit[fault="true"] {{ border: 1px solid {theme.selection}; }}
    QComboBox QAbstractItemView {{ background: {theme.raised}; border: 1px solid {theme.bar_line};
        selection-background-color: {theme.hairline}; selection-color: {theme.ink}; outline: none; }}
    QPushButton, QToolButton {{
        background: {theme.raised}; border: 1px solid {theme.bar_line}; border-radius: 3px;
        padding: 4px 10px; min-height: 18px;
    }}
    QPushButton:hover, QToolButton:hover {{ background: {theme.sheet}; border-color: {theme.curve}; }}
    QPushButton:pressed, QToolButton:pressed {{ background: {theme.hairline}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {theme.quiet}; border-color: {theme.hairline};
        background: {theme.desk}; }}
    QToolButton:checked {{ background: {theme.curve}; color: {theme.sheet}; border-color: {theme.curve}; }}
    QPushButton:checked {{ background: {theme.curve}; color: {theme.sheet}; border-color: {theme.curve}; }}
    QPushButton[main="true"] {{ background: {theme.curve}; color: {theme.sheet};
        border-color: {theme.curve}; font-weight: 600; }}
    QPushButton[main="true"]:hover {{ background: {theme.ink}; }}
    QToolButton[rail="true"] {{ background: transparent; border: none; border-radius: 4px; padding: 3px 2px; }}
    QToolButton[rail="true"]:hover {{ background: {theme.hairline}; }}
    QToolButton[rail="true"]:checked {{ background: {theme.sheet}; color: {theme.curve}; font-weight: 600;
        border: 1px solid {theme.bar_line}; }}
    QToolButton[mode="true"] {{ background: {theme.wash}; color: {theme.ink}; border-color: {theme.selection};
        padding: 1px 7px; min-height: 16px; }}
    QToolButton[mode="true"]:hover {{ background: {theme.raised}; }}
    QFrame[lesson="true"] {{ background: {theme.wash}; border-top: 1px solid {theme.selection}; }}
    QFrame[lesson-place="true"] {{ background: transparent; border: 2px solid {theme.selection}; border-radius: 4px; }}
    QFrame[beginning="true"] {{ background: {theme.sheet}; border: 1px solid {theme.bar_line}; border-radius: 6px; }}
    QFrame[beginning="true"] QLabel {{ border: none; background: transparent; }}
    QFrame[beginning="true"] QPushButton {{ text-align: left; }}
    QTreeWidget {{ background: {theme.sheet}; border: 1px solid {theme.hairline}; outline: none; }}
    QTreeWidget::item {{ border: none; }}
    QTreeWidget::item:selected {{ background: {theme.hairline}; color: {theme.ink}; }}
    QTreeWidget::item:hover {{ background: {theme.raised}; }}
    QListWidget {{ background: {theme.sheet}; border: 1px solid {theme.hairline}; outline: none; }}
    QListWidget::item {{ padding: 4px 6px; }}
    QListWidget::item:selected {{ background: {theme.hairline}; color: {theme.ink}; }}
    QTableWidget {{ background: {theme.sheet}; border: 1px solid {theme.hairline};
        gridline-color: {theme.hairline}; selection-background-color: {theme.hairline};
        selection-color: {theme.ink}; }}
    QHeaderView::section {{ background: {theme.desk}; border: none;
        border-bottom: 1px solid {theme.bar_line}; padding: 3px 5px; color: {theme.quiet}; }}
    QScrollBar:vertical {{ width: 9px; background: transparent; }}
    QScrollBar:horizontal {{ height: 9px; background: transparent; }}
    QScrollBar::handle {{ background: {theme.bar_line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollArea {{ border: none; background: transparent; }}
    QStatusBar {{ background: {theme.desk}; }}
    QStatusBar::item {{ border: none; }}
    QFrame[rule="true"] {{ background: {theme.bar_line}; border: none; }}
    QSplitter::handle {{ background: {theme.desk}; }}
    QLabel[role="heading"] {{ font-weight: 600; font-size: {heading}; }}
    QLabel[role="quiet"] {{ color: {theme.quiet}; }}
    QLabel[role="fault"] {{ color: {theme.fault}; }}
    QLabel[role="refused"] {{ color: {theme.ink}; background: {theme.raised}; border: 1px solid {theme.selection};
        border-radius: 3px; padding: 4px 6px; }}
    QLabel[role="field"] {{ color: {theme.quiet}; font-size: {field}; }}
    QSlider::groove:horizontal {{ height: 3px; background: {theme.bar_line}; border-radius: 1px; }}
    QSlider::handle:horizontal {{ width: 9px; height: 15px; margin: -6px 0; background: {theme.curve};
        border-radius: 2px; }}
    """
