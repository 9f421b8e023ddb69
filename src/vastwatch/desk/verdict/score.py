"""One figure of the verdict: words at the left, a large number with its unit at the right."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget

from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import Theme, font
from vastwatch.desk.shell.widgets import label, row_in


class Score(QWidget):
    """One line: words at the left, a large figure with its unit at the right. The words lead to what the guide says of
    the `key`."""

    def __init__(self, words: str, unit: str, theme: Theme, why: str, key: str) -> None:
        super().__init__()
        self.theme = theme
        self._value, self._unit = QLabel("–"), label(unit, "soft")
        self._bad = False
        self._value.setFont(font(20, 600))
        self._value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._unit.setFixedWidth(26)
        self.setToolTip(why)
        box = row_in(self, 5, (0, 1, 0, 1))
        self._aside = label("", "soft")
        named = guide_label(words, key)
        named.setToolTip(why + " " + self.tr("Click for the guide."))
        box.addWidget(named)
        box.addStretch(1)
        box.addWidget(self._aside)
        box.addSpacing(4)
        box.addWidget(self._value)
        box.addWidget(self._unit)

    def set(self, value: float | None, bad: bool = False, aside: str = "") -> None:
        """Show a figure, in red when it is bad, with a lesser one beside it."""
        self._aside.setText(aside)
        if value is None:
            text = "–"
        elif 0 < value < 0.05:
            text = f"{value:.2f}"
        else:
            text = f"{value:.1f}" if value < 100 else f"{value:.0f}"
        self._value.setText(text)
        if bad != self._bad:
            self._bad = bad
            colour = self.theme.dropped if bad else self.theme.ink
            self._value.setStyleSheet(f"color: {colour.name()};")
