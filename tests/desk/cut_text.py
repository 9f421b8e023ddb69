"""Finds words that have no room in their widget, and widgets that reach beyond what shows them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QTextDocument
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QStyle,
    QStyleOptionComboBox,
    QToolButton,
    QWidget,
)  # fmt: skip

# Words may be so many pixels wider than their place: letters end before their last pixel.
SPARE_PX = 1


def cut(root: QWidget) -> list[str]:
    """What is cut in a window or dialog as it is shown, in words."""
    out = []
    for widget in root.findChildren(QWidget):
        if widget.isVisible() and widget.window() is root and widget.width() > 0:
            text, short = _short(widget)
            if text and short > SPARE_PX:
                out.append(f"{type(widget).__name__} “{text[:60]}” lacks {short} px")
            elif (beyond := _beyond(widget)) > SPARE_PX:
                out.append(f"{type(widget).__name__} “{text[:60]}” reaches {beyond} px beyond what shows it")
    return out


def _short(widget: QWidget) -> tuple[str, int]:
    """The words of a widget, and by how many pixels its place is too narrow or too low for them."""
    if isinstance(widget, QLabel):
        return widget.text(), _short_label(widget)
    if isinstance(widget, QComboBox):
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        style = widget.style()
        place = style.subControlRect(
            QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, widget
        )
        return widget.currentText(), _wide(widget, widget.currentText()) - place.width()
    if isinstance(widget, QLineEdit):
        # Names may be longer than their field, which scrolls; figures may not.
        figure = widget.alignment() & Qt.AlignmentFlag.AlignRight
        option = widget.text() if figure else ""
        return option, _wide(widget, option) - (widget.width() - 12) if option else 0
    if isinstance(widget, QPushButton | QToolButton):
        if not widget.text() or widget.layout() is not None:
            return "", 0
        lines = widget.text().replace("&", "").split("\n")
        return widget.text(), max(_wide(widget, line) for line in lines) - (widget.width() - 4)
    if isinstance(widget, QCheckBox) and widget.text():
        return widget.text(), widget.sizeHint().width() - widget.width()
    return "", 0


def _wide(widget: QWidget, text: str) -> int:
    return widget.fontMetrics().horizontalAdvance(text)


def _short_label(label: QLabel) -> int:
    text, pixmap = label.text(), label.pixmap()
    if not text or (pixmap is not None and not pixmap.isNull()) or text.endswith("…"):
        return 0
    margins = label.contentsMargins()
    wide = label.width() - margins.left() - margins.right()
    if label.textFormat() == Qt.TextFormat.RichText:
        page = QTextDocument()
        page.setDefaultFont(label.font())
        page.setDocumentMargin(0)
        page.setHtml(text)
        if label.wordWrap():
            page.setTextWidth(wide)
            return round(page.size().height()) - label.height()
        return round(page.idealWidth()) - wide
    if label.wordWrap():
        words = max((_wide(label, word) for word in text.split()), default=0)
        high = (
            label.fontMetrics().boundingRect(QRect(0, 0, wide, 10_000), Qt.TextFlag.TextWordWrap.value, text).height()
        )
        return max(high - label.height(), words - wide)
    lines = text.split("\n")
    return max(max(_wide(label, line) for line in lines) - wide, label.fontMetrics().height() - label.height() - 2)


def _beyond(widget: QWidget) -> int:
    """By how many pixels a widget reaches beyond its parents to the side, where these cannot be scrolled there."""
    parent, here = widget.parentWidget(), QRect(QPoint(0, 0), widget.size())
    beyond, at = 0, widget
    while parent is not None and not at.isWindow():
        here.translate(at.pos())
        if isinstance(parent.parentWidget(), QAbstractScrollArea) and _scrolls(parent.parentWidget()):
            return beyond
        beyond = max(beyond, here.right() - parent.width() + 1, -here.left())
        at, parent = parent, parent.parentWidget()
    return beyond


def _scrolls(area: QAbstractScrollArea) -> bool:
    bar = area.horizontalScrollBar()
    return bar is not None and area.horizontalScrollBarPolicy() != Qt.ScrollBarPolicy.ScrollBarAlwaysOff


def larger_than_screen(dialog: QWidget, wide: int, high: int) -> str:
    """How a dialog does not fit a screen; empty where it does."""
    QApplication.processEvents()
    frame, least = dialog.size(), dialog.minimumSizeHint()
    if frame.width() > wide or frame.height() > high or least.width() > wide or least.height() > high:
        return f"{type(dialog).__name__} is {frame.width()} x {frame.height()}"
    return ""
