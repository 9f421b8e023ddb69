"""Routes through the building: which doors and stairs lead there, then around what stands in each room passed.

Doors are chosen by walls and stairs alone, as one knows a house; furniture is walked around room by room. So what is
moved in one room changes the route in that room only. Where furniture bars a room, the whole way is looked for anew.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.design.project import Project, find, indexed, on_level
from vastwatch.design.relations import levels_in_order
from vastwatch.geometry import polygons
from vastwatch.geometry.routes import Floor
from vastwatch.memo import exclude_from_size, memoised
from vastwatch.people.floors import floor_of, stair_ends
from vastwatch.site.building import Furnishing, Level, Opening, Room, Spot, Wall

Array = NDArray[np.float64]

# Spacing of the samples along a route, metres. Stairs are walked at so many times the speed on the level, and sampled
# as much closer, so that from one sample to the next it always takes as long.
STEP, STAIR_PACE = 0.1, 0.5
# What is farther from a room's frame than this does not bar it: a thick wall and the space kept from it, metres.
NEAR = 0.6


@exclude_from_size
@dataclass(frozen=True, eq=False)
class Route:
    """A walk from one spot to another, sampled every STEP metres, on stairs closer: (n, 2) points, level index, room
    index (-1 none), heading in degrees, and how fast it is walked as a share of the speed on the level, each (n,)."""

    points: Array
    level: NDArray[np.int32]
    room: NDArray[np.int32]
    heading: Array
    pace: Array

    @property
    def length(self) -> float:
        """Metres, on the plan."""
        return float(np.hypot(*np.diff(self.points, axis=0).T).sum())

    @cached_property
    def exit_sample(self) -> int:
        """The sample at which the first room is left; 0 where it never is."""
        left = np.flatnonzero(self.room != self.room[0])
        return int(left[0]) if len(left) else 0

    @cached_property
    def changes(self) -> tuple[NDArray[np.intp], NDArray[np.int64]]:
        """The samples at which it comes into a room (the first is one), and the index of that room, -1 for none."""
        at = np.flatnonzero(np.diff(self.room, prepend=-2))
        return at, self.room[at].astype(int)


@dataclass(frozen=True, eq=False)
class _Building:
    """What routes read: levels by elevation, and the records that bound, bar and join. One for the same records
    (`_building`), so that what is kept of it is found without a look at each of them."""

    levels: tuple[Level, ...]
    walls: tuple[Wall, ...]
    openings: tuple[Opening, ...]
    rooms: tuple[Room, ...]
    furnishings: tuple[Furnishing, ...]

    @cached_property
    def stairs(self) -> tuple[Furnishing, ...]:
        """The stairs alone."""
        return tuple(f for f in self.furnishings if f.kind == "stair")

    @cached_property
    def on(self) -> dict[str, _OnLevel]:
        """What stands on each level."""
        out = {}
        for k, level in enumerate(self.levels):
            below = on_level(self.stairs, self.levels[k - 1].id) if k else ()
            walls, furnishings = on_level(self.walls, level.id), on_level(self.furnishings, level.id)
            rooms = [(i, r) for i, r in enumerate(self.rooms) if r.level == level.id]
            # By id, so that where outlines overlap the order of the records does not matter.
            rooms.sort(key=lambda x: x[1].id)
            places = np.array([i for i, _ in rooms], np.int32)
            out[level.id] = _OnLevel(
                walls, on_level(self.rooms, level.id), furnishings, below, places,
                _frames([r.outline for _, r in rooms]), _frames([(w.a, w.b) for w in walls]),
                _frames([f.outline for f in furnishings]), _frames([f.outline for f in below]),
            )  # fmt: skip
        return out

    @cached_property
    def _floors(self) -> dict[object, Floor]:
        return {}

    def floor(self, level: Level, furnished: bool) -> Floor:
        """The walking floor of a level with all that stands on it, or its stairs alone."""
        key = level.id, furnished
        if key not in self._floors:
            on = self.on[level.id]
            there = on.furnishings if furnished else on_level(self.stairs, level.id)
            self._floors[key] = floor_of(
                level, on.walls, _openings_in(on.walls, self.openings), on.rooms, there, on.below
            )
        return self._floors[key]

    def room_floor(self, room: Room, level: Level) -> Floor:
        """The walking floor of one room, with what stands in it."""
        if room not in self._floors:
            on = self.on[level.id]
            reach = _frames([room.outline])[0] + np.array([-NEAR, -NEAR, NEAR, NEAR])
            walls = tuple(on.walls[k] for k in _meeting(on.wall_frames, reach))
            there = tuple(on.furnishings[k] for k in _meeting(on.furniture_frames, reach))
            below = tuple(on.below[k] for k in _meeting(on.below_frames, reach))
            self._floors[room] = floor_of(level, walls, _openings_in(walls, self.openings), (room,), there, below)
        return self._floors[room]


class _OnLevel(NamedTuple):
    """What stands on a level, and the stairs that come up to it; `places` of its rooms among all, by their ids, and the
    frames of each, (n, 4): least x and y, greatest x and y."""

    walls: tuple[Wall, ...]
    rooms: tuple[Room, ...]
    furnishings: tuple[Furnishing, ...]
    below: tuple[Furnishing, ...]
    places: NDArray[np.int32]
    room_frames: Array
    wall_frames: Array
    furniture_frames: Array
    below_frames: Array


def _frames(outlines: Sequence[Sequence[tuple[float, float]]]) -> Array:
    corners = [np.asarray(o, float) for o in outlines]
    return np.array([[*c.min(axis=0), *c.max(axis=0)] for c in corners]).reshape(-1, 4)


def _meeting(frames: Array, frame: Array) -> list[int]:
    """Which of some frames meet another."""
    apart = (frames[:, :2] > frame[2:]).any(axis=1) | (frames[:, 2:] < frame[:2]).any(axis=1)
    return np.flatnonzero(~apart).tolist()


def _openings_in(walls: Iterable[Wall], openings: tuple[Opening, ...]) -> tuple[Opening, ...]:
    """The openings in some walls, wall by wall."""
    by_wall = indexed(openings, _by_wall)
    return tuple(o for w in walls for o in by_wall.get(w.id, ()))


def _by_wall(openings: tuple[Opening, ...]) -> dict[str, list[Opening]]:
    out: dict[str, list[Opening]] = {}
    for o in openings:
        out.setdefault(o.wall, []).append(o)
    return out


def _building(project: Project) -> _Building:
    return _building_of(levels_in_order(project), project.walls, project.openings, project.rooms, project.furnishings)


_building_of = memoised(exclude_from_size(_Building))


def floors(project: Project) -> dict[str, Floor]:
    """The walking floor of every level, with all that stands on it."""
    b = _building(project)
    return {level.id: b.floor(level, furnished=True) for level in b.levels}


def room_floor(project: Project, room: Room) -> Floor:
    """The walking floor of one room, with what stands in it."""
    b = _building(project)
    return b.room_floor(room, find(b.levels, room.level))


def route(project: Project, start: Spot, goal: Spot) -> Route | None:
    """The sampled route between two spots, or None where nobody can walk. Cached by the building's parts."""
    return _route(_building(project), start, goal)


