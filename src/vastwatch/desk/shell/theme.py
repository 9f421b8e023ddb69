"""Colours, type and spacing: every token the desk paints with, in one place.

Meanings are fixed: amber is light on or wanted, blue PIR, teal radar, violet pressure, umber contacts, red
somebody left in the dark. Nothing else is coloured.
"""

from __future__ import annotations

import contextlib
import gc
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib import resources
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

FAMILY = "Barlow Semi Condensed"
FACES = ("400Regular", "500Medium", "600SemiBold")

# Spacing in logical pixels: a hair, a gap, a margin.
HAIR, GAP, MARGIN = 4, 8, 14


@dataclass(frozen=True)
class Theme:
    """Named colours. `paper` to `night` is the ground of the plan from noon to midnight."""

    name: str
    chrome: QColor
    panel: QColor
    card: QColor
    hairline: QColor
    ink: QColor
    soft: QColor
    faint: QColor
    paper: QColor
    night: QColor
    wall: QColor
    night_wall: QColor
    furniture: QColor
    night_furniture: QColor
    pir: QColor
    radar: QColor
    pressure: QColor
    contact: QColor
    lamp: QColor
    dropped: QColor
    good: QColor
    wash: QColor
    person: QColor
    focus: QColor


def _c(text: str) -> QColor:
    return QColor(text)


LIGHT = Theme(
    "light", _c("#F1EEE7"), _c("#FAF8F3"), _c("#FFFFFF"), _c("#D8D2C6"), _c("#23272E"), _c("#6A665E"), _c("#EAE5DA"),
    _c("#FFFEFB"), _c("#171C31"), _c("#23272E"), _c("#8D97B8"), _c("#F3EEE6"), _c("#232A48"), _c("#2B6CB0"),
    _c("#14807A"), _c("#7C4DA3"), _c("#8A6A3B"), _c("#E79A00"), _c("#C0362C"), _c("#2F7D32"), _c("#ECEAF3"),
    _c("#4A5160"), _c("#23272E"),
)  # fmt: skip
DARK = Theme(
    "dark", _c("#1B1E26"), _c("#20242D"), _c("#282D38"), _c("#3B4250"), _c("#ECE9E1"), _c("#A9A79F"), _c("#303643"),
    _c("#2B303B"), _c("#12162A"), _c("#D9D6CD"), _c("#8D97B8"), _c("#343A47"), _c("#20274A"), _c("#6FA8E6"),
    _c("#4FBDB5"), _c("#B58AD8"), _c("#C9A56F"), _c("#F2AE2E"), _c("#F0776C"), _c("#7CC47F"), _c("#232740"),
    _c("#9AA2B4"), _c("#ECE9E1"),
)  # fmt: skip


def mix(a: QColor, b: QColor, share: float) -> QColor:
    """The colour `share` of the way from a to b."""
    k = min(max(share, 0.0), 1.0)
    return QColor.fromRgbF(
        a.redF() + k * (b.redF() - a.redF()),
        a.greenF() + k * (b.greenF() - a.greenF()),
        a.blueF() + k * (b.blueF() - a.blueF()),
    )


def alpha(colour: QColor, share: float) -> QColor:
    """The colour with an opacity of 0 to 1."""
    out = QColor(colour)
    out.setAlphaF(share)
    return out


# Words are read where they stand out so much from their ground, as a ratio of luminances (WCAG 2, level AA).
READABLE = 4.5
# Marks are made out where they stand out so much.
MARKED = 3.0


def luminance(colour: QColor) -> float:
    """Relative luminance of a colour, 0 to 1 (WCAG 2: sRGB, linearised)."""

    def linear(v: float) -> float:
        return v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4

    r, g, b = (linear(v) for v in (colour.redF(), colour.greenF(), colour.blueF()))
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: QColor, b: QColor) -> float:
    """How far two colours stand apart: 1 for the same, 21 for black and white."""
    low, high = sorted((luminance(a), luminance(b)))
    return (high + 0.05) / (low + 0.05)


@lru_cache(maxsize=1024)
def _legible(wanted: int, ground: int, least: float) -> QColor:
    colour, behind = QColor.fromRgb(wanted), QColor.fromRgb(ground)
    for step in range(21):
        found = [mix(colour, QColor(end), step / 20) for end in ("#000000", "#FFFFFF")]
        best = max(found, key=lambda c: contrast(c, behind))
        # A little more: colours are kept in steps of a 255th.
        if contrast(best, behind) >= least + 0.05:
            break
    return best


