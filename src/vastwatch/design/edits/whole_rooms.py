"""Whole rooms moved and copied, with their walls and all that is in them.

A wall belongs to every room along whose edge it runs. Where a room goes, the stretches that bound only it go along,
with their doors and windows; those it shares with a neighbour stay, and the room gets walls of the same kind where it
arrives, unless some stand there already. Each is a function from a project to a project.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from typing import Any, NamedTuple

from msgspec.structs import replace

from vastwatch.design.edits.building import SAME, add_room, alongside, overlapped, room_edges, uncovered
from vastwatch.design.edits.removing import count_words, removed
from vastwatch.design.edits.wall_places import out_of_place, walls_by_place
from vastwatch.design.places import middle_of, opening_middle, room_of
from vastwatch.design.project import IN_ROOMS, Project, find, fresh_id, fresh_ids, on_level, put, unique_name
from vastwatch.design.references import copied
from vastwatch.geometry import polygons
from vastwatch.site.building import Opening, Room, Wall
from vastwatch.site.record import Outline, Point

Spans = list[tuple[float, float]]


class Relocated(NamedTuple):
    """The project with the room where it is now, and what could not come along, in words."""

    project: Project
    gone: tuple[str, ...]


def move_room(project: Project, ident: str, dx: float, dy: float) -> Relocated:
    """Move a room. Raises ValueError where it would overlap another one."""
    room = find(project.rooms, ident)
    outline = _shifted(room.outline, dx, dy)
    other = overlapped(outline, (r for r in on_level(project.rooms, room.level) if r is not room))
    if other is not None:
        raise ValueError(f"{room.name} would overlap {other.name.lower()}")
    odd = {wall.id for wall, _ in out_of_place(project, room.level, partial(_bounds, room_edges(room)))}
    parting = _parted(project, room)
    carried = _carried(project, room)
    there = [w for w in parting.stays if w.level == room.level]
    arrived, openings, lost = _set_down(project, parting, there, dx, dy)
    went = {o.id for g in parting.goes for o, _ in g.openings}
    # What is fixed to a door goes where the door goes, whichever side of it the door is told of.
    stay = {o.id for o in project.openings} - went
    carried["sensors"] -= {s.id for s in project.sensors if s.host in stay}
    carried["sensors"] |= {s.id for s in project.sensors if s.host in went}
    for ident in lost:
        project = removed(project, ident)
    project = replace(
        project,
        rooms=tuple(replace(r, outline=outline) if r is room else r for r in project.rooms),
        walls=(*parting.stays, *arrived), openings=openings,
    )  # fmt: skip
    for collection, idents in carried.items():
        moved = tuple(_moved(r, dx, dy) if r.id in idents else r for r in getattr(project, collection))
        project = replace(project, **{collection: moved})
    project = _at_their_doors(project, stay)
    # Where it was and where it is, walls between two rooms come to face the outside, and the other way round. One that
    # was built for another place before stays so.
    edges = [*room_edges(room), *room_edges(find(project.rooms, room.id))]
    project = walls_by_place(project, room.level, lambda wall: wall.id not in odd and _bounds(edges, wall))
    return Relocated(project, (count_words(len(lost), "opening"),) if lost else ())


def _bounds(edges: list[tuple[Point, Point]], wall: Wall) -> bool:
    """Whether a wall runs along one of some edges."""
    return any(alongside(wall, edge) for edge in edges)


def _at_their_doors(project: Project, stay: set[str]) -> Project:
    """Sensors that are fixed to a door or window which stays, on the side of the room that went, are mounted in the
    opening itself. Raises ValueError where one is outside every room even so."""
    for sensor in project.sensors:
        if room_of(project, sensor) is not None:
            continue
        if sensor.host in stay:
            (x, y), _ = opening_middle(project, find(project.openings, sensor.host))
            project = put(project, replace(sensor, at=(round(x, 4), round(y, 4), sensor.at[2])))
        if room_of(project, find(project.sensors, sensor.id)) is None:
            raise ValueError(f"{sensor.name} would be left outside")
    return project


def copy_room(project: Project, ident: str) -> tuple[Project, Room]:
    """A copy beside a room, wall to wall where there is place: with its doors and windows, furniture, spots, lamps with
    their scenes and groups, and hazards; without sensors, and without the way out."""
    room = find(project.rooms, ident)
    dx, dy = _place_for_copy(project, room)
    new, made = add_room(
        project,
        room.level,
        unique_name(room.name, (r.name for r in project.rooms)),
        room.use,
        _shifted(room.outline, dx, dy),
    )
    new = replace(
        new,
        rooms=tuple(
            replace(r, ambient_c=room.ambient_c, control=room.control, needs=room.needs) if r.id == made.id else r
            for r in new.rooms
        ),
        lamps=new.lamps[: len(project.lamps)],
        walls=(*project.walls, *(_like_its_model(project, w, dx, dy) for w in new.walls[len(project.walls) :])),
    )
    for opening in project.openings:
        host = find(project.walls, opening.wall)
        if host.level != room.level:
            continue
        if _within(opening, list(_along(host, [room]))):
            new = _opening_copied(new, opening, host, dx, dy)
    carried = _carried(project, room)
    names = {room.id: made.id}
    for collection in ("furnishings", "hazards", *IN_ROOMS):
        for record in getattr(project, collection):
            if record.id in carried[collection] and getattr(record, "activity", "") != "away":
                stem = record.id.rstrip("0123456789").rstrip("-") or record.id
                changes: dict[str, Any] = {"id": fresh_id(new, stem)}
                if hasattr(record, "room"):
                    changes |= {"room": made.id, "name": record.name.replace(room.name, made.name)}
                if getattr(record, "window", None) is not None:
                    changes["window"] = None
                copy = replace(_moved(record, dx, dy), **changes)
                names[record.id] = copy.id
                new = replace(new, **{collection: (*getattr(new, collection), copy)})
    return _scenes_copied(new, room, names), find(new.rooms, made.id)


def _scenes_copied(project: Project, room: Room, names: dict[str, str]) -> Project:
    """Copies of a room's scenes and lamp groups, of the lamps that were copied; buttons ask for them. Its rows stay its
    own: they follow what is concluded there."""
    for collection, stem in (("scenes", "scene"), ("lamp_groups", "lamps")):
        mine = [r for r in getattr(project, collection) if r.room == room.id]
        fresh = fresh_ids(project, f"{stem} {names[room.id]}")
        ids = {r.id: next(fresh) for r in mine}
        copies, made = copied(mine, lambda r, ids=ids: ids[r.id], names)  # type: ignore[misc]
        names = {**names, **made}
        project = replace(project, **{collection: (*getattr(project, collection), *copies)})
    buttons = tuple(
        replace(b, scene=names.get(b.scene or "", b.scene)) if b.room == names[room.id] and b.scene is not None else b
        for b in project.buttons
    )
    return replace(project, buttons=buttons)


def _like_its_model(project: Project, wall: Wall, dx: float, dy: float) -> Wall:
    """A copied room's wall, as thick and of the same stuff as the one it is copied from."""
    back = _shifted((wall.a, wall.b), -dx, -dy)
    for model in on_level(project.walls, wall.level):
        if alongside(model, (back[0], back[1])):
            return replace(wall, thickness=model.thickness, material=model.material)
    return wall


