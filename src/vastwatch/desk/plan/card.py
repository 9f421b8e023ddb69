"""The small card beside the pointer: rows of words at the left and figures at the right."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from vastwatch.desk.shell.theme import Theme, font

ROW, PAD, GUTTER = 18, 8, 16


class Card(QWidget):
    """Painted by hand: it follows the pointer, and a label would lay out its text anew at every move."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self.theme = theme
        self.rows: list[tuple[str, str]] = []
        self._words = font(12, 500)
        self._figures = font(12)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def show_at(self, pixel: QPointF, rows: list[tuple[str, str]]) -> None:
        """Show rows beside a pixel of the parent, inside the parent."""
        self.rows = rows
        a, b = QFontMetrics(self._words), QFontMetrics(self._figures)
        width = max((a.horizontalAdvance(w) + (b.horizontalAdvance(f) + GUTTER if f else 0)) for w, f in rows)
        width, height = width + 2 * PAD + 2, len(rows) * ROW + 10
        parent = self.parentWidget()
        assert parent is not None
        x = pixel.x() + 18
        if x + width > parent.width() - 6:
            x = pixel.x() - width - 18
        y = min(max(pixel.y() + 16, 6), parent.height() - height - 6)
        self.setGeometry(int(max(x, 6)), int(y), width, height)
        self.update()
        self.show()
        self.raise_()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self.theme
        p.setPen(QPen(t.hairline, 1))
        p.setBrush(t.card)
        p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        for k, (words, figures) in enumerate(self.rows):
            row = QRectF(PAD, 5 + k * ROW, self.width() - 2 * PAD, ROW)
            p.setFont(self._words)
            p.setPen(t.ink)
            p.drawText(row, Qt.AlignmentFlag.AlignVCenter, words)
            p.setFont(self._figures)
            p.setPen(t.soft)
            p.drawText(row, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, figures)
