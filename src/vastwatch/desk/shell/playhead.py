"""The playhead: stepping it by time, by days and by incidents, and letting it run."""

from __future__ import annotations

from PyQt6.QtCore import QElapsedTimer, QObject, QTimer, pyqtSignal

from vastwatch.design.project import find
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.focus import PACES, Focus
from vastwatch.rehearsal import Rehearsal

# While it runs it moves this often, milliseconds; after a pause of the machine by no more than so long, seconds.
PLAY_MS, MOST_S = 40, 0.25


def stepped(focus: Focus, r: Rehearsal) -> list[int]:
    """The incidents of the focused room that are stepped through, by their places among all: of the kind in hand, and
    of the group where one was chosen."""
    fits = {
        "all": lambda i: True,
        "dark": lambda i: i.dark,
        "dropped": lambda i: i.kind == "dropped",
        "late": lambda i: i.kind == "late",
        "nobody": lambda i: not i.dark,
    }[focus.only]
    mine = [(k, i) for k, i in r.incidents_by_room.get(focus.room or "", []) if fits(i)]
    in_group = [k for k, i in mine if i in focus.group]
    # A group of another design, or of other days, holds none of these.
    return in_group or [k for k, _ in mine]


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
        self._since = QElapsedTimer()
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
            self._since.start()
            self._timer.start()
            self.running.emit(True)

    def stop(self) -> None:
        """Stop where it stands."""
        if self.runs:
            self._timer.stop()
            self.running.emit(False)

    def _tick(self) -> None:
        passed = min(self._since.restart() / 1000.0, MOST_S)
        self.step_time(passed * self.focus.pace)

    def step_pace(self, way: int) -> None:
        """Let time run faster or slower."""
        k = min(range(len(PACES)), key=lambda n: abs(PACES[n] - self.focus.pace)) + way
        self.focus.set(pace=PACES[min(max(k, 0), len(PACES) - 1)])
        self.say.emit(self.tr("Playing at {:g} × speed.").format(self.focus.pace))

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
        mine = stepped(self.focus, r)
        if not mine:
            some = any(x.room == self.focus.room for x in r.incidents)
            words = (
                self.tr("No incidents of this kind in this room.") if some else self.tr("No incidents in this room.")
            )
            self.say.emit(words)
            return
        if self.focus.incident in mine:
            k = mine.index(self.focus.incident) + way
        else:
            later = [k for k, i in enumerate(mine) if r.incidents[i].at >= self.focus.time]
            k = (later[0] if later else 0) if way > 0 else (later[0] - 1 if later else len(mine) - 1)
        self.open_incident(mine[k % len(mine)])
