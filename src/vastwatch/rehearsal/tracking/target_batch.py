"""The targets of tracking radars where they are very many: laid out here, who is where, and gone through second by
second by compiled loops (`loops.targets`). What is told is what `targets` tells, in arrays of all reports.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.records import Zone
from vastwatch.devices.types import ZoneRules
from vastwatch.geometry import polygons
from vastwatch.loops import targets as loops
from vastwatch.memo import memoised
from vastwatch.people.routes import STEP, RouteTable
from vastwatch.people.truth import Household, HouseholdDays
from vastwatch.rehearsal.noticing.notices import Notices
from vastwatch.rehearsal.tracking.targets import IMAGE_SHARE, WANDER_WEIGHTS, Targets, TrackingRadar
from vastwatch.rng import key_of
from vastwatch.sensing.hazards import hazard_body
from vastwatch.sensing.tracker import APART_M, CHEST_M, FALSE_TARGET_S, chest_height, mirror_line, scatter_of
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]
Ints = NDArray[np.integer[Any]]
# What stays for good does so until then, seconds.
_FOR_GOOD = 1e12


def targets_of(
    watched: TrackingRadar, household: Household, lives: HouseholdDays, noticed: Notices, midnights: list[float]
) -> list[Targets]:
    """The targets of some days, one day after the other between successive midnights, from what was noticed in them."""
    return list(map(_told(watched, household, lives, noticed), pairwise(midnights)))


def zones_of(
    watched: TrackingRadar, household: Household, lives: HouseholdDays, noticed: Notices, midnights: list[float],
    zones: tuple[Zone, ...], shapes: tuple[Shape, ...], rules: ZoneRules,
) -> list[list[Array]]:  # fmt: skip
    """Which zones are `zone_intervals` day after day: of each day as soon as it is told, so that no more than a few are
    held, and on all cores."""
    told = _told(watched, household, lives, noticed)

    def of_day(day: tuple[float, float]) -> list[Array]:
        return zone_intervals(told(day), zones, shapes, rules)

    days = list(pairwise(midnights))
    with ThreadPoolExecutor(len(os.sched_getaffinity(0))) as pool:
        return list(pool.map(of_day, days))


def _told(
    watched: TrackingRadar, household: Household, lives: HouseholdDays, noticed: Notices
) -> Callable[[tuple[float, float]], Targets]:
    """What is told from one midnight to the next."""
    bodies = _bodies(watched, household, lives, noticed)
    ways = _ways(household.book, len(household.book.routes), watched.level)
    radar, mirrors = _radar(watched), _mirrors(watched, household.seed)
    names = (*(p.id for p in lives.people), *(h.id for h in watched.hazards))

    def told(day: tuple[float, float]) -> Targets:
        first, last = (math.floor(m) for m in day)
        seen = np.minimum(bodies.seen_to, last - 1) - np.maximum(bodies.seen_from, first) + 1
        most = int(np.maximum(seen, 0).sum()) * (1 + len(mirrors.share))
        room = loops.TargetRows(
            np.empty(most, np.int32), np.empty((most, 2), np.float32), np.empty((most, 2), np.float32),
            np.empty(most, np.int16), np.empty(most, np.bool_), np.empty(most, np.int32), np.empty(most, np.int32),
        )  # fmt: skip
        n, lost, merged = loops.simulate_targets(bodies, ways, radar, mirrors, first, last, room) if most else (0, 0, 0)
        tick, read, at, of, image = (column[:n] for column in room[:5])
        return Targets(tick, read, at, of, image, names, room.lost[:lost].copy(), room.merged[:merged].copy())

    return told


# -- who is where --------------------------------------------------------------------------------------------------


class _Body(NamedTuple):
    """One body of `loops.Bodies`, its own rows of it."""

    seen_from: Ints
    seen_to: Ints
    stay_from: Array
    stay_to: Array
    stay_at: Array
    stay_chest: Array
    stay_here: NDArray[np.bool_]
    walk_from: Array
    walk_to: Array
    walk_out: Array
    walk_speed: Array
    walk_route: Ints
    chest: float
    wander: int
    draw: int
    who: int


def _bodies(watched: TrackingRadar, household: Household, lives: HouseholdDays, noticed: Notices) -> loops.Bodies:
    names = [*(p.id for p in lives.people), *(h.id for h in watched.hazards)]
    place = {name: k for k, name in enumerate(names)}
    source = np.fromiter((place[s] for s in noticed.source.tolist()), np.int64, len(noticed.source))
    people = len(lives.people)
    each = []
    for k in np.unique(source).tolist():
        mine = source == k
        longer = 0.0 if k < people else FALSE_TARGET_S - 1.0
        since, until = _seconds(noticed.start[mine], noticed.end[mine], longer)
        keys = key_of(household.seed, names[k], "wander"), key_of(household.seed, watched.sensor, names[k], "target")
        if k < people:
            each.append(_Body(since, until, *_person(watched.level, household.book, lives, k), *keys, k))
        else:
            each.append(_Body(since, until, *_thing(watched.hazards[k - people]), *keys, k))

    def rows(column: str) -> Any:
        found = [getattr(b, column) for b in each]
        return np.concatenate(found) if found else np.asarray(getattr(_NOBODY, column))

    def cuts(column: str) -> Ints:
        return np.concatenate([[0], np.cumsum([len(getattr(b, column)) for b in each])]).astype(np.int64)

    def figures(column: str, kind: type) -> Any:
        return np.array([getattr(b, column) for b in each], kind)

    return loops.Bodies(
        seen_of=cuts("seen_from"), seen_from=rows("seen_from"), seen_to=rows("seen_to"),
        stay_of=cuts("stay_from"), stay_from=rows("stay_from"), stay_to=rows("stay_to"), stay_at=rows("stay_at"),
        stay_chest=rows("stay_chest"), stay_here=rows("stay_here"),
        walk_of=cuts("walk_from"), walk_from=rows("walk_from"), walk_to=rows("walk_to"), walk_out=rows("walk_out"),
        walk_speed=rows("walk_speed"), walk_route=rows("walk_route"),
        chest=figures("chest", float), wander=figures("wander", np.uint64), draw=figures("draw", np.uint64),
        who=figures("who", np.int64), people=people,
    )  # fmt: skip


def _seconds(start: Array, end: Array, longer: float) -> tuple[Ints, Ints]:
    """The first and last seconds at which what was noticed in some stretches, sorted by start, is reported; apart."""
    first = np.floor(start).astype(np.int64) + 1
    last = np.maximum.accumulate(np.floor(end + longer).astype(np.int64) + 1)
    first = np.maximum(first, np.concatenate([first[:1], last[:-1] + 1]))
    some = last >= first
    return first[some], last[some]


# What a body does, from `stay_from` to `chest`.
_Doing = tuple[Array, Array, Array, Array, NDArray[np.bool_], Array, Array, Array, Array, Ints, float]
_NONE, _NOWHERE = np.empty(0), np.zeros(0, np.int64)


def _person(level: int, book: RouteTable, lives: HouseholdDays, k: int) -> _Doing:
    """The stays and walks of a person, each in the order of time."""
    d, pet = lives.joined, lives.people[k].kind == "pet"
    stay = np.flatnonzero(lives.stay_person == k)
    stay = stay[np.argsort(d.stay_from[stay], kind="stable")]
    walk = np.flatnonzero(lives.walk_person == k)
    walk = walk[np.argsort(d.walk_leave[walk], kind="stable")]
    at, chest, here = _spots(book, level)
    spot = d.stay_spot[stay]
    return (
        d.stay_from[stay], d.stay_to[stay], at[spot], np.full(len(spot), CHEST_M["pet"]) if pet else chest[spot],
        here[spot], d.walk_leave[walk], d.walk_arrive[walk], d.walk_out[walk], d.walk_speed[walk], d.walk_route[walk],
        CHEST_M["pet" if pet else "standing"],
    )  # fmt: skip


@memoised
def _spots(book: RouteTable, level: int) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Where each spot is, how high the chest is of anybody who stays there, and whether it is on a level and not
    away."""
    here = [s.activity != "away" and lv == level for s, lv in zip(book.spots, book.spot_level)]
    at = np.array([s.at for s in book.spots], float).reshape(-1, 2)
    return at, np.array([CHEST_M[s.posture] for s in book.spots]), np.array(here, bool)


