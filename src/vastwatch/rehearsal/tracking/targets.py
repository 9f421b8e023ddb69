"""What a tracking radar tells while people live: once a second the place of everybody it notices, with its scatter,
and from that what it says of its zones.

The reflecting point wanders over a body slowly, so that neighbouring reports err alike; range and angle scatter anew
each time. A device follows no more targets than it can, takes two people close together for one, sees what false
triggers move, and in mirrors sees people where they are not. Each draw is picked by who, by the second, and by which
sensor, so that nobody else's report depends on it.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.records import Zone
from vastwatch.devices import RadarType
from vastwatch.devices.types import ZoneRules
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.people.routes import STEP, RouteTable
from vastwatch.people.truth import Household, HouseholdDays
from vastwatch.rehearsal.noticing.notices import Notices
from vastwatch.rng import key_of, normal_pair, uniform
from vastwatch.sensing.hazards import hazard_body
from vastwatch.sensing.tracker import (
    APART_M,
    CHEST_M,
    FALSE_TARGET_S,
    WANDER_S,
    Pose,
    ReadingNoise,
    chest_height,
    mirrored,
    noisy_readings,
    readings,
    scatter_of,
)
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
# Reports are many, and scatter by decimetres: single precision does.
Single = NDArray[np.floating[Any]]

# So many seconds back the wander is remembered: what is left of it then is a fiftieth.
REMEMBERED = 8
# What the draws of those seconds count, this one's first; their squares sum to 1.
WANDER_WEIGHTS = math.exp(-1.0 / WANDER_S) ** np.arange(REMEMBERED)
WANDER_WEIGHTS = (WANDER_WEIGHTS / math.sqrt(float((WANDER_WEIGHTS**2).sum()))).astype(np.float32)
# Farther than this nothing is read, metres.
FAR_M = 1024.0
# A mirror shows so much of anybody who is before it, at full strength: a share of the seconds.
IMAGE_SHARE = 0.3


class Targets(NamedTuple):
    """What a device told, sorted by time: the second, what it read (n, 2), where they were on the plan, and who (or
    what) it was, by place in `names`; whether it is an `image` in a mirror; `lost`: the seconds in which somebody was
    beyond the count, `merged`: taken for one with somebody else."""

    tick: Ints
    read: Single
    at: Single
    person: Ints
    image: NDArray[np.bool_]
    names: tuple[str, ...]
    lost: Ints
    merged: Ints

    def by_day(self, midnights: list[float]) -> list[Targets]:
        """Day after day, between successive midnights; each has arrays of its own, so that what is kept of one day
        does not hold the others."""
        cuts, lost, merged = (np.searchsorted(t, midnights) for t in (self.tick, self.lost, self.merged))
        return [
            Targets(self.tick[a:b].copy(), self.read[a:b].copy(), self.at[a:b].copy(), self.person[a:b].copy(),
                    self.image[a:b].copy(), self.names, self.lost[c:d].copy(), self.merged[e:f].copy())
            for (a, b), (c, d), (e, f) in zip(pairwise(cuts), pairwise(lost), pairwise(merged))
        ]  # fmt: skip


class TrackingRadar(NamedTuple):
    """A tracking radar as its targets are told: its place among the levels, its pose, its type, and the hazards of
    its level."""

    sensor: str
    level: int
    pose: Pose
    device: RadarType
    hazards: tuple[Hazard, ...]


def targets_of(radar: TrackingRadar, household: Household, lives: HouseholdDays, noticed: Notices) -> Targets:
    """The targets of some days, from what was noticed of them."""
    people = [p.id for p in lives.people]
    # Most of those who live in a large building it never notices.
    seen = set(noticed.source.tolist())
    found = [
        _person(radar, household, lives, k, noticed) if person in seen else _nobody() for k, person in enumerate(people)
    ]
    names = (*people, *(h.id for h in radar.hazards))
    for k, hazard in enumerate(radar.hazards):
        if hazard.id in seen:
            found.append(_false(radar, household, hazard, len(people) + k, noticed))
    mirrors = [h for h in radar.hazards if h.kind == "mirror or metal" and h.strength > 0]
    for mirror in mirrors:
        found += [_images(radar, household, mirror, t) for t in found[: len(people)]]
    found = [f for f in found if len(f[0])] or [_nobody()]
    tick, read, at, of, image = (np.concatenate(c) for c in zip(*found))
    # By second, and in it by range: no range comes near to FAR_M.
    order = np.argsort(tick + np.hypot(read[:, 0], read[:, 1]) / FAR_M)
    tick, read, at, of, image = tick[order], read[order], at[order], of[order], image[order]
    stays, lost, merged = _told(tick, at, image, radar.device.targets)
    if stays.all():
        return Targets(tick, read, at, of, image, names, lost, merged)
    return Targets(tick[stays], read[stays], at[stays], of[stays], image[stays], names, lost, merged)


_Found = tuple[Ints, Single, Single, Ints, NDArray[np.bool_]]


def _nobody() -> _Found:
    none = np.zeros(0, np.int64)
    return none, np.empty((0, 2), np.float32), np.empty((0, 2), np.float32), none, np.zeros(0, bool)


def _ticks(start: Array, end: Array, longer: float) -> Ints:
    """The seconds at which what was noticed in some stretches, sorted by start, is reported, each once and in order."""
    if len(start) == 0:
        return np.zeros(0, np.int64)
    first = np.floor(start).astype(np.int64) + 1
    return _each_once(first, np.maximum.accumulate(np.floor(end + longer).astype(np.int64) + 1))


def _each_once(first: Ints, last: Ints) -> Ints:
    """All whole numbers of some stretches, from first to last, whose first and last ones both grow; each once."""
    first = np.maximum(first, np.concatenate([first[:1], last[:-1] + 1]))
    count = np.maximum(last - first + 1, 0)
    return np.repeat(first - np.cumsum(count) + count, count) + np.arange(int(count.sum()))


def _person(radar: TrackingRadar, household: Household, lives: HouseholdDays, k: int, noticed: Notices) -> _Found:
    person = lives.people[k]
    mine = noticed.source == person.id
    tick = _ticks(noticed.start[mine], noticed.end[mine], 0.0)
    if len(tick) == 0:
        return _nobody()
    at, chest, here = _places(household.book, radar.level, lives, k, tick.astype(float), person.kind == "pet")
    tick, at, chest = tick[here], at[here], chest[here]
    return (
        *_read(radar, household.seed, person.id, tick, at, chest),
        np.full(len(tick), k),
        np.zeros(len(tick), bool),
    )


def _read(
    radar: TrackingRadar, seed: int, who: str, tick: Ints, at: Array, chest: Array
) -> tuple[Ints, Single, Single]:
    wander_x, wander_y = _wander(key_of(seed, who, "wander"), tick)
    key = key_of(seed, radar.sensor, who, "target")
    drawn = ReadingNoise(wander_x, wander_y, *normal_pair(key, tick))
    single = at.astype(np.float32), chest.astype(np.float32)
    return tick, noisy_readings(radar.pose, scatter_of(radar.device), *single, drawn), single[0]


def _wander(key: int, tick: Ints) -> tuple[Single, Single]:
    """A standard normal each way for each second, correlated over WANDER_S: of the last seconds' own draws, each
    counting less by the second. They are the body's: every radar sees the same."""
    if len(tick) == 0:
        return np.empty(0, np.float32), np.empty(0, np.float32)
    needed = _each_once(tick - REMEMBERED + 1, tick)
    row = np.searchsorted(needed, tick)
    # Each second's own last ones stand right before it, whatever gap lies before those: a running sum will do.
    out = []
    for fresh in normal_pair(key, needed):
        whole = np.convolve(fresh, WANDER_WEIGHTS)[: len(fresh)]
        out.append(whole[row])
    return out[0], out[1]


