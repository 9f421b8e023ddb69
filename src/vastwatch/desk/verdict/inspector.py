"""The inspector: the exact figures of whatever is selected, each editable where it stands."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from vastwatch.design.edits.selections import move_many
from vastwatch.design.places import middle_of, room_at
from vastwatch.design.project import Project, find, find_any, put
from vastwatch.desk.shell.cautions import CAUTIONS
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import FigureField, clear, label, narrow
from vastwatch.desk.shell.units import parse_angle, parse_length, parse_time, show_angle, show_length
from vastwatch.desk.verdict.inspect_building import (
    furnishing_form,
    lamp_form,
    opening_form,
    output_form,
    room_form,
    spot_form,
    wall_form,
)
from vastwatch.desk.verdict.inspect_fixtures import hazard_form, many_form, mat_form, socket_form, switch_form
from vastwatch.devices import MatType
from vastwatch.devices.families import HEADINGS
from vastwatch.devices.figures import turnable
from vastwatch.sensing.model import settings_of
from vastwatch.words import duration_words, sentence


class Inspector(QWidget):
    """Shows one record; the form is built when the selection changes and filled when the project does."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(6)
        self.fills: list[Callable[[Any], None]] = []
        self._shown: object = None
        self.shown_id = ""
        document.changed.connect(lambda *_: self.refresh())
        focus.shift.connect(
            lambda what: self.refresh() if what in ("selected", "room", "stage", "feet", "marked") else None
        )
        self.refresh()

    def refresh(self) -> None:
        """Show the selected record's present figures."""
        found = find_any(self.document.project, self.focus.selected or "")
        shape = (
            None
            if found is None
            else (
                found[0],
                found[1].id,
                self.focus.here.has_roles,
                self.focus.here.shapes,
                self.focus.feet,
                self.focus.marked,
            )
        )
        if shape != self._shown:
            self._shown = shape
            self._rebuild(found)
        if found is not None:
            for fill in self.fills:
                fill(found[1])

    def rebuild(self) -> None:
        """Make the form anew: what there is to choose from has changed."""
        self._shown = None
        self.refresh()

    def _rebuild(self, found: tuple[str, Any] | None) -> None:
        clear(self.box)
        self.fills = []
        if found is None:
            return
        collection, record = found
        # A field writes to the record it was made for, even when it is left because another one was selected.
        self.shown_id = record.id
        if self.focus.marked:
            many_form(self)
            return
        forms: dict[str, Callable[[Any], None]] = {
            "sensors": self._sensor, "rooms": partial(room_form, self), "lamps": partial(lamp_form, self),
            "outputs": partial(output_form, self),
            "spots": partial(spot_form, self),
            "walls": partial(wall_form, self), "openings": partial(opening_form, self),
            "furnishings": partial(furnishing_form, self),
            "hazards": partial(hazard_form, self), "sockets": partial(socket_form, self),
            "switches": partial(switch_form, self),
        }  # fmt: skip
        if collection in forms:
            forms[collection](record)

    # -- building blocks ---------------------------------------------------------------------------------------

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
        why = self.tr("Type 2.2, 40 cm or 8 ft 2; Up and Down step it.")

        def moved(axis: int, record: Any, value: float) -> Project:
            by = value - middle_of(record)[axis]
            return move_many(self.document.project, [record.id], *((by, 0.0) if axis == 0 else (0.0, by)))

        for axis, words in enumerate(("X", "Y")):
            self.figure(grid, at + axis, words, partial(_middle, axis), partial(moved, axis), "length", 0.05, -2000,
                         2000, why)  # fmt: skip

    def choice(
        self, grid: QGridLayout, at: int, words: str, field: str, options: tuple[str, ...], why: str,
        shown: tuple[str, ...] | None = None, wide: bool = False,
    ) -> None:  # fmt: skip
        """A list to choose one of a record's values from; `shown` are the words for them where they differ; a `wide`
        one has its row to itself."""
        box = narrow(QComboBox())
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

    # -- records -----------------------------------------------------------------------------------------------

    def _sensor(self, sensor: Any) -> None:
        device = find(self.document.project.devices, sensor.device)
        self.name_field(f"{HEADINGS[device.family]} · {device.name}")
        grid = self.grid()
        level = find(self.document.project.levels, sensor.level)

        def move(axis: int) -> Callable[[Any, float], Any]:
            def write(record: Any, value: float) -> Any:
                at = list(record.at)
                at[axis] = round(value, 3)
                if axis < 2 and room_at(self.document.project, record.level, at[0], at[1]) is None:
                    self.say.emit(self.tr("A sensor hangs inside a room; that place is outside."))
                    return None
                return replace(record, at=tuple(at))

            return write

        why = self.tr("Type 2.2, 40 cm or 8 ft 2; Up and Down step it.")
        self.figure(grid, 0, "X", lambda r: r.at[0], move(0), "length", 0.05, -2000, 2000, why)
        self.figure(grid, 1, "Y", lambda r: r.at[1], move(1), "length", 0.05, -2000, 2000, why)
        self.figure(grid, 2, "Height", lambda r: r.at[2], move(2), "length", 0.05, 0.0, level.height, why)
        at = 3
        if isinstance(device, MatType):
            mat_form(self, device)
            self.figure(grid, 3, "Turned", lambda r: r.yaw, lambda r, v: replace(r, yaw=v % 360), "angle", 5, -720, 720,
                         self.tr("Which way its width lies."))  # fmt: skip
            at = 4
        elif turnable(device):
            at = 5
            self.figure(grid, 3, "Looks to", lambda r: r.yaw, lambda r, v: replace(r, yaw=v % 360), "angle", 5,
                         -720, 720, self.tr("0° along the plan's x axis, counter-clockwise."))  # fmt: skip
            self.figure(grid, 4, "Pitch", lambda r: r.pitch, lambda r, v: replace(r, pitch=v), "angle", 1, -90, 45,
                         self.tr("Negative looks down."))  # fmt: skip
        for setting in settings_of(device):
            at += self._setting(grid, at, setting, device)
        if device.power == "mains":
            self.text(lambda _: CAUTIONS["mains"])
        elif sensor.at[2] > 1.9:
            self.text(lambda _: CAUTIONS["ladder"])

    def _setting(self, grid: QGridLayout, at: int, setting: str, device: Any) -> int:
        """A field for one setting of a placed sensor; how many rows it took."""

        def put_in(value: object) -> Callable[[Any], Any]:
            return lambda r: replace(r, settings=replace(r.settings, **{setting: value}))

        if setting == "hold_s":
            self.figure(
                grid, at, "Own hold", lambda r: device.hold_s if r.settings.hold_s is None else r.settings.hold_s,
                lambda r, v: put_in(v)(r), "time", 1, 0, 3600,
                self.tr("How long the device itself goes on reporting after the last notice."),
            )  # fmt: skip
        elif setting == "sensitivity_below_max":
            steps = device.steps
            self.figure(
                grid, at, "Sensitivity", lambda r: steps - min(r.settings.sensitivity_below_max, steps - 1),
                lambda r, v: put_in(int(steps - round(v)))(r), "steps", 1, 1, steps,
                self.tr("1 to {}; each step is 3 dB.").format(steps),
            )  # fmt: skip
        elif setting == "max_gate_m":
            self.figure(
                grid, at, "Farthest", lambda r: r.settings.max_gate_m or device.max_gate_m,
                lambda r, v: put_in(v)(r), "length", 0.25, 0.5, device.max_gate_m,
                self.tr("Nothing beyond this distance, along the slant, is reported."),
            )  # fmt: skip
        else:
            return 0
        return 1

    def set_field(self, field: str, value: object) -> None:
        """Set a field of the record the form is of."""
        found = find_any(self.document.project, self.shown_id)
        if found is not None and getattr(found[1], field) != value:
            new = put(self.document.project, replace(found[1], **{field: value}))
            self.document.apply(new, f"Set {field} of {_called(found[1])} to {value}")


def _middle(axis: int, record: Any) -> float:
    return middle_of(record)[axis]


def _called(record: Any) -> str:
    """What a record is called in the undo list: its name, or what it is."""
    return str(getattr(record, "name", None) or getattr(record, "kind", "the wall"))
