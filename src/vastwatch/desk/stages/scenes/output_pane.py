"""The small ladder of an output that is no lamp, in place of the room's: its rows, their conditions, how far each lets
it run, and what the week came to."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QMenu, QWidget

from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.edits.outputs import (
    add_output_row,
    move_output_row,
    remove_output_row,
    set_locks,
    set_output_row,
)
from vastwatch.design.expressions import Belief, ConclusionRef, Expr, same
from vastwatch.design.ladder_templates import NIGHT
from vastwatch.design.project import unique_name
from vastwatch.design.records import Conclusion, GuardedOutput
from vastwatch.design.relations import presence_of
from vastwatch.design.sentence import condition_words
from vastwatch.design.vocabulary import PartChoice, part_choices
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.widgets import Choice, FigureField, column_in, label, line, narrow, pressed, row, scrolling
from vastwatch.desk.stages.scenes.ladder_view import LadderView
from vastwatch.desk.stages.scenes.naming import ask_name
from vastwatch.desk.stages.scenes.output_rows import output_rows, row_ident, row_number
from vastwatch.desk.stages.scenes.row_builder import RowBuilder


def _percent(text: str) -> float:
    try:
        return float(text.replace("%", "").strip())
    except ValueError:
        raise ValueError(f"'{text.strip()}' is not a percentage") from None


class OutputPane(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results = document, focus, results
        self.output: GuardedOutput | None = None
        outer = column_in(self)
        area, box = scrolling(7, (MARGIN, MARGIN, MARGIN, MARGIN))
        outer.addWidget(area)
        self._title = label("", "head", True)
        box.addWidget(self._title)
        self.ladder = LadderView(theme)
        self.ladder.chosen.connect(lambda ident: self.focus.set(row=ident))
        self.ladder.moved.connect(self._move)
        self.ladder.removed.connect(self._remove)
        self.ladder.asked.connect(self._ask)
        box.addWidget(self.ladder)
        self._why = label("", "soft", True)
        box.addWidget(self._why)
        self.add = pressed(self.tr("Add a row"), self._add)
        self.back = pressed(self.tr("Back to the lamps"), lambda: self.focus.set(selected=self.focus.room, row=None))
        box.addWidget(row(self.add, self.back, spacing=6))
        self._condition = label("", "soft")
        box.addWidget(self._condition)
        self.builder = RowBuilder(document, focus, theme)
        self.builder.say.connect(self.say)
        box.addWidget(self.builder)
        self.level = FigureField(
            self.tr("Level, percent"), _percent, lambda v: f"{v:.0f} %", 5, 0, 100,
            self.tr("Level while this row wins; 0 keeps it off."),
        )  # fmt: skip
        self.level.entered.connect(self._set_level)
        self.level.setFixedWidth(70)
        self._level_row = row(label(self.tr("Level"), "soft"), self.level, stretch=0)
        box.addWidget(self._level_row)
        box.addWidget(line())
        self.lock = narrow(Choice())
        self.lock.setAccessibleName(self.tr("Locked off while"))
        self.lock.setToolTip(self.tr("A lock has priority over rows and guards: an open window, somebody in the way."))
        self.lock.activated.connect(self._set_lock)
        box.addWidget(row(label(self.tr("Locked off while"), "soft"), self.lock, stretch=1))
        self._runs = label("", "", True)
        box.addWidget(self._runs)
        self._caution = label("", "soft", True)
        box.addWidget(self._caution)
        box.addStretch(1)

    def show_output(self, output: GuardedOutput) -> None:
        """The small ladder of an output."""
        self.output = output
        project = self.document.project
        handler = handler_of(output)
        self._title.setText(self.tr("{}: the first row that applies wins").format(output.name))
        shown = output_rows(project, self.results.house, output, self.focus.time)
        self.ladder.setVisible(bool(shown))
        self.ladder.show_rows(shown, self.focus.row)
        self._why.setText(
            handler.why if output.rows else self.tr("{} It has no rows of its own yet.").format(handler.why)
        )
        k = row_number(self.focus.row, output)
        self._condition.setVisible(k is not None)
        self._level_row.setVisible(k is not None)
        if k is not None:
            self._condition.setText(self.tr("“{}” applies").format(output.rows[k].name or self.tr("This row")))
            self.level.set_value(100 * output.rows[k].level)
        self._show_lock(output)
        r = self.results.rehearsal
        scores = None if r is None else r.output_scores.get(output.id)
        self._runs.setVisible(scores is not None)
        if scores is not None:
            told = self.tr("Runs {:.1f} h a day, {:.2f} kWh, starts {:.1f} times, disturbs somebody {:.0f} min.")
            self._runs.setText(told.format(scores.run_h, scores.kwh, scores.starts, scores.bothered_min))
        self._caution.setVisible(bool(handler.caution))
        self._caution.setText(self.tr(handler.caution))

    def _show_lock(self, output: GuardedOutput) -> None:
        """What could lock an output, and what does."""
        project = self.document.project
        presence = Conclusion(id="row", room=output.room, name=output.name, lights=False, expr=NIGHT)
        could = [o for o in part_choices(project, presence) if not isinstance(o.expr, Belief)]
        now = output.locks[0] if output.locks else None
        words = [self.tr("no lock"), *(o.words for o in could)]
        mine = "" if now is None else condition_words(project, now)
        if mine and mine not in words:
            could, words = [*could, PartChoice("", mine, now)], [*words, mine]  # type: ignore[arg-type]
        self._locks: list[Expr | None] = [None, *(o.expr for o in could)]
        if [self.lock.itemText(k) for k in range(self.lock.count())] != words:
            self.lock.clear()
            self.lock.addItems(words)
        self.lock.setCurrentIndex(words.index(mine) if mine else 0)

    def _set_lock(self, index: int) -> None:
        output = self.output
        if output is not None:
            lock = self._locks[index]
            new = set_locks(self.document.project, output.id, () if lock is None else (lock,))
            self.document.apply(new, f"Lock {output.name} off while {self.lock.itemText(index)}" if lock else
                                f"Remove the lock of {output.name}")  # fmt: skip

    def _set_level(self, percent: float) -> None:
        output = self.output
        k = None if output is None else row_number(self.focus.row, output)
        if output is not None and k is not None:
            new = set_output_row(self.document.project, output.id, k, level=percent / 100)
            self.document.apply(new, f"Set {output.name} to {percent:.0f} %", f"run-{output.id}-{k}")

    def _add(self) -> None:
        output = self.output
        if output is None:
            return
        project = self.document.project
        presence = presence_of(project, output.room)
        usual: list[tuple[str, Expr, float]] = [(self.tr("Off at night"), NIGHT, 0.0)]
        if presence is not None:
            usual.insert(0, (self.tr("Occupied"), ConclusionRef(presence=presence.id), 1.0))
        # What it has not yet; else another for the night, to be changed.
        new = (u for u in usual if not any(same(u[1], r.when) for r in output.rows))
        name, when, level = next(new, usual[-1])
        name = unique_name(name, (r.name for r in output.rows))
        self.document.apply(add_output_row(project, output.id, name, when, level), f"Add a row to {output.name}")
        self.focus.set(row=row_ident(output, len(output.rows)))

    def _move(self, ident: str, at: int) -> None:
        output = self.output
        k = None if output is None else row_number(ident, output)
        if output is not None and k is not None:
            new = move_output_row(self.document.project, output.id, k, at)
            self.focus.set(row=row_ident(output, min(max(at, 0), len(output.rows) - 1)))
            self.document.apply(new, f"Move a row of {output.name}", f"move-{output.id}")

    def _remove(self, ident: str) -> None:
        output = self.output
        k = None if output is None else row_number(ident, output)
        if output is not None and k is not None:
            self.focus.set(row=None)
            new = remove_output_row(self.document.project, output.id, k)
            self.document.apply(new, f"Delete a row of {output.name}")

    def _ask(self, ident: str) -> None:
        menu = self.row_menu(ident)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        k = next((k for k, r in enumerate(self.ladder.rows) if r.row == ident), 0)
        menu.popup(self.ladder.mapToGlobal(self.ladder.rect_of(k).bottomLeft().toPoint() + QPoint(12, -4)))

    def row_menu(self, ident: str) -> QMenu:
        """What could be done with a row."""
        menu = QMenu(self)
        for words, do in (
            (self.tr("Rename row…"), lambda: self._rename(ident)),
            (self.tr("Delete row"), lambda: self._remove(ident)),
        ):
            menu.addAction(words, do)
        return menu

    def _rename(self, ident: str) -> None:
        output = self.output
        k = None if output is None else row_number(ident, output)
        if output is not None and k is not None:
            self.naming = ask_name(
                self, self.tr("Rename row"), output.rows[k].name, self.document,
                lambda name: set_output_row(self.document.project, output.id, k, name=name), self.say.emit,
            )  # fmt: skip
