"""Forms of the inspector for the building: rooms, walls, openings, furniture, spots and lamps."""

from __future__ import annotations

import math
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.control.light.daylight import daylight_factor
from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.edits.building import is_rectangle, resize_room
from vastwatch.design.edits.fittings import move_furnishing, move_opening
from vastwatch.design.edits.uses import use_choices, use_key, with_use
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.edits.wiring import add_circuit, circuit_of, off_circuits, set_lamp
from vastwatch.design.needs import needs_of, use_words
from vastwatch.design.places import rooms_beside
from vastwatch.design.project import Project, find, find_any, put
from vastwatch.desk.plan.shapes import front_of, resized, sides
from vastwatch.desk.shell.widgets import label
from vastwatch.desk.stages.timing.roles import RolesEditor
from vastwatch.desk.verdict.form import Form
from vastwatch.geometry import polygons
from vastwatch.site.shown import Shown, shown_fields


def room_form(form: Form, room: Any) -> None:
    project = form.document.project

    def facts(r: Any) -> str:
        factor = daylight_factor(project, r)
        light = form.tr("no window") if factor <= 0 else form.tr("daylight factor {:.1f} %").format(100 * factor)
        return f"{use_words(form.document.project, r)} · {polygons.area(r.outline):.1f} m² · {light}"

    building = form.focus.here.shapes == "building"
    if building:
        form.name_field(form.tr("Room"))
    form.text(facts)
    form.figure(
        Shown("Target lux", why="Lux on the task; below this the room counts as dark.", step=25), 0, 5000,
        lambda r: needs_of(form.document.project, r).lux, lambda r, v: replace(r, needs=replace(r.needs, lux=v)),
    )  # fmt: skip
    form.field("ambient_c")
    if building:
        form.choice(
            form.tr("Use"), use_choices(project), use_key, lambda r, key: with_use(form.document.project, r, key),
            form.tr("Sets what the room needs."),
        )  # fmt: skip
        why = "Between wall centre lines; whatever is on the moving wall moves too."
        if is_rectangle(room.outline):
            form.new_row()
            for axis, words in enumerate(("Width", "Depth")):
                form.figure(
                    Shown(words, "m", why, 0.05), 0.5, 500, partial(_extent, axis), partial(_resize, form, axis)
                )
        why = "Position of its lower left corner; everything in the room moves with it."
        form.new_row()
        for axis, words in enumerate(("X", "Y")):
            form.figure(
                Shown(words, "m", why, 0.05), -2000, 2000, partial(_corner, axis), partial(_move_to, form, axis)
            )
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
    """What can be set on anything the house switches, as its record says."""
    handler = handler_of(output)
    form.name_field(form.tr(handler.label.capitalize()))
    form.fields(*shown_fields(type(output)))
    form.place_figures()
    if handler.caution:
        form.text(lambda _: form.tr(handler.caution))


def spot_form(form: Form, spot: Any) -> None:
    room = find(form.document.project.rooms, spot.room)
    form.name_field(form.tr("Position"))
    form.fields("posture", "activity", "facing")
    form.field("lux", read=lambda r: needs_of(form.document.project, room).lux if r.lux is None else r.lux)
    form.place_figures()
    if spot.activity not in ("sleeping", "away", "film"):
        form.field("calls_per_hour")
    if spot.activity == "hands-on":
        form.field("exercise")


def wall_form(form: Form, wall: Any) -> None:
    form.text(lambda w: form.tr("Wall, {:.2f} m long").format(math.dist(w.a, w.b)), "head")
    form.fields("material", "thickness")


def opening_form(form: Form, opening: Any) -> None:
    form.text(lambda o: o.kind.capitalize(), "head")
    wall = find(form.document.project.walls, opening.wall)
    length = math.dist(wall.a, wall.b)

    def fits(name: str, record: Any, value: float) -> Any:
        new = replace(record, **{name: value})
        if new.offset + new.width > length + 1e-9 or new.head <= new.sill:
            raise ValueError(form.tr("it would not fit its wall of {:.2f} m").format(length))
        return move_opening(form.document.project, record.id, value) if name == "offset" else new

    for name in ("offset", "width", "sill", "head"):
        form.field(name, write=partial(fits, name))
    if opening.kind != "archway":
        form.fields("leaf", "rest")
    if opening.kind == "door":
        ends, sides = _door_words(form.document.project, opening)
        form.field("hinge", options=ends)
        form.field("swings", options=sides, wide=True)


def furnishing_form(form: Form, piece: Any) -> None:
    def within(name: str, record: Any, value: float) -> Any:
        new = replace(record, **{name: value})
        if new.z1 <= new.z0:
            raise ValueError(form.tr("its upper edge has to be above its lower one"))
        return new

    form.name_field(form.tr("Furniture"))
    for name in ("z1", "z0"):
        form.field(name, write=partial(within, name))
    form.field("material")
    form.figure(
        Shown("Angle", "turn", "Direction its front faces; 0° is the plan's x axis, counter-clockwise.", 5),
        0, 360, _front, partial(_turn_to, form),
    )  # fmt: skip
    if len(piece.outline) == 4:
        for side, words in enumerate(("Width", "Depth")):
            form.figure(
                Shown(words, "m", "Its size; it grows from its centre.", 0.05), 0.05, 20, partial(_side, side),
                partial(_with_side, side),
            )  # fmt: skip
    form.place_figures()
    if piece.kind == "bed":
        form.field("mattress", read=lambda r: r.mattress or "springs")
        form.field("mattress_m")
    if piece.kind == "stair":
        turn = QPushButton(form.tr("Reverse climb direction"))
        turn.setProperty("role", "pick")
        turn.clicked.connect(partial(_reverse_climb, form))
        form.box.addWidget(turn)
        form.text(lambda _: CAUTIONS["stair"])
    if piece.kind in ("machine", "kiln"):
        form.text(lambda _: CAUTIONS["machine"])


def _turn_to(form: Form, piece: Any, degrees: float) -> Project:
    by = degrees - front_of(piece.outline)
    return move_furnishing(form.document.project, piece.id, 0.0, 0.0, by)


def _reverse_climb(form: Form) -> None:
    found = find_any(form.document.project, form.shown_id)
    if found is not None and found[0] == "furnishings":
        new = replace(found[1], climb=((found[1].climb or 0.0) + 180.0) % 360)
        form.document.apply(put(form.document.project, new), f"Reverse the climb of {found[1].name.lower()}")


def circuit_choice(form: Form) -> None:
    """Which circuit a lamp is on: none, one there is, or one of its own."""

    def circuits() -> list[tuple[str, str]]:
        there = [(c.id, c.name) for c in form.document.project.circuits]
        return [("", form.tr("on no circuit")), *there, ("new", form.tr("own circuit"))]

    form.choice(
        form.tr("Circuit"), circuits,
        lambda lamp: now.id if (now := circuit_of(form.document.project, lamp.id)) else "", partial(_hang, form),
        form.tr("Lamps on one circuit switch together."), wide=True,
    )  # fmt: skip


def _hang(form: Form, lamp: Any, circuit: str) -> Project:
    project = form.document.project
    if circuit == "new":
        return add_circuit(project, (lamp.id,))[0]
    return set_lamp(project, circuit, lamp.id, True) if circuit else off_circuits(project, {lamp.id})


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
