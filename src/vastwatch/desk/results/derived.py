"""`Derived`: one result the desk shows, with what it reads, how it is computed, and the state it is in.

It is computed in the background, once what it reads is another and somebody needs it; what is under way for older
readings is superseded. A result that nobody looks at is not computed.
"""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from typing import Any, Generic, Literal, TypeVar

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal, pyqtSlot

T = TypeVar("T")
State = Literal["nothing", "stale", "busy", "fresh", "refused", "failed"]
# What a result is of, where so much is wanted of it: compared part by part by identity. None: there is nothing to
# compute now.
Reads = Callable[[Any], tuple[Any, ...] | None]

# What panels say where a result could not be computed.
NOT_COMPUTED = "This could not be computed because of an internal error; see the log."


class Task:
    """The work under way for a result: whether it is still wanted, and how far it is."""

    def __init__(
        self, number: int, current: Callable[[], int], told: Callable[[int, float], None],
        shown: Callable[[int, object], None],
    ) -> None:  # fmt: skip
        self._number, self._current, self._told, self._shown = number, current, told, shown

    def should_continue(self) -> bool:
        """Whether anybody still waits for this."""
        return self._current() == self._number

    def report_progress(self, share: float) -> None:
        """Say how far it is, 0 to 1."""
        self._told(self._number, share)

    def show(self, value: object) -> None:
        """What is known so far, to be shown until there is more."""
        self._shown(self._number, value)


class Derived(QObject, Generic[T]):
    """One result. `changed` follows every new state and value; `progressed` says how far the work is.

    `value` stays while a newer one is computed, unless `forgetful`; what is known so far may be
    shown meanwhile. `words`: why it was refused, or that it failed.
    """

    changed = pyqtSignal()
    progressed = pyqtSignal()
    # The program failed: a sentence for the status line.
    failed = pyqtSignal(str)
    _done = pyqtSignal(int, str, object)
    _told = pyqtSignal(int, float)
    _shown = pyqtSignal(int, object)

    def __init__(
        self, name: str, pool: QThreadPool, reads: Reads, work: Callable[..., T],
        needed: Callable[[], bool] = lambda: True, forgetful: bool = False,
    ) -> None:  # fmt: skip
        """`work` takes a Task and the parts of what is read; its ValueError is a refusal in words."""
        super().__init__()
        self.name, self.pool, self.reads, self.work, self.needed = name, pool, reads, work, needed
        self.forgetful = forgetful
        self.state: State = "nothing"
        self.value: T | None = None
        self.words = ""
        self.progress = 0.0
        # What is wanted of it in particular, beside what everybody sees: a way, a variant, a budget.
        self.wanted: Any = None
        # What the value is of, and what was asked for last.
        self.of: tuple[Any, ...] | None = None
        self._asked: tuple[Any, ...] | None = None
        self._number = 0
        self._done.connect(self._take)
        self._told.connect(self._progress)
        self._shown.connect(self._show)

    @property
    def busy(self) -> bool:
        """Whether an answer is under way."""
        return self.state == "busy"

    def check(self) -> None:
        """Compute it anew if what it reads is another and somebody needs it."""
        reads = self.reads(self.wanted)
        if reads is not None and _same(reads, self._asked) and self.state not in ("stale", "nothing"):
            return
        if reads is None or not self.needed():
            self.spoil()
            return
        self.ask()

    def want(self, what: object) -> None:
        """Want this of it from now on, whenever what it reads changes."""
        self.wanted = what
        self.check()

    def ask(self) -> None:
        """Compute it now, no matter who needs it."""
        reads = self.reads(self.wanted)
        if reads is None:
            return
        self._number += 1
        self._asked, self.state, self.progress = reads, "busy", 0.0
        if self.forgetful:
            self.value = None
        task = Task(self._number, lambda: self._number, self._tell, self._so_far)
        self.pool.start(_Job(self.name, self._number, task, self.work, reads, self._deliver))
        self.changed.emit()

    def spoil(self) -> None:
        """What it reads has changed: what is known is of older readings, and what is under way is of no use."""
        if self.state == "nothing" or (self.state == "stale" and not self.forgetful):
            return
        self._number += 1
        self._asked = None
        if self.forgetful:
            self.value, self.of, self.state, self.words = None, None, "nothing", ""
        else:
            self.state = "stale"
        self.changed.emit()

    def forget(self) -> None:
        """As if nothing had ever been computed."""
        self._number += 1
        self.value, self.of, self._asked, self.words, self.state = None, None, None, "", "nothing"
        self.changed.emit()

    def give_up(self) -> None:
        """Take no answer any more: anybody who shows it goes."""
        self._number += 1

    def put(self, value: T, reads: tuple[Any, ...]) -> None:
        """Take a value that was computed at once elsewhere."""
        self._number += 1
        self.value, self.of, self._asked, self.words, self.state = value, reads, reads, "", "fresh"
        self.changed.emit()

    def _tell(self, number: int, share: float) -> None:
        with contextlib.suppress(RuntimeError):
            self._told.emit(number, share)

    def _so_far(self, number: int, value: object) -> None:
        with contextlib.suppress(RuntimeError):
            self._shown.emit(number, value)

    def _deliver(self, number: int, state: str, outcome: object) -> None:
        # The window may have closed meanwhile; nobody waits for this any more.
        with contextlib.suppress(RuntimeError):
            self._done.emit(number, state, outcome)

    @pyqtSlot(int, float)
    def _progress(self, number: int, share: float) -> None:
        if number == self._number:
            self.progress = share
            self.progressed.emit()

    @pyqtSlot(int, object)
    def _show(self, number: int, value: Any) -> None:
        if number == self._number and self.busy:
            self.value, self.of = value, self._asked
            self.changed.emit()

    @pyqtSlot(int, str, object)
    def _take(self, number: int, state: str, outcome: Any) -> None:
        if number != self._number:
            return
        self.of = self._asked
        self.state = state  # type: ignore[assignment]
        self.value, self.words = (outcome, "") if state == "fresh" else (None, str(outcome))
        if state == "failed":
            self.failed.emit(f"The {self.name}: {NOT_COMPUTED[:1].lower()}{NOT_COMPUTED[1:]}")
        self.changed.emit()


class _Job(QRunnable):
    def __init__(
        self, name: str, number: int, task: Task, work: Callable[..., Any], reads: tuple[Any, ...],
        deliver: Callable[[int, str, object], None],
    ) -> None:  # fmt: skip
        super().__init__()
        self.name, self.number, self.task, self.work, self.reads = name, number, task, work, reads
        self.deliver = deliver

    def run(self) -> None:
        if not self.task.should_continue():
            return
        state: State
        outcome: Any
        try:
            state, outcome = "fresh", self.work(self.task, *self.reads)
        except ValueError as e:
            state, outcome = "refused", str(e)
        except Exception:
            # An internal error must not leave the panel waiting for ever.
            logging.exception("computing the %s failed", self.name)
            state, outcome = "failed", NOT_COMPUTED
        self.deliver(self.number, state, outcome)


def _same(a: tuple[Any, ...], b: tuple[Any, ...] | None) -> bool:
    return b is not None and len(a) == len(b) and all(x is y or x == y for x, y in zip(a, b))