# -- what goes ---------------------------------------------------------------------------------------------------------


def _carried(project: Project, room: Room) -> dict[str, set[str]]:
    """Ids of all that is in a room, by collection."""

    def inside(record: Any) -> bool:
        return bool(record.level == room.level and polygons.contains_point(room.outline, *middle_of(record)))

    out = {
        c: {r.id for r in getattr(project, c) if inside(r)} for c in ("furnishings", "hazards", "sockets", "switches")
    }
    levels = {s.id: s.level for s in project.sensors}
    out["zones"] = {
        z.id for z in project.zones
        if levels.get(z.sensor) == room.level and polygons.contains_point(room.outline, *middle_of(z))
    }  # fmt: skip
    out["sensors"] = {s.id for s in project.sensors if (home := room_of(project, s)) is not None and home is room}
    return out | {c: {r.id for r in getattr(project, c) if r.room == room.id} for c in IN_ROOMS}


def _moved(record: Any, dx: float, dy: float) -> Any:
    if hasattr(record, "outline"):
        return replace(record, outline=_shifted(record.outline, dx, dy))
    x, y = round(record.at[0] + dx, 4), round(record.at[1] + dy, 4)
    return replace(record, at=(x, y, *record.at[2:]))


def _shifted(outline: Outline, dx: float, dy: float) -> Outline:
    return tuple((round(x + dx, 4), round(y + dy, 4)) for x, y in outline)


