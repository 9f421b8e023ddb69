"""A trial of the selected spot: somebody stays there a hundred times, and what the light does over them."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from vastwatch.advice.trial import Trial, in_words
from vastwatch.desk.shell.derived import NOT_COMPUTED
from vastwatch.desk.shell.parts import label, row
from vastwatch.desk.shell.results import Results
from vastwatch.desk.shell.theme import Theme, font, mix
from vastwatch.words import capital, duration_words

STRIP_PX, HOURS_PX = 12, 14


class LightStrip(QWidget):
    """How bright it was over the stay: amber where it was lit in all trials, red where in none."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.trial: Trial | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(200, STRIP_PX + HOURS_PX)

    def show_trial(self, trial: Trial) -> None:
        """Paint this one."""
        self.trial = trial
        dark = 100 * (1 - float(trial.lit_share.min()))
        self.setAccessibleName(f"Light over the stay; at its worst {dark:.0f} % of the trials were dark")
        self.setToolTip(self.tr("Amber: lit in all trials. Red: the share of them that sat in the dark just then."))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.trial is None:
            return
        p, t = QPainter(self), self.trial
        n, wide = len(t.t) - 1, float(self.width())
        for k in range(n):
            # A few in the dark are to be seen: the eye takes the root of a share for the share.
            share = math.sqrt(1.0 - float(t.lit_share[k]))
            p.fillRect(
                QRectF(wide * k / n, 0, wide / n + 0.6, STRIP_PX), mix(self.theme.lamp, self.theme.dropped, share)
            )
        p.setPen(self.theme.soft)
        p.setFont(font(11))
        foot = QRectF(0, STRIP_PX, wide, HOURS_PX)
        p.drawText(foot, Qt.AlignmentFlag.AlignLeft, self.tr("comes"))
        p.drawText(foot, Qt.AlignmentFlag.AlignRight, duration_words(t.stay_s))


class TrialView(QWidget):
    """Shown while a spot is selected in a room whose light follows presence."""

    def __init__(self, results: Results, theme: Theme) -> None:
        super().__init__()
        self.results = results
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        self._head, self._basis = label("", "head"), label("", "soft")
        box.addWidget(row(self._head, self._basis, stretch=0))
        self._strip = LightStrip(theme)
        box.addWidget(self._strip)
        self._words = label("", "", True)
        box.addWidget(self._words)
        results.trial.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the trial of the selected spot, or nothing."""
        tried, spot = self.results.trial, self.results.tried_spot
        self.setVisible(spot is not None)
        # While a newer one is under way for the same spot, the last stays.
        trial = tried.value if tried.value is not None and tried.value.spot == spot else None
        self._strip.setVisible(trial is not None)
        self._head.setText(self.tr("Stay here"))
        if trial is None:
            self._basis.setText("")
            why = {"refused": capital(tried.words) + ".", "failed": NOT_COMPUTED}
            self._words.setText(why.get(tried.state, self.tr("Trying it …")))
            return
        self._basis.setText(self.tr("{} × {}").format(trial.draws, duration_words(trial.stay_s)))
        self._strip.show_trial(trial)
        self._words.setText(in_words(trial))