@memoised
def _route(b: _Building, start: Spot, goal: Spot) -> Route | None:
    stretches = _through(b, start, goal, furnished=False)
    if stretches is None:
        return None
    around = _around_furniture(b, stretches)
    if around is None:
        around = _through(b, start, goal, furnished=True)
    return None if around is None else _sampled(around, b)


class RouteSegment(NamedTuple):
    """A part of a route on one level (its place in order): corners (m, 2); `stair`: straight up or down one; `room`:
    the index of the room it is in up to its last point, -1 for none, None where it is in several."""

    level: int
    points: Array
    stair: bool = False
    room: int | None = None


def _through(b: _Building, start: Spot, goal: Spot, furnished: bool) -> list[RouteSegment] | None:
    """The shortest way by floors and stairs."""
    place = {level.id: i for i, level in enumerate(b.levels)}
    here, there = place[find(b.rooms, start.room).level], place[find(b.rooms, goal.room).level]

    def ground(i: int) -> Floor:
        return b.floor(b.levels[i], furnished)

    step = 1 if there >= here else -1
    # Every way to where one stands so far, by each stair there is; buildings have few.
    begun: list[_Begun] = [_Begun(0.0, start.at, ())]
    for i in range(here, there, step):
        lower = b.levels[min(i, i + step)]
        onward = []
        for foot, head in sorted(stair_ends(f) for f in b.stairs if f.level == lower.id):
            enter, leave = (foot, head) if step > 0 else (head, foot)
            # Of all who reach this stair, only the one that walked least goes on.
            arrived = [w for so_far in begun if (w := so_far.walked(ground(i), i, enter)) is not None]
            if arrived:
                # Anybody who is on the stairs belongs to the lower level.
                onward.append(min(arrived, key=_metres).climbed(min(i, i + step), leave))
        begun = onward
    arrived = [w for so_far in begun if (w := so_far.walked(ground(there), there, goal.at)) is not None]
    return list(min(arrived, key=_metres).stretches) if arrived else None


