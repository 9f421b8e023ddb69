"""Bringing a drawing in: read in the background, then one dialog for layers and unit, then one undo step."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QObject, QRunnable, Qt, QThreadPool, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QProgressDialog,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from vastwatch.desk.shell.parts import Choice, label, row, scrolling
from vastwatch.files import ProjectError
from vastwatch.files.dxf import UNITS, Drawing, Unwanted, read_drawing

# Only a reading that takes longer than this shows that it does, milliseconds.
PATIENCE_MS = 400


class _Relay(QObject):
    ready = pyqtSignal(object)
    progress = pyqtSignal(int)
    should_continue = True


class _Reading(QRunnable):
    def __init__(self, path: Path, relay: _Relay) -> None:
        super().__init__()
        self.path, self.relay = path, relay

    def run(self) -> None:
        try:
            outcome: Drawing | ProjectError = read_drawing(self.path, self._go_on)
        except ProjectError as e:
            outcome = e
        except Unwanted:
            return
        with contextlib.suppress(RuntimeError):
            self.relay.ready.emit(outcome)

    def _go_on(self, share: float) -> bool:
        if self.relay.should_continue:
            with contextlib.suppress(RuntimeError):
                self.relay.progress.emit(round(100 * share))
        return self.relay.should_continue


def read_in_background(parent: QWidget, path: Path, then: Callable[[Drawing | ProjectError], None]) -> QProgressDialog:
    """Read a drawing in the pool; `then` gets it, or what is wrong, unless the reading was cancelled."""
    progress = QProgressDialog("", parent.tr("Cancel"), 0, 100, parent)
    progress.setLabel(label(parent.tr("Reading {} …").format(path.name)))
    progress.setWindowModality(Qt.WindowModality.WindowModal)
    progress.setMinimumDuration(PATIENCE_MS)
    progress.setAutoReset(False)
    progress.setAutoClose(False)
    relay = _Relay(progress)

    def cancelled_by_hand() -> None:
        relay.should_continue = False

    def advance(percent: int) -> None:
        # The window may have closed meanwhile, and the dialog with it.
        if relay.should_continue and not sip.isdeleted(progress):
            progress.setValue(percent)

    progress.canceled.connect(cancelled_by_hand)
    relay.progress.connect(advance)

    def ready(outcome: Drawing | ProjectError) -> None:
        if sip.isdeleted(progress):
            return
        cancelled = not relay.should_continue
        # Closing a progress dialog counts as cancelling it.
        progress.canceled.disconnect(cancelled_by_hand)
        progress.close()
        progress.deleteLater()
        if not cancelled:
            then(outcome)

    relay.ready.connect(ready)
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.start(_Reading(path, relay))
    return progress


class DrawingDialog(QDialog):
    """Which layers of a drawing, and in which unit."""

    def __init__(self, parent: QWidget, drawing: Drawing) -> None:
        super().__init__(parent)
        self.drawing = drawing
        self.setObjectName("drawing")
        self.setWindowTitle(self.tr("Bring in a drawing"))
        self.resize(460, 420)
        box = QVBoxLayout(self)
        box.setContentsMargins(20, 16, 20, 16)
        box.setSpacing(10)
        box.addWidget(
            label(self.tr("Lines become walls, closed outlines rooms, text inside a room its name."), "", True)
        )
        area, inner = scrolling(4)
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setColumnStretch(0, 1)
        for column, words in enumerate((self.tr("layer"), self.tr("lines"), self.tr("outlines"), self.tr("texts"))):
            grid.addWidget(label(words, "soft"), 0, column)
        self.boxes: dict[str, QCheckBox] = {}
        for k, (name, counts) in enumerate(drawing.layers.items(), 1):
            check = QCheckBox(name)
            check.setChecked(True)
            grid.addWidget(check, k, 0)
            for column, n in enumerate(counts, 1):
                grid.addWidget(label(f"{n:,}" if n else "–", "soft"), k, column, Qt.AlignmentFlag.AlignRight)
            self.boxes[name] = check
        inner.addWidget(holder)
        inner.addStretch(1)
        box.addWidget(area, 1)
        self.unit = Choice()
        self.unit.addItems(list(UNITS))
        self.unit.setCurrentText(drawing.guessed_unit())
        self.unit.setAccessibleName(self.tr("Unit of the drawing"))
        says = self.tr("as the drawing says") if drawing.unit else self.tr("guessed from its size")
        box.addWidget(row(label(self.tr("One unit is a")), self.unit, label(says, "soft"), QWidget(), stretch=3))
        if drawing.passed_over:
            kinds = ", ".join(f"{n:,} {kind}" for kind, n in drawing.passed_over.most_common(4))
            box.addWidget(label(self.tr("Not usable, and passed over: {}.").format(kinds), "soft", True))
        buttons = QDialogButtonBox()
        bring = buttons.addButton(self.tr("Bring in"), QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(self.tr("Leave"), QDialogButtonBox.ButtonRole.RejectRole)
        assert bring is not None
        bring.setDefault(True)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box.addWidget(buttons)

    @property
    def layers(self) -> set[str]:
        """The chosen layers."""
        return {name for name, check in self.boxes.items() if check.isChecked()}