def _thing(hazard: Hazard) -> _Doing:
    """What moves where a false trigger is: it stays there."""
    at = np.array([polygons.centroid(hazard.outline)], float)
    chest = chest_height(hazard_body(hazard))
    stays = np.array([-_FOR_GOOD]), np.array([_FOR_GOOD]), at, np.array([chest]), np.ones(1, bool)
    return (*stays, _NONE, _NONE, _NONE, _NONE, _NOWHERE, chest)


_NOBODY = _Body(
    _NOWHERE, _NOWHERE, _NONE, _NONE, np.empty((0, 2)), _NONE, np.zeros(0, bool), _NONE, _NONE, _NONE, _NONE, _NOWHERE,
    0.0, 0, 0, 0,
)  # fmt: skip


@memoised
def _ways(book: RouteTable, routes: int, level: int) -> loops.RouteSamples:
    """The first so many routes."""
    known = book.routes[:routes]
    first = np.concatenate([[0], np.cumsum([len(r.points) for r in known])]).astype(np.int64)
    points = np.concatenate([np.empty((0, 2)), *(r.points for r in known)])
    here = np.concatenate([np.zeros(0, np.int64), *(r.level for r in known)]) == level
    return loops.RouteSamples(points, here, first, np.array([r.exit_sample for r in known], np.int64), STEP)


