"""`Form`: the figures, choices and words of one record, each editable where it stands.

The modules `inspect_*` put a form together for each kind of record; the inspector shows one at a time.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QLabel, QLineEdit, QWidget

from vastwatch.design.edits.selections import move_many
from vastwatch.design.places import middle_of
from vastwatch.design.project import Project
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.editing import Edited, Options, at_record
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import EXPLAINED_BY, explained_by, guide_label
from vastwatch.desk.shell.widgets import FigureField, column_in, label
from vastwatch.desk.verdict.block import Block
from vastwatch.site.record import Point, Record
from vastwatch.site.shown import Field, Shown
from vastwatch.words import error_sentence


class Form(QWidget):
    """Of the record with id `shown_id`. `say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, ident: str, kind: type[Record]) -> None:
        super().__init__()
        self.document, self.focus, self.shown_id = document, focus, ident
        self.edited = Edited(document, focus, kind, at_record(ident))
        self.edited.say.connect(self.say)
        self.fills = self.edited.fills
        self.fill = self.edited.fill
        self.set_field = self.edited.set_field
        self.box = column_in(self, 6)
        self.name: QLineEdit | None = None
        self._blocks: list[Block] = []

    # -- where fields stand ------------------------------------------------------------------------------------

    def put(self, words: str, widget: QWidget, wide: bool = False) -> None:
        """A field and its words at the next place, two to a row; a `wide` one has its row to itself."""
        last = self.box.itemAt(self.box.count() - 1)
        if not self._blocks or last is None or last.widget() is not self._blocks[-1]:
            self._blocks.append(Block())
            self.box.addWidget(self._blocks[-1])
        self._blocks[-1].put(guide_label(words, widget.property(EXPLAINED_BY) or "", "soft"), widget, wide)

    def new_row(self) -> None:
        """What comes next begins a row."""
        if self._blocks:
            self._blocks[-1].new_row()

    def lay_out(self) -> None:
        """Give every field room for what it shows now: beside its words, or below them where that is too narrow."""
        beside = all(block.fits_beside() for block in self._blocks)
        for block in self._blocks:
            block.lay_out(beside)

    # -- fields ------------------------------------------------------------------------------------------------

    def fields(self, *names: str) -> None:
        """Fields of the record by what is said of them where they are declared."""
        for name in names:
            self.field(name)

    def field(
        self, name: str, read: Callable[[Any], Any] | None = None, write: Callable[[Any, Any], Any] | None = None,
        wide: bool = False, **otherwise: Any,
    ) -> None:  # fmt: skip
        """One such field; see `Edited.field`."""
        widget = self.edited.field(name, read, write, **otherwise)
        if isinstance(widget, QCheckBox):
            self.box.addWidget(widget)
        else:
            self.put(widget.accessibleName(), widget, wide)

    def figure(
        self, shown: Shown, low: float, high: float, read: Callable[[Any], float], write: Callable[[Any, float], Any],
        of: type | None = None,
    ) -> None:  # fmt: skip
        """A figure that is no field of the record but follows from it, as the size of an outline does, or one `of` a
        record within it."""
        field = Field(shown.words, shown, low, high, ())
        widget = self.edited.figure(field, read, write)
        self.put(self.tr(shown.words), explained_by(widget, of or self.edited.kind, field.name))

    def choice(
        self, words: str, options: Options | Callable[[], Options], key_of: Callable[[Any], Any],
        made: Callable[[Any, Any], Any], why: str, wide: bool = False,
    ) -> None:  # fmt: skip
        """A list to choose from; see `Edited.choice`."""
        widget = self.edited.choice(words, options, key_of, made, why)
        self.put(words, explained_by(widget, self.edited.kind, ""), wide)

    def name_field(self, heading: str) -> None:
        """The record's name, under what it is."""
        self.box.addWidget(label(heading, "soft"))
        self.name = self.edited.line("name", self.tr("Name"))
        self.box.addWidget(self.name)

    def text(self, words: Callable[[Any], str], role: str = "soft") -> QLabel:
        """Words that follow the record."""
        out = label("", role, True)
        self.box.addWidget(out)
        self.fills.append(lambda record: out.setText(words(record)))
        return out

    def place_figures(self) -> None:
        """X and Y of what is selected, exactly; what goes with it goes along."""

        def moved(record: Any, x: float, y: float) -> Project:
            x0, y0 = middle_of(record)
            return move_many(self.document.project, [record.id], x - x0, y - y0)

        self.place_pair(middle_of, moved)

    def place_pair(self, read: Callable[[Any], Point], write: Callable[[Any, float, float], Any]) -> None:
        """Two fields of one place. `write` gives the record there, or a whole project, or raises ValueError with the
        reason. A figure that cannot be by itself waits for the other: who types both is not refused the first."""
        why = self.tr("Type 2.2, 40 cm or 8 ft 2, or step with Up and Down.")
        unit = self.edited.unit("m")
        fields = [FigureField(words, unit.parse, unit.show, 0.05, -2000, 2000, why) for words in ("X", "Y")]
        waiting: dict[int, float] = {}

        def entered(axis: int, value: float) -> None:
            record = self.edited.now
            if record is None:
                return
            now = read(record)
            wanted = {**waiting, axis: value}
            x, y = wanted.get(0, now[0]), wanted.get(1, now[1])
            try:
                new = write(record, x, y)
            except ValueError as e:
                first = not waiting
                waiting.clear()
                if first:
                    waiting[axis] = value
                    other = "Y" if axis == 0 else "X"
                    fields[axis].wait(value, self.tr("Needs {}: {}.").format(other, e))
                    self.say.emit(self.tr("{} Enter {} as well.").format(error_sentence(e), other))
                else:
                    self.say.emit(error_sentence(e))
                    for field, figure in zip(fields, now):
                        field.set_value(figure)
                return
            waiting.clear()
            words = "X and Y" if len(wanted) == 2 else "XY"[axis].lower()
            figures = " ".join(unit.show(v) for v in wanted.values())
            self.edited.apply(new, f"Set {words}", f"to {figures}", "XY"[axis])

        def shown(axis: int, record: Any) -> None:
            fields[axis].set_value(read(record)[axis])

        self.new_row()
        for axis, field in enumerate(fields):
            field.wrong.connect(self.say)
            field.entered.connect(partial(entered, axis))
            self.put("XY"[axis], field)
            self.fills.append(partial(shown, axis))
