"""Small widgets used across the panels: labels by role, cards, and the field that takes an exact figure."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from html import escape
from typing import TypeVar

from PyQt6.QtCore import Qt, QTimer, pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QShowEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QComboBox,
    QDateEdit,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from vastwatch.desk.shell.theme import MARGIN

Box = TypeVar("Box", bound=QBoxLayout)

_UNIT = re.compile(r"(?<=\d) (?=(?:s|min|h|m|m²|cm|mm|kg|W|kWh|lux|%|°C|€|GHz)(?:\W|$))")


def unbroken(text: str) -> str:
    """The same words with figures tied to their units, so that no line ends between them."""
    return _UNIT.sub("\u00a0", text)


def plain(words: str) -> str:
    """Words for a tooltip, which shows them as they are, whatever a name may hold."""
    return f"<qt>{escape(words)}</qt>" if "<" in words or "&" in words else words


def label(text: str = "", role: str = "", wrap: bool = False, rich: bool = False) -> QLabel:
    """A label in one of the roles of the style sheet: title, head, soft, bad. Where it wraps, a figure keeps its
    unit. Only `rich` ones read tags; what comes from a project goes into those escaped."""
    out = QLabel()
    out.setTextFormat(Qt.TextFormat.RichText if rich else Qt.TextFormat.PlainText)
    out.setText(unbroken(text) if wrap else text)
    if role:
        out.setProperty("role", role)
    out.setWordWrap(wrap)
    if wrap:
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        out.setSizePolicy(policy)
    return out


def narrow(box: QComboBox) -> QComboBox:
    """As narrow as its place wants; the list that opens is as wide as its words."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(4)
    return box


def set_role(widget: QWidget, role: str) -> None:
    """Give a widget another role of the style sheet."""
    if (widget.property("role") or "") != role:
        widget.setProperty("role", role)
        style = widget.style()
        assert style is not None
        style.unpolish(widget)
        style.polish(widget)


def line() -> QFrame:
    """A hairline."""
    out = QFrame()
    out.setProperty("role", "line")
    return out


Margins = tuple[int, int, int, int]


def pressed(words: str, then: Callable[..., object] | pyqtBoundSignal, why: str = "") -> QPushButton:
    """A button that does something when it is pressed."""
    out = QPushButton(words)
    out.setToolTip(why)
    out.clicked.connect(then)
    return out


def column_in(widget: QWidget, spacing: int | None = None, margins: Margins = (0, 0, 0, 0)) -> QVBoxLayout:
    """The layout of a widget whose parts stand below each other."""
    return _laid(QVBoxLayout(widget), spacing, margins)


def row_in(widget: QWidget, spacing: int | None = None, margins: Margins = (0, 0, 0, 0)) -> QHBoxLayout:
    """The layout of a widget whose parts stand beside each other."""
    return _laid(QHBoxLayout(widget), spacing, margins)


def column_under(box: QBoxLayout, spacing: int | None = None, margins: Margins = (0, 0, 0, 0)) -> QVBoxLayout:
    """A column within a layout, that can be filled and emptied by itself."""
    holder = QWidget()
    box.addWidget(holder)
    return column_in(holder, spacing, margins)


def grid_under(box: QBoxLayout, across: int = 8, down: int = 6) -> QGridLayout:
    """A grid within a layout, with so many pixels between its columns and its rows."""
    holder = QWidget()
    box.addWidget(holder)
    out = QGridLayout(holder)
    out.setContentsMargins(0, 0, 0, 0)
    out.setHorizontalSpacing(across)
    out.setVerticalSpacing(down)
    return out


def _laid(box: Box, spacing: int | None, margins: Margins) -> Box:
    box.setContentsMargins(*margins)
    if spacing is not None:
        box.setSpacing(spacing)
    return box


def row(*widgets: QWidget, stretch: int = -1, spacing: int = 8) -> QWidget:
    """Widgets in a row; `stretch` is the index that takes the space left over."""
    out = QWidget()
    box = row_in(out, spacing)
    for k, w in enumerate(widgets):
        box.addWidget(w, 1 if k == stretch else 0)
    return out


def column(spacing: int = 6, margins: Margins = (0, 0, 0, 0)) -> tuple[QWidget, QVBoxLayout]:
    """An empty column and its layout."""
    out = QWidget()
    box = column_in(out, spacing, margins)
    return out, box


