"""What stands under the plan: one day in lanes, or a week or a month in strips; and the choice among them."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QButtonGroup, QPushButton, QSizePolicy, QStackedLayout, QWidget

from vastwatch.desk.ribbon.lanes import Ribbon
from vastwatch.desk.ribbon.strips import Strips
from vastwatch.desk.shell.focus import SPANS, Focus
from vastwatch.desk.shell.widgets import row_in

WORDS = {"day": "Day", "week": "Week", "month": "Month"}
SIZE = (34, 19)


class RibbonPane(QWidget):
    """Shows the page that `focus.span` asks for. The buttons lie over what both pages leave free, at the upper left."""

    def __init__(self, ribbon: Ribbon, strips: Strips, focus: Focus) -> None:
        super().__init__()
        self.ribbon, self.strips, self.focus = ribbon, strips, focus
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setMinimumHeight(150)
        self._pages = QStackedLayout(self)
        self._pages.addWidget(ribbon)
        self._pages.addWidget(strips)
        self._bar = QWidget(self)
        bar = row_in(self._bar, 1)
        group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for span in SPANS:
            button = QPushButton(WORDS[span])
            button.setCheckable(True)
            button.setProperty("role", "span")
            button.setFixedSize(*SIZE)
            button.setToolTip(self.tr("What the ribbon shows: day, week or month. (S steps through)"))
            button.clicked.connect(partial(self._choose, span))
            group.addButton(button)
            bar.addWidget(button)
            self.buttons[span] = button
        self._bar.setGeometry(3, 3, len(SPANS) * (SIZE[0] + 1), SIZE[1])
        self._bar.raise_()
        focus.shift.connect(self._shifted)
        self._show()

    def _choose(self, span: str, *_: object) -> None:
        self.focus.set(span=span)

    def _shifted(self, what: str) -> None:
        if what == "span":
            self._show()

    def _show(self) -> None:
        self._pages.setCurrentIndex(int(self.focus.span != "day"))
        self.buttons[self.focus.span].setChecked(True)
        self._bar.raise_()
