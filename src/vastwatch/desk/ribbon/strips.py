"""Days of one room as small strips, noon to noon, one under the other: a week or a month at a glance, and nights to be
compared by the clock.

Who was awake there is the thin line, the light the bar; teeth as on the ribbon. At the right what the day came to. A
click goes to that moment.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.control.house import HouseRun
from vastwatch.control.light.daylight import sun_times
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.playhead import Playhead, stepped
from vastwatch.desk.shell.theme import Theme, alpha, font
from vastwatch.desk.shell.widgets import plain
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.signals import Calendar, Signal
from vastwatch.words import clock_words

LABELS, RIGHT, HEAD, TOOTH = 128, 104, 26, 4.5
# Strips are as tall as there is room for them, between these.
LEAST, MOST = 13, 30


class Strips(QWidget):
    """What the ribbon shows in place of one day, when `focus.span` is a week or a month."""

    def __init__(self, focus: Focus, results: Results, theme: Theme, playhead: Playhead) -> None:
        super().__init__()
        self.focus, self.results, self.theme, self.playhead = focus, results, theme, playhead
        self.setObjectName("strips")
        self.setAccessibleName("Days of the room, one below the other")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setMinimumHeight(150)
        self._offset = 0.0
        focus.shift.connect(self._shifted)
        results.week.changed.connect(self.update)

    def _shifted(self, what: str) -> None:
        if what == "day":
            self._reveal()
        self.update()

    # -- where what is ---------------------------------------------------------------------------------------------

    @property
    def days(self) -> list[int]:
        """The days that have a strip: each from its noon on."""
        house = self.results.house
        return [] if house is None else list(range(-1, house.recording.calendar.days))

    @property
    def high(self) -> float:
        """Pixels from a strip to the next."""
        return min(max((self.height() - HEAD - 6) / max(len(self.days), 1), LEAST), MOST)

    def y_of(self, day: int) -> float:
        """The upper edge of a day's strip."""
        return HEAD + (day + 1) * self.high - self._offset

    def day_at(self, y: float) -> int | None:
        """The day whose strip is there."""
        k = int((y - HEAD + self._offset) // self.high) - 1
        return k if y >= HEAD and k in self.days else None

    def x_of(self, day: int, t: float) -> float:
        """Pixel of an instant on a day's strip."""
        begin, span = self._span(day)
        return LABELS + (t - begin) / span * (self.width() - LABELS - RIGHT)

    def time_at(self, day: int, x: float) -> float:
        """Instant of a pixel on a day's strip."""
        begin, span = self._span(day)
        k = (x - LABELS) / max(self.width() - LABELS - RIGHT, 1)
        return begin + min(max(k, 0.0), 1.0 - 1e-6) * span

    def _calendar(self) -> Calendar:
        house = self.results.house
        assert house is not None
        return house.recording.calendar

    def _span(self, day: int) -> tuple[float, float]:
        calendar = self._calendar()
        begin = calendar.noon(day)
        return begin, calendar.noon(day + 1) - begin

    def _reveal(self) -> None:
        """Scroll so that the shown day is there."""
        room = self.height() - HEAD - 6
        top = (self.focus.day + 1) * self.high
        self._offset = min(max(self._offset, top + self.high - room), top, self._most())
        self._offset = max(self._offset, 0.0)

    def _most(self) -> float:
        return max(len(self.days) * self.high - (self.height() - HEAD - 6), 0.0)

    def _incidents(self, day: int) -> list[tuple[int, Incident]]:
        r, room = self.results.rehearsal, self.focus.room
        if r is None or room is None:
            return []
        begin, span = self._span(day)
        return [(i, x) for i, x in r.incidents_by_room.get(room, []) if begin <= x.at < begin + span]

    def day_words(self, day: int) -> str:
        """What a day came to: `3 drops, 12 min`; of a log `4.1 h lit`."""
        house, r, room = self.results.house, self.results.rehearsal, self.focus.room
        if house is None or room is None:
            return ""
        begin, span = self._span(day)
        ends = np.clip([begin, begin + span], 0.0, house.end)
        lit = house.served(room)
        if lit is None:
            return ""
        if r is None:
            on = lit.cumulative(ends)
            return self.tr("{:.1f} h lit").format((on[1] - on[0]) / 3600.0)
        drops = sum(i.kind == "dropped" for _, i in self._incidents(day))
        dark = (r.needs_light(room) - lit).cumulative(ends)
        minutes = (dark[1] - dark[0]) / 60.0
        if drops == 0 and minutes < 0.05:
            return "–"
        return self.tr("{} × {:.1f} min").format(drops, minutes)

    # -- painting --------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p, t = QPainter(self), self.theme
        p.fillRect(self.rect(), t.panel)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        house, room = self.results.house, self.focus.room
        lit = None if house is None or room is None else house.served(room)
        if house is None or room is None or lit is None:
            p.setFont(font(13))
            p.setPen(t.soft)
            words = self.tr("Rehearsing…") if house is None else self.tr("No automatic light in this room.")
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
            return
        self._offset = min(self._offset, self._most())
        self._hours(p)
        p.save()
        p.setClipRect(QRectF(0, HEAD, self.width(), self.height() - HEAD))
        r = self.results.rehearsal
        awake = None if r is None else r.awake(room)
        kept = set(stepped(self.focus, r)) if r is not None else set()
        for day in self.days:
            if HEAD - self.high < self.y_of(day) < self.height():
                self._strip(p, house, day, lit, awake, house.observed(room), kept)
        p.restore()
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.ink, 1))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def _hours(self, p: QPainter) -> None:
        t = self.theme
        p.setFont(font(11, 500))
        wide = self.width() - LABELS - RIGHT
        for k in range(0, 25, 3):
            x = LABELS + k / 24 * wide
            p.setPen(QPen(alpha(t.hairline, 0.8), 1))
            p.drawLine(QPointF(x, HEAD - 3), QPointF(x, self.height()))
            p.setPen(t.soft)
            p.drawText(QRectF(x - 20, 4, 40, 16), Qt.AlignmentFlag.AlignCenter, f"{(12 + k) % 24:02d}")
        if self.results.rehearsal is not None:
            what = self.tr("false-off, dark")
            p.drawText(QRectF(self.width() - RIGHT + 20, 4, RIGHT - 24, 16), Qt.AlignmentFlag.AlignVCenter, what)

    def _strip(
        self, p: QPainter, house: HouseRun, day: int, lit: Signal, awake: Signal | None, known: Signal, kept: set[int]
    ) -> None:
        t, y, high = self.theme, self.y_of(day), self.high
        calendar = house.recording.calendar
        here = day == self.focus.day
        if here:
            p.fillRect(QRectF(0, y, self.width(), high), alpha(t.hairline, 0.45))
        self._night(p, house, day, y)
        date = calendar.date(day)
        p.setFont(font(11, 600 if here else 400))
        p.setPen(t.ink if here or date.weekday() >= 5 else t.soft)
        words = f"{date:%a} {date.day} {date:%b}"
        p.drawText(QRectF(18, y, LABELS - 20, high), Qt.AlignmentFlag.AlignVCenter, words)
        p.setPen(t.soft)
        p.drawText(QRectF(self.width() - RIGHT + 20, y, RIGHT - 24, high), Qt.AlignmentFlag.AlignVCenter,
                   self.day_words(day))  # fmt: skip
        p.setPen(Qt.PenStyle.NoPen)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        if awake is not None:
            self._bars(p, day, awake, t.person, y + 1, 2)
        bar = max(high - 8, 5)
        self._bars(p, day, lit, t.lamp, y + 4, bar)
        self._bars(p, day, ~known, QBrush(t.soft, Qt.BrushStyle.BDiagPattern), y + 4, bar)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for index, i in self._incidents(day):
            self._tooth(p, day, index, i, y, index in kept)
        x = self.x_of(day, self.focus.time)
        if here and LABELS <= x <= self.width() - RIGHT:
            p.setPen(QPen(t.ink, 1.6))
            p.drawLine(QPointF(x, y), QPointF(x, y + high))

    def _night(self, p: QPainter, house: HouseRun, day: int, y: float) -> None:
        calendar = house.recording.calendar
        _, sunset = sun_times(house.project.place, calendar.date(day))
        sunrise, _ = sun_times(house.project.place, calendar.date(day + 1))
        if sunset is not None and sunrise is not None:
            a = self.x_of(day, calendar.midnight(day) + sunset)
            b = self.x_of(day, calendar.midnight(day + 1) + sunrise)
            p.fillRect(QRectF(a, y, b - a, self.high), self.theme.wash)

    def _bars(self, p: QPainter, day: int, signal: Signal, brush: QColor | QBrush, y: float, thick: float) -> None:
        begin, span = self._span(day)
        rows = signal.intervals
        rows = np.clip(rows[(rows[:, 1] > begin) & (rows[:, 0] < begin + span)], begin, begin + span)
        p.setBrush(brush)
        for a, b in rows.tolist():
            x = self.x_of(day, a)
            p.drawRect(QRectF(x, y, max(self.x_of(day, b) - x, 1.0), thick))

    def _tooth(self, p: QPainter, day: int, index: int, i: Incident, y: float, kept: bool) -> None:
        t, s = self.theme, TOOTH
        x, way = self.x_of(day, i.at), 1 if i.dark else -1
        base = y + self.high - 5 if i.dark else y + 5
        colour = t.dropped if i.dark else t.lamp
        p.setBrush(colour if kept else alpha(colour, 0.25))
        open_ = index == self.focus.incident
        p.setPen(QPen(t.ink if open_ else t.panel, 1.6 if open_ else 0.6))
        tooth = [QPointF(x - s * 0.75, base), QPointF(x + s * 0.75, base), QPointF(x, base + way * s * 1.2)]
        p.drawPolygon(QPolygonF(tooth))

    # -- mouse and keys --------------------------------------------------------------------------------------------

    def incident_at(self, pos: QPointF) -> int | None:
        """The incident whose tooth is there."""
        day = self.day_at(pos.y())
        if day is None:
            return None
        near = [(abs(self.x_of(day, i.at) - pos.x()), index) for index, i in self._incidents(day)]
        return min(near)[1] if near and min(near)[0] <= 5.0 else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        pos = event.position()
        day, incident = self.day_at(pos.y()), self.incident_at(pos)
        if incident is not None:
            self.playhead.open_incident(incident)
        elif day is not None:
            time = self.time_at(day, pos.x()) if pos.x() >= LABELS else self._same_clock(day)
            house = self.results.house
            assert house is not None
            self.focus.set(day=day, time=min(max(time, 0.0), house.end - 1.0), incident=-1)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.focus.set(span="day")

    def _same_clock(self, day: int) -> float:
        calendar = self._calendar()
        return calendar.noon(day) + self.focus.time - calendar.noon(self.focus.day)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.results.house is None:
            return
        pos = event.position()
        day = self.day_at(pos.y())
        if day is None or pos.x() < LABELS:
            self.setToolTip("")
            return
        t = self.time_at(day, pos.x())
        self.setToolTip(plain(clock_words(self._calendar().clock_s(t))[:5]))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._offset = min(max(self._offset - event.angleDelta().y() / 4, 0.0), self._most())
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        keys = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.key() in keys:
            self.playhead.step_day(keys[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 600 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 60
            self.playhead.step_time(step if event.key() == Qt.Key.Key_Right else -step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.focus.set(span="day")
        else:
            super().keyPressEvent(event)
