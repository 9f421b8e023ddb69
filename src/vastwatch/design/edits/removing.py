"""Taking things away, with what goes along: what names them, as its declarations say, and what is only there with them.

A room takes along what is in it and the walls that no other room shares, furniture the spots on it, a level everything.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any, NamedTuple

from msgspec.structs import replace

from vastwatch.design.edits.building import SAME, room_edges, uncovered
from vastwatch.design.places import middle_of, room_of
from vastwatch.design.project import Project, find, find_any, on_level
from vastwatch.design.references import all_references, singular, without
from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing, Room, Wall
from vastwatch.site.record import Point

# What is told of that went along, and in this order; presences and people's lines follow from the rest.
_TOLD = ("walls", "openings", "sensors", "lamps", "outputs", "spots", "hazards", "sockets", "switches")


class Removal(NamedTuple):
    """The project after a deletion; in words what went with it, and what still stands where it stood."""

    project: Project
    gone: tuple[str, ...]
    stays: tuple[str, ...] = ()

    def in_words(self) -> str:
        """What becomes of the rest, to follow on the name of what is deleted."""
        with_ = f", along with {', '.join(self.gone)}" if self.gone else ""
        return with_ + (f"; {', '.join(self.stays)} kept in place" if self.stays else "")


def remove(project: Project, idents: Iterable[str]) -> Removal:
    """Take records away with what goes along; what that was, in words. Ids that are not there are passed over.

    Raises ValueError for the last level.
    """
    named = [i for i in dict.fromkeys(idents) if find_any(project, i) is not None]
    if project.levels and all(level.id in named for level in project.levels):
        raise ValueError("a building needs at least one level")
    leaving = set(named)
    for ident in named:
        leaving |= _only_there_with(project, ident)
    new = without_unused_types(project, without(project, leaving))
    return Removal(new, _words(project, new, named), _left(new, [r for r in project.rooms if r.id in named]))


def removed(project: Project, *idents: str) -> Project:
    """`remove`, for anybody who does not tell of it."""
    return remove(project, idents).project


def _only_there_with(project: Project, ident: str) -> set[str]:
    """Ids of what is nowhere else than in or on a record, though it does not name it."""
    found = find_any(project, ident)
    assert found is not None
    collection, record = found
    if collection == "furnishings":
        return _on_piece(project, record)
    if collection == "rooms":
        return _in_room(project, record)
    if collection == "levels":
        return set().union(*(_in_room(project, room) for room in on_level(project.rooms, ident)))
    return set()


def _on_piece(project: Project, piece: Furnishing) -> set[str]:
    return {
        s.id
        for s in project.spots
        if find(project.rooms, s.room).level == piece.level and polygons.contains_point(piece.outline, *s.at)
    }


def _in_room(project: Project, room: Room) -> set[str]:
    def inside(record: Any) -> bool:
        return bool(record.level == room.level and polygons.contains_point(room.outline, *middle_of(record)))

    leaving = {s.id for s in project.sensors if (home := room_of(project, s)) is not None and home.id == room.id}
    for records in (project.hazards, project.sockets, project.switches):
        leaving |= {r.id for r in records if inside(r)}
    others = [e for r in on_level(project.rooms, room.level) if r is not room for e in room_edges(r)]
    mine = room_edges(room)
    for wall in on_level(project.walls, room.level):
        bounds = any(alongside(wall, e) for e in mine)
        if bounds and not any(alongside(wall, e) for e in others):
            leaving.add(wall.id)
    return leaving


def alongside(wall: Wall, edge: tuple[Point, Point]) -> bool:
    """Whether a wall and an edge share a stretch of the same line."""
    whole = math.dist(*edge)
    left = sum(math.dist(s, e) for s, e in uncovered(*edge, [wall]))
    return whole - left > SAME


def without_unused_types(old: Project, new: Project) -> Project:
    """Device types that nothing names any more leave the project with what named them."""
    if new.sensors is old.sensors and new.circuits is old.circuits and new.brief is old.brief:
        return new
    used = {r.ident for r in all_references(new) if "devices" in r.ref.collections}
    devices = tuple(d for d in new.devices if d.id in used)
    return new if len(devices) == len(new.devices) else replace(new, devices=devices)


def _words(old: Project, new: Project, named: list[str]) -> tuple[str, ...]:
    """What went along, beside what was named."""

    def lost(collection: str) -> int:
        mine = {r.id for r in getattr(old, collection)}
        return len(mine) - len(getattr(new, collection)) - len(mine.intersection(named))

    if lost("rooms"):
        # With a whole level, what is in its rooms goes without saying.
        return (count_words(lost("rooms"), "room"),)
    out = [count_words(lost(c), singular(c)) for c in _TOLD]
    spots = {r.id for r in old.spots}
    if spots.intersection(named):
        lines = _lines(old) - _lines(new)
        out.append(f"{lines} schedule lines" if lines else "")
    return tuple(words for words in out if words)


def _left(new: Project, rooms: list[Room]) -> tuple[str, ...]:
    """The furniture that stands where rooms were."""
    pieces = sum(
        any(f.level == r.level and polygons.contains_point(r.outline, *middle_of(f)) for r in rooms)
        for f in new.furnishings
    )
    return (count_words(pieces, "piece"),) if pieces else ()


def _lines(project: Project) -> int:
    return sum(len(p.stays) + len(p.errands) for p in project.people)


def count_words(n: int, word: str) -> str:
    """`1 wall`, `3 walls`, `2 switches`; nothing for none."""
    return "" if n == 0 else f"1 {word}" if n == 1 else f"{n} {word}{'es' if word.endswith('ch') else 's'}"