def _places(
    book: RouteTable, level: int, lives: HouseholdDays, k: int, t: Array, pet: bool
) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Where a person is at some instants, how high their chest is, and whether on the level and not away."""
    d = lives.joined
    at, chest = np.zeros((len(t), 2)), np.full(len(t), CHEST_M["pet" if pet else "standing"])
    here = np.zeros(len(t), bool)
    walk = np.flatnonzero(lives.walk_person == k)
    if len(walk):
        walk = walk[np.argsort(d.walk_leave[walk], kind="stable")]
        j = np.searchsorted(d.walk_leave[walk], t, side="right") - 1
        on = np.flatnonzero((j >= 0) & (t < d.walk_arrive[walk[np.maximum(j, 0)]]))
        points, levels, first, out = _samples(book, len(book.routes))
        w = walk[j[on]]
        route = d.walk_route[w]
        length = first[route + 1] - first[route]
        sample = out[route] + np.floor((t[on] - d.walk_out[w]) * d.walk_speed[w] / STEP).astype(int)
        row = first[route] + np.clip(sample, 0, length - 1)
        at[on], here[on] = points[row], levels[row] == level
    stay = np.flatnonzero(lives.stay_person == k)
    if len(stay):
        stay = stay[np.argsort(d.stay_from[stay], kind="stable")]
        j = np.searchsorted(d.stay_from[stay], t, side="right") - 1
        on = np.flatnonzero((j >= 0) & (t < d.stay_to[stay[np.maximum(j, 0)]]))
        spot = d.stay_spot[stay[j[on]]]
        at[on] = np.array([s.at for s in book.spots], float)[spot]
        there = (np.asarray(book.spot_level) == level) & np.array([s.activity != "away" for s in book.spots])
        here[on] = there[spot]
        if not pet:
            chest[on] = np.array([CHEST_M[s.posture] for s in book.spots])[spot]
    return at, chest, here


@memoised
def _samples(book: RouteTable, routes: int) -> tuple[Array, Ints, Ints, Ints]:
    """Points and levels of the first so many routes, one after the other, where each begins, and the sample at which it
    leaves its first room."""
    known = book.routes[:routes]
    first = np.concatenate([[0], np.cumsum([len(r.points) for r in known])]).astype(int)
    out = np.array([r.exit_sample for r in known], int)
    return np.concatenate([r.points for r in known]), np.concatenate([r.level for r in known]), first, out


def _false(radar: TrackingRadar, household: Household, hazard: Hazard, k: int, noticed: Notices) -> _Found:
    """What moves where a false trigger is."""
    mine = noticed.source == hazard.id
    tick = _ticks(noticed.start[mine], noticed.end[mine], FALSE_TARGET_S - 1.0)
    at = np.tile(polygons.centroid(hazard.outline), (len(tick), 1)).reshape(-1, 2)
    chest = np.full(len(tick), chest_height(hazard_body(hazard)))
    read = _read(radar, household.seed, hazard.id, tick, at, chest)
    return (*read, np.full(len(tick), k), np.zeros(len(tick), bool))


def _images(radar: TrackingRadar, household: Household, mirror: Hazard, t: _Found) -> _Found:
    """Somebody's image behind a mirror, some of the time: as strong as nothing else."""
    tick, read, at, of, _ = t
    image, before = mirrored(mirror, at)
    # Anybody who is on the device's side of it: their image is farther off than they are.
    away = np.hypot(*(image - (radar.pose.x, radar.pose.y)).T)
    before &= away > np.hypot(*(at - (radar.pose.x, radar.pose.y)).T)
    drawn = uniform(key_of(household.seed, radar.sensor, mirror.id, "image"), 31 * tick + of)
    some = np.flatnonzero(before & (drawn < IMAGE_SHARE * mirror.strength))
    # It is off the place it seems to be at as the report of them is off theirs.
    chest = CHEST_M["standing"]
    off = read[some] - readings(radar.pose, at[some], chest)
    return tick[some], readings(radar.pose, image[some], chest) + off, image[some], of[some], np.ones(len(some), bool)


