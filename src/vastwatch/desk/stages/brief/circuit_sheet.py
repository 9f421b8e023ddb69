"""The truth table of a circuit: every state of its switches, contacts and module, and what is on and live in it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.control.export.truth_table import CircuitState, parallel_words, wiring_table
from vastwatch.design.edits.wiring import match_conclusion
from vastwatch.design.project import find
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.widgets import label, pressed, row
from vastwatch.words import error_sentence

SIZE = (720, 420)


class CircuitSheet(QDialog):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, parent: QWidget, document: Document, ident: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.document, self.ident = document, ident
        project = document.project
        circuit = find(project.circuits, ident)
        self.setWindowTitle(self.tr("Who switches {}").format(circuit.name.lower()))
        self.resize(*SIZE)
        box = QVBoxLayout(self)
        box.setSpacing(8)
        box.addWidget(label(self.windowTitle(), "title"))
        box.addWidget(label(CAUTIONS["mains"], "soft", True))
        told = wiring_table(project, circuit)
        heads = [i.name for i in told.inputs] + [self.tr("Lamps")]
        module, fed = circuit.module is not None, bool(circuit.feeds)
        heads += [self.tr("Module")] if module else []
        heads += [self.tr("What it feeds")] if fed else []
        table = self.table = QTableWidget(len(told.states), len(heads))
        table.setAccessibleName(self.windowTitle())
        table.setHorizontalHeaderLabels(heads)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        header, side = table.horizontalHeader(), table.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for n, state in enumerate(told.states):
            for k, words in enumerate(self._cells(told.inputs, state, module, fed)):
                item = QTableWidgetItem(words)
                item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
                table.setItem(n, k, item)
        box.addWidget(table, 1)
        otherwise = parallel_words(project, circuit)
        self.cure = pressed(self.tr("Use any of these sensors"), self._cure)
        if otherwise is not None:
            box.addWidget(label(f"{otherwise}.", "bad", True))
        self.cure.setVisible(otherwise is not None)
        leave = pressed(self.tr("Close"), self.reject)
        box.addWidget(row(self.cure, QWidget(), leave, stretch=1))

    def _cells(self, inputs, state: CircuitState, module: bool, fed: bool) -> list[str]:  # type: ignore[no-untyped-def]
        out = [i.on if on else i.off for i, on in zip(inputs, state.inputs)]
        out.append(self.tr("● lit") if state.lamps else self.tr("off"))
        out += [self.tr("alive") if state.module else self.tr("no power")] if module else []
        out += [self.tr("alive") if state.fed else self.tr("blind")] if fed else []
        return out

    def _cure(self) -> None:
        try:
            new = match_conclusion(self.document.project, self.ident)
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        self.document.apply(new, "Use any of these sensors")
        self.accept()
