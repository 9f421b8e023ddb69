"""The walk test without the ladder: side-steps at each door of a room, and any way walked a hundred times.

It is what a practitioner does first: stand on the mat, sway to the left and to the right, and see whether anything
happens; then walk in, turn, and walk out. Who is noticed, by which sensor, after how long, and how far in the dark.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.judging.requirements import STEP_S
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.needs import needs_of
from vastwatch.design.placed import at_hour
from vastwatch.design.places import opening_middle, room_at
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.geometry import polygons
from vastwatch.people.routes import room_floor
from vastwatch.rehearsal.reaction_inputs import starters_of
from vastwatch.rng import exponential, key_of, sub_keys
from vastwatch.sensing.bodies import STANDING, WALKING_SPEED, Walker
from vastwatch.sensing.model import latency_s, walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Opening, Room
from vastwatch.site.record import Point

Array = NDArray[np.float64]

# Somebody stands so far inside the door and side-steps so far to either side at such a speed, for so long: metres,
# m/s, seconds.
INSIDE_M, SIDE_M, SIDE_SPEED, SWAYED_S = 0.4, 0.35, 0.6, 12.0
# A way is looked at so often, seconds, and walked so many times.
TICK_S, DRAWS = 0.1, 100
# An opening belongs to a room whose outline passes so near to it, metres.
NEAR_M = 0.2
# A sway counts as noticed when so many of those who try are.
NOTICED = 0.9


@dataclass(frozen=True)
class SidestepTest:
    """Side-steps at a point inside a `door` (its middle), with what lies `beyond` it: after how long the sensors that
    start the room's light have reported half and nine in ten of those who try, seconds, inf for never; the quickest of
    them; and how soon it ought to be."""

    room: str
    opening: str
    door: Point
    beyond: str
    at: Point
    median_s: float
    p90_s: float
    sensor: str | None
    limit_s: float

    @property
    def good(self) -> bool:
        """Whether they are noticed as soon as the room's needs ask."""
        return self.p90_s <= self.limit_s


@dataclass(frozen=True)
class FirstNotice:
    """Where on a way a sensor first notices: in the middle of those walks on which it does, metres from the begin and
    seconds, its report included; and on which share of the walks it does at all."""

    sensor: str
    metres: float
    seconds: float
    share: float


@dataclass(frozen=True, eq=False)
class Walk:
    """A way that was walked `DRAWS` times: its points, length, and how long it takes; what each sensor noticed, the
    soonest first; on average the seconds and metres in rooms whose light follows presence and was not on yet; and every
    TICK_S the share of the walks on which light had come on there, nan where none follows presence."""

    level: str
    points: tuple[Point, ...]
    metres: float
    seconds: float
    noticings: tuple[FirstNotice, ...]
    dark_s: float
    dark_m: float
    lit_share: Array


def entrances(project: Project, room: Room) -> list[tuple[Opening, Point, Point]]:
    """The doors and archways of a room: each with the point just inside, and the way along its wall."""
    outline = np.asarray(room.outline, float)
    following = np.roll(outline, -1, axis=0)
    out = []
    for opening in project.openings:
        if opening.kind == "window" or find(project.walls, opening.wall).level != room.level:
            continue
        (x, y), (ux, uy) = opening_middle(project, opening)
        if polygons.nearest_on_segments((x, y), outline, following)[0].min() > NEAR_M:
            continue
        for sign in (1.0, -1.0):
            at = (round(x - sign * uy * INSIDE_M, 3), round(y + sign * ux * INSIDE_M, 3))
            if room_at(project, room.level, *at) is room:
                out.append((opening, at, (ux, uy)))
                break
    return out


def sidestep_tests(project: Project, room_id: str) -> list[SidestepTest]:
    """Side-steps at every door of a room. Raises KeyError for a room that is not there."""
    room = find(project.rooms, room_id)
    limit = needs_of(project, room).notice_s + STEP_S
    starters = _starters(project, room)
    out = []
    for opening, (x, y), (ux, uy) in entrances(project, room):
        # To the left, back, to the right, back, and so on: where, and which way.
        t = np.arange(0.0, SWAYED_S, TICK_S)
        phase = (t * SIDE_SPEED / SIDE_M) % 4.0
        offset = SIDE_M * np.where(phase < 1, phase, np.where(phase < 3, 2 - phase, phase - 4))
        toward = np.where((phase < 1) | (phase >= 3), 1.0, -1.0)
        points = np.column_stack([x + ux * offset, y + uy * offset])
        heading = np.degrees(np.arctan2(uy * toward, ux * toward))
        hazard, soonest = np.zeros(len(t)), (math.inf, "")
        for sensor in starters:
            mounted = mount(project, at_hour(sensor))
            expected = np.cumsum(walker_rate(mounted, points, Walker(STANDING, SIDE_SPEED, None, heading))) * TICK_S
            shifted = np.interp(t - latency_s(mounted.device), t, expected, left=0.0)
            hazard += shifted
            soonest = min(soonest, (_reached(t, shifted, 0.5), sensor.id))
        quick = soonest[1] if math.isfinite(soonest[0]) else None
        half, nearly = _reached(t, hazard, 0.5), _reached(t, hazard, NOTICED)
        mx, my = opening_middle(project, opening)[0]
        other = room_at(project, room.level, 2 * mx - x, 2 * my - y)
        beyond = "outside" if other is None else other.name
        out.append(SidestepTest(room.id, opening.id, (mx, my), beyond, (x, y), half, nearly, quick, limit))
    return out


