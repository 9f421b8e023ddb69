"""The condition of a row as a sentence, put together as a conclusion is."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu

from vastwatch.design.edits.ladders import set_row
from vastwatch.design.edits.outputs import set_output_row
from vastwatch.design.expressions import Expr
from vastwatch.design.records import Conclusion
from vastwatch.desk.stages.scenes.output_rows import row_number
from vastwatch.desk.stages.timing.builder import SentenceBuilder


class RowBuilder(SentenceBuilder):
    """A `SentenceBuilder` of the row in hand: `focus.row` says which."""

    def _shifted(self, what: str) -> None:
        if what in ("room", "row", "selected"):
            self.refresh()

    @property
    def shown(self) -> Conclusion | None:
        """The condition of the row in hand, as if it were a conclusion about its room."""
        project = self.document.project
        output = next((o for o in project.outputs if o.id == self.focus.selected), None)
        if output is not None:
            k = row_number(self.focus.row, output)
            if k is None:
                return None
            mine = output.rows[k]
            called = mine.name or output.name
            return Conclusion(id="row", room=output.room, name=called, lights=False, expr=mine.when)
        row = next((r for r in project.rules if r.id == self.focus.row), None)
        if row is None:
            return None
        return Conclusion(id=row.id, room=row.room, name=row.name or "this row", lights=False, expr=row.when)

    def refresh(self, *_: object) -> None:
        """Show the condition of the row in hand."""
        shown = self.shown
        for widget in (self.choice, self.more, self._about, self._fails):
            widget.setVisible(False)
        self.setVisible(shown is not None)
        self.view.show_expr(self.document.project, None if shown is None else shown.expr)

    def _apply(self, expr: Expr | None, words: str) -> None:
        shown = self.shown
        if shown is None:
            return
        if expr is None:
            self.say.emit(self.tr("A row needs a condition: replace it, or delete the row."))
            return
        if expr is shown.expr:
            return
        output = next((o for o in self.document.project.outputs if o.id == self.focus.selected), None)
        if output is not None:
            k = row_number(self.focus.row, output)
            if k is not None:
                self.document.apply(set_output_row(self.document.project, output.id, k, when=expr), words)
            return
        self.document.apply(set_row(self.document.project, shown.id, when=expr), words)

    def more_menu(self) -> QMenu:
        """A row has no further conclusions."""
        return QMenu(self)
