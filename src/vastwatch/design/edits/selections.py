"""Edits of many things at once, and of whole rooms and levels: split and join, duplicate, mirror, turn, align, copy.

Selections are ids; what cannot be done to one of them is refused for all, in a sentence, and nothing is changed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from typing import Any, Literal

from msgspec.structs import replace

from vastwatch.design.edits.attachments import attached_sensors, attached_spots
from vastwatch.design.places import middle_of, room_at
from vastwatch.design.project import Project, find, find_any, fresh_id, put
from vastwatch.design.references import settled
from vastwatch.site.record import Point

# What can be moved, mirrored and duplicated as a selection.
MOVABLE = ("furnishings", "spots", "lamps", "outputs", "buttons", "sensors", "hazards", "sockets", "switches")
Side = Literal["left", "right", "top", "bottom", "middle", "centre"]


# -- selections ----------------------------------------------------------------------------------------------------


def records_of(project: Project, idents: Iterable[str]) -> list[tuple[str, Any]]:
    """Collections and records of those ids that exist."""
    found = [find_any(project, ident) for ident in idents]
    return [f for f in found if f is not None]


def _with_companions(project: Project, idents: Sequence[str]) -> list[str]:
    """The ids, with the spots that go along with selected furniture, and the sensors that are fixed to it."""
    out = list(dict.fromkeys(idents))
    for collection, record in records_of(project, idents):
        if collection != "furnishings":
            continue
        companions = [s.id for s in attached_spots(project, record)] + [
            s.id for s in attached_sensors(project, record.id)
        ]
        out += [ident for ident in companions if ident not in out]
    return out


def _mapped(project: Project, record: Any, to: Callable[[Point], Point], turn: Callable[[float], float]) -> Any:
    """A record with every point moved and every direction turned; spots and lamps come into the room they reach.

    Raises ValueError outside the building.
    """
    changes: dict[str, Any] = {}
    if hasattr(record, "outline"):
        changes["outline"] = tuple(to(p) for p in record.outline)
    else:
        x, y = to((record.at[0], record.at[1]))
        changes["at"] = (x, y, *record.at[2:])
    for name in ("yaw", "facing", "climb"):
        if getattr(record, name, None) is not None:
            changes[name] = turn(getattr(record, name)) % 360
    new = replace(record, **changes)
    level = record.level if hasattr(record, "level") else find(project.rooms, record.room).level
    room = room_at(project, level, *middle_of(new))
    if room is None:
        name = getattr(record, "name", None) or record.kind
        raise ValueError(f"{name} would leave the building")
    return replace(new, room=room.id) if hasattr(record, "room") else new


def _all(
    project: Project, idents: Sequence[str], to: Callable[[Point], Point], turn: Callable[[float], float]
) -> Project:
    for collection, record in records_of(project, _with_companions(project, idents)):
        if collection in MOVABLE:
            project = put(project, _mapped(project, record, to, turn))
    return settled(project)


def move_many(project: Project, idents: Sequence[str], dx: float, dy: float) -> Project:
    """Move a selection. Raises ValueError where something would leave the building."""
    return _all(project, idents, lambda p: (round(p[0] + dx, 4), round(p[1] + dy, 4)), lambda a: a)


def middle_of_many(project: Project, idents: Sequence[str]) -> Point:
    """The middle of a selection's frame. Raises ValueError for nothing movable."""
    points = [
        p
        for collection, r in records_of(project, idents)
        if collection in MOVABLE
        for p in (r.outline if hasattr(r, "outline") else [(r.at[0], r.at[1])])
    ]
    if not points:
        raise ValueError("nothing in the selection can be moved")
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2


def turn_many(project: Project, idents: Sequence[str], degrees: float) -> Project:
    """Turn a selection about its middle, counter-clockwise."""
    cx, cy = middle_of_many(project, idents)
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))

    def to(p: Point) -> Point:
        x, y = p[0] - cx, p[1] - cy
        return round(cx + c * x - s * y, 4), round(cy + s * x + c * y, 4)

    return _all(project, idents, to, lambda a: a + degrees)


