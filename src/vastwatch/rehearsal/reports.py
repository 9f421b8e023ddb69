"""What each sensor reports while people move: notices drawn from the sensing models, then the device's own habits.

Walks are looked at five times a second; each small movement of somebody who stays is looked at once; somebody whom
a radar sees breathing is noticed of themselves. A device reports after its latency, holds for its own time after
the last notice, and a PIR is then blind until it has re-armed.
"""

from __future__ import annotations

import bisect
import math
from dataclasses import dataclass
from datetime import timedelta
from functools import cached_property, lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project
from vastwatch.devices import ContactType, MatType, PirType
from vastwatch.people.movements import Movements, Track, stream
from vastwatch.people.ways import STEP
from vastwatch.sensing.figures import BODIES, PET, STANDING
from vastwatch.sensing.hazards import false_rate, resolved, stretches
from vastwatch.sensing.noticing import Placed, placed, staying, walking
from vastwatch.sensing.touch import ADULT_KG
from vastwatch.signals import Signal
from vastwatch.site.people import Person

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# Walks are sampled at this rate, Hz (M6).
WALK_HZ = 5.0
# "Moving" of a radar lasts this long after the last movement, at most its own hold, seconds.
MOVING_HOLD_S = 3.0
# With more than this many expected detections per hold, gaps are drawn directly instead of detections: the chance
# of a gap is then so small that a night would need tens of thousands of draws to show one.
DENSE = 6.0
# What is sure is seen without a gap, however short the device's own hold, seconds.
SURE_HOLD_S = 1.0
# A door is shut again so long after somebody passed, seconds.
DOOR_OPEN_S = 3.0
DAY = 86_400.0


class Notices(NamedTuple):
    """What a sensor noticed: [start, end) stretches sorted by start (an instant has both alike), of which person
    (index into the tracks; -1 - i where it was hazard i of the project), and whether it was a movement."""

    start: Array
    end: Array
    person: Ints
    moving: NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class SensorRun:
    """A sensor over the whole rehearsal: what it noticed and what it reported."""

    notices: Notices
    report: Signal
    span: float
    own_hold: float

    @cached_property
    def moving(self) -> Signal:
        """The report narrowed to those who move."""
        n = self.notices
        rows = np.column_stack([n.start, n.end + min(MOVING_HOLD_S, self.own_hold)])[n.moving]
        return Signal.from_intervals(rows, 0.0, self.span) & self.report

    @cached_property
    def still(self) -> Signal:
        """The report while nobody moves."""
        return self.report - self.moving


def run_sensor(project: Project, sensor_id: str, movements: Movements, seed: int) -> SensorRun:
    """Run one sensor against the movements. Cached by what it reads."""
    sensor = next(s for s in project.sensors if s.id == sensor_id)
    it = placed(project, sensor)
    order = {lv.id: i for i, lv in enumerate(sorted(project.levels, key=lambda lv: lv.elevation))}
    return _run(it, order[sensor.level], movements, seed, fooling(project, it, movements))


Fooling = tuple[tuple[int, float, tuple[tuple[float, float], ...]], ...]


def fooling(project: Project, it: Placed, movements: Movements) -> Fooling:
    """Which hazards fool a sensor: their index, false reports per second, and when, [from, to) in seconds.

    The sun's path is taken anew every week: it moves by a degree or two in one.
    """
    found = []
    days = round(movements.end / DAY)
    for i, hazard in enumerate(project.hazards):
        if hazard.level != it.sensor.level:
            continue
        for first in range(0, days, 7):
            now = resolved(project, hazard, movements.begin + timedelta(days=first))
            rate = 0.0 if now is None else false_rate(it, now)
            if now is None or rate <= 0:
                continue
            each = stretches(now)
            last = min(first + 7, days)
            found.append((i, rate, tuple((d * DAY + a, d * DAY + b) for d in range(first, last) for a, b in each)))
    return tuple(found)


