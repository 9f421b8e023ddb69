"""The line at the foot of the window: which moment is shown, and at the right news for some seconds, else a hint."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from vastwatch.desk.parts import label, set_role
from vastwatch.desk.theme import MARGIN

# News stays for so long, milliseconds.
NEWS_MS = 6000


class StatusLine(QWidget):
    """`when` is the moment shown, `said` the news or the hint."""

    def __init__(self) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(MARGIN, 0, MARGIN, 0)
        self.setFixedHeight(34)
        self.when, self.said = label("", "soft"), label("", "soft")
        line.addWidget(self.when)
        line.addStretch(1)
        line.addWidget(self.said)
        self._hint = ""
        self._news = QTimer(self)
        self._news.setSingleShot(True)
        self._news.setInterval(NEWS_MS)
        # A bound method: Qt lets go of it with the line, where a lambda could outlive it.
        self._news.timeout.connect(self.hush)

    def hint(self, words: str, at_once: bool = False) -> None:
        """What can be done here; it waits until news has been read, unless the whole stage is another."""
        self._hint = words
        if at_once or not self._news.isActive():
            self.hush()

    def say(self, words: str) -> None:
        """One line of news; a long one has the line to itself."""
        set_role(self.said, "")
        self.said.setText(words)
        self.said.setToolTip(words)
        room = self.width() - 2 * MARGIN - 20
        self.when.setVisible(self.said.sizeHint().width() + self.when.sizeHint().width() < room)
        self._news.start()

    def hush(self) -> None:
        """Back to the hint."""
        self._news.stop()
        set_role(self.said, "soft")
        self.said.setText(self._hint)
        self.said.setToolTip("")
        self.when.show()

    def stop(self) -> None:
        """No more news: the window closes."""
        self._news.stop()