def legible(colour: QColor, ground: QColor, least: float = READABLE) -> QColor:
    """A colour for words on a ground: the wanted one, or as little darker or lighter as it takes. On whatever ground
    black or white is told apart by 4.5 at least."""
    return QColor(_legible(colour.rgb(), ground.rgb(), least))


# The property of the application that says which theme it has.
GIVEN = "vastwatch-theme"


@cache
def load_fonts() -> None:
    """Make the shipped faces known to Qt."""
    folder = resources.files("vastwatch.desk").joinpath("fonts")
    for face in FACES:
        QFontDatabase.addApplicationFontFromData(folder.joinpath(f"BarlowSemiCondensed_{face}.ttf").read_bytes())


@cache
def font(size: int, weight: int = 400) -> QFont:
    """The interface font in pixels, with tabular figures. Weights 400, 500 and 600 are shipped."""
    out = QFont(FAMILY)
    out.setPixelSize(size)
    out.setWeight(QFont.Weight(weight))
    out.setFeature(QFont.Tag("tnum"), 1)
    return out


def apply(app: QApplication, theme: Theme) -> None:
    """Give the application the theme's palette, font and style sheet; what has them already is left as it is: a style
    sheet given again styles every widget there is anew."""
    if app.property(GIVEN) is theme:
        return
    app.setProperty(GIVEN, theme)
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.panel,
        QPalette.ColorRole.Base: theme.card,
        QPalette.ColorRole.AlternateBase: theme.panel,
        QPalette.ColorRole.Button: theme.chrome,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.ToolTipBase: theme.card,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.soft,
        QPalette.ColorRole.Highlight: theme.ink,
        QPalette.ColorRole.HighlightedText: theme.paper,
    }
    for role, colour in roles.items():
        palette.setColor(role, colour)
    palette.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.ButtonText, theme.soft)
    sheet = _sheet(theme)
    with _nothing_collected():
        app.setStyle("Fusion")
        app.setFont(font(13))
        app.setPalette(palette)
        app.setStyleSheet(sheet)


@contextlib.contextmanager
def _nothing_collected() -> Iterator[None]:
    """While Qt goes through all widgets there are, no closed window is collected: it would go on to widgets that are no
    more. Their handlers are Python's, and any of them may set the collector off."""
    collects = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collects:
            gc.enable()


