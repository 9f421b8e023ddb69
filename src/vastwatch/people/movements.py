"""M6: a stretch of days lived by everybody: stays at spots, walks between them, small movements while staying.

Every draw comes from a stream of its own, named by the seed, the person and the day, so that a run repeats to the
bit, and so that adding a person or a day leaves all others as they were.
"""

from __future__ import annotations

import bisect
import zlib
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project
from vastwatch.people.ways import STEP, Way, way
from vastwatch.sensing.figures import FIDGETS, LARGE_SHARE
from vastwatch.signals import Signal
from vastwatch.site.building import Spot
from vastwatch.site.people import Person, holds_on

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

DAY = 86_400.0
# Spread of walking speed from walk to walk, relative; and the speeds nobody leaves, m/s.
SPEED_SPREAD = 0.08
# Between arriving and leaving again somebody stays at least this long, seconds.
SHORTEST_STAY = 4.0
# An errand lasts its mean time by a log-normal factor of this sigma.
ERRAND_SPREAD = 0.35


def stream(seed: int, *names: object) -> np.random.Generator:
    """The random stream of a seed and names: the same on every machine and run."""
    words = [zlib.crc32(str(name).encode()) for name in names]
    return np.random.Generator(np.random.PCG64(np.random.SeedSequence([seed & 0xFFFFFFFF, *words])))


@dataclass(frozen=True, eq=False)
class Track:
    """One person's time: stay k from `arrive[k]` to `leave[k]` at `spot[k]`; then walk k along `way[k]` at `speed[k]`
    until arrive[k + 1]. Small movements: `fidget_t`, of stay `fidget_stay`, large or small."""

    person: Person
    arrive: Array
    leave: Array
    spot: Ints
    way: Ints
    speed: Array
    fidget_t: Array
    fidget_stay: Ints
    fidget_large: NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Movements:
    """Everybody over [0, end) seconds from local midnight of `begin`.

    `ways` are the distinct walks; `way_base[k]` is the first row of way k in the concatenated samples.
    """

    begin: date
    end: float
    spots: tuple[Spot, ...]
    ways: tuple[Way, ...]
    tracks: tuple[Track, ...]
    rooms: tuple[str, ...]
    spot_room: Ints
    spot_level: Ints

    @cached_property
    def way_base(self) -> Ints:
        """First row of each way in the concatenated samples."""
        return np.concatenate([[0], np.cumsum([len(w.points) for w in self.ways])]).astype(int)

    @cached_property
    def samples(self) -> tuple[Array, NDArray[np.int32], NDArray[np.int32], Array]:
        """Points, level index, room index and heading of all ways, one after the other."""
        if not self.ways:
            none = np.zeros(0, np.int32)
            return np.zeros((0, 2)), none, none, np.zeros(0)
        return (
            np.concatenate([w.points for w in self.ways]),
            np.concatenate([w.level for w in self.ways]),
            np.concatenate([w.room for w in self.ways]),
            np.concatenate([w.heading for w in self.ways]),
        )

    def presence_intervals(self, track: Track, awake_only: bool) -> dict[str, Array]:
        """For each room the [from, to) rows, (n, 2), during which a person is in it (and awake)."""
        times, rooms = self._places(track, awake_only)
        ends = np.append(times[1:], self.end)
        out = {}
        for k in np.unique(rooms[rooms >= 0]):
            here = rooms == k
            rows = np.column_stack([times[here], ends[here]])
            out[self.rooms[k]] = rows[rows[:, 1] > rows[:, 0]]
        return out

    def _places(self, track: Track, awake_only: bool) -> tuple[Array, Ints]:
        """Instants at which the person's room changes, and the room from then on (-1 away or asleep)."""
        activity = np.array([s.activity for s in self.spots])
        gone = activity == "away"
        if awake_only:
            gone |= activity == "sleeping"
        at_spot = np.where(gone, -1, self.spot_room)
        times, rooms = [track.arrive], [at_spot[track.spot]]
        for k in range(len(track.way)):
            w = self.ways[track.way[k]]
            change = np.flatnonzero(np.diff(w.room, prepend=-2))
            times.append(track.leave[k] + change * STEP / track.speed[k])
            rooms.append(w.room[change].astype(int))
        t, r = np.concatenate(times), np.concatenate(rooms)
        order = np.argsort(t, kind="stable")
        return np.clip(t[order], 0.0, self.end), r[order]

    def occupied(self, room: str, awake_only: bool = True) -> Signal:
        """Whether somebody (no pet) is in a room, and awake."""
        rows = [
            intervals[room]
            for track in self.tracks
            if track.person.kind != "pet" and room in (intervals := self._intervals(track, awake_only))
        ]
        return Signal.from_intervals(np.concatenate(rows) if rows else np.empty((0, 2)), 0.0, self.end)

    def person_in(self, person: str, room: str) -> Signal:
        """Whether one person, awake or not, is in a room."""
        track = next(t for t in self.tracks if t.person.id == person)
        rows = self._intervals(track, False).get(room, np.empty((0, 2)))
        return Signal.from_intervals(rows, 0.0, self.end)

    @cached_property
    def _interval_cache(self) -> dict[tuple[int, bool], dict[str, Array]]:
        return {}

    def _intervals(self, track: Track, awake_only: bool) -> dict[str, Array]:
        key = (id(track), awake_only)
        if key not in self._interval_cache:
            self._interval_cache[key] = self.presence_intervals(track, awake_only)
        return self._interval_cache[key]

    def where(self, track: Track, t: float) -> Where:
        """Where a person is at an instant."""
        k = max(int(np.searchsorted(track.arrive, t, side="right")) - 1, 0)
        spot = self.spots[track.spot[k]]
        if t < track.leave[k] or k >= len(track.way):
            level = -1 if spot.activity == "away" else int(self.spot_level[track.spot[k]])
            return Where(spot.at, level, spot, spot.facing)
        w = self.ways[track.way[k]]
        i = min(int((t - track.leave[k]) * track.speed[k] / STEP), len(w.points) - 1)
        x, y = w.points[i]
        return Where((float(x), float(y)), int(w.level[i]), None, float(w.heading[i]))