def _radar(watched: TrackingRadar) -> loops.Radar:
    pose, scatter, yaw = watched.pose, scatter_of(watched.device), math.radians(watched.pose.yaw)
    return loops.Radar(
        float(pose.x), float(pose.y), float(pose.height), math.sin(yaw), math.cos(yaw), float(pose.bias),
        float(pose.scale), float(scatter.range_m), float(scatter.angle), float(scatter.wander_m),
        watched.device.targets, APART_M, WANDER_WEIGHTS,
    )  # fmt: skip


def _mirrors(watched: TrackingRadar, seed: int) -> loops.Mirrors:
    mirrors = [h for h in watched.hazards if h.kind == "mirror or metal" and h.strength > 0]
    lines = [mirror_line(m) for m in mirrors]
    return loops.Mirrors(
        np.array([x.middle for x in lines], float).reshape(-1, 2),
        np.array([x.normal for x in lines], float).reshape(-1, 2),
        np.array([x.reach for x in lines], float), np.array([IMAGE_SHARE * m.strength for m in mirrors], float),
        np.array([key_of(seed, watched.sensor, m.id, "image") for m in mirrors], np.uint64), CHEST_M["standing"],
    )  # fmt: skip


# -- zones ---------------------------------------------------------------------------------------------------------


def zone_intervals(
    targets: Targets, zones: tuple[Zone, ...], shapes: tuple[Shape, ...], rules: ZoneRules
) -> list[Array]:
    """As `targets.zone_intervals`."""
    if not zones or len(targets.tick) == 0:
        return [np.empty((0, 2)) for _ in zones]
    rows, of = loops.zone_intervals(_zones(zones, shapes, rules), targets.tick, targets.read)
    return [rows[of == z] for z in range(len(zones))]


@memoised
def _zones(zones: tuple[Zone, ...], shapes: tuple[Shape, ...], rules: ZoneRules) -> loops.Zones:
    corners = [np.array(s.outline, float).reshape(-1, 2) if s.ring is None else np.empty((0, 2)) for s in shapes]
    frames = [(*c.min(axis=0), *c.max(axis=0)) if len(c) else (0.0, 0.0, 0.0, 0.0) for c in corners]
    confirm = [(1, 1) if z.role == "entry" else rules.confirm_of for z in zones]
    need, among = np.array(confirm, np.int64).T.copy()
    delay = [rules.off_delay_s if z.off_delay_s is None else z.off_delay_s for z in zones]
    return loops.Zones(
        np.concatenate([[0], np.cumsum([len(c) for c in corners])]).astype(np.int64), np.concatenate(corners),
        np.array(frames, float), np.array([s.ring or (0.0, 0.0) for s in shapes], float),
        np.array([z.role == "ignore" for z in zones], bool), need, among, np.maximum(np.array(delay, float), 1.0),
    )  # fmt: skip
