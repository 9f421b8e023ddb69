"""`Results`: what the desk shows of the design, each a `Derived`, by its `Kind`.

A part that shows something new declares a kind, with what it reads and how it is computed, and asks for
`results[KIND]`; nothing here needs to be told. What is only a new hold time follows at once: the algebra takes a few
milliseconds. All else waits until the hand rests, runs in a background thread, and only for what is looked at.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, Generic, TypeVar, cast

from PyQt6.QtCore import QObject, QThreadPool, QTimer, pyqtSignal

from vastwatch.advice.judging.judge import Judgement
from vastwatch.allocator import give_back_freed_memory
from vastwatch.control.house import HouseRun, run_house
from vastwatch.control.recording import Recording
from vastwatch.design.differences import differ_only_in
from vastwatch.design.project import Project
from vastwatch.desk.results.derived import Derived
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.devices import DeviceType, catalogue
from vastwatch.rehearsal import Rehearsal, rehearse, replay
from vastwatch.signals import DAY

T = TypeVar("T")

# The simulated week: its days, and its seed.
DAYS, SEED = 7, 1
# What is rehearsed where a month is looked at: four weeks, of which the first is that week.
MONTH = 28
NOTHING_JUDGED: Mapping[str, Judgement] = MappingProxyType({})
# Wait this long after a change before asking for new findings, so that a drag is not interrupted, milliseconds.
SETTLE_MS = 160
# So often what was freed is given back to the system, milliseconds.
GIVE_BACK_MS = 20_000
# What no sensor and nobody who lives there reads: conclusions, and what the house does by them.
_CONCLUDED = ("presences", "scenes", "lamp_groups", "rules", "buttons")


def _always(focus: Focus) -> bool:
    return True


@dataclass(frozen=True, eq=False)
class Kind(Generic[T]):
    """A kind of result. `reads` says what one is of, of the results and of what is `wanted` of this one; `work`
    computes it from a `Task` and the parts of that.

    `needed`: whether it is looked at; `follows`: after which shifts of the focus it is looked into again, or once the
    week has been "simulated"; `of_room`: it
    is of the room in hand and says nothing of another; `asked`: computed only when it is asked for, and of no use once
    the design is another; `forgetful`: never shown while a newer one is computed; `judging`: some seconds of work, on a
    thread of its own, so that nothing waits for it; `idle`: only while nothing else is asked for.
    """

    name: str
    reads: Callable[[Results, Any], tuple[Any, ...] | None]
    work: Callable[..., T]
    needed: Callable[[Focus], bool] = _always
    follows: tuple[str, ...] = ()
    of_room: bool = False
    asked: bool = False
    forgetful: bool = False
    judging: bool = False
    idle: bool = False


class Results(QObject):
    """The results of one window."""

    # The program failed at something: a sentence for the status line.
    failure = pyqtSignal(str)
    # One line for the status line.
    said = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        # What there is to choose from; the window adds the user's own types.
        self.types: Callable[[Project], list[DeviceType]] = lambda p: [*p.devices, *catalogue()]
        # The seed of the simulated week that is shown.
        self.seed = SEED
        # How many days are simulated: a week, or more where a month is shown.
        self.days = DAYS
        # What sensors said in truth, where that is looked at in place of a rehearsal.
        self.recording: Recording | None = None
        self._house: tuple[Project, Recording, HouseRun] | None = None
        # What the judge has said of rooms of the present design.
        self.judged: Mapping[str, Judgement] = NOTHING_JUDGED
        # Whether nothing is computed any more: the window closes.
        self.stopped = False
        # Two cores: one for the window, one for the work.
        self._pool, self._judges = QThreadPool(self), QThreadPool(self)
        for pool in (self._pool, self._judges):
            pool.setMaxThreadCount(1)
        self._of: dict[Kind[Any], Derived[Any]] = {}
        # Whether anything is computed yet: the window is painted first.
        self._begun = False
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self.refresh)
        self._idle = QTimer(self)
        self._idle.setInterval(GIVE_BACK_MS)
        self._idle.timeout.connect(self._give_back)
        self._idle.start()
        self.week = self[WEEK]
        self.week.changed.connect(self._week_simulated)
        document.replaced.connect(self._forget)
        document.changed.connect(self._project_changed)
        focus.shift.connect(self._shifted)

    def __getitem__(self, kind: Kind[T]) -> Derived[T]:
        """The result of a kind; from the first time on that somebody asks for it, it is kept up to date."""
        found = self._of.get(kind)
        if found is None:
            found = self._of[kind] = Derived(
                kind.name, self._judges if kind.judging else self._pool,
                lambda wanted: kind.reads(self, wanted), kind.work,
                needed=lambda: not kind.asked and kind.needed(self.focus), forgetful=kind.forgetful or kind.asked,
            )  # fmt: skip
            found.failed.connect(self.failure)
            if self._begun and not kind.idle:
                QTimer.singleShot(0, self._check(found))
        return cast("Derived[T]", found)

    def _check(self, derived: Derived[Any]) -> Callable[[], None]:
        return lambda: None if self.stopped else derived.check()

    def _each(self, which: Callable[[Kind[Any]], bool]) -> list[Derived[Any]]:
        return [derived for kind, derived in self._of.items() if which(kind)]

    # -- the simulated week ------------------------------------------------------------------------------------

    @property
    def rehearsal(self) -> Rehearsal | None:
        """The simulated week, of the design as it was when it last rested."""
        return self.week.value

    @property
    def house(self) -> HouseRun | None:
        """What the house does in the shown days: of the rehearsal, or of a recording that is looked at."""
        project = self.document.project
        if self.recording is None:
            return None if self.rehearsal is None else self.rehearsal.house
        if self._house is None or self._house[0] is not project or self._house[1] is not self.recording:
            self._house = project, self.recording, run_house(project, self.recording)
        return self._house[2]

    @property
    def recorded(self) -> HouseRun | None:
        """What the house does of a recording, where one is looked at."""
        return None if self.recording is None else self.house

    def live_under(self, seed: int) -> None:
        """Rehearse the week under another seed: the same people on other days of their lives."""
        if seed != self.seed:
            self.seed = seed
            self.week.check()

    def live_for(self, days: int) -> None:
        """Rehearse so many days: a week, or the month that begins with it."""
        if days == self.days:
            return
        self.days = days
        if self.recording is None and self.focus.day >= days:
            day = self.focus.day % 7
            self.focus.set(day=day, time=self.focus.time - (self.focus.day - day) * DAY, incident=-1)
        self.week.check()

    def show_recording(self, recording: Recording | None) -> None:
        """Look at what sensors really said, in place of the simulated week; None goes back to it."""
        self.recording = recording
        self.week.forget()
        self.refresh()

    # -- keeping up to date ------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Ask for whatever is not of the present design and is looked at."""
        if not self.stopped:
            self._begun = True
            for derived in self._each(lambda kind: not kind.idle):
                derived.check()

    @property
    def at_work(self) -> list[str]:
        """The names of what is under way."""
        return [derived.name for derived in self._each(lambda kind: not kind.idle) if derived.busy]

    @property
    def hand_moves(self) -> bool:
        """Whether the design has changed just now, and results are about to be asked for."""
        return self._settle.isActive()

    def busy(self) -> bool:
        """Whether anything is under way, or about to be."""
        return bool(self.at_work) or self.hand_moves

    def know(self, *judgements: Judgement) -> bool:
        """What the judge has said of rooms of the design as it is now; whether any of it is new."""
        new = {j.room: j for j in judgements if self.judged.get(j.room) is not j}
        self.judged = MappingProxyType({**self.judged, **new})
        return bool(new)

    def _forget(self) -> None:
        self.recording = None
        self.judged = NOTHING_JUDGED
        for derived in self._of.values():
            derived.wanted = None
            derived.forget()

    def _project_changed(self, old: Project, new: Project) -> None:
        self.judged = NOTHING_JUDGED
        for derived in self._each(lambda kind: kind.asked):
            derived.spoil()
        if self.recording is not None:
            self.week.changed.emit()
        elif self.week.value is None or self.week.value.project is not old or differ_only_in(old, new, ("scenes",)):
            # A slider is followed by what is on the plan at once, and by the week once it rests.
            pass
        elif differ_only_in(old, new, _CONCLUDED):
            self.week.put(replay(self.week.value, new), (new, self.seed, self.days))
        # While the hand moves, the frame has the processor to itself.
        self._settle.start()

    def _shifted(self, what: str) -> None:
        if what == "span" and self.focus.span != "day":
            # A day of a month that is looked at more closely is still one of a month.
            self.live_for(MONTH if self.focus.span == "month" else DAYS)
        if what == "room":
            for derived in self._each(lambda kind: kind.of_room):
                derived.forget()
        for derived in self._each(lambda kind: what in kind.follows):
            derived.check()

    def _week_simulated(self) -> None:
        # Not while the hand moves: then the week of a moment ago is followed by another.
        if not self.stopped and not self.hand_moves:
            self._shifted("simulated")

    def _give_back(self) -> None:
        if not self.stopped and not self.hand_moves:
            self._pool.start(give_back_freed_memory)

    def stop(self) -> None:
        """Release everything under way and wait for the pool: the window closes."""
        self._settle.stop()
        self._idle.stop()
        self.stopped = True
        for derived in self._of.values():
            derived.give_up()
        for pool in (self._pool, self._judges):
            pool.clear()
            pool.waitForDone()


def _of_week(results: Results, _: object) -> tuple[Project, int, int] | None:
    return None if results.recording is not None else (results.document.project, results.seed, results.days)


WEEK: Kind[Rehearsal] = Kind(
    "rehearsal", _of_week, lambda task, project, seed, days: rehearse(project, days, seed)
)  # fmt: skip
