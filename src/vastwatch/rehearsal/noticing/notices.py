"""What a sensor notices of people's days: looks at walks, small movements, and those it sees without any.

Walks are looked at five times a second; each small movement of somebody who stays is looked at once; somebody whom a
radar sees breathing is noticed of themselves. A day at a time, each draw picked by who, when, and by which sensor.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.memo import memoised
from vastwatch.people.routes import STEP, Along, RouteTable
from vastwatch.people.truth import Household, HouseholdDays
from vastwatch.rehearsal.noticing.at_rest import closed_intervals, is_doubtful, seen_at_rest, seen_fading
from vastwatch.rng import Keys, at_ms, key_of, poisson_times_batch, sub_keys, uniform
from vastwatch.sensing.bodies import ADULT_KG, BODIES, PET, STANDING, Stayer, Walker, body_of
from vastwatch.sensing.fading import Fading
from vastwatch.sensing.model import MountedSensor, StayDetection, model_of, stay_detection, walker_rate
from vastwatch.site.people import Person

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
Ids = NDArray[np.object_]

# Walks are looked at this often, Hz (M6).
WALK_HZ = 5.0
# What is sure is seen without a gap, however short the device's hold time, seconds.
SURE_HOLD_S = 1.0


class Notices(NamedTuple):
    """What a sensor noticed: [start, end) stretches sorted by start (an instant has both alike), the id of the person
    or hazard it was, and whether it was a movement."""

    start: Array
    end: Array
    source: Ids
    moving: NDArray[np.bool_]


class FalseSource(NamedTuple):
    """A hazard that triggers a sensor on one day, [begin, end): its id, false reports per second, and when, [from, to)
    instants."""

    hazard: str
    day: int
    begin: float
    end: float
    rate: float
    when: tuple[tuple[float, float], ...]


def notices_of(
    mounted: MountedSensor,
    level: int,
    household: Household,
    household_days: HouseholdDays,
    false: tuple[FalseSource, ...],
    hold: float,
) -> Notices:
    """What one sensor (or one part of a housing) notices of some days of a household, cut at midnights.

    `level`: its level's place by elevation; `hold`: the device's own, seconds.
    """
    name = (household.seed, mounted.sensor.id, mounted.device.family)
    book = household.book
    chances = detection_table(mounted, level, book, household_days.people)
    found = [
        _walks(mounted, household_days, chances, name),
        _minor(household_days, chances, name),
        _still(household_days, chances, max(hold, SURE_HOLD_S), name),
        false_notices(false, name),
    ]
    start, end, source, moving = (np.concatenate(columns) for columns in zip(*found))
    order = np.argsort(start, kind="stable")
    return Notices(start[order], np.minimum(end[order], household_days.end), source[order], moving[order])


class DetectionTable(NamedTuple):
    """How well a sensor notices each bearing of people: `who` gives each person's bearing (row of the others).

    `walk`: notices per second at every sample (at 1 m/s where that counts) of those routes on which anything is
    noticed, of route k from first[k] on, samples[k] of them, the first room left at out[k]; `since`, `until`: the
    first and the last sample of each route that has any, -1 for none; `large`, `small`: chances per small movement at
    each spot; `still`: notices
    per second at rest there; where that fades, `range_ratio`: how far they are as a share of the range on them;
    `margin`: of what they press, the pressure over the one it closes at.
    """

    who: Ints
    first: Ints
    samples: Ints
    out: Ints
    walk: Array
    since: Ints
    until: Ints
    large: Array
    small: Array
    still: Array
    near: Array
    margin: Array
    fading: Fading | None


def _bearings(mounted: MountedSensor, people: tuple[Person, ...]) -> tuple[tuple[bool, float], ...]:
    """Whether each is a pet, and how heavy where that counts."""
    model = model_of(mounted.device.family)
    by_weight = model is not None and model.by_weight
    return tuple((p.kind == "pet", p.body_kg if by_weight else ADULT_KG) for p in people)


def detection_table(
    mounted: MountedSensor, level: int, routes: RouteTable, people: tuple[Person, ...]
) -> DetectionTable:
    """How well a sensor on a level (by elevation) notices people on all routes known so far, and at the spots."""
    return _chances(mounted, level, routes, len(routes.routes), _bearings(mounted, people))


@memoised
def _chances(
    mounted: MountedSensor, level: int, routes: RouteTable, n_routes: int, bearings: tuple[tuple[bool, float], ...]
) -> DetectionTable:
    distinct = sorted(set(bearings)) or [(False, ADULT_KG)]
    along = routes.along(n_routes)
    here = along.on(level)
    seen_here = np.zeros((len(distinct), len(here)))
    for k, (pet, kg) in enumerate(distinct):
        if len(here):
            walker = Walker(PET if pet else STANDING, 1.0, None, along.heading[here], kg, along.pace[here])
            seen_here[k] = walker_rate(mounted, along.points[here], walker)
    walk, base, since, until = _where_noticed(seen_here, here, along)
    large, small, still, near, margin = (np.zeros((len(distinct), len(routes.spots))) for _ in range(5))
    fading = None
    for k, (pet, kg) in enumerate(distinct):
        seen = _stay_chances(mounted, routes, level, pet, kg)
        large[k], small[k], still[k], fading = seen.large, seen.small, seen.still_per_s, seen.fading or fading
        near[k] = np.inf if seen.range_ratio is None else seen.range_ratio
        margin[k] = 0.0 if seen.margin is None else seen.margin
    who = np.array([distinct.index(b) for b in bearings], int)
    return DetectionTable(
        who, base, along.samples, along.out, walk, since, until, large, small, still, near, margin, fading
    )


def _where_noticed(seen: Array, here: Ints, along: Along) -> tuple[Array, Ints, Ints, Ints]:
    """`walk`, `first`, `since` and `until` of `DetectionTable`: of notices per second at the samples `here`, by
    bearing."""
    since, until = np.full((2, len(seen), len(along.samples)), -1)
    for k, rates in enumerate(seen):
        at = here[rates > 0]
        route = along.route[at]
        # Of several on one route, assigned in order, the last stays.
        until[k, route] = at - along.first[route]
        since[k, route[::-1]] = (at - along.first[route])[::-1]
    # A sensor sees few of the ways through a large building: the others have no rows.
    some = np.asarray(until.max(axis=0, initial=-1) >= 0)
    length = np.where(some, along.samples, 0)
    first = np.cumsum(length) - length
    walk = np.zeros((len(seen), int(length.sum())))
    mine = np.flatnonzero(some[along.route[here]])
    at = here[mine]
    walk[:, first[along.route[at]] + at - along.first[along.route[at]]] = seen[:, mine]
    return walk, first, since, until


@memoised
def _stay_chances(mounted: MountedSensor, routes: RouteTable, level: int, pet: bool, kg: float) -> StayDetection:
    """How somebody at each spot is noticed: not at all where people leave the building, for they are gone."""
    n = len(routes.spots)
    large, small, still, near, margin = np.zeros(n), np.zeros(n), np.zeros(n), np.full(n, np.inf), np.zeros(n)
    fading = None
    bodies = [BODIES["pet"] if pet else body_of(s.posture, s.activity) for s in routes.spots]
    for body in sorted(set(bodies)):
        mine = np.array(
            [
                i for i, s in enumerate(routes.spots)
                if routes.spot_level[i] == level and bodies[i] == body and s.activity != "away"
            ], int,
        )  # fmt: skip
        if len(mine) == 0:
            continue
        at = np.array([routes.spots[i].at for i in mine], float)
        facing = np.array([routes.spots[i].facing for i in mine], float)
        seen = stay_detection(mounted, at, Stayer(body, facing, kg))
        large[mine], small[mine], still[mine], fading = seen.large, seen.small, seen.still_per_s, seen.fading
        near[mine] = np.inf if seen.range_ratio is None else seen.range_ratio
        margin[mine] = 0.0 if seen.margin is None else seen.margin
    return StayDetection(large, small, still, near, fading, margin)


def spots_noticed(mounted: MountedSensor, level: int, household: Household) -> NDArray[np.bool_]:
    """At which spots a sensor on a level (by elevation) notices any movement of those who live there."""
    out = np.zeros(len(household.book.spots), bool)
    for pet, kg in set(_bearings(mounted, household.people)):
        seen = _stay_chances(mounted, household.book, level, pet, kg)
        out |= (seen.large > 0) | (seen.small > 0)
    return out


@memoised
def large_motion_probability(mounted: MountedSensor, routes: RouteTable, level: int, kg: float) -> Array:
    """The chance, for each spot, that a sensor on a level (by elevation) notices a large movement of an adult there."""
    return _stay_chances(mounted, routes, level, False, kg).large


Found = tuple[Array, Array, Ids, NDArray[np.bool_]]


def _found(start: Array, end: Array, who: Ints, household_days: HouseholdDays, moving: bool) -> Found:
    ids = np.array([p.id for p in household_days.people], object)
    return start, end, ids[who] if len(ids) else np.zeros(0, object), np.full(len(start), moving)


def _keys(household_days: HouseholdDays, *names: object) -> NDArray[np.uint64]:
    """A key for each person."""
    return np.array([key_of(*names, p.id) for p in household_days.people], np.uint64)


def _walks(mounted: MountedSensor, household_days: HouseholdDays, c: DetectionTable, name: tuple[object, ...]) -> Found:
    """Instants at which a walker is noticed."""
    w = household_days.joined
    bearing = c.who[household_days.walk_person]
    some = np.flatnonzero(c.until[bearing, w.walk_route] >= 0) if len(w.walk_route) else np.zeros(0, int)
    leave, arrive, out, route, speed = (
        x[some] for x in (w.walk_leave, w.walk_arrive, w.walk_out, w.walk_route, w.walk_speed)
    )
    who = household_days.walk_person[some]
    # One look in each fifth of a second of the clock, at random within it: it stays where it is, no matter who walks.
    # Only those are taken at which they are where anything is noticed, and one sample beside.
    step, reach = STEP / speed, (bearing[some], route)
    near = out + (c.since[reach] - c.out[route] - 1) * step
    far = out + (c.until[reach] - c.out[route] + 2) * step
    # At the ends of a route they stand where it begins or leads to for as long as they are there.
    near = np.where(c.since[reach] == 0, leave, np.maximum(leave, near))
    far = np.where(c.until[reach] == c.samples[route] - 1, arrive, np.minimum(arrive, far))
    first = np.floor(np.maximum(near, household_days.begin) * WALK_HZ).astype(np.int64)
    last = np.floor(np.minimum(far, household_days.end) * WALK_HZ).astype(np.int64)
    count = np.maximum(last - first + 1, 0)
    walk = np.repeat(np.arange(len(count)), count)
    tick = np.arange(len(walk)) - np.repeat(np.cumsum(count) - count, count) + first[walk]
    person = who[walk]
    t = (tick + uniform(_keys(household_days, *name, "look")[person], tick)) / WALK_HZ if len(walk) else np.empty(0)
    inside = (t >= np.maximum(leave, household_days.begin)[walk]) & (t < np.minimum(arrive, household_days.end)[walk])
    t, walk, tick, person = t[inside], walk[inside], tick[inside], person[inside]
    length = c.samples[route] - 1
    sample = c.out[route[walk]] + np.floor((t - out[walk]) * speed[walk] / STEP).astype(int)
    row = c.first[route[walk]] + np.clip(sample, 0, length[walk])
    rate = c.walk[c.who[person], row]
    model = model_of(mounted.device.family)
    if model is not None and model.by_speed:
        rate = rate * speed[walk]
    hit = uniform(_keys(household_days, *name, "walk")[person], tick) < -np.expm1(-rate / WALK_HZ) if len(t) else t > 0
    return _found(t[hit], t[hit], person[hit], household_days, True)


def _minor(household_days: HouseholdDays, c: DetectionTable, name: tuple[object, ...]) -> Found:
    """Instants at which a small movement is noticed."""
    w = household_days.joined
    if len(w.minor_t) == 0:
        return _found(np.empty(0), np.empty(0), np.zeros(0, int), household_days, True)
    # Of the movements at all spots, those at the spots where any is noticed.
    at = household_days.minor_at(np.flatnonzero(((c.large > 0) | (c.small > 0)).any(axis=0)))
    bearing, spot = c.who[household_days.motion_person[at]], w.minor_spot[at]
    chance = np.where(w.minor_large[at], c.large[bearing, spot], c.small[bearing, spot])
    some = at[chance > 0]
    t, who = w.minor_t[some], household_days.motion_person[some]
    hit = uniform(_keys(household_days, *name, "minor")[who], at_ms(t)) < chance[chance > 0]
    return _found(t[hit], t[hit], who[hit], household_days, True)


def _still(household_days: HouseholdDays, c: DetectionTable, hold: float, name: tuple[object, ...]) -> Found:
    """Stretches during which somebody at rest is seen without a gap longer than the device's hold time. They
    know no yesterday: each stay begins anew at midnight."""
    w = household_days.joined
    if len(w.stay_spot) == 0:
        return _found(np.empty(0), np.empty(0), np.zeros(0, int), household_days, False)
    place = c.who[household_days.stay_person], w.stay_spot
    rates, margin = c.still[place], c.margin[place]
    doubtful = is_doubtful(margin)
    some = np.flatnonzero((rates > 0) | doubtful)
    keys = sub_keys(
        sub_keys(_keys(household_days, *name, "still")[household_days.stay_person[some]], w.stay_tag[some]),
        w.stay_day[some],
    )
    a, b, who = w.stay_from[some], w.stay_to[some], household_days.stay_person[some]
    if doubtful.any():
        seen = closed_intervals(keys, margin[some], a, b, hold)
    elif c.fading is None:
        seen = seen_at_rest(keys, rates[some], a, b, hold)
    else:
        seen = seen_fading(keys, c.fading, c.near[place][some], a, b, hold)
    return _found(seen.start, seen.end, who[seen.stay], household_days, False)


def false_notices(sources: tuple[FalseSource, ...], name: tuple[object, ...]) -> Found:
    """False notices of some days by hazards."""
    if not sources:
        return np.empty(0), np.empty(0), np.zeros(0, object), np.zeros(0, bool)
    named = {h: false_key(name, h) for h in {s.hazard for s in sources}}
    t, of = false_times(sources, np.array([named[s.hazard] for s in sources], np.uint64))
    hazards = np.array([s.hazard for s in sources], object)
    return t, t, hazards[of], np.ones(len(t), bool)


def false_key(name: tuple[object, ...], hazard: str) -> int:
    """The key of what a hazard makes a part of a sensor of a `name` report."""
    return key_of(*name, "false", hazard)


def false_times(sources: Sequence[FalseSource], keys: Keys) -> tuple[Array, Ints]:
    """Instants at which some sources set a sensor off, and which each was; by keys of theirs."""
    keys = sub_keys(keys, np.array([s.day for s in sources]))
    rate, begin, end = (np.array(column, float) for column in zip(*((s.rate, s.begin, s.end) for s in sources)))
    t, of = poisson_times_batch(keys, rate, begin, end)
    # While its cause is there: when-th stretch of the of-th source.
    there = np.zeros(len(t), bool)
    many = [(k, *when) for k, s in enumerate(sources) for when in s.when]
    if many:
        which, a, b = (np.array(column) for column in zip(*many))
        first = of.searchsorted(which)
        last = of.searchsorted(which, side="right")
        for k in np.flatnonzero(last > first).tolist():
            at = slice(first[k], last[k])
            there[at] |= (t[at] >= a[k]) & (t[at] < b[k])
    return t[there], of[there]


def by_day(n: Notices, midnights: list[float]) -> list[Notices]:
    """Notices of some days, one day after the other, between successive midnights; each has arrays of its own, so that
    what is kept of one day does not hold the others."""
    cuts = np.searchsorted(n.start, midnights)
    return [
        Notices(n.start[a:b].copy(), n.end[a:b].copy(), n.source[a:b].copy(), n.moving[a:b].copy())
        for a, b in pairwise(cuts)
    ]