class _Begun(NamedTuple):
    """A way so far: how long it is, where it has come to, and its stretches."""

    metres: float
    at: tuple[float, float]
    stretches: tuple[RouteSegment, ...]

    def walked(self, floor: Floor, level: int, to: tuple[float, float]) -> _Begun | None:
        """On over a level's floor, or None where no way leads there."""
        points = floor.route(self.at, to)
        return None if points is None else self._on(RouteSegment(level, points), to)

    def climbed(self, level: int, to: tuple[float, float]) -> _Begun:
        """Up or down a stair that runs straight."""
        return self._on(RouteSegment(level, np.array([self.at, to]), True), to)

    def _on(self, stretch: RouteSegment, to: tuple[float, float]) -> _Begun:
        length = float(np.hypot(*np.diff(stretch.points, axis=0).T).sum())
        return _Begun(self.metres + length, to, (*self.stretches, stretch))


def _metres(begun: _Begun) -> float:
    return begun.metres


def _around_furniture(b: _Building, stretches: list[RouteSegment]) -> list[RouteSegment] | None:
    """The same rooms and doors, around what stands in each room, one stretch a room; None where something bars one."""
    out = []
    for stretch in stretches:
        if stretch.stair:
            out.append(stretch)
            continue
        points, room = _sampled_along(stretch, b)
        turns = np.flatnonzero(np.diff(room)) + 1
        for first, last in zip([0, *turns], [*turns, len(points) - 1]):
            piece = points[first : last + 1]
            if len(piece) < 2:
                continue
            k = int(room[first])
            if k >= 0:
                floor = b.room_floor(b.rooms[k], b.levels[stretch.level])
                found = floor.route(_point(piece[0]), _point(piece[-1]))
                if found is None:
                    return None
                piece = found
            out.append(RouteSegment(stretch.level, piece, room=k))
    return out


def _point(row: Array) -> tuple[float, float]:
    return float(row[0]), float(row[1])


def _sampled_along(stretch: RouteSegment, b: _Building) -> tuple[Array, NDArray[np.int32]]:
    """Points about every STEP along a stretch, on stairs closer, and the room index of each, -1 for none."""
    points = _spaced(stretch.points, STEP * STAIR_PACE if stretch.stair else STEP)
    if stretch.room is not None:
        return points, np.full(len(points), stretch.room, np.int32)
    room = np.full(len(points), -1, np.int32)
    on = b.on[b.levels[stretch.level].id]
    frame = np.concatenate([stretch.points.min(axis=0), stretch.points.max(axis=0)])
    for k in _meeting(on.room_frames, frame):
        place = int(on.places[k])
        room[polygons.contains(b.rooms[place].outline, points)] = place
    return points, _carried_on(room)


def _spaced(corners: Array, step: float) -> Array:
    """Points about so far apart along some corners, the first and the last among them."""
    s = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(corners, axis=0).T))])
    n = max(round(s[-1] / step), 1)
    t = np.linspace(0, s[-1], n + 1)
    return np.column_stack([np.interp(t, s, corners[:, k]) for k in (0, 1)])


