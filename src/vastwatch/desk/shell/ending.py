"""Being told to end: by a signal from the session or the terminal, with unsaved work kept aside first."""

from __future__ import annotations

import contextlib
import signal
import socket
from collections.abc import Callable

from PyQt6.QtCore import QObject, QSocketNotifier
from PyQt6.QtWidgets import QApplication
from PyQt6.sip import voidptr

# The session ends, the terminal is closed, Ctrl+C.
SIGNALS = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)


class Ending(QObject):
    """Calls `keep` at a signal, and then ends the application; a second one ends it at once.

    Python looks at signals between two of its own steps, and Qt's loop may wait for long: a byte in a socket wakes it.
    """

    def __init__(self, keep: Callable[[], object], app: QApplication) -> None:
        super().__init__(app)
        self._keep, self._app = keep, app
        self._reader, self._writer = socket.socketpair()
        self._reader.setblocking(False)
        self._writer.setblocking(False)
        signal.set_wakeup_fd(self._writer.fileno(), warn_on_full_buffer=False)
        for number in SIGNALS:
            signal.signal(number, self._once)
        self._notifier = QSocketNotifier(voidptr(self._reader.fileno()), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._woken)

    @staticmethod
    def _once(number: int, _: object) -> None:
        signal.signal(number, signal.SIG_DFL)

    def _woken(self) -> None:
        with contextlib.suppress(BlockingIOError):
            number = self._reader.recv(1)
            if number and number[0] in {int(s) for s in SIGNALS}:
                self._keep()
                self._app.exit(128 + number[0])
