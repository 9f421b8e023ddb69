"""`Form`: the figures, choices and words of one record, each editable where it stands.

The modules `inspect_*` put a form together for each kind of record; the inspector shows one at a time.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from vastwatch.design.edits.selections import move_many
from vastwatch.design.places import middle_of
from vastwatch.design.project import Project, find_any, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import Choice, FigureField, label, narrow
from vastwatch.desk.shell.units import parse_angle, parse_length, parse_time, show_angle, show_length
from vastwatch.site.record import Point
from vastwatch.words import duration_words, sentence


class Form(QWidget):
    """Of the record with id `shown_id`: a field writes to that one, even when it is left because another was selected.

    `say` carries one-line messages; `outdated` asks for a form anew, because what there is to choose from has changed.
    """

    say = pyqtSignal(str)
    outdated = pyqtSignal()

    def __init__(self, document: Document, focus: Focus, ident: str) -> None:
        super().__init__()
        self.document, self.focus, self.shown_id = document, focus, ident
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(6)
        self.fills: list[Callable[[Any], None]] = []

    def fill(self, record: Any) -> None:
        """Show the figures of the record as it is now."""
        for fill in self.fills:
            fill(record)

    def grid(self) -> QGridLayout:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.box.addWidget(holder)
        return grid

    def figure(
        self, grid: QGridLayout, at: int, words: str, read: Callable[[Any], float], write: Callable[[Any, float], Any],
        kind: str, step: float, low: float, high: float, why: str,
    ) -> None:  # fmt: skip
        """A field for one figure. `write` gives the record with it, or a whole project, or None where it cannot be;
        or raises ValueError with the reason."""
        forms: dict[str, tuple[Callable[[str], float], Callable[[float], str]]] = {
            "length": (self.length, partial(show_length, feet=self.focus.feet)),
            "angle": (parse_angle, show_angle),
            "time": (parse_time, duration_words),
            "steps": (parse_angle, lambda v: f"{v:.0f}"),
            "plain": (parse_angle, lambda v: f"{v:g}"),
        }
        parse, show = forms[kind]
        field = FigureField(words, parse, show, step, low, high, why)
        field.wrong.connect(self.say)

        ident = self.shown_id

        def entered(value: float) -> None:
            found = find_any(self.document.project, ident)
            if found is None:
                return
            record = found[1]
            try:
                new = write(record, value)
            except ValueError as e:
                self.say.emit(sentence(e))
                new = None
            if new is None:
                field.set_value(read(record))
                return
            self.document.apply(
                new if isinstance(new, Project) else put(self.document.project, new),
                f"Set {words.lower()} of {_called(record)} to {show(value)}", f"set-{words}-{record.id}",
            )  # fmt: skip

        field.entered.connect(entered)
        grid.addWidget(label(words, "soft"), at // 2, (at % 2) * 2)
        grid.addWidget(field, at // 2, (at % 2) * 2 + 1)
        self.fills.append(lambda record: field.set_value(read(record)))

    def length(self, text: str) -> float:
        """A bare number is in the unit the user reads."""
        return parse_length(text, "ft" if self.focus.feet else "m")

    def name_field(self, heading: str) -> None:
        field = QLineEdit()
        field.setAccessibleName(self.tr("Name"))

        ident = self.shown_id

        def finished() -> None:
            found = find_any(self.document.project, ident)
            words = field.text().strip()
            if found is None or words == found[1].name:
                return
            if not words:
                field.setText(found[1].name)
                self.say.emit(self.tr("A name is needed."))
                return
            self.document.apply(put(self.document.project, replace(found[1], name=words)), f"Name it {words}")

        field.editingFinished.connect(finished)
        self.box.addWidget(label(heading, "soft"))
        self.box.addWidget(field)
        self.fills.append(lambda record: field.setText(record.name) if not field.hasFocus() else None)

    def text(self, words: Callable[[Any], str], role: str = "soft") -> QLabel:
        out = label("", role, True)
        self.box.addWidget(out)
        self.fills.append(lambda record: out.setText(words(record)))
        return out

    def place_figures(self, grid: QGridLayout, at: int) -> None:
        """X and Y of what is selected, exactly; what goes with it goes along."""

        def moved(record: Any, x: float, y: float) -> Project:
            x0, y0 = middle_of(record)
            return move_many(self.document.project, [record.id], x - x0, y - y0)

        self.place_pair(grid, at, middle_of, moved)

    def place_pair(
        self, grid: QGridLayout, at: int, read: Callable[[Any], Point], write: Callable[[Any, float, float], Any]
    ) -> None:
        """Two fields of one place. `write` gives the record there, or a whole project, or raises ValueError with the
        reason. A figure that cannot be by itself waits for the other: who types both is not refused the first."""
        why = self.tr("Type 2.2, 40 cm or 8 ft 2; Up and Down step it.")
        show = partial(show_length, feet=self.focus.feet)
        fields = [FigureField(words, self.length, show, 0.05, -2000, 2000, why) for words in ("X", "Y")]
        waiting: dict[int, float] = {}
        ident = self.shown_id

        def entered(axis: int, value: float) -> None:
            found = find_any(self.document.project, ident)
            if found is None:
                return
            record = found[1]
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
                    fields[axis].wait(value, self.tr("Waits for {}: {}.").format(other, e))
                    self.say.emit(self.tr("{} Or type {} too.").format(sentence(e), other))
                else:
                    self.say.emit(sentence(e))
                    for field, figure in zip(fields, now):
                        field.set_value(figure)
                return
            waiting.clear()
            words = "X and Y" if len(wanted) == 2 else "XY"[axis].lower()
            self.document.apply(
                new if isinstance(new, Project) else put(self.document.project, new),
                f"Set {words} of {_called(record)} to {' '.join(show(v) for v in wanted.values())}",
                f"set-{'XY'[axis]}-{record.id}",
            )  # fmt: skip

        def shown(axis: int, record: Any) -> None:
            fields[axis].set_value(read(record)[axis])

        for axis, field in enumerate(fields):
            field.wrong.connect(self.say)
            field.entered.connect(partial(entered, axis))
            grid.addWidget(label("XY"[axis], "soft"), (at + axis) // 2, ((at + axis) % 2) * 2)
            grid.addWidget(field, (at + axis) // 2, ((at + axis) % 2) * 2 + 1)
            self.fills.append(partial(shown, axis))

    def choice(
        self, grid: QGridLayout, at: int, words: str, field: str, options: tuple[str, ...], why: str,
        shown: tuple[str, ...] | None = None, wide: bool = False,
    ) -> None:  # fmt: skip
        """A list to choose one of a record's values from; `shown` are the words for them where they differ; a `wide`
        one has its row to itself."""
        box = narrow(Choice())
        box.addItems(list(shown or options))
        box.setAccessibleName(words)
        box.setToolTip(why)

        ident = self.shown_id

        def chosen(index: int) -> None:
            found = find_any(self.document.project, ident)
            if found is not None and getattr(found[1], field) != options[index]:
                new = put(self.document.project, replace(found[1], **{field: options[index]}))
                self.document.apply(new, f"Set {words.lower()} to {(shown or options)[index]}")

        box.activated.connect(chosen)
        grid.addWidget(label(words, "soft"), at // 2, (at % 2) * 2)
        grid.addWidget(box, at // 2, (at % 2) * 2 + 1, 1, 3 if wide else 1)
        self.fills.append(lambda record: box.setCurrentIndex(options.index(getattr(record, field))))

    def made_choice(
        self, grid: QGridLayout, at: int, words: str, options: list[tuple[str, str]], key_of: Callable[[Any], str],
        made: Callable[[Any, str], Any], why: str,
    ) -> None:  # fmt: skip
        """A list to choose from, of keys and words, whose choice makes another record of the one that is shown."""
        box = narrow(Choice())
        for key, shown in options:
            box.addItem(shown, key)
        box.setAccessibleName(words)
        box.setToolTip(why)
        ident = self.shown_id

        def chosen(index: int) -> None:
            found = find_any(self.document.project, ident)
            key = box.itemData(index)
            if found is not None and key_of(found[1]) != key:
                new = put(self.document.project, made(found[1], key))
                self.document.apply(new, f"Set {words.lower()} to {box.itemText(index)}")

        box.activated.connect(chosen)
        grid.addWidget(label(words, "soft"), at // 2, (at % 2) * 2)
        grid.addWidget(box, at // 2, (at % 2) * 2 + 1)
        self.fills.append(lambda record: box.setCurrentIndex(box.findData(key_of(record))))

    def set_field(self, field: str, value: object) -> None:
        """Set a field of the record the form is of."""
        found = find_any(self.document.project, self.shown_id)
        if found is not None and getattr(found[1], field) != value:
            new = put(self.document.project, replace(found[1], **{field: value}))
            self.document.apply(new, f"Set {field} of {_called(found[1])} to {value}")


def _called(record: Any) -> str:
    """What a record is called in the undo list: its name, or what it is."""
    return str(getattr(record, "name", None) or getattr(record, "kind", "the wall"))