def _sheet(t: Theme) -> str:
    ink, soft, line, card, chrome, panel = (c.name() for c in (t.ink, t.soft, t.hairline, t.card, t.chrome, t.panel))
    icons = Path(str(resources.files("vastwatch.desk").joinpath("icons")))
    arrow, check = ((icons / f"{name}.svg").as_posix() for name in ("down", "check"))
    # The tick is white, so its box stays dark in either theme.
    mark = (t.ink if t.name == "light" else t.hairline).name()
    amber, red, faint = t.lamp.name(), t.dropped.name(), t.faint.name()
    return f"""
    QWidget {{ color: {ink}; }}
    QMainWindow, QDialog {{ background: {panel}; }}
    QDialog {{ border: 1px solid {soft}; }}
    QToolTip {{ background: {card}; color: {ink}; border: 1px solid {line}; padding: 5px 7px; }}
    QLabel[role="title"] {{ font-size: 17px; font-weight: 600; }}
    QLabel[role="head"] {{ font-size: 13px; font-weight: 600; }}
    QLabel[role="soft"] {{ color: {soft}; font-size: 12px; }}
    QLabel[link="true"]:hover {{ text-decoration: underline; }}
    QLabel[role="good"] {{ color: {t.good.name()}; font-weight: 600; }}
    QLabel[role="bad"] {{ color: {red}; font-weight: 600; }}
    QFrame[role="card"] {{ background: {card}; border: 1px solid {line}; border-radius: 7px; }}
    QFrame[role="card"]:focus {{ border: 1px solid {ink}; }}
    QFrame[role="line"] {{ background: {line}; max-height: 1px; min-height: 1px; border: 0; }}
    QLineEdit, QComboBox {{ background: {card}; border: 1px solid {line}; border-radius: 5px; padding: 3px 7px;
        min-height: 19px; selection-background-color: {ink}; selection-color: {card}; }}
    QLineEdit:focus, QComboBox:focus {{ border: 1px solid {ink}; }}
    QLineEdit[wrong="true"] {{ border: 1px solid {red}; }}
    QComboBox::drop-down {{ border: 0; width: 20px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 8px; }}
    QComboBox QAbstractItemView {{ background: {card}; border: 1px solid {line}; selection-background-color: {faint};
        selection-color: {ink}; outline: 0; }}
    QPushButton {{ background: {chrome}; border: 1px solid {line}; border-radius: 12px; padding: 3px 12px;
        min-height: 18px; font-weight: 500; }}
    QPushButton:hover {{ border-color: {soft}; }}
    QPushButton:focus {{ border: 1px solid {ink}; }}
    QPushButton:disabled {{ color: {soft}; }}
    QPushButton[role="try"] {{ text-align: left; background: {card}; min-height: 22px; }}
    QPushButton[role="way"] {{ text-align: left; background: {card}; min-height: 42px; border-radius: 8px; }}
    QPushButton[role="pick"] {{ background: {card}; border-radius: 6px; padding: 2px 6px; font-weight: 400; }}
    QPushButton[role="pick"]:checked {{ border: 1px solid {ink}; font-weight: 600; }}
    QPushButton[role="span"] {{ background: transparent; border: 0; border-radius: 6px; padding: 0; font-size: 11px;
        color: {soft}; min-height: 0; }}
    QPushButton[role="span"]:checked {{ background: {faint}; color: {ink}; font-weight: 600; }}
    QPushButton[role="span"]:focus {{ border: 1px solid {ink}; }}
    QPushButton[role="best"] {{ text-align: left; background: {card}; border-color: {amber}; min-height: 22px; }}
    QCheckBox {{ spacing: 7px; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {soft}; border-radius: 4px;
        background: {card}; }}
    QCheckBox::indicator:checked {{ background: {mark}; border-color: {mark}; image: url({check}); }}
    QCheckBox::indicator:focus {{ border: 2px solid {ink}; }}
    QTableView {{ background: {card}; border: 1px solid {line}; border-radius: 6px; outline: 0;
        selection-background-color: {faint}; selection-color: {ink}; }}
    QTableView:focus {{ border: 1px solid {ink}; }}
    QTableView::item {{ padding: 0 5px; border: 0; }}
    QTableView::item:focus {{ border: 1px solid {soft}; }}
    QHeaderView {{ background: transparent; border: 0; }}
    QHeaderView::section {{ background: transparent; border: 0; border-bottom: 1px solid {line}; padding: 3px 5px;
        color: {soft}; font-size: 12px; }}
    QTableView QLineEdit, QTableView QComboBox {{ border-radius: 0; padding: 0 4px; min-height: 0; }}
    QListWidget, QTextBrowser {{ background: {card}; border: 1px solid {line}; border-radius: 6px; outline: 0;
        selection-background-color: {faint}; selection-color: {ink}; }}
    QListWidget:focus, QTextBrowser:focus {{ border: 1px solid {ink}; }}
    QListWidget::item {{ padding: 2px 6px; }}
    QPlainTextEdit {{ background: {card}; border: 1px solid {line}; border-radius: 5px; padding: 2px 4px; }}
    QPlainTextEdit:focus {{ border: 1px solid {ink}; }}
    QSpinBox, QDateEdit {{ background: {card}; border: 1px solid {line}; border-radius: 5px; padding: 2px 5px;
        min-height: 20px; }}
    QSpinBox:focus, QDateEdit:focus {{ border: 1px solid {ink}; }}
    QSlider::groove:horizontal {{ height: 3px; background: {line}; border-radius: 1px; }}
    QSlider::handle:horizontal {{ width: 13px; height: 13px; margin: -5px 0; border-radius: 7px; background: {card};
        border: 1px solid {soft}; }}
    QSlider:focus {{ border: 1px solid {soft}; border-radius: 6px; }}
    QSlider::handle:horizontal:focus {{ border: 2px solid {ink}; }}
    QProgressBar {{ background: {line}; border: 0; border-radius: 3px; }}
    QProgressBar::chunk {{ background: {soft}; border-radius: 3px; }}
    QScrollArea {{ background: transparent; border: 0; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {line}; border-radius: 4px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QMenu {{ background: {card}; border: 1px solid {line}; padding: 4px; menu-scrollable: 1; }}
    QMenu::item {{ padding: 5px 26px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {faint}; }}
    QMenu::item:disabled {{ color: {soft}; }}
    QMenu::separator {{ height: 1px; background: {line}; margin: 4px 6px; }}
    QToolButton {{ background: transparent; border: 0; border-radius: 6px; padding: 4px 8px; }}
    QToolButton:hover {{ background: {faint}; }}
    QToolButton:focus {{ border: 1px solid {ink}; }}
    QToolButton#explain {{ padding: 0; color: {soft}; font-weight: 600; border-radius: 10px; }}
    QToolButton#explain:hover {{ color: {ink}; }}
    QToolButton::menu-indicator {{ image: none; }}
    """
