"""Names and phrases made from where things are: `Chair by the window`, `door between shop and passage`."""

from __future__ import annotations

import math
from collections.abc import Iterator

from vastwatch.design.places import middle_of, opening_middle, room_at, rooms_beside
from vastwatch.design.project import Project, on_level, unique_name
from vastwatch.site.building import Furnishing, Opening, Room
from vastwatch.site.record import Point

# What is farther away than this names nothing, metres.
NEAR_M = 2.0


def place_name(project: Project, stem: str, room: Room, at: Point, but: str = "") -> str:
    """A name for something new at a place of a room: the stem where nothing there is called so, else by what is near,
    else numbered. `but`: the id of a piece that it belongs to."""
    taken = {s.name.casefold() for s in project.spots if s.room == room.id}
    pieces = [f for f in on_level(project.furnishings, room.level) if f.id != but]
    here = [f for f in pieces if room_at(project, room.level, *middle_of(f)) is room]
    if stem[:1].isupper():
        # Pieces are told from pieces, positions from positions.
        taken = {f.name.casefold() for f in here}
    if stem.casefold() not in taken:
        return stem
    near = ((math.dist(p, at), words) for p, words in _landmarks(project, room, here, stem))
    for distance, words in sorted(near):
        if distance <= NEAR_M and f"{stem} by the {words}".casefold() not in taken:
            return f"{stem} by the {words}"
    return unique_name(stem, (name for n in taken for name in (n, n.capitalize())))


def _landmarks(project: Project, room: Room, pieces: list[Furnishing], stem: str) -> Iterator[tuple[Point, str]]:
    for o in project.openings:
        if any(r is not None and r.id == room.id for r in rooms_beside(project, o)):
            yield opening_middle(project, o)[0], o.kind
    for f in pieces:
        if not f.name.casefold().startswith(stem.casefold()):
            yield middle_of(f), f.name.lower()


def opening_words(project: Project, opening: Opening) -> str:
    """What an opening is called: `door between shop and passage`,
    `window of shop`, `outside door of shop`."""
    names = [r.name.lower() for r in rooms_beside(project, opening) if r is not None]
    if len(names) == 2 and names[0] != names[1]:
        return f"{opening.kind} between {names[0]} and {names[1]}"
    if not names:
        return opening.kind
    return f"{'outside ' if opening.kind != 'window' else ''}{opening.kind} of {names[0]}"
