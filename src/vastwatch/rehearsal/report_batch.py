"""What sensors report in many replicates of the same people, seed beside seed, drawn in compiled loops.

It is what `reports` comes to for each replicate by itself, draw by draw: what is done in one go for all of them costs
hardly more than for one.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.placed import day_settings
from vastwatch.design.project import Project
from vastwatch.loops import notices as loops
from vastwatch.people.household_batch import (
    HouseholdBatch,
    MotionEvents,
    group_by_owner,
    household_batch,
    motion_events_in,
)
from vastwatch.people.routes import STEP
from vastwatch.people.truth import Truth
from vastwatch.rehearsal.noticing.at_rest import DENSE, SeenIntervals, closed_intervals, is_doubtful, seen_fading
from vastwatch.rehearsal.noticing.notices import (
    SURE_HOLD_S,
    WALK_HZ,
    DetectionTable,
    detection_table,
    false_key,
    false_times,
    spots_noticed,
)
from vastwatch.rehearsal.noticing.nuisance import Weekly, per_replicate
from vastwatch.rehearsal.reports import (
    MOVING_HOLD_S,
    SensorRun,
    SensorTask,
    cache_run,
    is_run_cached,
    latency_key,
    mounted_hold_s,
    read_by_state,
    recompute_moving,
    reported_at,
    sensor_tasks,
)
from vastwatch.rng import Keys, key_of, sub_keys
from vastwatch.sensing.model import MountedSensor, each_part, model_of
from vastwatch.sensing.reporting import hold_and_blind_s
from vastwatch.signals import Signal, any_of
from vastwatch.signals.memoised_ops import never

Array = NDArray[np.float64]
Ints = NDArray[np.int64]


def fill_report_cache(project: Project, truths: Sequence[Truth]) -> None:
    """Fill the cache with sensor reports for several seeds of the same days in one batch. Zone reports are excluded;
    `reports` computes those per seed."""
    for sensor in project.sensors:
        for v in day_settings(sensor):
            each = zip(sensor_tasks(project, v.sensor, truths), truths)
            left = [(w, truth) for w, truth in each if w.zoning is None and not is_run_cached(w, truth)]
            if left and truths[0].household.people:
                _hear(left, sensor.id in read_by_state(project))


def _hear(left: list[tuple[SensorTask, Truth]], by_state: bool) -> None:
    """See to it for one sensor; `by_state`: whether it is asked while it sees somebody move."""
    truths = [truth for _, truth in left]
    mounted, level, *_ = left[0][0]
    every = household_batch(tuple(truth.household for truth in truths), 0, truths[0].calendar.days)
    reports: list[list[Signal]] = [[] for _ in left]
    moving: list[list[Signal]] = [[] for _ in left]
    for k, part in enumerate(each_part(mounted)):
        own, short = mounted_hold_s(part), min(MOVING_HOLD_S, mounted_hold_s(part))
        _, blind = hold_and_blind_s(part, own) or (own, 0.0)
        # What lies between notices that the device makes one report of is left out before they are sorted.
        joins = short if by_state else own
        found = [_thinned(f, joins, blind) for f in _noticed(part, level, truths, every, 0.0 if blind else joins)]
        noticed = _sorted([*found, *_false(part, [w.false[k] for w, _ in left], truths)], every)
        for of, said in zip(reports, _reported(part, noticed, truths)):
            of.append(said)
        if by_state:
            rows, cuts = loops.hold_merge(noticed.start, noticed.end, noticed.moving, noticed.cuts, float(short))
            for of, truth, (a, b) in zip(moving, truths, pairwise(cuts)):
                of.append(Signal.from_intervals(rows[a:b], 0.0, truth.end))
    for (w, truth), of_parts, moved in zip(left, reports, moving):
        cache_run(
            w, truth, SensorRun(any_of(of_parts), any_of(moved) if by_state else partial(recompute_moving, w, truth))
        )


class _Noticed(NamedTuple):
    """What a part of a sensor noticed: [start, end), whether a movement; replicate k has the rows from cuts[k] to
    cuts[k + 1], sorted by start."""

    start: Array
    end: Array
    moving: NDArray[np.bool_]
    cuts: Ints


class _Found(NamedTuple):
    """The same in one way: all `moving` or none, `stay` whom (person after person, replicate after replicate), and of
    each in order of the start unless it is not `ordered`."""

    start: Array
    end: Array
    moving: bool
    of: Ints
    many: int
    ordered: bool = True


def _thinned(found: _Found, hold: float, blind: float) -> _Found:
    """Without what no report can depend on (`interval_merging`), of each person by itself."""
    if not found.ordered:
        return found
    start, end, of = loops.condensed(found.start, found.end, found.of, float(hold), float(blind))
    return found._replace(start=start, end=end, of=of)


def _sorted(found: list[_Found], every: HouseholdBatch) -> _Noticed:
    """All that was noticed, in each replicate in order."""
    start, end = (np.concatenate(column) for column in zip(*((f.start, f.end) for f in found)))
    life = np.concatenate([f.of // f.many for f in found])
    moving = np.repeat([f.moving for f in found], [len(f.of) for f in found])
    order = group_by_owner(start, life)
    cuts = np.searchsorted(life[order], np.arange(every.replicates + 1))
    return _Noticed(start[order], end[order], moving[order], cuts)


def _noticed(
    part: MountedSensor, level: int, truths: Sequence[Truth], every: HouseholdBatch, joined_s: float
) -> Iterator[_Found]:
    """What a part of a sensor notices of people in some replicates; of notices within `joined_s` of each other the
    first and the last are enough."""
    lives = tuple(truth.household for truth in truths)
    one, days = lives[0], truths[0].calendar.days
    chances = detection_table(part, level, one.book, one.people)
    spots = spots_noticed(part, level, one)
    # The same for everybody in each replicate, one replicate after the other.
    bearing = np.tile(chances.who, len(lives))
    many = len(one.people)

    def keys(name: str) -> Keys:
        of = part.sensor.id, part.device.family, name
        return np.array([key_of(life.seed, *of, p.id) for life in lives for p in one.people], np.uint64)

    yield _walking(part, every, chances, bearing, many, (keys("look"), keys("walk")), joined_s)
    for room in dict.fromkeys(one.book.spots[k].room for k in np.flatnonzero(spots).tolist()):
        yield _moving(motion_events_in(lives, 0, days, room), chances, bearing, many, keys("minor"))
    yield _resting(every, chances, bearing, many, max(mounted_hold_s(part), SURE_HOLD_S), keys("still"))


def _walking(
    part: MountedSensor,
    every: HouseholdBatch,
    c: DetectionTable,
    bearing: Ints,
    many: int,
    keys: tuple[Keys, Keys],
    joined_s: float,
) -> _Found:
    """Instants at which a walker is noticed."""
    w = every.walks
    how = bearing[every.walk_of]
    some = np.flatnonzero(c.until[how, w.route] >= 0) if c.until.size else np.zeros(0, int)
    model = model_of(part.device.family)
    walks = loops.Walks(*(column[some] for column in (*w, every.walk_of, how)))
    by_speed = model is not None and model.by_speed
    rates = loops.Rates(c.first, c.samples, c.out, c.walk, c.since, c.until, by_speed, STEP, WALK_HZ)
    t, who = loops.noticed_walking(walks, rates, *keys, every.begin, every.end, float(joined_s))
    return _Found(t, t, True, who, many)


def _moving(moved: MotionEvents, c: DetectionTable, bearing: Ints, many: int, keys: Keys) -> _Found:
    """Instants at which a small movement is noticed."""
    hit = loops.noticed_moving(moved.t, moved.spot, moved.large, moved.of, bearing, c.large, c.small, keys)
    t = moved.t[hit]
    return _Found(t, t, True, moved.of[hit], many)


def _resting(every: HouseholdBatch, c: DetectionTable, bearing: Ints, many: int, hold: float, keys: Keys) -> _Found:
    """Stretches during which somebody at rest is seen: see `notices`."""
    place = bearing[every.stay_of], every.stays.spot
    rates, margin = c.still[place], c.margin[place]
    doubtful = is_doubtful(margin)
    some = np.flatnonzero((rates > 0) | doubtful)
    stays, of = every.stays.at(some), every.stay_of[some]
    keys = sub_keys(sub_keys(keys[of], stays.tag), stays.day)
    a, b = stays.since, stays.until
    if doubtful.any():
        seen = closed_intervals(keys, margin[some], a, b, hold)
    elif c.fading is None:
        seen = _at_rest(keys, rates[some], a, b, hold)
    else:
        seen = seen_fading(keys, c.fading, c.near[place][some], a, b, hold, _at_rest)
    return _Found(seen.start, seen.end, False, of[seen.stay], many, ordered=not doubtful.any())


def _at_rest(keys: Keys, rate: Array, a: Array, b: Array, hold: float) -> SeenIntervals:
    return SeenIntervals(*loops.noticed_resting(keys, rate, a, b, float(hold), DENSE))


def _false(part: MountedSensor, weekly: Sequence[Weekly], truths: Sequence[Truth]) -> Iterator[_Found]:
    """What triggers it falsely in each replicate."""
    each = per_replicate(weekly, truths[0].calendar)
    sources = [s for of in each for s in of]
    if not sources:
        return
    life = np.repeat(np.arange(len(each)), [len(of) for of in each])
    hazards = {h: k for k, h in enumerate(dict.fromkeys(s.hazard for s in sources))}
    names = ((truth.household.seed, part.sensor.id, part.device.family) for truth in truths)
    keys = np.array([[false_key(name, h) for h in hazards] for name in names], np.uint64)
    t, which = false_times(sources, keys[life, [hazards[s.hazard] for s in sources]])
    yield _Found(t, t, True, life[which], 1, ordered=False)


def _reported(part: MountedSensor, n: _Noticed, truths: Sequence[Truth]) -> list[Signal]:
    """What the device reports of it in each replicate: see `reports`."""
    how = hold_and_blind_s(part, mounted_hold_s(part))
    if how is None:
        return [never(truth.end) for truth in truths]
    rows, cuts = loops.hold_blind_merge(n.start, n.end, n.cuts, *map(float, how))
    keys = np.array([latency_key(part, truth.household.seed) for truth in truths], np.uint64)
    late = reported_at(part, rows[:, 0], np.repeat(keys, np.diff(cuts))) - rows[:, 0]
    rows += late[:, None]
    return [Signal.from_intervals(rows[a:b], 0.0, truth.end) for (a, b), truth in zip(pairwise(cuts), truths)]