# -- walls -------------------------------------------------------------------------------------------------------------


class _Going(NamedTuple):
    """A stretch of wall that goes along, as a wall of its own, with its openings, each with where it begins on it."""

    wall: Wall
    openings: list[tuple[Opening, float]]


class _Parting(NamedTuple):
    """What becomes of the walls when a room goes: those that stay, what goes, the openings on those that stay, and the
    ids of openings that reach over a cut."""

    stays: tuple[Wall, ...]
    goes: list[_Going]
    openings: tuple[Opening, ...]
    cut: tuple[str, ...]


def _parted(project: Project, room: Room) -> _Parting:
    others = [r for r in on_level(project.rooms, room.level) if r is not room]
    ids = fresh_ids(project, f"{room.level}-wall")
    by_wall: dict[str, list[Opening]] = {}
    for o in project.openings:
        by_wall.setdefault(o.wall, []).append(o)
    stays: list[Wall] = []
    goes: list[_Going] = []
    changed: dict[str, Opening | None] = {}
    cut: list[str] = []
    for wall in project.walls:
        mine = list(_along(wall, [room])) if wall.level == room.level else []
        if not mine:
            stays.append(wall)
            continue
        shared = list(_along(wall, others))
        only_mine = _less(mine, shared)
        kept = _less([(0.0, math.dist(wall.a, wall.b))], only_mine)
        hosted = by_wall.get(wall.id, [])
        pieces = [_stretch(wall, a, b, wall.id if k == 0 else next(ids)) for k, (a, b) in enumerate(kept)]
        whole = len(pieces) == 1 and not only_mine
        stays += [wall] if whole else pieces
        for k, (a, b) in enumerate(mine):
            ident = wall.id if not kept and k == 0 else next(ids)
            going = [o for o in hosted if _within(o, only_mine) and _within(o, [(a, b)])]
            goes.append(_Going(_stretch(wall, a, b, ident), [(o, o.offset - a) for o in going]))
            for o in going:
                changed[o.id] = None
        if not whole:
            for o in hosted:
                at = next(((p, a) for p, (a, b) in zip(pieces, kept) if _within(o, [(a, b)])), None)
                if o.id not in changed and at is not None:
                    changed[o.id] = replace(o, wall=at[0].id, offset=round(o.offset - at[1], 4))
                elif o.id not in changed:
                    changed[o.id] = None
                    cut.append(o.id)
    openings = tuple(
        new for o in project.openings if (new := changed.get(o.id, o)) is not None
    )  # fmt: skip
    return _Parting(tuple(stays), goes, openings, tuple(cut))


def _set_down(
    project: Project, parting: _Parting, there: list[Wall], dx: float, dy: float
) -> tuple[list[Wall], tuple[Opening, ...], list[str]]:
    """The walls that went, where they arrive: not where others stand already; with their openings on whichever wall is
    there. Also the ids of openings that found no place."""
    ids = fresh_ids(replace(project, walls=(*project.walls, *(g.wall for g in parting.goes))), "wall")
    arrived: list[Wall] = []
    openings, lost = list(parting.openings), list(parting.cut)
    for going in parting.goes:
        a, b = _shifted((going.wall.a, going.wall.b), dx, dy)
        pieces = [
            replace(going.wall, a=s, b=e, id=going.wall.id if k == 0 else next(ids))
            for k, (s, e) in enumerate(uncovered(a, b, there))
        ]
        arrived += pieces
        length = math.dist(a, b)
        way = ((b[0] - a[0]) / length, (b[1] - a[1]) / length)
        for opening, at in going.openings:
            x, y = a[0] + at * way[0], a[1] + at * way[1]
            hosted = _hosted(
                opening, (x, y), ((b[0] - a[0]) / length, (b[1] - a[1]) / length), [*pieces, *there], openings
            )
            if hosted is None:
                lost.append(opening.id)
            else:
                openings.append(hosted)
    return arrived, tuple(openings), lost


