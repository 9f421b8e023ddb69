"""After an upgrade the compiled parts are made anew: in a process beside the window, and the status line says so."""

from __future__ import annotations

import sys
from collections.abc import Callable

from PyQt6.QtCore import QCoreApplication, QObject, QProcess, QProcessEnvironment

from vastwatch.loops.cache import is_prepared

ARGUMENTS = ("-m", "vastwatch.answers.prepare")


class Preparing(QObject):
    """Compiles what is not compiled, unless it is; `say` gets a line when that begins and one when it ends."""

    def __init__(self, say: Callable[[str], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._say = say
        self._process = QProcess(self)
        self._process.setProcessEnvironment(QProcessEnvironment.systemEnvironment())
        self._process.finished.connect(self._ended)

    def begin(self) -> None:
        """Begin, if there is anything to do."""
        if is_prepared():
            return
        self._process.start(sys.executable, list(ARGUMENTS))
        self._say(self.tr("Preparing compiled code, once after an update; first results take longer."))
        # It may be done another time.
        app = QCoreApplication.instance()
        if app is not None:
            app.aboutToQuit.connect(self._process.kill)

    @property
    def busy(self) -> bool:
        """Whether it is at work."""
        return self._process.state() != QProcess.ProcessState.NotRunning

    def _ended(self, code: int) -> None:
        # Where it fails, each loop is compiled when it is needed.
        self._say(self.tr("Compiled code is ready.") if code == 0 else self.tr("Compiled code could not be prepared."))
