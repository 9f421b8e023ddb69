"""`Edited`: one record, or one part of the project, and the fields in which it is set.

What a field is called, its unit, its bounds and why one would set it stand at the field of the record
(`vastwatch.site.shown`); what depends on more than the record is said where the field is asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QWidget

from vastwatch.design.project import Project, find_any, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import explained_by
from vastwatch.desk.shell.units import parse_angle, parse_earth, parse_length, parse_time, show_angle, show_length
from vastwatch.desk.shell.widgets import Choice, FigureField, narrow
from vastwatch.site.record import Record
from vastwatch.site.shown import Field, field_of
from vastwatch.words import duration_words, error_sentence

# What a list offers: what is kept, and the words for it.
Options = Sequence[tuple[Any, str]]


class Unit(NamedTuple):
    """How figures of a unit are typed and read, how many of what is read make one of what is kept, and after how much
    they are the same again."""

    parse: Callable[[str], float]
    show: Callable[[float], str]
    scale: float = 1.0
    turn: float | None = None


def _suffixed(unit: str, form: str) -> Unit:
    """Plain figures with a unit behind."""

    def parse(text: str) -> float:
        return parse_angle(text.lower().replace(unit.lower(), "").replace(",", "."))

    return Unit(parse, lambda v: f"{v:{form}} {unit}")


def _limit(text: str) -> float:
    return 0.0 if text.strip().lower() in ("", "none", "0") else parse_time(text)


_PLAIN = Unit(parse_angle, lambda v: f"{v:g}")
UNITS: dict[str, Unit] = {
    "°": Unit(parse_angle, show_angle),
    "turn": Unit(parse_angle, show_angle, turn=360.0),
    "s": Unit(parse_time, duration_words),
    "%": Unit(parse_angle, lambda v: f"{v:g}", 100.0),
    "s or none": Unit(_limit, lambda s: duration_words(s) if s else "none"),
    "steps": Unit(parse_angle, lambda v: f"{v:.0f}"),
    "kg": _suffixed("kg", "g"),
    "earth": Unit(parse_earth, lambda v: f"{v:.5g}"),
    "m/s": _suffixed("m/s", ".2g"),
}


class At(NamedTuple):
    """Where what is edited stands in a project: how it is found, None where it is gone, and restored; and what it is
    called in the list of steps."""

    get: Callable[[Project], Any]
    put: Callable[[Project, Any], Project]
    called: Callable[[Any], str]
    key: str = ""


def at_record(ident: str) -> At:
    """The record with an id, in whatever list it is."""

    def get(project: Project) -> Any:
        found = find_any(project, ident)
        return None if found is None else found[1]

    return At(get, put, _called)


def at_part(*path: str) -> At:
    """A part of the project by the names of fields: `brief`, `brief.troubles` as two, or the project itself."""

    def get(project: Project) -> Any:
        for name in path:
            project = getattr(project, name)
        return project

    def back(project: Project, new: Any) -> Project:
        for k in range(len(path) - 1, -1, -1):
            holder: Any = project
            for name in path[:k]:
                holder = getattr(holder, name)
            new = replace(holder, **{path[k]: new})
        return new

    return At(get, back, lambda _: "", "-".join(path) or "project")


def _called(record: Any) -> str:
    """What a record is called in the list of steps: its name, or what it is."""
    return str(getattr(record, "name", None) or getattr(record, "kind", "the wall"))


class Edited(QObject):
    """Fields that write to what stands `at` a place, even when they are left because another was selected.

    `say` carries one-line messages. `fill` shows what is there now, but not over what is being typed.
    """

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, kind: type[Record], at: At) -> None:
        super().__init__()
        self.document, self.focus, self.kind, self.at = document, focus, kind, at
        self.fills: list[Callable[[Any], None]] = []

    @property
    def now(self) -> Any:
        """What is edited, as it is now; None where it is gone."""
        return self.at.get(self.document.project)

    def fill(self) -> None:
        """Show what is edited as it is now."""
        now = self.now
        if now is not None:
            for fill in self.fills:
                fill(now)

    def unit(self, name: str) -> Unit:
        """How figures of a unit are typed and read; a bare length is in the unit the user reads."""
        if name == "m":
            return Unit(self.length, lambda metres: show_length(metres, self.focus.feet))
        return UNITS.get(name, _PLAIN)

    def length(self, text: str) -> float:
        """Metres of a typed length."""
        return parse_length(text, "ft" if self.focus.feet else "m")

    def apply(self, new: Any, what: str, how: str = "", key: str = "") -> None:
        """Put a new record, or a whole new project, into the document. `what` is done to it and `how`, said before and
        after what it is called."""
        now = self.now
        if new is now:
            return
        called = self.at.called(now)
        step = f"set-{key}-{getattr(now, 'id', self.at.key)}" if key else None
        words = " ".join(filter(None, (what, f"of {called}" if called else "", how)))
        self.document.apply(new if isinstance(new, Project) else self.at.put(self.document.project, new), words, step)

    def set_field(self, name: str, value: object) -> None:
        """Set a field of what is edited."""
        now = self.now
        if now is not None and getattr(now, name) != value:
            self.apply(replace(now, **{name: value}), f"Set {name}")

    # -- fields ------------------------------------------------------------------------------------------------

    def field(
        self, name: str, read: Callable[[Any], Any] | None = None, write: Callable[[Any, Any], Any] | None = None,
        **otherwise: Any,
    ) -> QWidget:  # fmt: skip
        """The field for one field of the record, by what is said of it there. `read`: what is shown where that is not
        what is kept; `write`: what becomes of the record; the rest changes what is said of the field."""
        return explained_by(self._made(field_of(self.kind, name).otherwise(**otherwise), read, write), self.kind, name)

    def _made(
        self, field: Field, read: Callable[[Any], Any] | None, write: Callable[[Any, Any], Any] | None
    ) -> QWidget:
        name = field.name
        if field.values == (False, True) and not field.shown.options:
            return self.tick(field)
        if field.values:
            return self.choice(
                self.tr(field.shown.words),
                [*zip(field.values, field.shown.options or map(str, field.values), strict=True)],
                read or (lambda r: getattr(r, name)), write or (lambda r, v: replace(r, **{name: v})),
                self.tr(field.shown.why),
            )  # fmt: skip
        return self.figure(field, read, write)

    def figure(
        self, field: Field, read: Callable[[Any], float] | None = None,
        write: Callable[[Any, float], Any] | None = None,
    ) -> FigureField:  # fmt: skip
        """A field for one figure. `write` gives the record with it, or a whole project, or None where it cannot be; or
        raises ValueError with the reason."""
        words, unit = self.tr(field.shown.words), self.unit(field.shown.unit)
        low, high = (-720.0, 720.0) if unit.turn else (field.low, field.high)
        out = FigureField(
            words, unit.parse, unit.show, field.shown.step, low * unit.scale, high * unit.scale,
            self.tr(field.shown.why),
        )  # fmt: skip
        out.wrong.connect(self.say)
        name = field.name
        reads = read or (lambda r: getattr(r, name))
        writes = write or (lambda r, v: replace(r, **{name: v}))

        def shown(record: Any) -> None:
            out.set_value(round(reads(record) * unit.scale, 9))

        def entered(value: float) -> None:
            now = self.now
            if now is None:
                return
            kept = value % unit.turn if unit.turn else value / unit.scale
            try:
                new = writes(now, kept)
            except ValueError as e:
                self.say.emit(error_sentence(e))
                new = None
            if new is None:
                shown(now)
                return
            self.apply(new, f"Set {words.lower()}", f"to {unit.show(value)}", words)

        out.entered.connect(entered)
        self.fills.append(shown)
        return out

    def choice(
        self, words: str, options: Options | Callable[[], Options], key_of: Callable[[Any], Any],
        made: Callable[[Any, Any], Any], why: str,
    ) -> QComboBox:  # fmt: skip
        """A list to choose from, of keys and words, whose choice makes another record of the one that is shown. Where
        what there is to choose from may change, `options` tells it anew."""
        box = narrow(Choice())
        box.setAccessibleName(words)
        box.setToolTip(why)
        shown: list[tuple[Any, str]] = []

        def chosen(index: int) -> None:
            now, (key, called) = self.now, shown[index]
            if now is None or key_of(now) == key:
                return
            try:
                self.apply(made(now, key), f"Set {words.lower()}", f"to {called}")
            except ValueError as e:
                self.say.emit(error_sentence(e))
                fill(now)

        def fill(record: Any) -> None:
            there = list(options() if callable(options) else options)
            if there != shown:
                shown[:] = there
                box.clear()
                for of, called in there:
                    box.addItem(called, of)
            key = key_of(record)
            box.setCurrentIndex(next((k for k, (other, _) in enumerate(shown) if other == key), -1))

        box.activated.connect(chosen)
        self.fills.append(fill)
        return box

    def tick(self, field: Field) -> QCheckBox:
        """A box to tick."""
        words = self.tr(field.shown.words)
        box = QCheckBox(words)
        box.setToolTip(self.tr(field.shown.why))

        def clicked(on: bool) -> None:
            now = self.now
            if now is not None and getattr(now, field.name) != on:
                self.apply(replace(now, **{field.name: on}), f"Set {words.lower()}", "to yes" if on else "to no")

        box.clicked.connect(clicked)
        self.fills.append(lambda record: box.setChecked(getattr(record, field.name)))
        return box

    def line(self, name: str, words: str, most: int = 120, may_be_empty: bool = False, hint: str = "") -> QLineEdit:
        """A field for a name, or another text of one line."""
        field = QLineEdit()
        field.setAccessibleName(words)
        field.setPlaceholderText(hint)

        def finished() -> None:
            now, text = self.now, " ".join(field.text().split())[:most]
            if now is None or text == getattr(now, name):
                return
            if not text and not may_be_empty:
                field.setText(getattr(now, name))
                self.say.emit(self.tr("A name is needed."))
                return
            self.apply(replace(now, **{name: text}), f"Set {words.lower()}", f"to {text or 'nothing'}")

        field.editingFinished.connect(finished)
        self.fills.append(lambda record: field.setText(getattr(record, name)) if not field.hasFocus() else None)
        return field
