"""What goes wrong with devices in use: how often, as the brief says it of the whole house."""

from __future__ import annotations

from typing import NamedTuple

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.parts import FigureField, label
from vastwatch.desk.stages.brief.rooms import number


class _Row(NamedTuple):
    """A figure of the brief: its field, what it is called, its unit, how many of it make one, step, most, and why."""

    field: str
    words: str
    unit: str
    scale: float
    step: float
    most: float
    why: str


ROWS = (
    _Row("supply_off_per_week", "Switched off at the wall", "a week", 1.0, 1.0, 100.0,
         "How often whoever leaves a room switches its circuit off, with all that hangs on it."),
    _Row("messages_lost", "Messages lost by radio", "%", 100.0, 0.5, 50.0,
         "What never arrives of what wireless devices send; more comes late. A sensor may have a figure of its own."),
    _Row("cells_flat_days", "Flat cells wait", "days", 1.0, 1.0, 366.0,
         "How long a device with flat cells is dead before somebody changes them; 0: changed in time."),
    _Row("contacts_bounce", "Contacts that bounce", "%", 100.0, 5.0, 100.0,
         "Of the times a door contact closes, the share at which it opens again for a moment."),
)  # fmt: skip


class TroublesSection(QWidget):
    """A heading, a sentence and four figures. `say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(label(self.tr("What goes wrong in use"), "head"))
        box.addWidget(label(self.tr("Lived in every rehearsal, and told as a cause where it was one."), "soft", True))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(0, 1)
        self.fields: dict[str, FigureField] = {}
        for k, row in enumerate(ROWS):
            field = FigureField(
                self.tr(row.words), lambda t: number(t, "a number"), lambda v: f"{v:g}", row.step, 0.0, row.most,
                self.tr(row.why),
            )  # fmt: skip
            field.setFixedWidth(64)
            field.wrong.connect(self.say)
            field.entered.connect(lambda v, row=row: self._set(row, v))
            grid.addWidget(label(self.tr(row.words), "soft"), k, 0)
            grid.addWidget(field, k, 1)
            grid.addWidget(label(self.tr(row.unit), "soft"), k, 2)
            self.fields[row.field] = field
        box.addLayout(grid)
        self.refresh()

    def refresh(self) -> None:
        """Show the brief as it is."""
        for row in ROWS:
            value = getattr(self.document.project.brief.troubles, row.field)
            self.fields[row.field].set_value(round(value * row.scale, 6))

    def _set(self, row: _Row, value: float) -> None:
        project = self.document.project
        troubles = replace(project.brief.troubles, **{row.field: value / row.scale})
        new = replace(project, brief=replace(project.brief, troubles=troubles))
        self.document.apply(new, f"{row.words}: {value:g} {row.unit}", row.field)
