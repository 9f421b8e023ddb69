"""What the program is, and how much of the memory it may use it uses."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QProgressBar, QWidget

import vastwatch
from vastwatch.desk.shell.widgets import column_in, label, pressed, row
from vastwatch.memo import MEMO, Memo

MEBIBYTE = 1024 * 1024


class AboutSheet(QDialog):
    """The figures are those of the moment it is opened, and again when the memo is emptied."""

    def __init__(self, parent: QWidget, memo: Memo = MEMO) -> None:
        super().__init__(parent)
        self.memo = memo
        self.setObjectName("about")
        self.setWindowTitle(self.tr("About"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(420, 10)
        box = column_in(self, 10, (22, 18, 22, 18))
        box.addWidget(label(f"Vast Watch {vastwatch.__version__}", "title"))
        words = self.tr("Where people are noticed and how soon, where they are left in the dark, and what to change.")
        box.addWidget(label(words, "soft", True))
        box.addSpacing(6)
        box.addWidget(label(self.tr("Cached results"), "head"))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        self.bar.setAccessibleName(self.tr("How much of the memory limit for cached results is in use"))
        box.addWidget(self.bar)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(0, 1)
        box.addLayout(grid)
        self.figures = {}
        for k, name in enumerate((self.tr("Used"), self.tr("Results in cache"), self.tr("Cache hits"))):
            self.figures[name] = label("")
            grid.addWidget(label(name, "soft"), k, 0)
            grid.addWidget(self.figures[name], k, 1, Qt.AlignmentFlag.AlignRight)
        why = self.tr(
            "Results not used for longest are removed first. Nothing is lost: they are computed again when needed."
        )
        box.addWidget(label(why, "soft", True))
        box.addSpacing(6)
        self.empty = pressed(self.tr("Clear cache"), self._forget)
        close = pressed(self.tr("Close"), self.accept)
        close.setDefault(True)
        close.setFocus()
        box.addWidget(row(self.empty, QWidget(), close, stretch=1))
        self._fill()

    def _forget(self) -> None:
        self.memo.clear()
        self._fill()

    def _fill(self) -> None:
        memo = self.memo
        self.bar.setRange(0, memo.budget)
        self.bar.setValue(min(memo.bytes, memo.budget))
        asked = memo.hits + memo.misses
        shown = (
            self.tr("{:.0f} of {:.0f} MiB").format(memo.bytes / MEBIBYTE, memo.budget / MEBIBYTE),
            f"{len(memo):,}",
            f"{memo.hits / asked:.0%}" if asked else "–",
        )
        for figure, words in zip(self.figures.values(), shown):
            figure.setText(words)
