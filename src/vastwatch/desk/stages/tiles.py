"""Lists of tiles at the left of a stage."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from vastwatch.desk.shell.theme import MARGIN, Theme, alpha, font
from vastwatch.desk.shell.widgets import Clickable, LazyPanel, column_in, label, row, scrolling


class Tile(Clickable):
    """A choosable row of two lines, with a figure at the right."""

    def __init__(self, theme: Theme, words: str, detail: str, figure: str = "", bad: bool = False) -> None:
        super().__init__(f"{words}, {detail}")
        self.theme, self.words, self.detail, self.figure, self.bad = theme, words, detail, figure, bad
        self.current = False
        self.setFixedHeight(38)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_detail(self, words: str) -> None:
        """Change the second line."""
        if words != self.detail:
            self.detail = words
            self.setAccessibleName(f"{self.words}, {words}")
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self.theme
        if self.current or self.underMouse() or self.hasFocus():
            p.setPen(QPen(t.ink if self.hasFocus() else t.hairline, 1))
            p.setBrush(t.card if self.current else alpha(t.card, 0.5))
            p.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 7, 7)
        p.setFont(font(12, 600))
        width = p.fontMetrics().horizontalAdvance(self.figure)
        p.setPen(t.dropped if self.bad else t.soft)
        p.drawText(
            QRectF(self.width() - width - 10, 0, width + 2, self.height()), Qt.AlignmentFlag.AlignVCenter, self.figure
        )
        room = self.width() - width - 28
        p.setPen(t.ink)
        p.setFont(font(12, 600 if self.current else 500))
        p.drawText(10, 17, p.fontMetrics().elidedText(self.words, Qt.TextElideMode.ElideRight, room))
        p.setPen(t.soft)
        p.setFont(font(11))
        p.drawText(10, 31, p.fontMetrics().elidedText(self.detail, Qt.TextElideMode.ElideRight, room))


class Side(LazyPanel):
    """A heading with a detail beside it, over a list that scrolls; below it what a stage puts there."""

    def __init__(self, heading: str) -> None:
        super().__init__()
        box = column_in(self, 8, (MARGIN, MARGIN, 4, 8))
        self._detail = label("", "soft")
        head = row(label(heading, "head"), self._detail, stretch=0)
        head.setContentsMargins(0, 0, 12, 0)
        box.addWidget(head)
        area, self._list = scrolling(3, (0, 0, 10, 0))
        box.addWidget(area, 1)
        self._foot = box