@lru_cache(maxsize=160)
def _run(it: Placed, level: int, movements: Movements, seed: int, fooled: Fooling) -> SensorRun:
    if it.parts:
        # Two in one housing: each by itself, with what fools it shared out by how readily; the report is either's.
        runs = [_run(part, level, movements, seed, fooled if k == 0 else ()) for k, part in enumerate(it.parts)]
        both = [run.notices for run in runs]
        order = np.argsort(np.concatenate([n.start for n in both]), kind="stable")
        notices = Notices(*(np.concatenate(columns)[order] for columns in zip(*both)))
        return SensorRun(notices, runs[0].report | runs[1].report, movements.end, max(r.own_hold for r in runs))
    device = it.device
    rates = {pet: _walk_rates(it, movements, level, pet) for pet in (False, True)}
    by_weight = isinstance(device, MatType)
    stay = {
        key: _stay_chances(it, movements, level, *key)
        for key in {_bearing(t.person, by_weight) for t in movements.tracks}
    }
    found = []
    for k, track in enumerate(movements.tracks):
        pet = track.person.kind == "pet"
        mine = stay[_bearing(track.person, by_weight)]
        rng = stream(seed, it.sensor.id, device.family, track.person.id)
        walked = _walk_notices(movements, track, rates[pet], isinstance(device, PirType), rng)
        moved = _fidget_notices(track, *mine[:2], rng)
        still_a, still_b = _still_notices(track, mine[2], max(_hold(it), SURE_HOLD_S), rng)
        moving = np.concatenate([walked, moved])
        found.append((moving, moving, k, True))
        found.append((still_a, still_b, k, False))
    for i, rate, when in fooled:
        rng = stream(seed, it.sensor.id, f"hazard-{i}")
        for a, b in when:
            false = a + np.sort(rng.random(rng.poisson(rate * (b - a)))) * (b - a)
            found.append((false, false, -1 - i, True))
    notices = _merge(found, movements.end)
    rng = stream(seed, it.sensor.id, device.family, "latency")
    if isinstance(device, PirType):
        rows = _pir_reports(notices.start, _hold(it), device.rearm_s)
    else:
        own = Signal.from_intervals(np.column_stack([notices.start, notices.end + _hold(it)]), 0.0, movements.end)
        rows = own.intervals
    lag = device.latency
    mode = min(max(lag.typical_s, lag.min_s), lag.max_s)
    delays = (
        rng.triangular(lag.min_s, mode, lag.max_s, len(rows))
        if lag.max_s > lag.min_s
        else np.full(len(rows), lag.typical_s)
    )
    late = np.minimum(rows[:, 0] + delays, rows[:, 1])
    report = Signal.from_intervals(np.column_stack([late, rows[:, 1]]), 0.0, movements.end)
    return SensorRun(notices, report, movements.end, _hold(it))


def _bearing(person: Person, by_weight: bool) -> tuple[bool, float]:
    """Whether it is a pet, and how heavy where that counts."""
    return person.kind == "pet", person.body_kg if by_weight else ADULT_KG


def _hold(it: Placed) -> float:
    own = it.sensor.settings.hold_s
    hold = it.device.hold_s if own is None else own
    # A contact has no hold of its own: the door stays open for a moment behind whoever walked through.
    return max(hold, DOOR_OPEN_S) if isinstance(it.device, ContactType) else hold


def _walk_rates(it: Placed, movements: Movements, level: int, pet: bool) -> Array:
    """Notices per second at 1 m/s at every way sample; 0 on other levels."""
    points, levels, _, heading = movements.samples
    out = np.zeros(len(points))
    here = np.flatnonzero(levels == level)
    if len(here):
        out[here] = walking(it, points[here], None, heading[here], 1.0, PET if pet else STANDING)
    return out


def _stay_chances(it: Placed, movements: Movements, level: int, pet: bool, kg: float) -> tuple[Array, Array, Array]:
    """For each spot the chance of a large and of a small movement, and the rate of being noticed at rest."""
    n = len(movements.spots)
    large, small, still = np.zeros(n), np.zeros(n), np.zeros(n)
    postures = {"pet"} if pet else {s.posture for s in movements.spots}
    for posture in sorted(postures):
        mine = np.array(
            [
                i
                for i, s in enumerate(movements.spots)
                if movements.spot_level[i] == level and (pet or s.posture == posture)
            ],
            int,
        )
        if len(mine) == 0:
            continue
        at = np.array([movements.spots[i].at for i in mine], float)
        facing = np.array([movements.spots[i].facing for i in mine], float)
        seen = staying(it, at, facing, BODIES[posture], kg)
        large[mine], small[mine], still[mine] = seen.large, seen.small, seen.still_per_s
    return large, small, still