def mirror_many(project: Project, idents: Sequence[str], left_right: bool) -> Project:
    """Mirror a selection about its own middle: left for right, or top for bottom."""
    cx, cy = middle_of_many(project, idents)

    def to(p: Point) -> Point:
        return (round(2 * cx - p[0], 4), p[1]) if left_right else (p[0], round(2 * cy - p[1], 4))

    return _all(project, idents, to, (lambda a: 180.0 - a) if left_right else (lambda a: -a))


def align_many(project: Project, idents: Sequence[str], side: Side) -> Project:
    """Bring a selection into line at its outermost edge, or along its middle. Raises ValueError for fewer than two."""
    movable = [(c, r) for c, r in records_of(project, idents) if c in MOVABLE]
    if len(movable) < 2:
        raise ValueError("select two or more objects to align")

    def bounds_of(r: Any) -> tuple[float, float, float, float]:
        points = r.outline if hasattr(r, "outline") else [(r.at[0], r.at[1])]
        return (min(p[0] for p in points), min(p[1] for p in points), max(p[0] for p in points),
                max(p[1] for p in points))  # fmt: skip

    frames = [bounds_of(r) for _, r in movable]
    wanted = {
        "left": min(f[0] for f in frames), "right": max(f[2] for f in frames), "bottom": min(f[1] for f in frames),
        "top": max(f[3] for f in frames), "centre": sum((f[0] + f[2]) / 2 for f in frames) / len(frames),
        "middle": sum((f[1] + f[3]) / 2 for f in frames) / len(frames),
    }[side]  # fmt: skip
    for (_, r), f in zip(movable, frames):
        at = {"left": f[0], "right": f[2], "bottom": f[1], "top": f[3], "centre": (f[0] + f[2]) / 2,
              "middle": (f[1] + f[3]) / 2}[side]  # fmt: skip
        by = wanted - at
        across = side in ("left", "right", "centre")
        # What goes along with a piece and is selected itself is brought into line by itself.
        along = [x for x in _with_companions(project, [r.id]) if x == r.id or x not in idents]
        project = move_many_exactly(project, along, by if across else 0.0, 0.0 if across else by)
    return project


def duplicate_many(
    project: Project, idents: Sequence[str], dx: float = 0.3, dy: float = -0.3
) -> tuple[Project, list[str]]:
    """Copies of a selection, a step aside; the new ids. A copied sensor joins no presence until it is given a role."""
    made: list[str] = []
    for collection, record in records_of(project, _with_companions(project, idents)):
        # What is fixed to a piece is bought, not copied with it.
        if collection not in MOVABLE or (collection == "sensors" and record.id not in idents):
            continue
        ident = fresh_id(project, record.id.rstrip("0123456789").rstrip("-") or record.id)
        copy = replace(record, id=ident)
        project = replace(project, **{collection: (*getattr(project, collection), copy)})
        for step in ((dx, dy), (-dx, -dy), (dx, -dy), (-dx, dy), (0.0, 0.0)):
            try:
                project = move_many_exactly(project, [ident], *step)
                break
            except ValueError:
                continue
        made.append(ident)
    if not made:
        raise ValueError("nothing in the selection can be copied")
    return project, made


def move_many_exactly(project: Project, idents: Sequence[str], dx: float, dy: float) -> Project:
    """Move just these records, and not what lies on them."""
    for _, record in records_of(project, idents):
        project = put(project, _mapped(project, record, lambda p: (round(p[0] + dx, 4), round(p[1] + dy, 4)), _same))
    return settled(project)


def _same(degrees: float) -> float:
    return degrees


def set_many(project: Project, idents: Iterable[str], **fields: Any) -> Project:
    """Set the same fields on every selected record that has them."""
    for _, record in records_of(project, idents):
        mine = {k: v for k, v in fields.items() if k in record.__struct_fields__}
        if mine:
            project = put(project, replace(record, **mine))
    return project