def _told(tick: Ints, at: Array, image: NDArray[np.bool_], most: int) -> tuple[NDArray[np.bool_], Ints, Ints]:
    """Which targets a device tells: of two within APART_M the nearer to it, images after people, and no more than it
    follows. The rows are sorted by second and by range. And the seconds in which it lost one, and took two for one."""
    stays = np.ones(len(tick), bool)
    if len(tick) == 0:
        return stays, tick, tick
    first = np.flatnonzero(np.diff(tick, prepend=tick[0] - 1))
    count = np.diff(np.append(first, len(tick)))
    (x, y), together = np.ascontiguousarray(at.T), [tick[:0]]
    # The k-th target of a second against the ones before it, all seconds together.
    for k in range(1, int(count.max())):
        row = first[count > k] + k
        near = np.zeros(len(row), bool)
        for back in range(1, k + 1):
            dx, dy = x[row] - x[row - back], y[row] - y[row - back]
            near |= stays[row - back] & (dx * dx + dy * dy < APART_M * APART_M)
        stays[row[near]] = False
        together.append(tick[row[near]])
    merged = np.sort(np.concatenate(together))
    if not image.any() and count.max() <= most:
        return stays, tick[:0], merged
    # People first, then by how near: a stable order of what is left.
    order = np.lexsort((np.arange(len(tick)), image, tick))
    rank = np.cumsum(stays[order])
    before = np.repeat(rank[first] - stays[order][first], count)
    beyond = np.zeros(len(tick), bool)
    beyond[order] = stays[order] & (rank - before > most)
    return stays & ~beyond, tick[beyond & ~image], merged


# -- zones ---------------------------------------------------------------------------------------------------------


def zone_intervals(
    targets: Targets, zones: tuple[Zone, ...], shapes: tuple[Shape, ...], rules: ZoneRules
) -> list[Array]:
    """[on, off) rows, (n, 2), of each zone: entered once enough successive reports fall into it (an entry zone: with
    the first), left its delay after the last. What falls where it is to be ignored is nowhere."""
    inside = [shape.contains(targets.read) for shape in shapes]
    ignored = np.zeros(len(targets.tick), bool)
    for zone, there in zip(zones, inside):
        if zone.role == "ignore":
            ignored |= there
    out = []
    for zone, there in zip(zones, inside):
        m, n = (1, 1) if zone.role == "entry" else rules.confirm_of
        delay = rules.off_delay_s if zone.off_delay_s is None else zone.off_delay_s
        tick = targets.tick[there & ~ignored]
        out.append(_rows(tick[np.diff(tick, prepend=-1) > 0], m, n, max(delay, 1.0)))
    return out


def _rows(tick: Ints, m: int, n: int, delay: float) -> Array:
    """Rows of a zone into which something is reported at some seconds, each once and in order."""
    if len(tick) == 0:
        return np.empty((0, 2))
    confirmed = np.arange(len(tick)) - np.searchsorted(tick, tick - n, side="right") + 1 >= m
    run = np.cumsum(np.diff(tick, prepend=tick[0]) > delay)
    last = tick[np.append(np.flatnonzero(np.diff(run)), len(tick) - 1)]
    entered = np.flatnonzero(confirmed)
    which, place = np.unique(run[entered], return_index=True)
    return np.column_stack([tick[entered[place]].astype(float), last[which] + delay])
