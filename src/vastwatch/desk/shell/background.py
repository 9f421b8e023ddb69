"""Work that takes a while, off the thread of the window: with progress, Cancel, and an end whatever happens."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, QRunnable, Qt, QThreadPool, QTimer, pyqtSignal
from PyQt6.QtWidgets import QProgressDialog, QWidget

from vastwatch.desk.shell.widgets import label
from vastwatch.files import ProjectError

# Only work that takes longer than this shows that it does, and none is waited for longer than that, milliseconds.
PATIENCE_MS, LONGEST_MS = 400, 120_000
# Hears the share done, 0 to 1, and answers whether to go on.
GoOn = Callable[[float], bool]


class _Relay(QObject):
    ready = pyqtSignal(object)
    progress = pyqtSignal(int)
    should_continue = True


class _Work(QRunnable):
    def __init__(self, work: Callable[[GoOn], Any], relay: _Relay, stopped: tuple[type[Exception], ...]) -> None:
        super().__init__()
        self.work, self.relay, self.stopped = work, relay, stopped

    def run(self) -> None:
        try:
            outcome = self.work(self._go_on)
        except ProjectError as e:
            outcome = e
        except self.stopped:
            return
        except MemoryError:
            outcome = ProjectError("not enough memory to read this file")
        except Exception:
            # Whatever goes wrong, anybody who waits is told; the details are for those who mend it.
            logging.getLogger(__name__).exception("work in the background failed")
            outcome = ProjectError("this file could not be read because of an internal error; nothing was changed")
        with contextlib.suppress(RuntimeError):
            self.relay.ready.emit(outcome)

    def _go_on(self, share: float) -> bool:
        if self.relay.should_continue:
            with contextlib.suppress(RuntimeError):
                self.relay.progress.emit(round(100 * share))
        return self.relay.should_continue


def in_background(
    parent: QWidget,
    words: str,
    work: Callable[[GoOn], Any],
    then: Callable[[Any], None],
    stopped: tuple[type[Exception], ...] = (),
) -> QProgressDialog:
    """Do some work in the pool; `then` gets what comes of it, or a ProjectError of what is wrong, unless it was
    cancelled. Work that takes too long is given up, and that is said. `stopped` are its ways of saying that it was
    told to stop."""
    progress = QProgressDialog("", parent.tr("Cancel"), 0, 100, parent)
    progress.setLabel(label(words))
    progress.setWindowModality(Qt.WindowModality.WindowModal)
    progress.setMinimumDuration(PATIENCE_MS)
    progress.setAutoReset(False)
    progress.setAutoClose(False)
    relay = _Relay(progress)
    limit = QTimer(progress)
    limit.setSingleShot(True)
    waiting = True

    def cancelled_by_hand() -> None:
        relay.should_continue = False

    def advance(percent: int) -> None:
        # The window may have closed meanwhile, and the dialog with it.
        if relay.should_continue and not sip.isdeleted(progress):
            progress.setValue(percent)

    def ready(outcome: Any) -> None:
        nonlocal waiting
        if sip.isdeleted(progress) or not waiting:
            return
        waiting = False
        limit.stop()
        cancelled = not relay.should_continue
        relay.should_continue = False
        # Closing a progress dialog counts as cancelling it.
        progress.canceled.disconnect(cancelled_by_hand)
        progress.close()
        progress.deleteLater()
        if not cancelled:
            then(outcome)

    def too_long() -> None:
        ready(ProjectError(f"this took longer than {LONGEST_MS // 60000} minutes and was stopped; nothing was changed"))

    progress.canceled.connect(cancelled_by_hand)
    relay.progress.connect(advance)
    relay.ready.connect(ready)
    limit.timeout.connect(too_long)
    limit.start(LONGEST_MS)
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.start(_Work(work, relay, stopped))
    return progress
