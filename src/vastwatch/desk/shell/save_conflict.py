"""What to do when the file was written by somebody else meanwhile: what each of both changed, and the ways on."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Literal

from PyQt6.QtWidgets import QDialog, QPushButton, QVBoxLayout, QWidget

from vastwatch.design.differences import RecordDifference
from vastwatch.desk.shell.widgets import column_in, label, pressed, row, scrolling

Way = Literal["both", "theirs", "over"]
# More lines than this nobody reads in a dialog.
MOST_LINES = 60


class ClashSheet(QDialog):
    """`way` is what was chosen, None for leaving everything as it is. Of `theirs` None the file cannot be read as a
    project any more; `why` then says so."""

    def __init__(
        self,
        parent: QWidget,
        path: Path,
        written_at: float,
        mine: list[RecordDifference],
        theirs: list[RecordDifference] | None,
        why: str = "",
    ) -> None:
        super().__init__(parent)
        self.way: Way | None = None
        self.setObjectName("clash")
        self.setWindowTitle(self.tr("File changed on disk"))
        self.resize(620, 460)
        box = column_in(self, 10, (22, 18, 22, 18))
        when = datetime.fromtimestamp(written_at)
        box.addWidget(label(self.tr("{} has changed since you opened it").format(path.name), "title", True))
        words = self.tr("Another window or program saved it at {:%H:%M} on {:%A}. Nothing is saved until you choose.")
        box.addWidget(label(words.format(when, when), "soft", True))
        area, inner = scrolling(3)
        box.addWidget(area, 1)
        if theirs is None:
            inner.addWidget(label(self.tr("In the file"), "head"))
            inner.addWidget(label(why, "", True))
        else:
            self._list(inner, self.tr("Changed on disk"), theirs)
        self._list(inner, self.tr("Changed by you"), mine)
        inner.addStretch(1)
        self.buttons: dict[Way, QPushButton] = {}
        buttons: tuple[tuple[Way, str, str], ...] = (
            ("both", self.tr("Keep both"), self.tr("Saves yours under a new name next to it.")),
            ("theirs", self.tr("Reload from disk"), self.tr("Replaces your changes; Ctrl+Z brings them back.")),
            (
                "over",
                self.tr("Overwrite"),
                self.tr("A backup of the version on disk is kept next to it."),
            ),
        )
        for way, title, tip in buttons:
            button = pressed(title, lambda _, w=way: self._choose(w), tip)
            self.buttons[way] = button
        self.buttons["both"].setDefault(True)
        self.buttons["theirs"].setEnabled(theirs is not None)
        leave = pressed(self.tr("Cancel"), self.reject)
        why = self.tr("Keep both saves yours next to it; Overwrite keeps a backup of the version on disk.")
        box.addWidget(label(why, "soft", True))
        box.addWidget(row(*self.buttons.values(), QWidget(), leave, stretch=3))

    def _list(self, box: QVBoxLayout, title: str, found: list[RecordDifference]) -> None:
        box.addSpacing(6)
        box.addWidget(label(title, "head"))
        for difference in found[:MOST_LINES]:
            box.addWidget(label(difference.words[:1].upper() + difference.words[1:], "", True))
        if len(found) > MOST_LINES:
            box.addWidget(label(self.tr("and {} more").format(len(found) - MOST_LINES), "soft"))
        if not found:
            box.addWidget(label(self.tr("nothing"), "soft"))

    def _choose(self, way: Way) -> None:
        self.way = way
        self.accept()