def _hosted(opening: Opening, begin: Point, way: Point, walls: list[Wall], others: list[Opening]) -> Opening | None:
    """An opening on the first wall that runs under it and has place, its leaf swinging as it did; else None."""
    end = (begin[0] + opening.width * way[0], begin[1] + opening.width * way[1])
    for wall in walls:
        length = math.dist(wall.a, wall.b)
        ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
        on = [((p[0] - wall.a[0]) * ux + (p[1] - wall.a[1]) * uy, (p[1] - wall.a[1]) * ux - (p[0] - wall.a[0]) * uy)
              for p in (begin, end)]  # fmt: skip
        lo, hi = sorted(s for s, _ in on)
        if any(abs(off) > SAME for _, off in on) or lo < -SAME or hi > length + SAME:
            continue
        lo = round(max(lo, 0.0), 4)
        if any(
            o.wall == wall.id and o.offset < lo + opening.width - SAME and lo < o.offset + o.width - SAME
            for o in others
        ):
            continue
        same_way = ux * way[0] + uy * way[1] > 0
        new = replace(opening, wall=wall.id, offset=lo)
        return new if same_way else _turned_round(new)
    return None


def _turned_round(opening: Opening) -> Opening:
    """The same leaf told from the wall's other end."""
    return replace(
        opening, hinge="b" if opening.hinge == "a" else "a", swings="right" if opening.swings == "left" else "left"
    )


def _opening_copied(project: Project, opening: Opening, host: Wall, dx: float, dy: float) -> Project:
    length = math.dist(host.a, host.b)
    way = ((host.b[0] - host.a[0]) / length, (host.b[1] - host.a[1]) / length)
    begin = (host.a[0] + opening.offset * way[0] + dx, host.a[1] + opening.offset * way[1] + dy)
    walls = list(on_level(project.walls, host.level))
    copy = replace(opening, id=fresh_id(project, opening.kind))
    hosted = _hosted(copy, begin, way, walls, list(project.openings))
    return project if hosted is None else replace(project, openings=(*project.openings, hosted))


def _along(wall: Wall, rooms: list[Room]) -> Iterator[tuple[float, float]]:
    """The stretches of a wall that run along edges of rooms, metres from its end a."""
    length = math.dist(wall.a, wall.b)
    if length < SAME:
        return
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    for room in rooms:
        for edge in room_edges(room):
            on = [((p[0] - wall.a[0]) * ux + (p[1] - wall.a[1]) * uy, (p[1] - wall.a[1]) * ux - (p[0] - wall.a[0]) * uy)
                  for p in edge]  # fmt: skip
            if any(abs(off) > SAME for _, off in on):
                continue
            lo, hi = sorted(s for s, _ in on)
            lo, hi = max(lo, 0.0), min(hi, length)
            if hi - lo > SAME:
                yield lo, hi


def _less(spans: Spans, taken: Spans) -> Spans:
    """What of some stretches is left outside others, in order; slivers are dropped."""
    out = sorted(spans)
    for c, d in taken:
        out = [p for a, b in out for p in ((a, min(b, c)), (max(a, d), b)) if p[1] - p[0] > SAME]
    return out


def _within(opening: Opening, spans: Spans) -> bool:
    end = opening.offset + opening.width
    return any(a - SAME <= opening.offset and end <= b + SAME for a, b in spans)


def _stretch(wall: Wall, a: float, b: float, ident: str) -> Wall:
    length = math.dist(wall.a, wall.b)

    def point(s: float) -> Point:
        k = s / length
        return (round(wall.a[0] + k * (wall.b[0] - wall.a[0]), 4), round(wall.a[1] + k * (wall.b[1] - wall.a[1]), 4))

    return replace(wall, id=ident, a=point(a), b=point(b))


# -- copies ------------------------------------------------------------------------------------------------------------


def _place_for_copy(project: Project, room: Room) -> Point:
    """How far aside a copy has place: right, left, above, below, wall to wall; else right of everything."""
    x0, y0, x1, y1 = polygons.bounds(room.outline)
    others = on_level(project.rooms, room.level)
    for dx, dy in ((x1 - x0, 0.0), (x0 - x1, 0.0), (0.0, y1 - y0), (0.0, y0 - y1)):
        outline = _shifted(room.outline, dx, dy)
        if overlapped(outline, others) is None:
            return dx, dy
    return max(p[0] for r in others for p in r.outline) - x0, 0.0
