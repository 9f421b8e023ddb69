"""One day of one room in two designs: who was there, and in each when light was on and what went wrong."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from vastwatch.desk.shell.theme import Theme, alpha, font
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.signals import Signal

LABELS, RIGHT, HEAD, ROW, TOOTH = 150, 14, 22, 22, 6.0


class DayPair(QWidget):
    """`turned` carries the day that is shown; Left and Right turn to the day before and after."""

    turned = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.pair: tuple[Rehearsal, Rehearsal] | None = None
        self.names = ("", "")
        self.room = ""
        self.day = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("One day in both designs")
        self.setFixedHeight(HEAD + 3 * ROW + 8)

    def sizeHint(self) -> QSize:
        return QSize(760, HEAD + 3 * ROW + 8)

    def show_pair(self, pair: tuple[Rehearsal, Rehearsal], names: tuple[str, str], room: str) -> None:
        """Show a room of two rehearsals of the same people."""
        self.pair, self.names, self.room = pair, names, room
        self.turn_to(self.day)

    def turn_to(self, day: int) -> None:
        """Show another day, within those that were rehearsed."""
        if self.pair is None:
            return
        self.day = min(max(day, 0), self.pair[0].days - 1)
        self.turned.emit(self.day)
        self.update()

    def worst_day(self) -> int:
        """The day on which most goes wrong in either."""
        assert self.pair is not None
        count = np.zeros(self.pair[0].days)
        for r in self.pair:
            for _, incident in r.incidents_by_room.get(self.room, []):
                count[min(r.calendar.day_of(incident.at), len(count) - 1)] += 1 + incident.dark
        return int(count.argmax())

    def _span(self) -> tuple[float, float]:
        assert self.pair is not None
        calendar = self.pair[0].calendar
        return calendar.midnight(self.day), calendar.midnight(self.day + 1)

    def x_of(self, t: float) -> float:
        """Pixel of an instant of the day."""
        begin, end = self._span()
        return LABELS + (t - begin) / (end - begin) * (self.width() - LABELS - RIGHT)

    def paintEvent(self, event: object) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.panel)
        if self.pair is None:
            return
        calendar = self.pair[0].calendar
        p.setFont(font(11, 500))
        for hour in range(0, 25, 3):
            x = self.x_of(calendar.instant(self.day, hour * 3600.0))
            p.setPen(QPen(t.hairline, 1))
            p.drawLine(QPointF(x, HEAD - 3), QPointF(x, self.height() - 4))
            p.setPen(t.soft)
            p.drawText(QRectF(x - 20, 2, 40, 16), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}")
        first, second = self.pair
        self._lane(p, 0, "somebody awake", first.awake(self.room), t.person, [])
        for k, (r, name) in enumerate(zip((first, second), self.names), 1):
            lit = r.house.served(self.room)
            mine = [i for _, i in r.incidents_by_room.get(self.room, [])]
            if lit is None:
                lit = Signal.constant(False, 0.0, r.truth.end)
            self._lane(p, k, name, lit, t.lamp, mine)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.ink, 1))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _lane(self, p: QPainter, k: int, words: str, signal: Signal, colour: QColor, incidents: list[Incident]) -> None:
        t, y = self.theme, HEAD + k * ROW
        p.setFont(font(12, 500 if k else 400))
        p.setPen(t.ink if k else t.soft)
        said = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, LABELS - 14)
        p.drawText(QRectF(4, y, LABELS - 10, ROW), Qt.AlignmentFlag.AlignVCenter, said)
        begin, end = self._span()
        rows = signal.intervals
        rows = np.clip(rows[(rows[:, 1] > begin) & (rows[:, 0] < end)], begin, end)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour if k else alpha(colour, 0.8))
        for a, b in rows.tolist():
            x = self.x_of(a)
            p.drawRect(QRectF(x, y + 6, max(self.x_of(b) - x, 1.0), ROW - 12))
        for i in incidents:
            if not begin <= i.at < end:
                continue
            x, down = self.x_of(i.at), 1 if i.dark else -1
            base = y + ROW - 5 if i.dark else y + 5
            p.setBrush(t.dropped if i.dark else t.lamp)
            p.setPen(QPen(t.panel, 0.8))
            tooth = [QPointF(x - TOOTH * 0.75, base), QPointF(x + TOOTH * 0.75, base), QPointF(x, base + down * TOOTH)]
            p.drawPolygon(QPolygonF(tooth))
            p.setPen(Qt.PenStyle.NoPen)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key())) if event is not None else None
        if step is None:
            super().keyPressEvent(event)
        else:
            self.turn_to(self.day + step)
