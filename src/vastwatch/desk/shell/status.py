"""The line at the foot of the window: which moment is shown, and at the right news for some seconds, else a hint."""

from __future__ import annotations

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QWidget

from vastwatch.desk.shell.theme import MARGIN
from vastwatch.desk.shell.widgets import label, plain, row_in, set_role

# News stays for so long, milliseconds.
NEWS_MS = 6000
# News so young is of what is done now, milliseconds.
JUST_SAID_MS = 120
# Between the moment and the words, pixels.
GAP = 24


class StatusLine(QWidget):
    """`when` is the moment shown, `said` the news or the hint; where both have no place, the moment is told shorter,
    and news has the line to itself."""

    def __init__(self) -> None:
        super().__init__()
        line = row_in(self, margins=(MARGIN, 0, MARGIN, 0))
        self.setFixedHeight(34)
        self.when, self.said = label("", "soft"), label("", "soft")
        for words in (self.when, self.said):
            # They take what place there is, and never make the window wider.
            words.setMinimumWidth(1)
        line.addWidget(self.when)
        line.addStretch(1)
        line.addWidget(self.said)
        self._when = self._hint = self._words = ""
        self._said = QElapsedTimer()
        self._news = QTimer(self)
        self._news.setSingleShot(True)
        self._news.setInterval(NEWS_MS)
        # A bound method: Qt releases it with the line, where a lambda could outlive it.
        self._news.timeout.connect(self.hush)

    def tell_when(self, words: str) -> None:
        """Which moment is shown; what stands after the first dot between words may be left out."""
        self._when = words
        self._fit()

    def hint(self, words: str, at_once: bool = False) -> None:
        """What can be done here; it waits until news has been read, unless the whole stage is another."""
        self._hint = words
        if at_once or not self._news.isActive():
            self.hush()

    def say(self, words: str) -> None:
        """One line of news; no words take the last back."""
        if not words:
            self.hush()
            return
        self._words = words
        self._news.start()
        self._said.start()
        set_role(self.said, "")
        self.said.setToolTip(plain(words))
        self._fit()

    def acted(self) -> None:
        """Something was done: what was said before it no longer holds, unless it is of this very moment."""
        if self._news.isActive() and self._said.elapsed() > JUST_SAID_MS:
            self.hush()

    def hush(self) -> None:
        """Back to the hint."""
        self._news.stop()
        self._words = self._hint
        set_role(self.said, "soft")
        self.said.setToolTip("")
        self._fit()

    def stop(self) -> None:
        """No more news: the window closes."""
        self._news.stop()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        room = self.width() - 2 * MARGIN - GAP
        metrics = self.said.fontMetrics()
        wanted = metrics.horizontalAdvance(self._words)
        shorter = (self._when, self._when.split(" · ")[0], "")
        fits = [w for w in shorter if metrics.horizontalAdvance(w) + wanted <= room]
        # News is told in full before the moment is; a hint is not.
        when = fits[0] if fits else "" if self._news.isActive() else shorter[1]
        self.when.setText(when)
        self.when.setVisible(bool(when))
        left = room - (metrics.horizontalAdvance(when) if when else 0)
        self.said.setText(metrics.elidedText(self._words, Qt.TextElideMode.ElideRight, max(left, 0)))