def scrolling(spacing: int = 6, margins: Margins = (0, 0, 0, 0)) -> tuple[QScrollArea, QVBoxLayout]:
    """A column that scrolls up and down, and the layout to fill."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    content, box = column(spacing, margins)
    area.setWidget(content)
    return area, box


@contextmanager
def kept_in_view(area: QScrollArea) -> Iterator[None]:
    """What is made anew inside a column that scrolls is made without the column losing its place."""
    bar = area.verticalScrollBar()
    assert bar is not None
    at = bar.value()
    area.setUpdatesEnabled(False)
    try:
        yield
    finally:

        def back() -> None:
            bar.setValue(at)
            area.setUpdatesEnabled(True)
            soon.deleteLater()

        # Once the layout has found its new height, before anything is painted; it goes with the column.
        soon = QTimer(area)
        soon.setSingleShot(True)
        soon.timeout.connect(back)
        soon.start(0)


def page_of(panel: QWidget) -> QVBoxLayout:
    """Make a panel a page that scrolls, under the tabs of a stage; the layout to fill."""
    box = column_in(panel, margins=(MARGIN, 0, 4, 8))
    area, inner = scrolling(7, (0, 0, 10, 0))
    box.addWidget(area)
    return inner


def clear(box: QVBoxLayout) -> None:
    """Take everything out of a layout."""
    while box.count():
        item = box.takeAt(0)
        if item is not None and (w := item.widget()) is not None:
            w.hide()
            w.setParent(None)
            w.deleteLater()


class Paged(QWidget):
    """Pages under one row of tabs."""

    def __init__(self, pages: list[tuple[str, QWidget]]) -> None:
        super().__init__()
        box = column_in(self, 4, (0, 8, 0, 0))
        self.pages = QStackedWidget()
        self.tabs: list[QPushButton] = []
        group = QButtonGroup(self)
        for k, (words, page) in enumerate(pages):
            self.pages.addWidget(page)
            tab = QPushButton(words)
            tab.setCheckable(True)
            tab.setProperty("role", "pick")
            tab.clicked.connect(lambda _, at=k: self.show_page(at))
            group.addButton(tab)
            self.tabs.append(tab)
        head = row(*self.tabs, spacing=4)
        head.setContentsMargins(MARGIN, 0, MARGIN, 0)
        box.addWidget(head)
        box.addWidget(self.pages, 1)
        self.show_page(0)

    def show_page(self, page: int) -> None:
        """Show a page, from 0."""
        self.pages.setCurrentIndex(page)
        self.tabs[page].setChecked(True)


def is_choice(event: QKeyEvent | None) -> bool:
    """Whether a key chooses what has the focus: Return, Enter or the space bar."""
    return event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)


class Choice(QComboBox):
    """A list to choose from. The wheel turns it only once it has been clicked or come to by the keys: else it scrolls
    what the list stands on."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        turn(self, event, super().wheelEvent)


class Slide(QSlider):
    """A slider lying flat; as to the wheel, like a `Choice`."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        turn(self, event, super().wheelEvent)


class Count(QSpinBox):
    """A whole number; as to the wheel, like a `Choice`."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        turn(self, event, super().wheelEvent)


class Day(QDateEdit):
    """A date; as to the wheel, like a `Choice`."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setDisplayFormat("yyyy-MM-dd")
        self.setButtonSymbols(QDateEdit.ButtonSymbols.NoButtons)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        turn(self, event, super().wheelEvent)


def turn(widget: QWidget, event: QWheelEvent | None, usual: Callable[[QWheelEvent | None], None]) -> None:
    """Turn a widget by the wheel if it has the keys; else leave the wheel to what is around it."""
    if widget.hasFocus():
        usual(event)
    elif event is not None:
        event.ignore()


class Clickable(QFrame):
    """What is chosen by a click, or by Return and the space bar while it has the keys."""

    chosen = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setAccessibleName(name)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if is_choice(event):
            self.chosen.emit()
            return
        super().keyPressEvent(event)


class LinkCard(Clickable):
    """A card that goes to what it speaks of."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.setProperty("role", "card")


class FigureField(QLineEdit):
    """Takes a figure with its unit; shows it again in the usual form, or says in its tooltip what is wrong.

    Up and Down step the figure. `entered` carries the parsed value.
    """

    entered = pyqtSignal(float)
    wrong = pyqtSignal(str)

    def __init__(
        self, name: str, parse: Callable[[str], float], show: Callable[[float], str], step: float,
        low: float = -1e9, high: float = 1e9, why: str = "",
    ) -> None:  # fmt: skip
        super().__init__()
        self._parse, self._show, self._step = parse, show, step
        self._low, self._high, self._value = low, high, 0.0
        self._why = why or name
        self.setAccessibleName(name)
        self.setToolTip(plain(self._why))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.editingFinished.connect(self._finished)

    def set_value(self, value: float) -> None:
        """Show a value, unless it is being typed over."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self.setText(self._show(value))
            self._mark("")

    def wait(self, value: float, why: str) -> None:
        """Keep showing a figure that has been entered and does not hold yet, marked as that."""
        self.set_value(value)
        self._mark(why)

    def _finished(self) -> None:
        if self.text() == self._show(self._value):
            self._mark("")
            return
        try:
            value = self._parse(self.text())
            if not self._low <= value <= self._high:
                raise ValueError(f"must be between {self._show(self._low)} and {self._show(self._high)}")
        except ValueError as e:
            self._mark(str(e))
            self.wrong.emit(str(e))
            return
        self.setModified(False)
        self._value = value
        self.setText(self._show(value))
        self._mark("")
        self.entered.emit(value)

    def _mark(self, fault: str) -> None:
        words = plain(fault or self._why)
        if self.toolTip() == words:
            return
        self.setProperty("wrong", "true" if fault else "false")
        self.setToolTip(words)
        if (style := self.style()) is not None:
            style.unpolish(self)
            style.polish(self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = self._step * (5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
            value = self._value + (step if event.key() == Qt.Key.Key_Up else -step)
            value = min(max(value, self._low), self._high)
            self._value = value
            self.setText(self._show(value))
            self.setModified(False)
            self.entered.emit(value)
            return
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.setModified(False)
            self.setText(self._show(self._value))
            self._mark("")
            return
        super().keyPressEvent(event)


class LazyPanel(QWidget):
    """A panel that does its work only while it is shown: what happens meanwhile is caught up with when it is."""

    _missed = False

    def refresh(self) -> None:
        """Bring what is shown up to date."""

    def wake(self, *_: object) -> None:
        """Something it shows has changed."""
        if self.isVisible():
            self.refresh()
        else:
            self._missed = True

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._missed:
            self._missed = False
            self.refresh()
