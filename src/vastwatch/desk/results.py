"""Results kept for the views: the rehearsed week, the timing curve, the findings and the tried remedies.

Work runs in the thread pool; a newer request supersedes an older one, whose outcome is dropped. What is only a new
hold time runs at once: the algebra takes a few milliseconds.
"""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, QTimer, pyqtSignal, pyqtSlot

from vastwatch.advice import (
    Finding,
    Option,
    Purchase,
    TimingCurve,
    choose,
    findings,
    purchases,
    starter_set,
)  # fmt: skip
from vastwatch.advice.purchase import bare, free_gain
from vastwatch.advice.remedies import Remedy, remedies
from vastwatch.advice.timing import TUNING_DAYS, cached_curve
from vastwatch.control.house import HouseRun, run
from vastwatch.control.recording import Recording
from vastwatch.design.project import Project
from vastwatch.desk.document import Document
from vastwatch.desk.focus import Focus
from vastwatch.devices import DeviceType, catalogue
from vastwatch.rehearsal import Rehearsal, rehearse

DAYS, SEED = 7, 1
# Wait this long after a change before asking for new findings, so that a drag is not interrupted, milliseconds.
SETTLE_MS = 160


class _Done(QObject):
    ready = pyqtSignal(str, int, object)


# What panels say where a result they asked for could not be computed.
NOT_COMPUTED = "This could not be computed, by a flaw of the program; its log says why."


class Flaw(str):
    """What is said in place of an outcome where the program failed."""


class _Job(QRunnable):
    """Runs a function in the pool and hands over its outcome, or the sentence of its ValueError."""

    def __init__(self, kind: str, number: int, work: Callable[[], Any], done: _Done) -> None:
        super().__init__()
        self.kind, self.number, self.work, self.done = kind, number, work, done

    def run(self) -> None:
        try:
            outcome = self.work()
        except ValueError as e:
            outcome = str(e)
        except Exception:
            # A flaw of the program must not leave the panel waiting for ever.
            logging.exception("computing the %s failed", self.kind)
            outcome = Flaw("this could not be computed, by a flaw of the program; its log says why")
        try:
            self.done.ready.emit(self.kind, self.number, outcome)
        except RuntimeError:
            # The window closed meanwhile; nobody waits for this any more.
            return