def _reached(t: Array, hazard: Array, share: float) -> float:
    """When a share of those who try has been noticed, by the noticing expected so far."""
    k = np.flatnonzero(hazard >= -math.log1p(-share))
    return float(t[k[0]]) if len(k) else math.inf


def _starters(project: Project, room: Room) -> list[Sensor]:
    """The sensors on its level that start a room's light."""
    presence = presence_of(project, room.id)
    if presence is None:
        return []
    every = [find(project.sensors, s) for s in starters_of(presence)]
    return [s for s in every if s.level == room.level]


def in_and_out(project: Project, room_id: str, opening_id: str) -> tuple[Point, ...]:
    """The way in through a door to the middle of the floor where one can walk, around what stands there, and out again;
    in and out at once where no way leads there. Raises KeyError for a door not of it."""
    room = find(project.rooms, room_id)
    for opening, (x, y), _ in entrances(project, room):
        if opening.id == opening_id:
            mx, my = opening_middle(project, opening)[0]
            outside = (round(2 * mx - x, 3), round(2 * my - y, 3))
            into = _into(project, room, (x, y))
            return outside, *into, *into[-2::-1], outside
    raise KeyError(opening_id)


def _into(project: Project, room: Room, inside: Point) -> tuple[Point, ...]:
    """From just inside a door to the middle of the walkable floor; the point inside alone where there is none."""
    floor = room_floor(project, room)
    walkable = floor.grid.points[floor.free.ravel()]
    if len(walkable) == 0:
        return (inside,)
    goal = floor.grid.points[floor.nearest_free(tuple(walkable.mean(axis=0).tolist()))]
    way = floor.route(inside, (float(goal[0]), float(goal[1])))
    return (inside,) if way is None else tuple((round(float(px), 3), round(float(py), 3)) for px, py in way)


def walk(project: Project, level: str, points: Sequence[Point], speed: float = WALKING_SPEED, seed: int = 1) -> Walk:
    """Walk a way on a level, m/s. Raises ValueError with a sentence for one that leads nowhere, or no speed."""
    corners = np.asarray(points, float).reshape(-1, 2)
    steps = np.hypot(*np.diff(corners, axis=0).T) if len(corners) > 1 else np.zeros(0)
    if not steps.sum() > 0:
        raise ValueError("a path needs two points that are apart")
    if not 0.1 <= speed <= 5.0:
        raise ValueError("walking speed must be 0.1 to 5 m/s")
    along = np.concatenate([[0.0], np.cumsum(steps)])
    t = np.arange(0.0, along[-1] / speed + TICK_S, TICK_S)
    s = np.minimum(t * speed, along[-1])
    at = np.column_stack([np.interp(s, along, corners[:, k]) for k in (0, 1)])
    piece = np.clip(np.searchsorted(along, s, side="right") - 1, 0, len(steps) - 1)
    way = np.diff(corners, axis=0)[piece]
    heading = np.degrees(np.arctan2(way[:, 1], way[:, 0]))
    reported: dict[str, Array] = {}
    for sensor in project.sensors:
        if sensor.level != level:
            continue
        mounted = mount(project, at_hour(sensor))
        hazard = np.cumsum(walker_rate(mounted, at, Walker(STANDING, speed, None, heading))) * TICK_S
        if hazard[-1] <= 0:
            continue
        drawn = exponential(sub_keys(key_of(seed, "walk", sensor.id), np.arange(DRAWS)), 0)
        k = np.searchsorted(hazard, drawn)
        when = np.append(t, np.inf)[k]
        reported[sensor.id] = when + latency_s(mounted.device)
    noticings = [
        FirstNotice(ident, float(np.interp(middle, t, s)), middle, float(there.mean()))
        for ident, when in reported.items()
        if (there := np.isfinite(when)).any() and math.isfinite(middle := float(np.median(when[there])))
    ]
    lit = _lit_share(project, level, at, t, reported)
    dark = np.where(np.isnan(lit), 0.0, 1.0 - lit)
    dark_s, dark_m = float(dark.sum()) * TICK_S, float((dark * np.append(np.diff(s), 0.0)).sum())
    return Walk(
        level, tuple((float(x), float(y)) for x, y in corners), float(along[-1]), float(along[-1] / speed),
        tuple(sorted(noticings, key=lambda n: n.seconds)), dark_s, dark_m, lit,
    )  # fmt: skip


def _lit_share(project: Project, level: str, at: Array, t: Array, reported: dict[str, Array]) -> Array:
    """At each instant of a way the share of the walks on which the light of the room it is in has come on; nan where
    none follows presence."""
    rooms = [room_at(project, level, float(x), float(y)) for x, y in at]
    share = np.full(len(t), np.nan)
    for room in {r.id: r for r in rooms if r is not None}.values():
        if presence_of(project, room.id) is None or not lights_in(project, room.id):
            continue
        lit = np.full(DRAWS, np.inf)
        for sensor in _starters(project, room):
            lit = np.minimum(lit, reported.get(sensor.id, lit))
        here = np.array([r is room for r in rooms])
        share[here] = (t[here, None] >= lit).mean(axis=1)
    return share
