"""The ribbon: one day from noon to noon under the plan, in lanes grouped by room, with the playhead.

What each sensor says, what presence concludes, what the lamp does: all that a house run knows. Where it was rehearsed
there is more to tell: who is there, and where it went wrong. A red tooth pointing down: somebody left in the dark; an
amber tooth up: light while empty.
"""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.advice.logs.replay import notes_of
from vastwatch.control.house import HouseRun
from vastwatch.control.light.daylight import sun_times
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.registry import Results
from vastwatch.desk.ribbon.conclusion import conclusion_lanes
from vastwatch.desk.ribbon.curve import paint_curve
from vastwatch.desk.ribbon.lane import ROW, Lane
from vastwatch.desk.ribbon.room import room_lanes
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.playhead import Playhead, stepped
from vastwatch.desk.shell.theme import Theme, alpha, font, mix
from vastwatch.desk.shell.widgets import plain
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.signals import DAY, Calendar, Signal, TimeSeries
from vastwatch.words import clock_words

LABELS = 128
RIGHT = 14
HEAD = 26
GROUP_GAP = 5
TOOTH = 6.0
# Kept free at the bottom for sunset and sunrise.
FOOT = 17


class Ribbon(QWidget):
    """`say` carries one-line messages for the status line."""

    say = pyqtSignal(str)

    def __init__(self, focus: Focus, results: Results, theme: Theme, playhead: Playhead) -> None:
        super().__init__()
        self.focus, self.results, self.theme, self.playhead = focus, results, theme, playhead
        self.setObjectName("ribbon")
        self.setAccessibleName("The day from noon to noon")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setMinimumHeight(150)
        self._offset = 0.0
        self._height = 0.0
        self._stepped: set[int] = set()
        self._lanes: list[Lane] = []
        # What was folded away (True) or opened (False) by hand, by its name.
        self._shut: dict[str, bool] = {}
        # The fold that has the keys.
        self._fold: str | None = None
        self._scrubbing = False
        # The days there are, or None before anything is known of them; the noon the ribbon begins at, and from there to
        # the next: 24 hours, but for the nights in which clocks are moved; sunset and sunrise of the shown night.
        self.calendar: Calendar | None = None
        self.start, self.span = DAY / 2, DAY
        self._sun: tuple[float, float] | None = None
        focus.shift.connect(self._shifted)
        results.week.changed.connect(self._updated)

    def _shifted(self, what: str) -> None:
        if what == "room":
            self._offset = 0.0
        if what in ("room", "level", "stage", "day", "conclusion"):
            self._build()
        self.update()

    def _updated(self) -> None:
        self._build()
        self.update()

    # -- lanes -------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        house = self.results.house
        self._lanes, self._sun = [], None
        self.calendar = None if house is None else house.recording.calendar
        day, calendar = self.focus.day, self.calendar
        self.start = day * DAY + DAY / 2 if calendar is None else calendar.noon(day)
        self.span = DAY if calendar is None else calendar.noon(day + 1) - self.start
        if house is None or calendar is None:
            return
        _, sunset = sun_times(house.project.place, calendar.date(day))
        sunrise, _ = sun_times(house.project.place, calendar.date(day + 1))
        if sunset is not None and sunrise is not None:
            self._sun = calendar.midnight(day) + sunset, calendar.midnight(day + 1) + sunrise
        project = house.project
        rooms = [
            room.id for room in project.rooms if presence_of(project, room.id) is not None or room.id in house.ladders
        ]
        here = {i for i in rooms if find(project.rooms, i).level == self.focus.level}
        rooms.sort(key=lambda i: i not in here)
        if any(room.id == self.focus.room for room in project.rooms):
            rooms = [str(self.focus.room), *(i for i in rooms if i != self.focus.room)]
        if self.focus.here.has_roles:
            r = self.results.rehearsal
            self._lanes += conclusion_lanes(house, r, self.focus, self.theme, self._shut)
        for k, ident in enumerate(rooms):
            shown = (self.start, self.start + self.span)
            ladder = k == 0 and self.focus.here.lights
            r = self.results.rehearsal
            away = k > 0 and ident not in here
            self._lanes += room_lanes(house, r, ident, self.theme, shown, self._shut, k == 0, ladder, away)
        y = float(HEAD + 4)
        for n, lane in enumerate(self._lanes):
            if lane.signal is None and lane.levels is None and lane.heights is None and n:
                y += GROUP_GAP
            lane.y = y
            y += lane.high
        self._height = y

    def fold(self, name: str) -> None:
        """Fold away what is under a heading or a part, or open it: a room that shows its sensors and light alone is
        first opened wholly."""
        room = name.removeprefix("room ")
        whole = self._shut.get(name) is False or not name.startswith("room ") or room == self.focus.room
        self._shut[name] = whole and not self._shut.get(name, False)
        self._fold = name
        self._updated()

    def _step_fold(self, way: int) -> None:
        """The keys go to the next thing that can be folded."""
        folds = [lane for lane in self._lanes if lane.fold is not None]
        if not folds:
            return
        k = next((i for i, lane in enumerate(folds) if lane.fold == self._fold), -1 if way > 0 else 0)
        lane = folds[(k + way) % len(folds)]
        self._fold = lane.fold
        room = self.height() - HEAD - FOOT - ROW
        self._offset = min(max(self._offset, lane.y - HEAD - room), max(lane.y - HEAD - 4, 0.0))
        self.update()

    # -- painting ----------------------------------------------------------------------------------------------

    def x_of(self, t: float) -> float:
        """Pixel of an instant."""
        return LABELS + (t - self.start) / self.span * (self.width() - LABELS - RIGHT)

    def time_at(self, x: float) -> float:
        """Instant of a pixel, within the shown day."""
        k = (x - LABELS) / max(self.width() - LABELS - RIGHT, 1)
        return self.start + min(max(k, 0.0), 1.0 - 1e-6) * self.span

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        t = self.theme
        p.fillRect(self.rect(), t.panel)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        house, r = self.results.house, self.results.rehearsal
        if house is None:
            p.setFont(font(13))
            p.setPen(t.soft)
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.tr("Rehearsing the week…"))
            return
        if not self._lanes:
            p.setFont(font(13))
            p.setPen(t.soft)
            p.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter,
                self.tr("No room has presence yet: drag a sensor from the device list into a room."),
            )  # fmt: skip
            return
        if r is not None and not r.project.people:
            p.setFont(font(13))
            p.setPen(t.soft)
            words = self.tr("No occupants yet, so there is no day to show. Contours work without occupants.")
            p.drawText(
                self.rect().adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words
            )
            return
        self._night(p)
        self._hours(p)
        p.save()
        p.setClipRect(QRectF(0, HEAD, self.width(), self.height() - HEAD - FOOT))
        p.translate(0, -self._offset)
        top, foot = self._offset + HEAD - 2 * ROW, self._offset + self.height() - FOOT + ROW
        self._stepped = set() if r is None else set(stepped(self.focus, r))
        shown = [lane for lane in self._lanes if top <= lane.y <= foot]
        for lane in shown:
            self._lane(p, lane)
        for lane in shown:
            self._teeth(p, lane)
        p.restore()
        self._fade(p)
        self._notes(p, house)
        self._thumb(p)
        self._playhead(p)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.ink, 1))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def _night(self, p: QPainter) -> None:
        if self._sun is not None:
            a, b = (self.x_of(t) for t in self._sun)
            p.fillRect(QRectF(a, HEAD, b - a, self.height() - HEAD), self.theme.wash)

    def _hm(self, t: float) -> str:
        """What clocks show at an instant."""
        return clock_words(t if self.calendar is None else self.calendar.clock_s(t))[:5]

    def _hours(self, p: QPainter) -> None:
        t, calendar = self.theme, self.calendar
        p.setFont(font(11, 500))
        for k in range(0, 25, 2):
            hour = (12 + k) * 3600.0
            x = self.x_of(self.start + k * 3600.0 if calendar is None else calendar.instant(self.focus.day, hour))
            p.setPen(QPen(alpha(t.hairline, 0.9 if k % 6 == 0 else 0.55), 1))
            p.drawLine(QPointF(x, HEAD - 3), QPointF(x, self.height()))
            p.setPen(t.soft)
            box = QRectF(x - 20, 4, 40, 16)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{(12 + k) % 24:02d}")

    def _lane(self, p: QPainter, lane: Lane) -> None:
        t = self.theme
        if lane.levels is not None:
            p.setFont(font(11, 400))
            p.setPen(t.soft)
            p.drawText(QRectF(18, lane.y, LABELS - 22, lane.high), Qt.AlignmentFlag.AlignVCenter, lane.words)
            frame = QRectF(LABELS, lane.y + 3, self.width() - RIGHT - LABELS, lane.high - 6)
            paint_curve(p, t, frame, lane.levels, lane.marks, (self.start, self.start + self.span))
            return
        if lane.heights is not None and lane.colour is not None:
            p.setFont(font(11, 400))
            p.setPen(t.soft)
            words = p.fontMetrics().elidedText(lane.words, Qt.TextElideMode.ElideRight, LABELS - 26)
            p.drawText(QRectF(18, lane.y, LABELS - 22, ROW), Qt.AlignmentFlag.AlignVCenter, words)
            self._heights(p, lane.heights, lane.colour, lane.y + ROW - 2.0)
            return
        if lane.signal is None:
            p.setFont(font(12, 600))
            p.setPen(t.ink)
            # A heading has its row to itself, unless it stands for what is folded away.
            words = lane.words
            if lane.brief is not None:
                words = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, LABELS - 24)
            p.drawText(QRectF(18, lane.y, self.width() - 28, ROW), Qt.AlignmentFlag.AlignVCenter, words)
            self._triangle(p, lane, 4.0)
            if lane.brief is not None:
                self._solid(p, lane.brief, alpha(t.lamp if lane.room else t.ink, 0.8), lane.y + 5, 6)
            return
        p.setFont(font(11, 500 if lane.record == self.focus.selected else 400))
        p.setPen(t.ink if lane.record is not None and lane.record == self.focus.selected else t.soft)
        left = 18 + min(lane.indent, 24)
        words = p.fontMetrics().elidedText(lane.words, Qt.TextElideMode.ElideRight, LABELS - left - 8)
        p.drawText(QRectF(left, lane.y, LABELS - left - 4, ROW), Qt.AlignmentFlag.AlignVCenter, words)
        assert lane.colour is not None
        self._triangle(p, lane, left - 14.0)
        top = lane.y + (ROW - lane.thick) / 2
        if lane.behind is not None:
            self._solid(p, lane.behind, alpha(t.soft, 0.3), top, lane.thick)
        self._solid(p, lane.signal, lane.colour, top, lane.thick)
        if lane.unknown is not None:
            # Nobody listened: neither on nor off.
            self._solid(p, lane.unknown, QBrush(t.soft, Qt.BrushStyle.BDiagPattern), top, lane.thick)

    def _solid(self, p: QPainter, signal: Signal, brush: QColor | QBrush, top: float, thick: float) -> None:
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(brush)
        for a, b in self._bars(signal):
            p.drawRect(QRectF(a, top, max(b - a, 1.0), thick))
        p.restore()

    def _heights(self, p: QPainter, levels: TimeSeries, colour: QColor, foot: float) -> None:
        """A lamp's level as heights over the foot of its lane; what is on at all is seen to."""
        lo, hi = self.start, min(self.start + self.span, levels.end)
        t, v = levels.t, levels.v
        a, b = int(np.searchsorted(t, lo, side="right")), int(np.searchsorted(t, hi, side="left"))
        at = np.concatenate([[lo], t[a:b], [hi]])
        level = np.concatenate([[float(levels.at(lo))], v[a:b], [float(levels.before(hi))]])
        x = LABELS + (at - self.start) / self.span * (self.width() - LABELS - RIGHT)
        high = np.where(level > 0, np.maximum(level * (ROW - 4), 1.5), 0.0)
        path = QPolygonF([QPointF(float(x[0]), foot)])
        for px, h in zip(x.tolist(), high.tolist()):
            path.append(QPointF(px, foot - h))
        path.append(QPointF(float(x[-1]), foot))
        p.setPen(QPen(alpha(self.theme.hairline, 0.9), 1))
        p.drawLine(QPointF(LABELS, foot), QPointF(self.width() - RIGHT, foot))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour)
        p.drawPolygon(path)

    def _triangle(self, p: QPainter, lane: Lane, x: float) -> None:
        """Before what can be folded away: points down while it is open."""
        if lane.fold is None:
            return
        t, y = self.theme, lane.y + ROW / 2
        open_, shut = ((0, -2), (8, -2), (4, 3)), ((2, -4), (2, 4), (7, 0))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.ink if lane.fold == self._fold and self.hasFocus() else t.soft)
        p.drawPolygon(QPolygonF([QPointF(x + a, y + b) for a, b in (shut if lane.shut else open_)]))

    def _bars(self, signal: Signal) -> list[tuple[float, float]]:
        """Pixel stretches of the shown day, those within a pixel of each other joined."""
        rows = signal.intervals
        lo, hi = self.start, self.start + self.span
        rows = rows[(rows[:, 1] > lo) & (rows[:, 0] < hi)]
        if len(rows) == 0:
            return []
        k = (self.width() - LABELS - RIGHT) / self.span
        x = LABELS + (np.clip(rows, lo, hi) - lo) * k
        apart = np.concatenate([[True], x[1:, 0] - np.maximum.accumulate(x[:, 1])[:-1] > 0.8])
        starts = np.flatnonzero(apart)
        ends = np.append(starts[1:] - 1, len(x) - 1)
        return [(float(x[i, 0]), float(x[j, 1])) for i, j in zip(starts, ends)]

    def _teeth(self, p: QPainter, lane: Lane) -> None:
        t = self.theme
        for index, incident in lane.incidents:
            x = self.x_of(incident.at)
            if not LABELS - 1 <= x <= self.width() - RIGHT + 1:
                continue
            base = lane.y + ROW - 3 if incident.dark else lane.y + 4
            way = 1 if incident.dark else -1
            s = TOOTH * (0.85 if incident.kind in ("late", "false start") else 1.0)
            tooth = QPolygonF(
                [QPointF(x - s * 0.75, base), QPointF(x + s * 0.75, base), QPointF(x, base + way * s * 1.25)]
            )
            open_ = index == self.focus.incident
            colour = t.dropped if incident.dark else t.lamp
            if index not in self._stepped and lane.room == self.focus.room:
                colour = alpha(colour, 0.25)
            p.setPen(QPen(t.ink if open_ else t.panel, 1.8 if open_ else 0.8))
            p.setBrush(colour)
            p.drawPolygon(tooth)

    def _fade(self, p: QPainter) -> None:
        """Sunset and sunrise in words, at the foot."""
        t = self.theme
        if self._sun is None:
            return
        (a, b), (sunset, sunrise) = (self.x_of(t) for t in self._sun), (self._hm(t) for t in self._sun)
        p.setFont(font(11, 500))
        p.setPen(mix(t.soft, QColor("#6C61A8"), 0.55))
        y = self.height() - 15
        p.drawText(QRectF(a + 5, y, 120, 13), Qt.AlignmentFlag.AlignVCenter, self.tr("sunset {}").format(sunset))
        p.drawText(
            QRectF(b - 125, y, 120, 13),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            self.tr("sunrise {}").format(sunrise),
        )

    def _notes(self, p: QPainter, house: HouseRun) -> None:
        """Where somebody noted something of these days, while a log of them is looked at."""
        if self.results.recording is None:
            return
        t = self.theme
        for _, note in notes_of(house):
            x = self.x_of(note.at)
            if LABELS <= x <= self.width() - RIGHT:
                p.setPen(QPen(t.ink, 1, Qt.PenStyle.DotLine))
                p.drawLine(QPointF(x, HEAD), QPointF(x, self.height() - FOOT))
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(t.ink)
                p.drawPolygon(QPolygonF([QPointF(x, HEAD - 6), QPointF(x + 9, HEAD - 2), QPointF(x, HEAD + 3)]))

    def _thumb(self, p: QPainter) -> None:
        """Where one is among the lanes, when they do not all fit."""
        room = self.height() - HEAD - FOOT
        whole = self._height - HEAD
        if whole <= room + 4:
            return
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(self.theme.hairline)
        p.drawRoundedRect(
            QRectF(self.width() - 7, HEAD + room * self._offset / whole, 4, max(room * room / whole, 18)), 2, 2
        )

    def _playhead(self, p: QPainter) -> None:
        t = self.theme
        x = self.x_of(self.focus.time)
        if not LABELS - 1 <= x <= self.width() - RIGHT + 1:
            return
        p.setPen(QPen(t.ink, 1.6))
        p.drawLine(QPointF(x, HEAD - 4), QPointF(x, self.height()))
        box = QRectF(x - 23, 3, 46, 18)
        box.moveLeft(min(max(box.left(), LABELS - 26), self.width() - 50))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.ink)
        p.drawRoundedRect(box, 9, 9)
        p.setPen(t.paper if t.name == "light" else t.panel)
        p.setFont(font(12, 600))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, self._hm(self.focus.time))

    # -- mouse and keys ----------------------------------------------------------------------------------------

    def _lane_at(self, y: float) -> Lane | None:
        y += self._offset
        return next((lane for lane in self._lanes if lane.y <= y < lane.y + lane.high), None)

    def _tooth_at(self, pos: QPointF) -> int | None:
        best, nearest = None, 8.0
        for lane in self._lanes:
            for index, incident in lane.incidents:
                y = lane.y - self._offset + (ROW if incident.dark else 0)
                d = math.hypot(self.x_of(incident.at) - pos.x(), (y - pos.y()) * 0.7)
                if d < nearest:
                    best, nearest = index, d
        return best

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        pos = event.position()
        if pos.x() < LABELS - 6:
            lane = self._lane_at(pos.y()) if pos.y() > HEAD else None
            if lane is not None and lane.fold is not None and pos.x() < 17 + min(lane.indent, 24):
                self.fold(lane.fold)
                return
            if lane is not None and lane.room is not None:
                house = self.results.house
                level = find(house.project.rooms, lane.room).level if house else self.focus.level
                self.focus.set(level=level, room=lane.room, selected=lane.record or lane.room)
            return
        tooth = self._tooth_at(pos) if pos.y() > HEAD else None
        if tooth is not None:
            self.playhead.open_incident(tooth)
            return
        self._scrubbing = True
        self.focus.set(time=self.time_at(pos.x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        pos = event.position()
        if self._scrubbing:
            self.focus.set(time=self.time_at(pos.x()))
            return
        tooth = self._tooth_at(pos) if pos.y() > HEAD else None
        r = self.results.rehearsal
        if tooth is not None and r is not None:
            incident = r.incidents[tooth]
            self.setToolTip(plain(incident_title(r, incident)))
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            return
        lane = self._lane_at(pos.y()) if pos.x() < LABELS and pos.y() > HEAD else None
        self.setToolTip(plain(lane.words) if lane is not None else "")
        self.setCursor(Qt.CursorShape.PointingHandCursor if lane else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._scrubbing = False

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        most = max(self._height + FOOT + 4 - self.height(), 0.0)
        self._offset = min(max(self._offset - event.angleDelta().y() / 4, 0.0), most)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 600 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 60
            self.playhead.step_time(step if event.key() == Qt.Key.Key_Right else -step)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._step_fold(1 if event.key() == Qt.Key.Key_Down else -1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._fold is not None:
            self.fold(self._fold)
        else:
            super().keyPressEvent(event)


def incident_title(r, incident: Incident) -> str:  # type: ignore[no-untyped-def]
    """`21:14 light dropped on P`."""
    at = clock_words(r.calendar.clock_s(incident.at))[:5]
    if incident.kind in ("dropped", "late"):
        who = next(
            (
                k.person.name.split(",")[0]
                for k in r.truth.tracks
                if k.person.kind != "pet" and r.truth.person_in(k.person.id, incident.room).at(incident.at + 0.05)
            ),
            "somebody",
        )
        return f"{at} light went off on {who}" if incident.kind == "dropped" else f"{at} light came on late for {who}"
    return (
        f"{at} light stayed on with nobody there"
        if incident.kind == "idle"
        else f"{at} light came on with nobody there"
    )
