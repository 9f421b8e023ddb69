"""The list of rooms of the Plan stage, and the days of the Rehearsal."""

from __future__ import annotations

from datetime import timedelta
from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from vastwatch.design.places import sensors_in
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import Sleeper, clear, is_choice, label, row, scrolling
from vastwatch.desk.shell.results import DAYS, Results
from vastwatch.desk.shell.theme import MARGIN, Theme, alpha, font
from vastwatch.geometry import polygons
from vastwatch.site.building import Room


@lru_cache(maxsize=1024)
def _about(room: Room) -> str:
    """A room's second line; rooms compare by identity."""
    return f"{room.use}, {polygons.area(room.outline):.1f} m²"


class Tile(QWidget):
    """A choosable row of two lines, with a figure at the right."""

    chosen = pyqtSignal()

    def __init__(self, theme: Theme, words: str, detail: str, figure: str = "", bad: bool = False) -> None:
        super().__init__()
        self.theme, self.words, self.detail, self.figure, self.bad = theme, words, detail, figure, bad
        self.current = False
        self.setFixedHeight(38)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setAccessibleName(f"{words}, {detail}")

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

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if is_choice(event):
            self.chosen.emit()
            return
        super().keyPressEvent(event)


class _Side(Sleeper):
    def __init__(self, heading: str) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(MARGIN, MARGIN, 4, 8)
        box.setSpacing(8)
        self._detail = label("", "soft")
        head = row(label(heading, "head"), self._detail, stretch=0)
        head.setContentsMargins(0, 0, 12, 0)
        box.addWidget(head)
        area, self._list = scrolling(3, (0, 0, 10, 0))
        box.addWidget(area, 1)
        self._foot = box


class RoomsPanel(_Side):
    """All rooms by level, each with its use, its size and its sensors."""

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__(self.tr("Rooms"))
        self.document, self.focus, self.theme = document, focus, theme
        self._tiles: dict[str, Tile] = {}
        self._shape: object = None
        document.changed.connect(self.wake)
        focus.shift.connect(lambda what: self._mark() if what == "room" else None)
        self.refresh()

    def refresh(self) -> None:
        """Make the tiles anew when a room, or the number of sensors in one, has changed."""
        project = self.document.project
        shape = (
            [(r.id, r.name, r.level, r.use, len(sensors_in(project, r.id))) for r in project.rooms], project.levels
        )  # fmt: skip
        if shape == self._shape:
            # Only sizes have changed: a wall is being dragged.
            for room in project.rooms:
                self._tiles[room.id].set_detail(_about(room))
            return
        self._shape = shape
        clear(self._list)
        self._tiles = {}
        for level in sorted(project.levels, key=lambda x: x.elevation):
            self._list.addWidget(label(level.name, "soft"))
            for room in project.rooms:
                if room.level != level.id:
                    continue
                n = len(sensors_in(project, room.id))
                sensors = "" if n == 0 else self.tr("1 sensor") if n == 1 else self.tr("{} sensors").format(n)
                tile = Tile(self.theme, room.name, _about(room), sensors)
                tile.chosen.connect(lambda r=room: self.focus.set(level=r.level, room=r.id, selected=r.id))
                self._list.addWidget(tile)
                self._tiles[room.id] = tile
        self._list.addStretch(1)
        self._detail.setText(str(len(project.rooms)))
        self._mark()

    def _mark(self) -> None:
        for ident, tile in self._tiles.items():
            tile.current = ident == self.focus.room
            tile.update()


class DaysPanel(_Side):
    """The rehearsed days from noon to noon, each with what went wrong in the focused room; and the transport."""

    play = pyqtSignal()

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__(self.tr("Days"))
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        self._tiles: dict[int, Tile] = {}
        self._play = QPushButton(self.tr("Play"))
        self._play.setToolTip(self.tr("Run the playhead, five minutes a second. (Space)"))
        self._play.clicked.connect(self.play)
        previous, following = QPushButton("‹"), QPushButton("›")
        previous.setToolTip(self.tr("Previous incident of this room. (,)"))
        following.setToolTip(self.tr("Next incident of this room. (.)"))
        previous.setAccessibleName(self.tr("Previous incident"))
        following.setAccessibleName(self.tr("Next incident"))
        self.previous, self.following = previous.clicked, following.clicked
        foot = row(self._play, previous, following, stretch=0, spacing=6)
        foot.setContentsMargins(0, 0, 10, 0)
        self._foot.addWidget(label(self.tr("Incidents of this room"), "soft"))
        self._foot.addWidget(foot)
        results.week.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "room":
            self.wake()
        elif what == "day":
            self._mark()

    def set_playing(self, on: bool) -> None:
        """Show whether time runs."""
        self._play.setText(self.tr("Pause") if on else self.tr("Play"))

    def refresh(self) -> None:
        """A tile for every day."""
        clear(self._list)
        self._tiles = {}
        r, room = self.results.rehearsal, self.focus.room
        if r is None:
            self._list.addWidget(label(self.tr("Rehearsing the week …"), "soft"))
            self._list.addStretch(1)
            return
        mine = [i for i in r.incidents if i.room == room]
        for day in range(-1, DAYS):
            begin, end = r.begin + timedelta(days=day), r.begin + timedelta(days=day + 1)
            lo, hi = r.calendar.noon(day), r.calendar.noon(day + 1)
            here = [i for i in mine if lo <= i.at < hi]
            drops = sum(i.kind == "dropped" for i in here)
            idle = sum(not i.dark for i in here)
            words = f"{begin:%a} {begin.day} – {end:%a} {end.day} {end:%b}"
            detail = self.tr("no incident")
            if here:
                parts = []
                if drops:
                    parts.append(self.tr("{} dropped").format(drops))
                late = sum(i.kind == "late" for i in here)
                if late:
                    parts.append(self.tr("{} late").format(late))
                if idle:
                    parts.append(self.tr("{} for nobody").format(idle))
                detail = ", ".join(parts)
            tile = Tile(self.theme, words, detail, str(drops) if drops else "", drops > 0)
            tile.chosen.connect(lambda d=day: self._go(d))
            self._list.addWidget(tile)
            self._tiles[day] = tile
        self._list.addStretch(1)
        self._detail.setText(self.tr("seed {}").format(r.seed))
        self._mark()

    def _go(self, day: int) -> None:
        r = self.results.rehearsal
        if r is None:
            return
        since_noon = self.focus.time - r.calendar.noon(self.focus.day)
        t = float(np.clip(r.calendar.noon(day) + since_noon, 0.0, r.calendar.end - 1))
        self.focus.set(day=r.calendar.noon_day(t), time=t, incident=-1)

    def _mark(self) -> None:
        for day, tile in self._tiles.items():
            tile.current = day == self.focus.day
            tile.update()
