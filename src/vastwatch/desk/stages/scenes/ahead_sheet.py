"""Rows that would light a room ahead of who comes: what each spares and costs on weeks it was not chosen by."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QPushButton, QVBoxLayout, QWidget

from vastwatch.advice.scenes.look_ahead import LookAheadRow, look_ahead_rows
from vastwatch.design.project import Project, find
from vastwatch.desk.shell.background import in_background
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.widgets import label, line, pressed, row
from vastwatch.files import ProjectError


def ask_ahead(parent: QWidget, project: Project, room: str, then: Callable[[list[LookAheadRow]], None]) -> object:
    """Look in the background for rows that light a room ahead of who comes."""

    def work(go_on: Callable[[float], bool]) -> list[LookAheadRow]:
        return look_ahead_rows(project, room, lambda: go_on(0.5))

    def done(found: Any) -> None:
        then([] if isinstance(found, ProjectError) else found)

    return in_background(parent, parent.tr("Simulating weeks with light ahead…"), work, done)


class AheadSheet(QDialog):
    """`say` tells what was taken."""

    say = pyqtSignal(str)

    def __init__(self, parent: QWidget, document: Document, found: list[LookAheadRow]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.document, self.project = document, document.project
        name = find(document.project.rooms, found[0].room).name.lower()
        self.setWindowTitle(self.tr("Light ahead in {}").format(name))
        self.resize(560, 120 + 88 * len(found))
        box = QVBoxLayout(self)
        box.setSpacing(8)
        box.addWidget(label(self.windowTitle(), "title"))
        box.addWidget(label(
            self.tr("Each was chosen on one week and tested on two others; these are their figures."), "soft", True,
        ))  # fmt: skip
        self.take: list[QPushButton] = []
        for a in found:
            box.addWidget(line())
            box.addWidget(label(
                self.tr("From {}, noticed by {}").format(
                    find(document.project.rooms, a.from_room).name.lower(), a.words
                ),
                "head", True,
            ))  # fmt: skip
            box.addWidget(label(
                self.tr("Arrivals in the dark a day: {:.1f} → {:.1f}. Lit while empty a day: {:.0f} → {:.0f} "
                        "min. Energy: {:.0f} → {:.0f} Wh.").format(
                    a.before.arrivals, a.after.arrivals, 60 * a.before.idle_h, 60 * a.after.idle_h,
                    1000 * a.before.kwh, 1000 * a.after.kwh,
                ), "", True,
            ))  # fmt: skip
            told = (
                self.tr("Worth it.")
                if a.pays
                else self.tr("Not worth it: more time lit while empty than arrivals spared.")
            )
            take = pressed(self.tr("Add this row"), partial(self._take, a))
            self.take.append(take)
            box.addWidget(row(label(told, "soft", True), QWidget(), take, stretch=1))
        box.addStretch(1)
        leave = pressed(self.tr("Close"), self.reject)
        box.addWidget(row(QWidget(), leave, stretch=0))

    def _take(self, a: LookAheadRow, *_: object) -> None:
        if self.document.project is not self.project:
            self.say.emit(self.tr("The design has changed; run it again."))
        else:
            room = find(self.project.rooms, a.room).name.lower()
            self.document.apply(a.project, f"Add light ahead in {room}")
        self.accept()