@dataclass(frozen=True)
class Where:
    """A position on the plan; `level` indexes the levels by elevation, -1 out of the house; `spot` while staying."""

    at: tuple[float, float]
    level: int
    spot: Spot | None
    facing: float


def live(project: Project, days: int, seed: int) -> Movements:
    """Let everybody live `days` days from the brief's date. Cached by the building, the people and the request."""
    return _live(
        project.levels, project.walls, project.openings, project.rooms, project.furnishings, project.spots,
        project.people, project.brief.rehearse_from, days, seed,
    )  # fmt: skip


@lru_cache(maxsize=12)
def _live(levels, walls, openings, rooms, furnishings, spots, people, begin, days, seed) -> Movements:  # type: ignore[no-untyped-def]
    project = Project(
        name="",
        levels=levels,
        walls=walls,
        openings=openings,
        rooms=rooms,
        furnishings=furnishings,
        spots=spots,
    )
    first = date.fromisoformat(begin)
    place = {s.id: i for i, s in enumerate(spots)}
    book = _Ways(project)
    tracks = tuple(_track(p, place, book, first, days, seed) for p in people)
    order = {lv.id: i for i, lv in enumerate(sorted(levels, key=lambda lv: lv.elevation))}
    room_level = {r.id: order[r.level] for r in rooms}
    room_place = {r.id: i for i, r in enumerate(rooms)}
    return Movements(
        first, days * DAY, spots, tuple(book.ways), tracks, tuple(r.id for r in rooms),
        np.array([room_place[s.room] for s in spots], int),
        np.array([room_level[s.room] for s in spots], int),
    )  # fmt: skip


