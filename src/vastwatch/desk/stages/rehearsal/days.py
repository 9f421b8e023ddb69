"""The rehearsed days, each with what went wrong, and the transport."""

from __future__ import annotations

from datetime import timedelta

import numpy as np
from PyQt6.QtWidgets import QPushButton

from vastwatch.desk.shell.parts import Count, clear, label, row
from vastwatch.desk.shell.results import DAYS
from vastwatch.desk.shell.surroundings import Surroundings
from vastwatch.desk.stages.tiles import Side, Tile


class DaysPanel(Side):
    """The rehearsed days from noon to noon, each with what went wrong in the focused room; and the transport."""

    def __init__(self, around: Surroundings) -> None:
        super().__init__(self.tr("Days"))
        self.focus, self.results, self.theme = around.focus, around.results, around.theme
        playhead = around.playhead
        self._tiles: dict[int, Tile] = {}
        self._play = QPushButton(self.tr("Play"))
        self._play.setToolTip(self.tr("Run the playhead, five minutes a second. (Space)"))
        self._play.clicked.connect(playhead.play)
        playhead.running.connect(self._show_running)
        previous, following = QPushButton("‹"), QPushButton("›")
        previous.setToolTip(self.tr("Previous incident of this room. (,)"))
        following.setToolTip(self.tr("Next incident of this room. (.)"))
        previous.setAccessibleName(self.tr("Previous incident"))
        following.setAccessibleName(self.tr("Next incident"))
        previous.clicked.connect(lambda: playhead.step_incident(-1))
        following.clicked.connect(lambda: playhead.step_incident(1))
        foot = row(self._play, previous, following, stretch=0, spacing=6)
        foot.setContentsMargins(0, 0, 10, 0)
        self.seed = Count()
        self.seed.setRange(1, 9999)
        self.seed.setValue(self.results.seed)
        self.seed.setAccessibleName(self.tr("Seed"))
        self.seed.setToolTip(self.tr("The same people in another week of their lives; the date of it is set in Brief."))
        self.seed.setKeyboardTracking(False)
        self.seed.setButtonSymbols(Count.ButtonSymbols.NoButtons)
        self.seed.setFixedWidth(64)
        self.seed.valueChanged.connect(self.results.live_under)
        again = row(label(self.tr("Another week, seed"), "soft"), self.seed, stretch=0)
        again.setContentsMargins(0, 0, 10, 0)
        self._foot.addWidget(again)
        self._foot.addWidget(label(self.tr("Incidents of this room"), "soft"))
        self._foot.addWidget(foot)
        self.results.week.changed.connect(self.wake)
        self.focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "room":
            self.wake()
        elif what == "day":
            self._mark()

    def _show_running(self, on: bool) -> None:
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
