"""The playhead: stepping it by time, by days and by incidents, and letting it run."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from vastwatch.design.project import find
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.results import Results

# Playing: this many seconds of the day per tick of this many milliseconds.
PLAY_S, PLAY_MS = 12.0, 40


class Playhead(QObject):
    """Where it stands is `focus.time`; here is what moves it. `running` is emitted when it begins or stops to run."""

    say = pyqtSignal(str)
    running = pyqtSignal(bool)

    def __init__(self, focus: Focus, results: Results) -> None:
        super().__init__()
        self.focus, self.results = focus, results
        self._timer = QTimer(self)
        self._timer.setInterval(PLAY_MS)
        self._timer.timeout.connect(self._tick)
        focus.shift.connect(self._shifted)

    @property
    def runs(self) -> bool:
        """Whether time runs."""
        return self._timer.isActive()

    def play(self) -> None:
        """Run, or stop."""
        if self.runs:
            self.stop()
        else:
            self.focus.set(stage="Rehearsal", incident=-1)
            self._timer.start()
            self.running.emit(True)

    def stop(self) -> None:
        """Stop where it stands."""
        if self.runs:
            self._timer.stop()
            self.running.emit(False)

    def _tick(self) -> None:
        self.step_time(PLAY_S)

    def _shifted(self, what: str) -> None:
        # An open incident is looked at, and other stages show no moment.
        if (what == "incident" and self.focus.incident >= 0) or (what == "stage" and not self.focus.here.follows_time):
            self.stop()

    def step_time(self, seconds: float) -> None:
        """Move it, over to the next day where it passes noon."""
        house = self.results.house
        if house is not None:
            calendar = house.recording.calendar
            t = min(max(self.focus.time + seconds, 0.0), calendar.end - 1)
            self.focus.set(time=t, day=calendar.noon_day(t))

    def step_day(self, days: int) -> None:
        """Move it to the same time of another day."""
        house = self.results.house
        if house is not None:
            calendar = house.recording.calendar
            t = calendar.instant(calendar.day_of(self.focus.time) + days, calendar.clock_s(self.focus.time))
            self.step_time(t - self.focus.time)

    def open_incident(self, index: int) -> None:
        """Open an incident: playhead, day, level and room go there."""
        r = self.results.rehearsal
        if r is None or not 0 <= index < len(r.incidents):
            return
        incident = r.incidents[index]
        level = find(r.project.rooms, incident.room).level
        t = incident.at + min(1.0, incident.duration_s / 2)
        self.focus.set(
            stage="Rehearsal", level=level, room=incident.room, selected=incident.room, time=t,
            day=r.calendar.noon_day(t), incident=index,
        )  # fmt: skip

    def step_incident(self, way: int) -> None:
        """To the next or previous incident of the focused room."""
        r = self.results.rehearsal
        if r is None:
            return
        mine = [i for i, x in enumerate(r.incidents) if x.room == self.focus.room]
        if not mine:
            self.say.emit(self.tr("No incidents in this room."))
            return
        if self.focus.incident in mine:
            k = mine.index(self.focus.incident) + way
        else:
            later = [k for k, i in enumerate(mine) if r.incidents[i].at >= self.focus.time]
            k = (later[0] if later else 0) if way > 0 else (later[0] - 1 if later else len(mine) - 1)
        self.open_incident(mine[k % len(mine)])
