"""What a log says, day by day, and what another hold would have done with it."""

from __future__ import annotations

from datetime import timedelta

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from vastwatch.advice.logs.habits import in_words, people_of
from vastwatch.advice.logs.replay import WhatIf, room_replays, what_if
from vastwatch.commission.event_log import EventLog
from vastwatch.control.house import HouseRun
from vastwatch.design.conclusions import all_sensors_of
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.logs import LOG_CURVE, LOG_HABITS
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.shell.widgets import FigureField, clear, column_in, column_under, label, pressed, row
from vastwatch.desk.stages.rehearsal.diary_view import DiaryView
from vastwatch.desk.stages.rehearsal.log_curve_view import LogCurveView
from vastwatch.desk.stages.tiles import Tile
from vastwatch.words import duration_words, error_sentence

# Where a log is first asked what another hold would have done, seconds.
FIRST_TRY_S = 40.0
STEP_S = 15.0


class LogPanel(QWidget):
    """`left`: back to the rehearsal."""

    left = pyqtSignal()

    def __init__(self, around: Context) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = (
            around.document, around.focus, around.results, around.theme
        )  # fmt: skip
        self.log: EventLog | None = None
        box = column_in(self, 6, (0, 0, 10, 8))
        self.told = label("", "soft", True)
        box.addWidget(self.told)
        self.hold = FigureField(
            self.tr("Other hold time"), parse_time, duration_words, STEP_S, 0.0, 7200.0,
            self.tr("What another hold time would have done. Type 40 s or 2 min, or step with Up and Down."),
        )  # fmt: skip
        self.hold.setFixedWidth(84)
        self.hold.set_value(FIRST_TRY_S)
        self.hold.entered.connect(self._try)
        box.addWidget(row(label(self.tr("Try a hold time of")), self.hold, stretch=0))
        self.curve = LogCurveView(self.theme)
        self.curve.picked.connect(self._pick)
        box.addWidget(self.curve)
        self.answer = label("", "", True)
        box.addWidget(self.answer)
        self.take = pressed("", self._take)
        box.addWidget(self.take)
        self.diary = DiaryView(self.document)
        self.diary.gone_to.connect(self._go_to)
        self.diary.say.connect(around.say)
        box.addWidget(self.diary)
        box.addWidget(guide_label(self.tr("Usage"), "log", "head"))
        self.habits = label("", "", True)
        box.addWidget(self.habits)
        self.untold = label("", "soft", True)
        box.addWidget(self.untold)
        self.live = QPushButton(self.tr("Add an occupant with this pattern"))
        self.live.setToolTip(self.tr("Adds an occupant with these visits to the rehearsal."))
        self.live.clicked.connect(self._let_live)
        box.addWidget(self.live)
        box.addWidget(label(self.tr("Days"), "head"))
        self.days = column_under(box, 4)
        self.notes = label("", "soft", True)
        box.addWidget(self.notes)
        back = pressed(self.tr("Back to rehearsal"), self.left)
        box.addWidget(back)
        box.addStretch(1)
        self._tiles: dict[int, Tile] = {}
        self.tried: WhatIf | None = None
        self._say = around.say
        self.results[LOG_CURVE].changed.connect(self._show_curve)
        self.results[LOG_HABITS].changed.connect(self._show_habits)
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
        known = room_replays(house).get(room or "")
        name = find(house.project.rooms, room).name if room else ""
        if known is None:
            self.told.setText(self.tr("{}: nothing is switched automatically here.").format(name))
        else:
            said = self.tr("{}: {:.0f} h of data; lit {:.1f} h a day, switched on {:.1f} times a day.").format(
                name, known.known_h, known.lit_h_per_day, known.switched_per_day
            )
            self.told.setText("\n".join([said, *self._messages(house, room or "")]))
        self._days_of(house, room)
        self.diary.show_house(house)
        self._show_curve()
        self._show_habits()
        self._try(self.hold_s)

    def _messages(self, house: HouseRun, room: str) -> list[str]:
        """How often each device of the room's light spoke."""
        presence = presence_of(house.project, room)
        assert self.log is not None
        mine = [] if presence is None else all_sensors_of(house.project, presence)
        rates = {s: self.log.per_hour[s] for s in dict.fromkeys(mine) if s in self.log.per_hour}
        words = self.tr("{}: {:.1f} messages an hour.")
        return [words.format(find(house.project.sensors, s).name, rate) for s, rate in rates.items()]

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
                hours = float(lit.cumulative(hi) - lit.cumulative(lo)) / 3600.0
                detail = self.tr("lit {:.1f} h").format(hours)
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

    def _go_to(self, at: float, room: str) -> None:
        house = self.results.house
        if house is None:
            return
        day = house.recording.calendar.noon_day(at)
        if room:
            level = find(house.project.rooms, room).level
            self.focus.set(level=level, room=room, selected=room, day=day, time=at, incident=-1)
        else:
            self.focus.set(day=day, time=at, incident=-1)

    def _show_curve(self) -> None:
        house, room = self.results.house, self.focus.room
        presence = None if house is None or room is None else presence_of(house.project, room)
        now = None if presence is None else hold_of(presence.expr)
        self.curve.setVisible(now is not None)
        if now is not None:
            self.curve.show_curve(self.results[LOG_CURVE].value, now)
            self.curve.mark(self.hold_s)

    def _pick(self, seconds: float) -> None:
        self.hold.set_value(seconds)
        self._try(seconds)

    def _show_habits(self) -> None:
        found, house = self.results[LOG_HABITS].value, self.results.house
        if found is None or house is None:
            self.habits.setText(self.tr("Finding usage in the log…") if self.results[LOG_HABITS].busy else "")
            self.untold.setText("")
            self.live.setEnabled(False)
            return
        # Those of the room in hand first, then of the house.
        name = next((r.name for r in house.project.rooms if r.id == self.focus.room), None)
        said = in_words(found, house.project)
        mine = [w for w in said if name is not None and w.startswith(f"{name}: ")]
        whole = [w for w in said if w.startswith("Somebody")]
        self.habits.setText("\n".join([*mine, *whole]) or self.tr("No usage could be found for this room."))
        others = {r.name for r in house.project.rooms if r.name != name}
        self.untold.setText("\n".join(w for w in found.undetermined if w.partition(":")[0] not in others))
        self.live.setEnabled(bool(found.rooms))

    def _let_live(self) -> None:
        found = self.results[LOG_HABITS].value
        if found is None:
            return
        try:
            new, made = people_of(self.document.project, found)
        except ValueError as e:
            self._say(error_sentence(e))
            return
        self.document.apply(new, f"Add {len(made)} occupants from the log")
        self._say(self.tr("Added under People: {}.").format("; ".join(p.name for p in made)))

    def _try(self, seconds: float) -> None:
        house, room = self.results.house, self.focus.room
        presence = None if house is None or room is None else presence_of(house.project, room)
        self.tried = None
        if house is not None and presence is not None and hold_of(presence.expr) is not None:
            self.tried = what_if(house, presence, seconds)
        self.curve.mark(seconds)
        self.answer.setText("" if self.tried is None else self.tried.in_words())
        other = self.tried is not None and self.tried.hold_s != self.tried.now_s
        self.take.setVisible(other)
        self.take.setText(self.tr("Set hold time to {}").format(duration_words(seconds)))

    def _take(self) -> None:
        if self.tried is not None:
            project = self.document.project
            name = find(project.presences, self.tried.conclusion).name
            words = f"Set the hold time of {name.lower()} to {duration_words(self.tried.hold_s)}"
            self.document.apply(set_hold(project, self.tried.conclusion, self.tried.hold_s), words)
