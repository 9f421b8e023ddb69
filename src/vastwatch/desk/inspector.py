"""The inspector: the exact figures of whatever is selected, each editable where it stands."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from operator import attrgetter
from typing import Any, get_args

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from vastwatch.control.daylight import daylight_factor, wanted_lux
from vastwatch.design.edits import put, room_at
from vastwatch.design.project import find, find_any
from vastwatch.desk.cautions import CAUTIONS
from vastwatch.desk.document import Document
from vastwatch.desk.focus import Focus
from vastwatch.desk.inspect_fixtures import hazard_form, many_form, mat_form, socket_form, switch_form
from vastwatch.desk.parts import FigureField, clear, label
from vastwatch.desk.plan.shapes import resized, sides
from vastwatch.desk.roles import RolesEditor
from vastwatch.desk.units import parse_angle, parse_length, parse_time, show_angle, show_length
from vastwatch.devices import MatType, RadarType
from vastwatch.devices.figures import FAMILY_HEADINGS
from vastwatch.geometry import polygons
from vastwatch.site.building import Activity, FurnishingMaterial, Leaf, Posture, Rest, RoomUse, WallMaterial
from vastwatch.words import duration_words


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
                self.focus.stage == "Timing",
                self.focus.stage == "Plan",
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
            "sensors": self._sensor, "rooms": self._room, "lamps": self._lamp, "spots": self._spot,
            "walls": self._wall, "openings": self._opening, "furnishings": self._furnishing,
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
            new = write(record, value)
            if new is None:
                field.set_value(read(record))
                return
            self.document.apply(
                put(self.document.project, new), f"Set {words.lower()} of {_called(record)} to {show(value)}",
                f"set-{words}-{record.id}",
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

    def choice(self, grid: QGridLayout, at: int, words: str, field: str, options: tuple[str, ...], why: str) -> None:
        """A list to choose one of a record's values from."""
        box = QComboBox()
        box.addItems(list(options))
        box.setAccessibleName(words)
        box.setToolTip(why)

        ident = self.shown_id

        def chosen(index: int) -> None:
            found = find_any(self.document.project, ident)
            if found is not None and getattr(found[1], field) != options[index]:
                new = put(self.document.project, replace(found[1], **{field: options[index]}))
                self.document.apply(new, f"Set {words.lower()} to {options[index]}")

        box.activated.connect(chosen)
        grid.addWidget(label(words, "soft"), at // 2, (at % 2) * 2)
        grid.addWidget(box, at // 2, (at % 2) * 2 + 1)
        self.fills.append(lambda record: box.setCurrentIndex(options.index(getattr(record, field))))

    # -- records -----------------------------------------------------------------------------------------------

    def _sensor(self, sensor: Any) -> None:
        device = find(self.document.project.devices, sensor.device)
        self.name_field(f"{FAMILY_HEADINGS[device.family]} · {device.name}")
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
        ceiling = "ceiling" in device.mounts
        if isinstance(device, MatType):
            mat_form(self, device)
        if not ceiling:
            self.figure(grid, 3, "Looks to", lambda r: r.yaw, lambda r, v: replace(r, yaw=v % 360), "angle", 5,
                         -720, 720, self.tr("0° along the plan's x axis, counter-clockwise."))  # fmt: skip
            self.figure(grid, 4, "Pitch", lambda r: r.pitch, lambda r, v: replace(r, pitch=v), "angle", 1, -90, 45,
                         self.tr("Negative looks down."))  # fmt: skip
        at = 5 if not ceiling else 3
        self.figure(
            grid, at, "Own hold", lambda r: device.hold_s if r.settings.hold_s is None else r.settings.hold_s,
            lambda r, v: replace(r, settings=replace(r.settings, hold_s=v)), "time", 1, 0, 3600,
            self.tr("How long the device itself goes on reporting after the last notice."),
        )  # fmt: skip
        if isinstance(device, RadarType):
            steps = device.steps
            self.figure(
                grid, at + 1, "Sensitivity", lambda r: steps - min(r.settings.sensitivity_below_max, steps - 1),
                lambda r, v: replace(r, settings=replace(r.settings, sensitivity_below_max=int(steps - round(v)))),
                "steps", 1, 1, steps, self.tr("1 to {}; each step is 3 dB.").format(steps),
            )  # fmt: skip
            self.figure(
                grid, at + 2, "Farthest", lambda r: r.settings.max_gate_m or device.max_gate_m,
                lambda r, v: replace(r, settings=replace(r.settings, max_gate_m=v)), "length", 0.25, 0.5,
                device.max_gate_m, self.tr("Nothing beyond this distance, along the slant, is reported."),
            )  # fmt: skip
        if device.power == "mains":
            self.text(lambda _: CAUTIONS["mains"])
        elif sensor.at[2] > 1.9:
            self.text(lambda _: CAUTIONS["ladder"])

    def _room(self, room: Any) -> None:
        project = self.document.project

        def facts(r: Any) -> str:
            factor = daylight_factor(project, r)
            light = self.tr("no window") if factor <= 0 else self.tr("daylight factor {:.1f} %").format(100 * factor)
            return f"{r.use} · {polygons.area(r.outline):.1f} m² · {light}"

        if self.focus.stage == "Plan":
            self.name_field(self.tr("Room"))
        self.text(facts)
        grid = self.grid()
        if self.focus.stage == "Plan":
            self.choice(
                grid, 2, self.tr("Use"), "use", get_args(RoomUse), self.tr("What people do here; sets the usual lux.")
            )
        self.figure(
            grid, 0, "Wants", lambda r: wanted_lux(r), lambda r, v: replace(r, needs=replace(r.needs, lux=v)), "plain",
            25, 0, 5000, self.tr("Lux on the task; below it the room is dark enough for its lamp."),
        )  # fmt: skip
        self.figure(
            grid, 1, "Air °C", lambda r: r.ambient_c, lambda r, v: replace(r, ambient_c=v), "plain", 1, -30, 60,
            self.tr("The warmer the background, the shorter a PIR sees."),
        )  # fmt: skip
        if self.focus.stage != "Timing":
            self.box.addWidget(label(self.tr("Presence"), "head"))
            roles = RolesEditor(self.document, self.focus)
            roles.say.connect(self.say)
            self.box.addWidget(roles)

    def _lamp(self, lamp: Any) -> None:
        self.name_field(self.tr("Lamp"))
        grid = self.grid()
        self.figure(grid, 0, "Watts", lambda r: r.watts, lambda r, v: replace(r, watts=v), "plain", 1, 0, 5000,
                     self.tr("Counts into the energy burned for nobody."))  # fmt: skip
        self.figure(grid, 1, "Lumens", lambda r: r.lumens, lambda r, v: replace(r, lumens=v), "plain", 50, 0, 500000,
                     self.tr("Light output."))  # fmt: skip

    def _spot(self, spot: Any) -> None:
        self.name_field(self.tr("Spot"))
        grid = self.grid()
        self.choice(
            grid, 0, self.tr("Is"), "posture", get_args(Posture), self.tr("How somebody here holds themselves.")
        )
        self.choice(grid, 1, self.tr("Does"), "activity", get_args(Activity),
                     self.tr("What is done here: how still, and so how hard to notice."))  # fmt: skip
        self.figure(grid, 2, "Faces", lambda r: r.facing, lambda r, v: replace(r, facing=v % 360), "angle", 15,
                     -720, 720, self.tr("Which way somebody here faces; a radar sees a chest best."))  # fmt: skip
        room = find(self.document.project.rooms, spot.room)
        self.figure(grid, 3, "Lux", lambda r: wanted_lux(room) if r.lux is None else r.lux,
                     lambda r, v: replace(r, lux=v), "plain", 25, 0, 5000,
                     self.tr("Light wanted at this spot; the room's own until it is set."))  # fmt: skip

    def _wall(self, wall: Any) -> None:
        self.text(lambda w: self.tr("Wall, {:.2f} m long").format(math.dist(w.a, w.b)), "head")
        grid = self.grid()
        self.choice(grid, 0, self.tr("Material"), "material", get_args(WallMaterial),
                     self.tr("What radar loses in it; infrared sees through none."))  # fmt: skip
        self.figure(grid, 1, "Thick", lambda r: r.thickness, lambda r, v: replace(r, thickness=v), "length", 0.01,
                     0.02, 1.5, self.tr("Thickness of the wall."))  # fmt: skip

    def _opening(self, opening: Any) -> None:
        self.text(lambda o: o.kind.capitalize(), "head")
        grid = self.grid()
        wall = find(self.document.project.walls, opening.wall)
        length = math.dist(wall.a, wall.b)

        def fits(**fields: float) -> Callable[[Any, float], Any]:
            name = next(iter(fields))

            def write(record: Any, value: float) -> Any:
                new = replace(record, **{name: value})
                if new.offset + new.width > length + 1e-9 or new.head <= new.sill:
                    self.say.emit(self.tr("It would not fit its wall of {:.2f} m.").format(length))
                    return None
                return new

            return write

        figures = (
            ("Along", "offset", 0.0, self.tr("From the wall's end to the opening.")),
            ("Width", "width", 0.2, self.tr("Clear width.")),
            ("Sill", "sill", 0.0, self.tr("Height of its lower edge.")),
            ("Head", "head", 0.2, self.tr("Height of its upper edge.")),
        )
        for at, (words, name, low, why) in enumerate(figures):
            self.figure(grid, at, words, attrgetter(name), fits(**{name: 0.0}), "length", 0.05, low, 20.0, why)
        if opening.kind != "archway":
            self.choice(grid, 4, self.tr("Leaf"), "leaf", get_args(Leaf), self.tr("Glass blinds a PIR too."))
            self.choice(grid, 5, self.tr("Rests"), "rest", get_args(Rest), self.tr("How it normally stands."))
        if opening.kind == "door":
            self.choice(grid, 6, self.tr("Hinge"), "hinge", ("a", "b"), self.tr("At which end of the opening."))
            self.choice(grid, 7, self.tr("Swings"), "swings", ("left", "right"), self.tr("Which way the leaf opens."))

    def _furnishing(self, piece: Any) -> None:
        self.name_field(self.tr("Furniture"))
        grid = self.grid()
        self.figure(grid, 0, "Top", lambda r: r.z1, lambda r, v: replace(r, z1=v) if v > r.z0 else None, "length",
                     0.05, 0.02, 10, self.tr("Height of its upper edge: what it hides depends on it."))  # fmt: skip
        self.choice(
            grid, 1, self.tr("Of"), "material", get_args(FurnishingMaterial), self.tr("What radar loses in it.")
        )
        if len(piece.outline) == 4:
            why = self.tr("Its own size; it grows about its middle.")
            for at, (words, side) in enumerate((("Wide", 0), ("Deep", 1)), 2):
                self.figure(grid, at, words, partial(_side, side), partial(_with_side, side), "length", 0.05, 0.05, 20,
                             why)  # fmt: skip
        if piece.kind == "bed":
            stuffs = (self.tr("springs"), self.tr("foam"))
            box = QComboBox()
            box.addItems(list(stuffs))
            box.setAccessibleName(self.tr("Mattress"))
            box.setToolTip(self.tr("Foam spreads a load until a strip under it never closes."))
            box.activated.connect(lambda k: self.set_field("mattress", ("springs", "foam")[k]))
            grid.addWidget(label(self.tr("Mattress"), "soft"), 2, 0)
            grid.addWidget(box, 2, 1)
            self.fills.append(lambda r: box.setCurrentIndex(1 if r.mattress == "foam" else 0))
            self.figure(grid, 5, "Thick", lambda r: r.mattress_m, lambda r, v: replace(r, mattress_m=v), "length", 0.01,
                         0.03, 0.6, self.tr("Thickness of the mattress."))  # fmt: skip
        if piece.kind in ("machine", "kiln"):
            self.text(lambda _: CAUTIONS["machine"])

    def set_field(self, field: str, value: object) -> None:
        """Set a field of the record the form is of."""
        found = find_any(self.document.project, self.shown_id)
        if found is not None and getattr(found[1], field) != value:
            new = put(self.document.project, replace(found[1], **{field: value}))
            self.document.apply(new, f"Set {field} of {_called(found[1])} to {value}")


def _side(side: int, piece: Any) -> float:
    return sides(piece.outline)[side]


def _with_side(side: int, piece: Any, metres: float) -> Any:
    return replace(piece, outline=resized(piece.outline, side, metres))


def _called(record: Any) -> str:
    """What a record is called in the undo list: its name, or what it is."""
    return str(getattr(record, "name", None) or getattr(record, "kind", "the wall"))
