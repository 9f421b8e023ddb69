"""A trial of the selected spot: somebody stays there a hundred times, and what the light does over them."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from vastwatch.advice.detection.stay_trial import in_words
from vastwatch.desk.results.derived import NOT_COMPUTED
from vastwatch.desk.results.detection import TRIAL, tried_spot
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import column_in, label, row
from vastwatch.desk.verdict.light_strip import LightStrip
from vastwatch.words import capital, duration_words


class TrialView(QWidget):
    """Shown while a spot is selected in a room whose light follows presence."""

    def __init__(self, results: Results, theme: Theme) -> None:
        super().__init__()
        self.results = results
        box = column_in(self, 4)
        self._head, self._basis = label("", "head"), label("", "soft")
        box.addWidget(row(self._head, self._basis, stretch=0))
        self._strip = LightStrip(theme)
        box.addWidget(self._strip)
        self._words = label("", "", True)
        box.addWidget(self._words)
        results[TRIAL].changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the trial of the selected spot, or nothing."""
        tried, of = self.results[TRIAL], tried_spot(self.results)
        spot = None if of is None else of[1]
        self.setVisible(of is not None)
        # While a newer one is under way for the same spot, the last stays.
        trial = tried.value if tried.value is not None and tried.value.spot == spot else None
        self._strip.setVisible(trial is not None)
        self._head.setText(self.tr("Try a stay here"))
        if trial is None:
            self._basis.setText("")
            why = {"refused": capital(tried.words) + ".", "failed": NOT_COMPUTED}
            self._words.setText(why.get(tried.state, self.tr("Simulating…")))
            return
        self._basis.setText(self.tr("{} × {}").format(trial.draws, duration_words(trial.stay_s)))
        dark = 100 * (1 - float(trial.lit_share.min()))
        said = self.tr("Light during the stay; at the worst moment {:.0f} % of trials were dark").format(dark)
        self._strip.show_light(trial.lit_share[:-1], self.tr("arrives"), duration_words(trial.stay_s), said)
        self._words.setText(in_words(trial))