def _walk_notices(movements: Movements, track: Track, rates: Array, by_speed: bool, rng: np.random.Generator) -> Array:
    """Instants at which a walker is noticed."""
    if len(track.way) == 0:
        return np.empty(0)
    base = movements.way_base
    length = (base[1:] - base[:-1])[track.way] - 1
    duration = track.arrive[1:] - track.leave[:-1]
    count = np.maximum(np.ceil(duration * WALK_HZ).astype(int), 1)
    total = int(count.sum())
    first = np.concatenate([[0], np.cumsum(count)[:-1]])
    walk = np.repeat(np.arange(len(count)), count)
    # Each look falls at random within its fifth of a second, so that instants are not all on one grid.
    t = (np.arange(total) - first[walk] + rng.random(total)) / WALK_HZ
    row = base[track.way[walk]] + np.minimum((t * track.speed[walk] / STEP).astype(int), length[walk])
    rate = rates[row]
    if by_speed:
        rate = rate * track.speed[walk]
    hit = rng.random(total) < -np.expm1(-rate / WALK_HZ)
    return track.leave[walk[hit]] + t[hit]


def _fidget_notices(track: Track, large: Array, small: Array, rng: np.random.Generator) -> Array:
    """Instants at which a small movement is noticed."""
    spot = track.spot[track.fidget_stay]
    q = np.where(track.fidget_large, large[spot], small[spot])
    return track.fidget_t[rng.random(len(q)) < q]


def _still_notices(track: Track, still: Array, hold: float, rng: np.random.Generator) -> tuple[Array, Array]:
    """Stretches during which somebody at rest is seen without a gap longer than the device's own hold.

    Detections come as a Poisson process. Where they are sparse each is drawn. Where they are dense (DENSE per hold)
    the gaps are drawn instead: the time from a detection to the start of a gap longer than the hold is then
    exponential with mean (e^(rate hold) - 1) / rate - hold, and such a gap lasts hold plus an exponential rest.
    """
    starts: list[Array] = []
    ends: list[Array] = []
    for k in np.flatnonzero(still[track.spot] > 0):
        rate = float(still[track.spot[k]])
        a, b = float(track.arrive[k]), float(track.leave[k])
        if rate * hold <= DENSE:
            n = rng.poisson(rate * (b - a))
            each = a + np.sort(rng.random(n)) * (b - a)
            starts.append(each)
            ends.append(each)
            continue
        mean_run = (math.expm1(min(rate * hold, 600.0)) / rate) - hold
        t = a + rng.exponential(1 / rate)
        while t < b:
            run = min(t + rng.exponential(mean_run), b)
            starts.append(np.array([t]))
            ends.append(np.array([run]))
            t = run + hold + rng.exponential(1 / rate)
    if not starts:
        return np.empty(0), np.empty(0)
    return np.concatenate(starts), np.concatenate(ends)


def _merge(found: list[tuple[Array, Array, int, bool]], end: float) -> Notices:
    if not found:
        return Notices(np.empty(0), np.empty(0), np.empty(0, int), np.empty(0, bool))
    start = np.concatenate([f[0] for f in found])
    stop = np.concatenate([f[1] for f in found])
    person = np.concatenate([np.full(len(f[0]), f[2]) for f in found])
    moving = np.concatenate([np.full(len(f[0]), f[3]) for f in found])
    order = np.argsort(start, kind="stable")
    order = order[(start[order] >= 0) & (start[order] < end)]
    return Notices(start[order], np.minimum(stop[order], end), person[order].astype(int), moving[order])


def _pir_reports(notices: Array, hold: float, rearm: float) -> Array:
    """[on, off) rows of a PIR: on from a notice until `hold` after the last, then blind for `rearm` seconds."""
    if len(notices) == 0:
        return np.empty((0, 2))
    # The last notice of the run that each notice belongs to: a run ends where the next is more than `hold` away.
    breaks = np.flatnonzero(np.diff(notices) > hold)
    run_end = np.append(breaks, len(notices) - 1)
    t = notices.tolist()
    ends = run_end.tolist()
    rows = []
    i = 0
    while i < len(t):
        last = ends[bisect.bisect_left(ends, i)]
        off = t[last] + hold
        rows.append((t[i], off))
        i = bisect.bisect_left(t, off + rearm, last + 1)
    return np.array(rows)
