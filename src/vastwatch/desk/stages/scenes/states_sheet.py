"""The states of a ladder as a table: which rows hold, which wins, how often it came to that, and what is stuck."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from vastwatch.advice.scenes.ladder_states import scene_of_row, states
from vastwatch.control.lighting import LadderRun
from vastwatch.design.project import Project, find
from vastwatch.desk.shell.widgets import label
from vastwatch.desk.stages.scenes.ladder_view import share_words

SIZE = (720, 460)
# So many states at the most are listed.
MOST = 200


class StatesSheet(QDialog):
    """The states of one room's ladder."""

    def __init__(self, parent: QWidget, project: Project, room: str, did: LadderRun, held: list[str]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(self.tr("States of {}").format(did.group_name or find(project.rooms, room).name.lower()))
        self.resize(*SIZE)
        box = QVBoxLayout(self)
        box.setSpacing(8)
        every = states(did)
        occurred = sum(s.occurred for s in every)
        box.addWidget(
            label(
                self.tr("{} of {} combinations occurred in the week. The topmost row that applies wins.").format(
                    occurred, len(every)
                ),
                "soft", True,
            )
        )  # fmt: skip
        for words in held:
            box.addWidget(label(words, "bad", True))
        if not held:
            box.addWidget(
                label(
                    self.tr("No row is stuck: every override ends, and everything else follows its conditions."),
                    "",
                    True,
                )
            )
        table = self.table = QTableWidget(min(len(every), MOST), len(did.rows) + 2)
        table.setAccessibleName(self.windowTitle())
        names = [r.name or f"{k + 1}" for k, r in enumerate(did.rows)]
        table.setHorizontalHeaderLabels([*names, self.tr("Then"), self.tr("Share of time")])
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        header, side = table.horizontalHeader(), table.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for n, state in enumerate(every[:MOST]):
            for k, holds in enumerate(state.holds):
                item = QTableWidgetItem("●" if holds and k == state.wins else "○" if holds else "")
                item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
                item.setToolTip(self.tr("applies") if holds else self.tr("does not apply"))
                table.setItem(n, k, item)
            table.setItem(n, len(names), QTableWidgetItem(scene_of_row(project, did, state.wins)))
            share = QTableWidgetItem(share_words(state.share) if state.occurred else self.tr("not in this week"))
            share.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            table.setItem(n, len(names) + 1, share)
        box.addWidget(table, 1)
        box.addWidget(label(self.tr("● applies and wins   ○ applies, but one above it wins"), "soft"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        box.addWidget(buttons)