def _carried_on(room: NDArray[np.int32]) -> NDArray[np.int32]:
    """On a shared edge no room may claim a point: it belongs to where the walker comes from."""
    known = np.where(room >= 0, np.arange(len(room)), 0)
    return room[np.maximum.accumulate(known)]


def _sampled(stretches: list[RouteSegment], b: _Building) -> Route:
    """The route along some stretches, each sampled by itself: one that is longer does not shift the others."""
    points, level, room, pace = [], [], [], []
    for k, stretch in enumerate(stretches):
        at, where = _sampled_along(stretch, b)
        # Its last point is the first of the next: there, the walker is already in the next room.
        n = len(at) - (1 if k < len(stretches) - 1 else 0)
        points.append(at[:n])
        room.append(where[:n])
        level.append(np.full(n, stretch.level, np.int32))
        pace.append(np.full(n, STAIR_PACE if stretch.stair else 1.0))
    along = np.concatenate(points)
    ahead = np.diff(along, axis=0, append=along[-1:])
    ahead[-1] = ahead[-2] if len(ahead) > 1 else (1.0, 0.0)
    heading = np.degrees(np.arctan2(ahead[:, 1], ahead[:, 0]))
    return Route(along, np.concatenate(level), _carried_on(np.concatenate(room)), heading, np.concatenate(pace))


class Along(NamedTuple):
    """The samples of some routes, one route after the other: see `Route`; `route`: which each is of. Route k has
    samples[k] from first[k] on, and leaves its first room at out[k] of them."""

    points: Array
    heading: Array
    pace: Array
    level: NDArray[np.int32]
    route: NDArray[np.int64]
    first: NDArray[np.int64]
    samples: NDArray[np.int64]
    out: NDArray[np.int64]

    def on(self, level: int) -> NDArray[np.intp]:
        """Which of the samples are on a level (by elevation)."""
        return np.flatnonzero(self.level == level)


@exclude_from_size
class RouteTable:
    """The distinct routes of a building asked for so far; it only grows, so that indices keep their meaning."""

    def __init__(self, project: Project) -> None:
        # After the spots come as many more, each at the place of one, where somebody is who cannot be anywhere: gone.
        self.spots = project.spots + tuple(replace(s, id="", activity="away") for s in project.spots)
        self.place = {s.id: i for i, s in enumerate(project.spots)}
        order = {lv.id: i for i, lv in enumerate(levels_in_order(project))}
        self.spot_level = [order[find(project.rooms, s.room).level] for s in self.spots]
        self.routes: list[Route] = []
        self.project = project
        self._known: dict[tuple[int, int], int] = {}
        self._growing = Lock()

    def along(self, routes: int) -> Along:
        """The samples of the first so many routes."""
        return _along(self, routes)

    def away_index(self, place: int) -> int:
        """The place of anybody who vanishes at a spot; of such a place, itself."""
        n = len(self.spots) // 2
        return place if place >= n else place + n

    def between(self, a: int, b: int) -> int:
        """Index of the route from spot a to spot b; -1 where there is none. Who vanishes, or comes back, does so
        within a step."""
        n = len(self.spots) // 2
        if (index := self._known.get((a, b))) is not None:
            return index
        with self._growing:
            if (a, b) not in self._known:
                found = route(self.project, self.spots[a % n], self.spots[b % n])
                self._known[a, b] = -1 if found is None else len(self.routes)
                if found is not None:
                    self.routes.append(found)
            return self._known[a, b]


@memoised
def _along(book: RouteTable, routes: int) -> Along:
    known = book.routes[:routes]
    samples = np.array([len(r.points) for r in known], np.int64)
    points, heading, pace, level = (
        np.concatenate([none, *(getattr(r, column) for r in known)])
        for column, none in (
            ("points", np.empty((0, 2))), ("heading", np.empty(0)), ("pace", np.empty(0)),
            ("level", np.zeros(0, np.int32)),
        )
    )  # fmt: skip
    return Along(
        points,
        heading,
        pace,
        level,
        np.repeat(np.arange(len(known)), samples),
        np.cumsum(samples) - samples,
        samples,
        np.array([r.exit_sample for r in known], np.int64),
    )
