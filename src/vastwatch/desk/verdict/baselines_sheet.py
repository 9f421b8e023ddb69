"""Four ways to serve a room, side by side: a small table that a client can read."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QProgressBar, QPushButton, QWidget

from vastwatch.advice.adviser.baselines import Baseline
from vastwatch.desk.results.adviser import SCHOOLS
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import column_in, label, row
from vastwatch.words import capital, duration_words


class SchoolsSheet(QDialog):
    """Fills itself from `results[SCHOOLS]`, which it asks for. `taken` carries the school to mount."""

    taken = pyqtSignal(object)

    def __init__(self, parent: QWidget, results: Results, theme: Theme, room: str, currency: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("schools")
        self.setWindowTitle(self.tr("Four strategies compared"))
        self.resize(880, 330)
        self.results, self.theme, self.currency = results, theme, currency
        box = column_in(self, 10, (20, 16, 20, 16))
        self._basis = label("", "soft")
        box.addWidget(row(label(room, "title"), self._basis, stretch=0))
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        self._bar.setRange(0, 1000)
        box.addWidget(self._bar)
        self._holder = QWidget()
        self._grid = QGridLayout(self._holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(8)
        box.addWidget(self._holder)
        box.addStretch(1)
        self._note = label(
            self.tr(
                "The best of each kind here, at its best hold time within the brief. Bold: meets the needs in "
                "other weeks too. Red: more false-offs than the brief allows."
            ),
            "soft", True,
        )  # fmt: skip
        box.addWidget(self._note)
        leave = QPushButton(self.tr("Close"))
        leave.setDefault(True)
        leave.clicked.connect(self.accept)
        box.addWidget(row(QWidget(), leave, stretch=0))
        results[SCHOOLS].changed.connect(self._fill)
        results[SCHOOLS].progressed.connect(self._progress)
        results[SCHOOLS].ask()
        self._fill()

    def done(self, result: int) -> None:
        """Nobody waits for it any more."""
        if self.results[SCHOOLS].busy:
            self.results[SCHOOLS].forget()
        super().done(result)

    def _progress(self) -> None:
        self._bar.setValue(round(1000 * self.results[SCHOOLS].progress))

    def _fill(self) -> None:
        found = self.results[SCHOOLS]
        self._bar.setVisible(found.busy)
        if found.value is None:
            self._basis.setText(self.tr("simulating weeks…") if found.busy else capital(found.words))
            return
        if self._grid.count():
            return
        weeks = next((s.judged.weeks for s in found.value if s.judged), 0)
        self._basis.setText(self.tr("the same {} weeks for each").format(weeks))
        heads = ("", "", self.tr("price"), self.tr("hold time"), self.tr("false-offs a week"),
                 self.tr("dark, min a day"),
                 self.tr("lit while empty, h a day"), self.tr("waves a day"), "")  # fmt: skip
        for k, words in enumerate(heads):
            head = label(words, "soft")
            head.setAlignment(Qt.AlignmentFlag.AlignRight if k > 1 else Qt.AlignmentFlag.AlignLeft)
            self._grid.addWidget(head, 0, k)
        self._grid.setColumnStretch(1, 1)
        for at, school in enumerate(found.value, 1):
            self._row(at, school)

    def _row(self, at: int, school: Baseline) -> None:
        self._grid.addWidget(label(capital(school.name), "head"), at, 0)
        hung = " + ".join(d.name for d in school.devices) or capital(school.why_not) + "."
        self._grid.addWidget(label(hung, "soft", True), at, 1)
        j = school.judged
        if j is None or school.project is None:
            return
        hold = j.recommended_s
        drops, dark, idle = j.metrics_at(hold)
        price = f"{school.price:g} {self.currency}".strip()
        cells = (
            price,
            duration_words(hold),
            f"{drops:.1f}",
            f"{dark:.1f}",
            f"{idle:.1f}",
            f"{j.waves_at(hold):.1f}",
        )
        for column, words in enumerate(cells, 2):
            cell = QLabel(words)
            cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            over = column == 4 and drops > j.needs.drops_per_week
            colour = self.theme.dropped if over else self.theme.ink
            cell.setStyleSheet(f"color: {colour.name()};" + (" font-weight: 600;" if school.meets else ""))
            self._grid.addWidget(cell, at, column)
        hang = QPushButton(self.tr("Use this"))
        hang.setAutoDefault(False)
        hang.setAccessibleName(self.tr("Use: {}").format(school.name))
        hang.setToolTip(self.tr("Replaces what serves the room now. Ctrl+Z undoes it."))
        hang.clicked.connect(partial(self._take, school))
        self._grid.addWidget(hang, at, 8)

    def _take(self, school: Baseline) -> None:
        self.taken.emit(school)
        self.accept()
