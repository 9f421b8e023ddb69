"""Forms of the inspector for the building: rooms, walls, openings, furniture, spots and lamps."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from operator import attrgetter
from typing import Any, get_args

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.control.light.daylight import daylight_factor
from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.edits.building import is_rectangle, resize_room
from vastwatch.design.edits.fittings import move_furnishing, move_opening, rooms_beside
from vastwatch.design.edits.uses import use_choices, use_key, with_use
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.edits.wiring import add_circuit, circuit_of, off_circuits, set_lamp
from vastwatch.design.needs import needs_of, use_words
from vastwatch.design.project import Project, find, find_any, put
from vastwatch.desk.plan.shapes import front_of, resized, sides
from vastwatch.desk.shell.parts import Choice, label, narrow
from vastwatch.desk.stages.timing.roles import RolesEditor
from vastwatch.desk.verdict.form import Form
from vastwatch.geometry import polygons
from vastwatch.site.building import Activity, FurnishingMaterial, Leaf, Posture, Rest, WallMaterial


def room_form(form: Form, room: Any) -> None:
    project = form.document.project

    def facts(r: Any) -> str:
        factor = daylight_factor(project, r)
        light = form.tr("no window") if factor <= 0 else form.tr("daylight factor {:.1f} %").format(100 * factor)
        return f"{use_words(form.document.project, r)} · {polygons.area(r.outline):.1f} m² · {light}"

    if form.focus.here.shapes == "building":
        form.name_field(form.tr("Room"))
    form.text(facts)
    grid = form.grid()
    if form.focus.here.shapes == "building":
        form.made_choice(
            grid, 2, form.tr("Use"), use_choices(project), use_key,
            lambda r, key: with_use(form.document.project, r, key),
            form.tr("What people do here; sets what it asks for."),
        )  # fmt: skip
    form.figure(
        grid, 0, "Wants", lambda r: needs_of(form.document.project, r).lux,
        lambda r, v: replace(r, needs=replace(r.needs, lux=v)), "plain", 25, 0, 5000,
        form.tr("Lux on the task; below it the room is dark enough for its lamp."),
    )  # fmt: skip
    form.figure(
        grid, 1, "Air °C", lambda r: r.ambient_c, lambda r, v: replace(r, ambient_c=v), "plain", 1, -30, 60,
        form.tr("The warmer the background, the shorter a PIR sees."),
    )  # fmt: skip
    if form.focus.here.shapes == "building":
        why = form.tr("Where its lower left corner lies; the room moves with all that is in it.")
        for at, (words, axis) in enumerate((("X", 0), ("Y", 1)), 6):
            form.figure(grid, at, words, partial(_corner, axis), partial(_move_to, form, axis), "length", 0.05, -2000,
                         2000, why)  # fmt: skip
    if form.focus.here.shapes == "building" and is_rectangle(room.outline):
        why = form.tr("Between the middles of its walls; what stands on the wall that moves goes along.")
        for at, (words, axis) in enumerate((("Wide", 0), ("Deep", 1)), 4):
            form.figure(grid, at, words, partial(_extent, axis), partial(_resize, form, axis), "length", 0.05, 0.5,
                         500, why)  # fmt: skip
    if not form.focus.here.has_roles:
        form.box.addWidget(label(form.tr("Presence"), "head"))
        roles = RolesEditor(form.document, form.focus)
        roles.say.connect(form.say)
        form.box.addWidget(roles)


def _corner(axis: int, room: Any) -> float:
    return polygons.bounds(room.outline)[axis]


def _move_to(form: Form, axis: int, room: Any, metres: float) -> Project:
    by = metres - polygons.bounds(room.outline)[axis]
    return move_room(form.document.project, room.id, *((by, 0.0) if axis == 0 else (0.0, by))).project


def _resize(form: Form, axis: int, room: Any, metres: float) -> Project:
    size = {"width": metres} if axis == 0 else {"depth": metres}
    return resize_room(form.document.project, room.id, **size)


def output_form(form: Form, output: Any) -> None:
    """What can be set on anything the house switches, as its kind says."""
    handler = handler_of(output)
    form.name_field(form.tr(handler.called.capitalize()))
    grid = form.grid()
    for k, f in enumerate(handler.figures):

        def read(record: Any, field: str = f.field) -> float:
            return float(getattr(record, field))

        def write(record: Any, value: float, field: str = f.field) -> Any:
            return replace(record, **{field: value})

        form.figure(grid, k, form.tr(f.words), read, write, f.kind, f.step, f.low, f.high, form.tr(f.why))
    form.place_figures(grid, len(handler.figures))
    if handler.caution:
        form.text(lambda _: form.tr(handler.caution))


def spot_form(form: Form, spot: Any) -> None:
    form.name_field(form.tr("Spot"))
    grid = form.grid()
    form.choice(grid, 0, form.tr("Is"), "posture", get_args(Posture), form.tr("How somebody here holds themselves."))
    form.choice(grid, 1, form.tr("Does"), "activity", get_args(Activity),
                 form.tr("What is done here: how still, and so how hard to notice."))  # fmt: skip
    form.figure(grid, 2, "Faces", lambda r: r.facing, lambda r, v: replace(r, facing=v % 360), "angle", 15,
                 -720, 720, form.tr("Which way somebody here faces; a radar sees a chest best."))  # fmt: skip
    form.place_figures(grid, 4)
    room = find(form.document.project.rooms, spot.room)
    form.figure(grid, 3, "Lux", lambda r: needs_of(form.document.project, room).lux if r.lux is None else r.lux,
                 lambda r, v: replace(r, lux=v), "plain", 25, 0, 5000,
                 form.tr("Light wanted at this spot; the room's own until it is set."))  # fmt: skip
    if spot.activity not in ("sleeping", "away", "film"):
        form.figure(grid, 6, "Calls", lambda r: r.calls_per_hour, lambda r, v: replace(r, calls_per_hour=v), "plain",
                     0.5, 0, 30, form.tr("Calls an hour that are taken here: machines can keep quiet."))  # fmt: skip
    if spot.activity == "hands-on":
        form.made_choice(grid, 7, "Screen", [("no", form.tr("off")), ("yes", form.tr("exercise"))],
                          lambda r: "yes" if r.exercise else "no",
                          lambda r, key: replace(r, exercise=key == "yes"),
                          form.tr("What the room's player shows meanwhile: nobody exercises in the dark."))  # fmt: skip


def wall_form(form: Form, wall: Any) -> None:
    form.text(lambda w: form.tr("Wall, {:.2f} m long").format(math.dist(w.a, w.b)), "head")
    grid = form.grid()
    form.choice(grid, 0, form.tr("Material"), "material", get_args(WallMaterial),
                 form.tr("What radar loses in it; infrared sees through none."))  # fmt: skip
    form.figure(grid, 1, "Thick", lambda r: r.thickness, lambda r, v: replace(r, thickness=v), "length", 0.01,
                 0.02, 1.5, form.tr("Thickness of the wall."))  # fmt: skip


def opening_form(form: Form, opening: Any) -> None:
    form.text(lambda o: o.kind.capitalize(), "head")
    grid = form.grid()
    wall = find(form.document.project.walls, opening.wall)
    length = math.dist(wall.a, wall.b)

    def fits(**fields: float) -> Callable[[Any, float], Any]:
        name = next(iter(fields))

        def write(record: Any, value: float) -> Any:
            new = replace(record, **{name: value})
            if new.offset + new.width > length + 1e-9 or new.head <= new.sill:
                form.say.emit(form.tr("It would not fit its wall of {:.2f} m.").format(length))
                return None
            return move_opening(form.document.project, record.id, value) if name == "offset" else new

        return write

    figures = (
        ("Along", "offset", 0.0, form.tr("From the wall's end to the opening.")),
        ("Width", "width", 0.2, form.tr("Clear width.")),
        ("Sill", "sill", 0.0, form.tr("Height of its lower edge.")),
        ("Head", "head", 0.2, form.tr("Height of its upper edge.")),
    )
    for at, (words, name, low, why) in enumerate(figures):
        form.figure(grid, at, words, attrgetter(name), fits(**{name: 0.0}), "length", 0.05, low, 20.0, why)
    if opening.kind != "archway":
        form.choice(grid, 4, form.tr("Leaf"), "leaf", get_args(Leaf), form.tr("Glass blinds a PIR too."))
        form.choice(grid, 5, form.tr("Rests"), "rest", get_args(Rest), form.tr("How it normally stands."))
    if opening.kind == "door":
        ends, sides = _door_words(form.document.project, opening)
        form.choice(grid, 6, form.tr("Hinge"), "hinge", ("a", "b"), form.tr("At which end of the opening."), ends)
        form.choice(
            grid, 8, form.tr("Swings"), "swings", ("left", "right"), form.tr("Which way the leaf opens."), sides, True
        )


def furnishing_form(form: Form, piece: Any) -> None:
    form.name_field(form.tr("Furniture"))
    grid = form.grid()
    form.figure(grid, 0, "Top", lambda r: r.z1, lambda r, v: replace(r, z1=v) if v > r.z0 else None, "length",
                 0.05, 0.02, 10, form.tr("Height of its upper edge: what it hides depends on it."))  # fmt: skip
    form.choice(grid, 1, form.tr("Of"), "material", get_args(FurnishingMaterial), form.tr("What radar loses in it."))
    if len(piece.outline) == 4:
        why = form.tr("Its own size; it grows about its middle.")
        for at, (words, side) in enumerate((("Wide", 0), ("Deep", 1)), 2):
            form.figure(grid, at, words, partial(_side, side), partial(_with_side, side), "length", 0.05, 0.05, 20,
                         why)  # fmt: skip
    form.place_figures(grid, 6)
    form.figure(grid, 8, "Bottom", lambda r: r.z0, lambda r, v: replace(r, z0=v) if v < r.z1 else None, "length",
                 0.05, 0, 10, form.tr("Height of its lower edge: sensors see below it."))  # fmt: skip
    form.figure(grid, 9, "Turned", _front, partial(_turn_to, form), "angle", 5, -720, 720,
                 form.tr("Which way its front looks; 0° along the plan's x axis, counter-clockwise."))  # fmt: skip
    if piece.kind == "stair":
        turn = QPushButton(form.tr("Climb the other way"))
        turn.setProperty("role", "pick")
        turn.clicked.connect(partial(_reverse_climb, form))
        form.box.addWidget(turn)
        form.text(lambda _: CAUTIONS["stair"])
    if piece.kind == "bed":
        stuffs = (form.tr("springs"), form.tr("foam"))
        box = narrow(Choice())
        box.addItems(list(stuffs))
        box.setAccessibleName(form.tr("Mattress"))
        box.setToolTip(form.tr("Foam spreads a load until a strip under it never closes."))
        box.activated.connect(lambda k: form.set_field("mattress", ("springs", "foam")[k]))
        grid.addWidget(label(form.tr("Mattress"), "soft"), 2, 0)
        grid.addWidget(box, 2, 1)
        form.fills.append(lambda r: box.setCurrentIndex(1 if r.mattress == "foam" else 0))
        form.figure(grid, 5, "Thick", lambda r: r.mattress_m, lambda r, v: replace(r, mattress_m=v), "length", 0.01,
                     0.03, 0.6, form.tr("Thickness of the mattress."))  # fmt: skip
    if piece.kind in ("machine", "kiln"):
        form.text(lambda _: CAUTIONS["machine"])


def _turn_to(form: Form, piece: Any, degrees: float) -> Project:
    by = degrees - front_of(piece.outline)
    return move_furnishing(form.document.project, piece.id, 0.0, 0.0, by)


def _reverse_climb(form: Form) -> None:
    found = find_any(form.document.project, form.shown_id)
    if found is not None and found[0] == "furnishings":
        new = replace(found[1], climb=((found[1].climb or 0.0) + 180.0) % 360)
        form.document.apply(put(form.document.project, new), f"Turn the climb of {found[1].name.lower()} round")


def circuit_choice(form: Form, lamp: Any) -> None:
    """Which circuit a lamp hangs on: none, one there is, or one of its own."""
    box = narrow(Choice())
    box.setAccessibleName(form.tr("Circuit"))
    box.setToolTip(form.tr("Lamps of one circuit are switched together."))
    box.addItem(form.tr("on no circuit"), "")
    for circuit in form.document.project.circuits:
        box.addItem(circuit.name, circuit.id)
    box.addItem(form.tr("a circuit of its own"), "new")
    box.activated.connect(lambda k: _hang(form, box.itemData(k)))
    form.box.addWidget(label(form.tr("Circuit"), "soft"))
    form.box.addWidget(box)

    def fill(record: Any) -> None:
        now = circuit_of(form.document.project, record.id)
        box.setCurrentIndex(max(box.findData(now.id if now else ""), 0))

    form.fills.append(fill)


def _hang(form: Form, circuit: str) -> None:
    project, lamp = form.document.project, form.shown_id
    now = circuit_of(project, lamp)
    if circuit == (now.id if now else ""):
        return
    if circuit == "new":
        new, made = add_circuit(project, (lamp,))
        words = f"Hang it on {made.name}"
    elif circuit:
        new = set_lamp(project, circuit, lamp, True)
        words = f"Hang it on {find(project.circuits, circuit).name}"
    else:
        new, words = off_circuits(project, {lamp}), "Take it off its circuit"
    form.document.apply(new, words)
    form.outdated.emit()


def _extent(axis: int, room: Any) -> float:
    x0, y0, x1, y1 = polygons.bounds(room.outline)
    return round(y1 - y0 if axis else x1 - x0, 4)


def _front(piece: Any) -> float:
    return front_of(piece.outline)


def _door_words(project: Project, opening: Any) -> tuple[tuple[str, str], tuple[str, str]]:
    """A door's two ends as they lie on the plan, and the rooms at the left and right of its wall."""
    wall = find(project.walls, opening.wall)
    dx, dy = wall.b[0] - wall.a[0], wall.b[1] - wall.a[1]
    first, last = ("left end", "right end") if abs(dx) >= abs(dy) else ("lower end", "upper end")
    ends = (first, last) if (dx if abs(dx) >= abs(dy) else dy) > 0 else (last, first)
    left, right = rooms_beside(project, opening)
    return ends, (_into(left), _into(right))


def _into(room: Any) -> str:
    return "outwards" if room is None else f"into {room.name.lower()}"


def _side(side: int, piece: Any) -> float:
    return sides(piece.outline)[side]


def _with_side(side: int, piece: Any, metres: float) -> Any:
    return replace(piece, outline=resized(piece.outline, side, metres))
