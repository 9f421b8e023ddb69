"""The simulated days, each with what went wrong, and the transport."""

from __future__ import annotations

from datetime import date, timedelta
from functools import partial

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QDate
from PyQt6.QtWidgets import QPushButton

from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.focus import ONLY, PACES, Only
from vastwatch.desk.shell.playhead import stepped
from vastwatch.desk.shell.widgets import Choice, Count, Day, clear, label, pressed, row
from vastwatch.desk.stages.tiles import Side, Tile

ONLY_WORDS: dict[Only, str] = {
    "all": "all in this room", "dark": "left in the dark", "dropped": "went dark", "late": "late turn-on",
    "nobody": "lit while empty",
}  # fmt: skip


class DaysPanel(Side):
    """The simulated days from noon to noon, each with what went wrong in the focused room; and the transport."""

    def __init__(self, around: Context) -> None:
        super().__init__(self.tr("Days"))
        self.document = around.document
        self.focus, self.results, self.theme = around.focus, around.results, around.theme
        playhead = around.playhead
        self._tiles: dict[int, Tile] = {}
        self._play = pressed(self.tr("Play"), playhead.play, self.tr("Play or pause. (Space)"))
        playhead.running.connect(self._show_running)
        self.pace = Choice()
        self.pace.setAccessibleName(self.tr("Speed"))
        self.pace.setToolTip(self.tr("Playback speed. (<  >)"))
        for pace in PACES:
            self.pace.addItem(f"{pace:,.0f} ×", pace)
        self.pace.activated.connect(lambda k: self.focus.set(pace=self.pace.itemData(k)))
        self.only = Choice()
        self.only.setAccessibleName(self.tr("Incident type"))
        self.only.setToolTip(self.tr("Which incidents to step through and highlight on the ribbon"))
        for only in ONLY:
            self.only.addItem(self.tr(ONLY_WORDS[only]), only)
        self.only.activated.connect(lambda k: self.focus.set(only=self.only.itemData(k)))
        self._group = QPushButton("")
        self._group.setProperty("role", "pick")
        self._group.setToolTip(self.tr("Stepping through incidents of one cause only. Click to show all."))
        self._group.clicked.connect(lambda: self.focus.set(group=frozenset()))
        previous, following = QPushButton("‹"), QPushButton("›")
        previous.setToolTip(self.tr("Previous incident of this room. (,)"))
        following.setToolTip(self.tr("Next incident of this room. (.)"))
        previous.setAccessibleName(self.tr("Previous incident"))
        following.setAccessibleName(self.tr("Next incident"))
        previous.clicked.connect(lambda: playhead.step_incident(-1))
        following.clicked.connect(lambda: playhead.step_incident(1))
        foot = row(self._play, self.pace, previous, following, stretch=0, spacing=6)
        foot.setContentsMargins(0, 0, 10, 0)
        self.seed = Count()
        self.seed.setRange(1, 9999)
        self.seed.setValue(self.results.seed)
        self.seed.setAccessibleName(self.tr("Seed"))
        self.seed.setToolTip(self.tr("Another seed: the same people and dates, with different random details."))
        self.seed.setKeyboardTracking(False)
        self.seed.setFixedWidth(64)
        self.seed.valueChanged.connect(self.results.live_under)
        self.begins = Day()
        self.begins.setAccessibleName(self.tr("Start date"))
        self.begins.setToolTip(self.tr("First day of the rehearsal, at any time of year. Saved in the brief."))
        self.begins.editingFinished.connect(self._set_begin)
        earlier, later = QPushButton("−"), QPushButton("+")
        for button, weeks, words in ((earlier, -1, self.tr("A week earlier")), (later, 1, self.tr("A week later"))):
            button.setFixedWidth(30)
            button.setToolTip(words)
            button.setAccessibleName(words)
            button.clicked.connect(partial(self._move, weeks))
        dates = row(label(self.tr("From"), "soft"), earlier, self.begins, later, stretch=2, spacing=5)
        dates.setContentsMargins(0, 0, 10, 0)
        self._foot.addWidget(dates)
        again = row(label(self.tr("New random week, seed"), "soft"), self.seed, stretch=0)
        again.setContentsMargins(0, 0, 10, 0)
        self._foot.addWidget(again)
        which = row(label(self.tr("Incidents"), "soft"), self.only, stretch=1)
        which.setContentsMargins(0, 0, 10, 0)
        self._foot.addWidget(which)
        self._foot.addWidget(self._group)
        self._foot.addWidget(foot)
        self.results.week.changed.connect(self.wake)
        self.focus.shift.connect(self._shifted)
        self._show_choices()
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "room":
            self.wake()
        if what in ("room", "only", "group", "pace"):
            self._show_choices()
        elif what == "day":
            self._mark()

    def _show_choices(self) -> None:
        self.pace.setCurrentIndex(PACES.index(self.focus.pace) if self.focus.pace in PACES else -1)
        self.only.setCurrentIndex(ONLY.index(self.focus.only))
        r, group = self.results.rehearsal, self.focus.group
        self._group.setVisible(bool(group) and r is not None)
        if r is not None and group:
            self._group.setText(self.tr("{} of one cause  ×").format(len(stepped(self.focus, r))))

    def _set_begin(self) -> None:
        self._begin(self.begins.date().toPyDate())

    def _move(self, weeks: int, *_: object) -> None:
        now = date.fromisoformat(self.document.project.brief.rehearse_from)
        self._begin(now + timedelta(weeks=weeks))

    def _begin(self, day: date) -> None:
        project = self.document.project
        if day.isoformat() != project.brief.rehearse_from:
            new = replace(project, brief=replace(project.brief, rehearse_from=day.isoformat()))
            self.document.apply(new, f"Rehearse from {day:%d %b %Y}", "rehearse-from")

    def _show_running(self, on: bool) -> None:
        self._play.setText(self.tr("Pause") if on else self.tr("Play"))

    def refresh(self) -> None:
        """A tile for every day."""
        clear(self._list)
        self._tiles = {}
        r, room = self.results.rehearsal, self.focus.room
        if r is None:
            self._list.addWidget(label(self.tr("Rehearsing the week…"), "soft"))
            self._list.addStretch(1)
            return
        mine = [i for i in r.incidents if i.room == room]
        self.begins.setDate(QDate(r.begin.year, r.begin.month, r.begin.day))
        for day in range(-1, r.days):
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
                    parts.append(self.tr("{} went dark").format(drops))
                late = sum(i.kind == "late" for i in here)
                if late:
                    parts.append(self.tr("{} late").format(late))
                if idle:
                    parts.append(self.tr("{} lit while empty").format(idle))
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
