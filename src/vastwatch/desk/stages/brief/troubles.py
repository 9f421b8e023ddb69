"""What goes wrong with devices in use: how often, as the brief says it of the whole house."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from vastwatch.design.project import Impairments
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.editing import Edited, at_part
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.widgets import column_in, label
from vastwatch.site.shown import shown_fields, words_of


class TroublesSection(QWidget):
    """A heading, a sentence and a line for each trouble. `say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        box = column_in(self, 6)
        box.addWidget(guide_label(self.tr("Faults in use"), "Impairments", "head"))
        box.addWidget(
            label(self.tr("Simulated in every rehearsal, and named as the cause where they were."), "soft", True)
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(0, 1)
        self.edited = Edited(document, focus, Impairments, at_part("brief", "troubles"))
        self.edited.say.connect(self.say)
        self.fields = {name: self.edited.field(name) for name in shown_fields(Impairments)}
        for k, (name, field) in enumerate(self.fields.items()):
            field.setFixedWidth(64)
            words, unit = words_of(Impairments, name)
            for column, widget in enumerate((label(self.tr(words), "soft"), field, label(self.tr(unit), "soft"))):
                grid.addWidget(widget, k, column)
        box.addLayout(grid)
