"""What else than lamps the house switches in a room, each a button that goes to its own small ladder."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QWidget

from vastwatch.design.project import Project
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.widgets import clear, column_in, pressed


class OutputList(QWidget):
    """Fans, machines, covers and the like of one room, with how long each ran a day in the week that is known."""

    def __init__(self, focus: Focus, results: Results) -> None:
        super().__init__()
        self.focus, self.results = focus, results
        self._box = column_in(self, 4)
        self._told: list[tuple[str, str, str]] = []
        self.hide()

    def show_room(self, project: Project, room: str) -> None:
        """List those of a room; nothing where there are none."""
        r = self.results.rehearsal
        told = []
        for o in project.outputs:
            if o.room == room:
                scores = None if r is None else r.output_scores.get(o.id)
                runs = "" if scores is None else self.tr("{:.1f} h a day").format(scores.run_h)
                told.append((o.id, o.name, runs))
        if told == self._told:
            return
        self._told = told
        clear(self._box)
        self.setVisible(bool(told))
        if told:
            self._box.addWidget(guide_label(self.tr("Other equipment"), "GuardedOutput", "head"))
        for ident, name, runs in told:
            go = pressed(f"{name}   {runs}".rstrip(), partial(self._go, ident), self.tr("It has its own short ladder"))
            self._box.addWidget(go)

    def _go(self, ident: str, *_: object) -> None:
        self.focus.set(selected=ident, row=None, scene=None)
