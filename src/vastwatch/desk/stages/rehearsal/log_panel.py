"""What a log says, day by day, and what another hold would have done with it."""

from __future__ import annotations

from datetime import timedelta

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastwatch.advice.replay import WhatIf, replayed, what_if
from vastwatch.commission.event_log import EventLog
from vastwatch.control.house import HouseRun
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.shell.parts import FigureField, clear, label, row
from vastwatch.desk.shell.surroundings import Surroundings
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.stages.tiles import Tile
from vastwatch.words import duration_words

# Where a log is first asked what another hold would have done, seconds.
FIRST_TRY_S = 40.0
STEP_S = 15.0


class LogPanel(QWidget):
    """`left`: back to the rehearsal."""

    left = pyqtSignal()

    def __init__(self, around: Surroundings) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = (
            around.document, around.focus, around.results, around.theme
        )  # fmt: skip
        self.log: EventLog | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 10, 8)
        box.setSpacing(6)
        self.told = label("", "soft", True)
        box.addWidget(self.told)
        self.hold = FigureField(
            self.tr("Another hold"), parse_time, duration_words, STEP_S, 0.0, 7200.0,
            self.tr("What another hold would have done. Type 40 s or 2 min; Up and Down step it."),
        )  # fmt: skip
        self.hold.setFixedWidth(84)
        self.hold.set_value(FIRST_TRY_S)
        self.hold.entered.connect(self._try)
        box.addWidget(row(label(self.tr("What if held for")), self.hold, stretch=0))
        self.answer = label("", "", True)
        box.addWidget(self.answer)
        self.take = QPushButton()
        self.take.clicked.connect(self._take)
        box.addWidget(self.take)
        holder = QWidget()
        self.days = QVBoxLayout(holder)
        self.days.setContentsMargins(0, 0, 0, 0)
        self.days.setSpacing(4)
        box.addWidget(holder)
        self.notes = label("", "soft", True)
        box.addWidget(self.notes)
        back = QPushButton(self.tr("Back to the rehearsal"))
        back.clicked.connect(self.left)
        box.addWidget(back)
        box.addStretch(1)
        self._tiles: dict[int, Tile] = {}
        self.tried: WhatIf | None = None
        self.document.changed.connect(self.refresh)
        self.focus.shift.connect(self._shifted)

    def _shifted(self, what: str) -> None:
        if what == "room":
            self.refresh()
        elif what == "day":
            self._mark()

    def show_log(self, log: EventLog) -> None:
        """Show what a log says."""
        self.log = log
        self.refresh()

    def refresh(self, *_: object) -> None:
        """What the log says of the room in hand."""
        house, room = self.results.house, self.focus.room
        if self.log is None or self.results.recording is None or house is None:
            return
        self.notes.setText("\n".join(self.log.notes))
        known = replayed(house).get(room or "")
        name = find(house.project.rooms, room).name if room else ""
        if known is None:
            self.told.setText(self.tr("{}: nothing is lit by itself here.").format(name))
        else:
            self.told.setText(
                self.tr("{}: {:.0f} h heard; burned {:.1f} h a day, switched on {:.1f} times a day.").format(
                    name, known.known_h, known.lit_h_per_day, known.switched_per_day
                )
            )
        self._days_of(house, room)
        self._try(self.hold_s)

    @property
    def hold_s(self) -> float:
        """The hold that is tried."""
        return parse_time(self.hold.text())

    def _days_of(self, house: HouseRun, room: str | None) -> None:
        clear(self.days)
        self._tiles = {}
        calendar = house.recording.calendar
        lit = None if room is None else house.served(room)
        for day in range(calendar.days):
            begin, end = calendar.date(day), calendar.date(day) + timedelta(days=1)
            detail = ""
            if lit is not None:
                lo, hi = (min(max(calendar.noon(d), 0.0), calendar.end) for d in (day, day + 1))
                hours = float(lit.measure(hi) - lit.measure(lo)) / 3600.0
                detail = self.tr("burned {:.1f} h").format(hours)
            tile = Tile(self.theme, f"{begin:%a} {begin.day} – {end:%a} {end.day} {end:%b}", detail, "", False)
            tile.chosen.connect(lambda d=day: self._go(d))
            self.days.addWidget(tile)
            self._tiles[day] = tile
        self._mark()

    def _go(self, day: int) -> None:
        house = self.results.house
        if house is None:
            return
        calendar = house.recording.calendar
        since = self.focus.time - calendar.noon(self.focus.day)
        t = min(max(calendar.noon(day) + since, 0.0), calendar.end - 1.0)
        self.focus.set(day=calendar.noon_day(t), time=t, incident=-1)

    def _mark(self) -> None:
        for day, tile in self._tiles.items():
            tile.current = day == self.focus.day
            tile.update()

    def _try(self, seconds: float) -> None:
        house, room = self.results.house, self.focus.room
        presence = None if house is None or room is None else presence_of(house.project, room)
        self.tried = None
        if house is not None and presence is not None and hold_of(presence.expr) is not None:
            self.tried = what_if(house, presence, seconds)
        self.answer.setText("" if self.tried is None else self.tried.in_words())
        other = self.tried is not None and self.tried.hold_s != self.tried.now_s
        self.take.setVisible(other)
        self.take.setText(self.tr("Hold for {}").format(duration_words(seconds)))

    def _take(self) -> None:
        if self.tried is not None:
            project = self.document.project
            name = find(project.presences, self.tried.conclusion).name
            words = f"Hold {name.lower()} for {duration_words(self.tried.hold_s)}"
            self.document.apply(set_hold(project, self.tried.conclusion, self.tried.hold_s), words)