class Results(QObject):
    """`updated` names what is new: rehearsal, curve, findings or remedies."""

    updated = pyqtSignal(str)
    # Something could not be computed: a sentence for the status line.
    trouble = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        self.rehearsal: Rehearsal | None = None
        # What sensors said in truth, where that is looked at in place of a rehearsal.
        self.recording: Recording | None = None
        self.curve: TimingCurve | None = None
        self.no_curve: str = ""
        self.findings: list[Finding] = []
        self.remedies: list[Remedy] | None = None
        self.remedies_room: str | None = None
        self.options: list[Option] | None = None
        self.options_room: str | None = None
        # What to buy: the best single additions, or a set one after the other; None until asked.
        self.purchases: list[Purchase] | None = None
        self.purchases_are_a_set = False
        self.free: tuple[float, float] | None = None
        self.progress = 0.0
        # What there is to choose from; the window adds the user's own types.
        self.types: Callable[[Project], list[DeviceType]] = lambda p: [*p.devices, *catalogue()]
        # What failed the last time it was asked for.
        self.flawed: set[str] = set()
        self._numbers: dict[str, int] = {}
        self._busy: set[str] = set()
        self._stopped = False
        self._done = _Done()
        self._done.ready.connect(self._take)
        self._pool = QThreadPool(self)
        # Two cores: one for the window, one for the work.
        self._pool.setMaxThreadCount(1)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self._settled)
        document.replaced.connect(self._forget)
        document.changed.connect(self._project_changed)
        focus.shift.connect(self._shifted)

    def _forget(self) -> None:
        for kind in self._numbers:
            self._numbers[kind] += 1
        self._busy.clear()
        self.rehearsal, self.curve, self.no_curve, self.findings = None, None, "", []
        self.updated.emit("rehearsal")

    @property
    def house(self) -> HouseRun | None:
        """What the house does in the shown days: of the rehearsal, or of a recording that is looked at."""
        if self.recording is not None:
            return run(self.document.project, self.recording)
        return None if self.rehearsal is None else self.rehearsal.house

    def show_recording(self, recording: Recording | None) -> None:
        """Look at what sensors really said, in place of the rehearsed week; None goes back to it."""
        self.recording, self.rehearsal = recording, None
        self.updated.emit("rehearsal")
        if recording is None:
            self.refresh()

    # -- asking ------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Ask for everything anew."""
        if self._stopped:
            return
        project = self.document.project
        self._ask("rehearsal", lambda: rehearse(project, DAYS, SEED))
        self._ask("findings", lambda: findings(project))
        self._ask_curve()

    def busy(self, kind: str = "") -> bool:
        """Whether an answer of that kind, or of any, is under way."""
        return kind in self._busy if kind else bool(self._busy) or self._settle.isActive()

    def _ask(self, kind: str, work: Callable[[], Any]) -> None:
        number = self._numbers.get(kind, 0) + 1
        self._numbers[kind] = number
        self._busy.add(kind)

        def unless_superseded() -> Any:
            return work() if self._numbers.get(kind) == number else None

        self._pool.start(_Job(kind, number, unless_superseded, self._done))

    def _ask_curve(self) -> None:
        room, project = self.focus.room, self.document.project
        if room is None or self.focus.stage != "Timing":
            return
        self._ask("curve", lambda: cached_curve(rehearse(project, TUNING_DAYS, SEED), room))

    def ask_remedies(self) -> None:
        """Try what would help the room, on the same days."""
        room, rehearsal = self.focus.room, self.rehearsal
        if room is None or rehearsal is None or room not in rehearsal.scores:
            return
        if self.remedies_room == room and (self.remedies is not None or self.busy("remedies")):
            return
        self.remedies, self.remedies_room = None, room
        number = self._numbers.get("remedies", 0) + 1
        self._ask("remedies", lambda: remedies(rehearsal, room, lambda: self._numbers.get("remedies") == number))

    def ask_options(self) -> None:
        """Judge all device types for the room."""
        room, project = self.focus.room, self.document.project
        if room is None or (self.options_room == room and (self.options is not None or self.busy("options"))):
            return
        self.options, self.options_room = None, room
        types = self.types(project)
        self._ask("options", lambda: choose(project, room, types))

    def ask_purchases(self, types: list[DeviceType]) -> None:
        """Which single additions would help most for their money."""
        project = self.document.project

        def work(wanted: Callable[[], bool], told: Callable[[float], None]) -> list[Purchase]:
            found = purchases(project, types, wanted, told=told)
            self.free = free_gain(project) if wanted() else None
            return found

        self._ask_to_buy(False, work)

    def ask_starter(self, types: list[DeviceType], budget: float) -> None:
        """Which set to begin with, from a building without sensors."""
        project = bare(self.document.project)
        self._ask_to_buy(True, lambda wanted, told: starter_set(project, budget, types, wanted, told))

    def _ask_to_buy(self, a_set: bool, work: Callable[[Callable[[], bool], Callable[[float], None]], Any]) -> None:
        self.purchases, self.purchases_are_a_set, self.progress = None, a_set, 0.0
        number = self._numbers.get("purchases", 0) + 1

        def told(share: float) -> None:
            with contextlib.suppress(RuntimeError):
                self._done.ready.emit("progress", number, share)

        self._ask("purchases", lambda: work(lambda: self._numbers.get("purchases") == number, told))

    def cancel(self, kind: str) -> None:
        """No longer wait for an answer of that kind; work that asks whether it is wanted stops."""
        self._numbers[kind] = self._numbers.get(kind, 0) + 1
        self._busy.discard(kind)
        if kind == "remedies":
            self.remedies_room = None
        elif kind == "options":
            self.options_room = None
        self.updated.emit(kind)

    def _project_changed(self, old: Project, new: Project) -> None:
        self.remedies, self.remedies_room = None, None
        self.options, self.options_room, self.purchases = None, None, None
        for kind in ("options", "purchases"):
            self._numbers[kind] = self._numbers.get(kind, 0) + 1
            self._busy.discard(kind)
        self.updated.emit("purchases")
        if _only_presences(old, new):
            self.rehearsal = rehearse(new, DAYS, SEED)
            # A rehearsal already under way was of the old design.
            self._numbers["rehearsal"] = self._numbers.get("rehearsal", 0) + 1
            self._busy.discard("rehearsal")
            self.updated.emit("rehearsal")
            if self.curve is not None and self.focus.stage == "Timing":
                self._ask_curve()
        # While the hand moves, the frame has the processor to itself.
        self._settle.start()

    def _settled(self) -> None:
        project = self.document.project
        if self.rehearsal is None or self.rehearsal.project is not project:
            self._ask("rehearsal", lambda: rehearse(project, DAYS, SEED))
        self._ask("findings", lambda: findings(project))
        self._ask_curve()

    def _shifted(self, what: str) -> None:
        if what in ("room", "stage"):
            if what == "room":
                self.curve, self.no_curve = None, ""
                self.remedies, self.remedies_room = None, None
            self._ask_curve()

    @pyqtSlot(str, int, object)
    def _take(self, kind: str, number: int, outcome: Any) -> None:
        if kind == "progress" and not self._stopped and self._numbers.get("purchases") == number:
            self.progress = float(outcome)
            self.updated.emit("progress")
            return
        if self._stopped or self._numbers.get(kind) != number:
            return
        self._busy.discard(kind)
        if isinstance(outcome, Flaw):
            self.flawed.add(kind)
            self.trouble.emit(f"The {kind}: {outcome}.")
        else:
            self.flawed.discard(kind)
        if kind == "rehearsal" and isinstance(outcome, Rehearsal):
            self.rehearsal = outcome
            self.remedies, self.remedies_room = None, None
        elif kind == "curve":
            self.curve = outcome if isinstance(outcome, TimingCurve) else None
            self.no_curve = outcome if isinstance(outcome, str) else ""
        elif kind == "findings":
            self.findings = outcome if isinstance(outcome, list) else []
        elif kind == "remedies":
            self.remedies = outcome if isinstance(outcome, list) else []
        elif kind == "options":
            self.options = outcome if isinstance(outcome, list) else []
        elif kind == "purchases":
            self.purchases = outcome if isinstance(outcome, list) else []
        self.updated.emit(kind)

    def stop(self) -> None:
        """Let go of everything under way and wait for the pool: the window closes."""
        self._settle.stop()
        self._stopped = True
        self._pool.clear()
        self._pool.waitForDone()


def _only_presences(old: Project, new: Project) -> bool:
    """Whether two values differ in nothing but the presences."""
    return all(getattr(old, name) is getattr(new, name) for name in new.__struct_fields__ if name != "presences")