class _Ways:
    """The distinct ways asked for so far."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.ways: list[Way] = []
        self._known: dict[tuple[int, int], int] = {}

    def between(self, a: int, b: int) -> int:
        """Index of the way from spot a to spot b; -1 where there is none."""
        if (a, b) not in self._known:
            found = way(self.project, self.project.spots[a], self.project.spots[b])
            self._known[a, b] = -1 if found is None else len(self.ways)
            if found is not None:
                self.ways.append(found)
        return self._known[a, b]


def _clock(text: str) -> float:
    return int(text[:2]) * 3600.0 + int(text[3:]) * 60.0


def _plan(
    person: Person, place: dict[str, int], first: date, days: int, seed: int, away: set[int]
) -> list[tuple[float, int]]:
    """(instant, spot) pairs in order: where the person sets out for, and when."""
    base: list[tuple[float, int]] = []
    errands: list[tuple[float, float, int]] = []
    for d in range(-1, days):
        rng = stream(seed, person.id, d)
        weekday = (first + timedelta(days=d)).weekday()
        midnight = d * DAY
        for line in person.stays:
            shift = rng.standard_normal() * line.jitter_min * 60.0
            if holds_on(line.days, weekday):
                base.append((midnight + _clock(line.at) + shift, place[line.spot]))
        for errand in person.errands:
            a, b = (_clock(c) for c in errand.between)
            b = b if b > a else b + DAY
            count = int(rng.poisson(errand.per_day))
            begin = a + rng.random(count) * (b - a)
            spans = errand.minutes * 60.0 * np.exp(rng.standard_normal(count) * ERRAND_SPREAD)
            if holds_on(errand.days, weekday):
                errands += [(midnight + s, m, place[errand.spot]) for s, m in zip(begin.tolist(), spans.tolist())]
    base.sort()
    if not base or base[0][0] > 0:
        # Nothing said since yesterday, as of somebody who comes on Wednesdays: they are where their week left them.
        base.insert(0, (-2 * DAY, place[_left_at(person, (first + timedelta(days=-1)).weekday())]))
    errands.sort()
    times = [t for t, _ in base]

    def base_at(t: float) -> int:
        return base[max(bisect.bisect_right(times, t) - 1, 0)][1]

    plan = list(base)
    busy = -2 * DAY
    for begins, lasts, spot in errands:
        if begins < max(busy, times[0]) or base_at(begins) in away:
            continue
        busy = begins + lasts
        plan.append((begins, spot))
        plan.append((busy, base_at(busy)))
    # A line of the sheet that falls into an errand waits until the errand is over.
    plan.sort(key=lambda item: item[0])
    return plan


def _left_at(person: Person, weekday: int) -> str:
    """The spot of the last line of a day sheet before a weekday begins, going back through the week."""
    for back in range(1, 8):
        lines = [s for s in person.stays if holds_on(s.days, (weekday - back) % 7)]
        if lines:
            return max(lines, key=lambda s: _clock(s.at)).spot
    return person.stays[-1].spot


def _track(person: Person, place: dict[str, int], book: _Ways, first: date, days: int, seed: int) -> Track:
    spots = book.project.spots
    away = {i for i, s in enumerate(spots) if s.activity == "away"}
    plan = _plan(person, place, first, days, seed, away)
    rng = stream(seed, person.id, "walks")
    pace = np.clip(person.speed * (1 + SPEED_SPREAD * rng.standard_normal(len(plan) + 1)), 0.3, 2.5).tolist()
    end = days * DAY
    here, since = plan[0][1], plan[0][0]
    arrive, at = [since], [here]
    leave: list[float] = []
    ways: list[int] = []
    speeds: list[float] = []
    for k, (planned, goal) in enumerate(plan[1:]):
        if goal == here:
            continue
        t = max(planned, since + SHORTEST_STAY)
        if t >= end:
            break
        found = book.between(here, goal)
        if found < 0:
            continue
        since = t + book.ways[found].length / pace[k]
        leave.append(t)
        ways.append(found)
        speeds.append(pace[k])
        arrive.append(since)
        at.append(goal)
        here = goal
    leave.append(max(end, since))
    a, b, s = np.array(arrive), np.array(leave), np.array(at, int)
    # What ended before the first midnight is forgotten.
    past = int(np.searchsorted(b, 0.0, side="right"))
    a, b, s = np.maximum(a[past:], 0.0), b[past:], s[past:]
    w, v = np.array(ways[past:], int), np.array(speeds[past:])
    if past and arrive[past] > 0:
        # Midnight finds them walking: they stand where they are headed, for the few steps left.
        a[0] = 0.0
    f_t, f_k, f_large = _fidgets(a, b, s, spots, person, seed)
    return Track(person, a, b, s, w, v, f_t, f_k, f_large)


def _fidgets(
    a: Array, b: Array, at: Ints, spots: tuple[Spot, ...], person: Person, seed: int
) -> tuple[Array, Ints, NDArray[np.bool_]]:
    """Small movements of all stays: log-normal gaps, by activity."""
    rng = stream(seed, person.id, "fidgets")
    times, stays = [], []
    for activity, law in FIDGETS.items():
        if activity == "away":
            continue
        mine = np.flatnonzero([spots[i].activity == activity for i in at])
        if len(mine) == 0:
            continue
        # One long row of gaps over all these stays laid end to end: gaps do not care where a stay ends.
        lengths = np.maximum(b[mine] - a[mine], 0.0)
        edges = np.concatenate([[0.0], np.cumsum(lengths)])
        total, t = edges[-1], np.empty(0)
        reached = 0.0
        while reached < total:
            n = int((total - reached) * law.rate * 1.1) + 16
            gaps = law.median_s * np.exp(law.sigma * rng.standard_normal(n))
            more = reached + np.cumsum(gaps)
            t = np.concatenate([t, more])
            reached = float(more[-1])
        t = t[t < total]
        k = np.searchsorted(edges, t, side="right") - 1
        times.append(a[mine[k]] + t - edges[k])
        stays.append(mine[k])
    if not times:
        return np.empty(0), np.empty(0, int), np.empty(0, bool)
    t, k = np.concatenate(times), np.concatenate(stays)
    order = np.argsort(t, kind="stable")
    return t[order], k[order], rng.random(len(t)) < LARGE_SHARE
