"""Which lamps of a room follow a ladder of their own, and what that group is called."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from vastwatch.design.edits.ladders import add_group, group_lamps, remove_group, rename_group
from vastwatch.design.ladders import groups_in
from vastwatch.design.project import find
from vastwatch.design.records import LampGroup
from vastwatch.design.relations import lamps_in
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.widgets import label, pressed, row
from vastwatch.words import error_sentence

LONGEST = 80


class GroupDialog(QDialog):
    """A name and a tick for each lamp; None for a group that is not there yet."""

    def __init__(self, document: Document, focus: Focus, group: LampGroup | None, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.document, self.focus, self.group = document, focus, group
        project, self.room = document.project, focus.room or ""
        room = find(project.rooms, self.room)
        self.setWindowTitle(self.tr("Lamps with their own ladder"))
        self.setMinimumWidth(380)
        box = QVBoxLayout(self)
        box.setSpacing(8)
        box.addWidget(label(
            self.tr(
                "These lamps of {} follow their own rows; the others follow the room’s. Buttons override both."
            ).format(room.name.lower()), "soft", True,
        ))  # fmt: skip
        self.name = QLineEdit("" if group is None else group.name)
        self.name.setMaxLength(LONGEST)
        self.name.setPlaceholderText(self.tr("Group name, such as reading corner or shelves"))
        self.name.setAccessibleName(self.tr("Name of the group"))
        self.name.textChanged.connect(self._typed)
        box.addWidget(self.name)
        self.ticks: dict[str, QCheckBox] = {}
        for lamp in lamps_in(project, self.room):
            other = next((g for g in groups_in(project, self.room) if g is not group and lamp.id in g.lamps), None)
            tick = QCheckBox(lamp.name if other is None else self.tr("{}, now in {}").format(lamp.name, other.name))
            tick.setChecked(group is not None and lamp.id in group.lamps)
            tick.toggled.connect(self._typed)
            self.ticks[lamp.id] = tick
            box.addWidget(tick)
        self.words = label("", "", True)
        box.addWidget(self.words)
        self.take = QPushButton(self.tr("Create group") if group is None else self.tr("Save"))
        self.take.setDefault(True)
        self.take.clicked.connect(self._take)
        self.dissolve = QPushButton(self.tr("Ungroup"))
        self.dissolve.setToolTip(self.tr("Deletes the group’s ladder; its lamps follow the room’s again"))
        self.dissolve.setVisible(group is not None)
        self.dissolve.clicked.connect(self._dissolve)
        leave = pressed(self.tr("Close"), self.reject)
        box.addWidget(row(self.take, self.dissolve, QWidget(), leave, stretch=2))
        self._typed()

    @property
    def chosen(self) -> tuple[str, ...]:
        """The lamps that are ticked."""
        return tuple(ident for ident, tick in self.ticks.items() if tick.isChecked())

    def _typed(self, *_: object) -> None:
        words = ""
        if not self.chosen:
            words = self.tr("Tick at least one lamp.")
        elif not self.name.text().strip():
            words = self.tr("A name is needed.")
        self.words.setText(words)
        self.words.setVisible(bool(words))
        self.take.setEnabled(not words)

    def _take(self) -> None:
        project, name = self.document.project, " ".join(self.name.text().split())
        try:
            if self.group is None:
                new, made = add_group(project, self.room, name, self.chosen)
                self.document.apply(new, f"Create a lamp group {name}")
                self.focus.set(lamps=made.id, row=None, scene=None)
            else:
                new = rename_group(group_lamps(project, self.group.id, self.chosen), self.group.id, name)
                self.document.apply(new, f"Edit the group {name}")
        except (KeyError, ValueError) as e:
            # What it was of may be gone meanwhile, by an undo behind it.
            self.words.setText(error_sentence(e))
            self.words.show()
            return
        self.accept()

    def _dissolve(self) -> None:
        if self.group is None:
            return
        self.focus.set(lamps=None, row=None, scene=None)
        if any(g.id == self.group.id for g in self.document.project.lamp_groups):
            new = remove_group(self.document.project, self.group.id)
            self.document.apply(new, f"Ungroup the lamps of {self.group.name}")
        self.accept()
