"""People react: anybody who is left in the dark waves, waves again, and after TRIES vain tries goes to the switch (M8).

What a wave does is what any movement does: a sensor that notices it reports, and the light comes on for the hold. So
one silence of a sensor brings several false-offs. Sensors and hands are all that is known here: who is where, and how
readily each sensor notices a wave there, comes as `OccupancyIntervals`.

The light without any reaction is a signal of the recording alone, and its dark gaps do not depend on each other, since
each ends with a start of its own. Within a gap everything follows one after the other: off, wave, on, off, wave. All
gaps are walked at once, a step of each at a time.

Which waves are noticed is drawn by their anchor, the later of the instants at which the last report before the gap
ended and at which they came, and by the count of waves since: not by the hold. A longer hold then meets the same luck
in the same silence.
"""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.manual.manual_switching import AGAIN_S, PRESS_S, REACH_S
from vastwatch.rng import Keys, at_ms, sub_key_of, sub_keys, uniform, uniform_of
from vastwatch.signals import Signal
from vastwatch.yielding import yield_to_interface

if TYPE_CHECKING:
    from vastwatch.loops import reactions as loops

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# So few pieces of gaps are walked one by one: together they cost as much a step as many do.
FEW = 40
# Instants that are a hair before a whole millisecond by rounding alone count as that, seconds.
EPSILON_S = 1e-6
# After so many waves that bring no light somebody goes to the switch.
MAX_VAIN_WAVES = 3


class WaveSensor(NamedTuple):
    """A sensor that a wave may trigger: whether it starts the light, latency, length of its report (seconds), and its
    random key."""

    starts: bool
    latency_s: float
    report_s: float
    key: int


class ReactionKeys(NamedTuple):
    """Random keys per occupancy interval of a batch: each sensor's keys (sensors, n) and the start of the interval's
    replicate (n,), seconds."""

    keys: Keys
    begins: Array


@dataclass(frozen=True, eq=False)
class OccupancyIntervals:
    """While somebody who would react is awake at one place in the dark: [begin, end), sorted and apart, (n,); how long
    they wait before they wave, (n,); the chance that each sensor notices a wave from there, (sensors, n). `luck`: by
    default one replicate's, with the sensors' own keys."""

    begin: Array
    end: Array
    after_s: Array
    chance: Array
    luck: ReactionKeys | None = None

    @staticmethod
    def none(sensors: int) -> OccupancyIntervals:
        """Nobody ever."""
        return OccupancyIntervals(np.empty(0), np.empty(0), np.empty(0), np.empty((sensors, 0)))


class Reaction(NamedTuple):
    """What people did, in order: instants of waves and of presses; what each sensor reported of the waves, [on, off)
    rows in order; the light that came of it, [on, off) rows in the gaps of the light without; and the instants at
    which that light, or the one without, went off."""

    waves: Array
    presses: Array
    reports: tuple[Array, ...]
    light: Array
    falls: Array


class _Gaps(NamedTuple):
    """Dark gaps [begin, end) of the light without reactions, the end of the light that follows each, and anchors."""

    begin: Array
    end: Array
    after: Array
    anchor: Ints


class _Steps(NamedTuple):
    """What happened in gaps, a row an event: which gap, when, and for light its end."""

    wave_gap: Ints
    wave: Array
    press_gap: Ints
    press: Array
    report_gap: tuple[Ints, ...]
    report: tuple[Array, ...]
    light_gap: Ints
    light: Array


def react(
    start: Signal, keep: Signal, hold_s: float, occupancy: OccupancyIntervals, sensors: tuple[WaveSensor, ...]
) -> Reaction:
    """What people do about a light that `start` turns on and `keep`, held for `hold_s`, keeps. `start` within `keep`.

    A noticed wave counts as a report of the sensors that noticed it, a press as one of a sensor that starts the light.
    """
    yield_to_interface()
    held = keep.hold(hold_s)
    lit = start.start_keep(held)
    off = (~lit).intervals
    falls = lit.falls
    none = Reaction(np.empty(0), np.empty(0), tuple(np.empty((0, 2)) for _ in sensors), np.empty((0, 2)), falls)
    if len(off) == 0 or len(occupancy.begin) == 0:
        return none
    begin, end = off[:, 0].copy(), off[:, 1]
    # Both in order, and each begin but that of the span is a fall.
    fell = np.append(falls, np.inf)[falls.searchsorted(begin)] == begin
    # The light that ends a gap goes off at the begin of the next.
    after = np.append(begin[1:], np.inf)
    gaps = _Gaps(begin, end, after, _at_ms(np.where(fell, begin - hold_s, begin)))
    first = occupancy.end.searchsorted(begin, side="right")
    some = np.flatnonzero(first < len(occupancy.begin))
    some = some[occupancy.begin[first[some]] < end[some]]
    steps, beyond = _walk(gaps, some, held.intervals, hold_s, occupancy, sensors)
    while len(moved := np.flatnonzero((now := _later(off[:, 0], end, beyond)) != begin)):
        # Walked again with where it begins now, it may no longer outlast what it did.
        begin[moved] = now[moved]
        steps = _without(steps, moved.tolist())
        redo = moved[begin[moved] < end[moved]]
        more, further = _walk(gaps, redo, held.intervals, hold_s, occupancy, sensors)
        steps = _joined(steps, more)
        again = set(moved.tolist())
        beyond = {gap: until for gap, until in beyond.items() if gap not in again} | further
    there = begin < end
    fallen = np.concatenate([begin[there & fell], steps.light[:, 1][steps.light[:, 1] < end[steps.light_gap]]])
    later = np.flatnonzero(begin > off[:, 0])
    light = np.vstack([steps.light, np.column_stack([off[later, 0], begin[later]])])
    return Reaction(
        np.sort(steps.wave),
        np.sort(steps.press),
        tuple(rows[np.argsort(rows[:, 0], kind="stable")] for rows in steps.report),
        light[np.argsort(light[:, 0], kind="stable")],
        np.sort(fallen),
    )


def _later(begin: Array, end: Array, beyond: dict[int, float]) -> Array:
    """Where gaps begin if light from those before lasts until some instants: later, or as they end."""
    out = begin.copy()
    for gap, until in beyond.items():
        k = gap + 1
        while k < len(out) and begin[k] < until:
            out[k] = min(max(until, out[k]), end[k])
            k += 1
    return out


def _walk(
    gaps: _Gaps, which: Ints, held: Array, hold_s: float, occupancy: OccupancyIntervals, sensors: tuple[WaveSensor, ...]
) -> tuple[_Steps, dict[int, float]]:
    """Walk through some gaps; what happened, and from which gaps light lasts beyond what follows them, and how long."""
    # Nobody is there for ever after: a last stretch that never begins.
    begins, ends = np.append(occupancy.begin, np.inf), np.append(occupancy.end, np.nan)
    afters = np.append(occupancy.after_s, 0.0)
    chance = np.column_stack([occupancy.chance, np.zeros(len(sensors))])
    own, since = _luck(occupancy, sensors)
    come = _at_ms(occupancy.begin) - since[:-1]
    gap, t, to = _lanes(gaps, which, held, hold_s, occupancy, sensors)
    at = occupancy.end.searchsorted(t, side="right")
    vain, count = np.zeros(len(gap), int), np.zeros(len(gap), int)
    out = _Log(len(sensors))
    beyond: dict[int, float] = {}
    while len(gap) > FEW:
        w = np.maximum(t, begins[at]) + np.where(vain < MAX_VAIN_WAVES, afters[at], AGAIN_S)
        while (gone := w >= ends[at]).any():
            # They leave, or somebody else comes, before that.
            at[gone] += 1
            vain[gone] = count[gone] = 0
            w[gone] = np.maximum(t[gone], begins[at[gone]]) + afters[at[gone]]
        on = w < to
        if not on.all():
            gap, at, vain, count = gap[on], at[on], vain[on], count[on]
            t, to, w = t[on], to[on], w[on]
            if len(gap) == 0:
                break
        anchor = np.maximum(gaps.anchor[gap] - since[at], come[at])
        pressing = vain >= MAX_VAIN_WAVES
        out.press(gap[pressing], w[pressing])
        waving = ~pressing
        out.wave(gap[waving], w[waving])
        lit_at, until = np.where(pressing, w, np.inf), np.where(pressing, w + PRESS_S, -np.inf)
        noticed = []
        for k, s in enumerate(sensors):
            hit = waving & (uniform(sub_keys(own[k, at], anchor), count) < chance[k, at]) & (s.latency_s < s.report_s)
            noticed.append(hit)
            if s.starts:
                lit_at[hit] = np.minimum(lit_at[hit], w[hit] + s.latency_s)
        lights = np.isfinite(lit_at)
        for k, (s, hit) in enumerate(zip(sensors, noticed)):
            hit &= lights
            until[hit] = np.maximum(until[hit], w[hit] + s.report_s)
            out.report(k, gap[hit], np.column_stack([w[hit] + s.latency_s, w[hit] + s.report_s]))
        count += waving
        vain = np.where(lights, 0, vain + 1)
        dark_at = until + hold_s
        if len(held):
            # Reports that come while the light is on keep it as they always do.
            j = held[:, 0].searchsorted(dark_at[lights], side="right") - 1
            dark_at[lights] = np.maximum(dark_at[lights], np.where(j >= 0, held[np.maximum(j, 0), 1], -np.inf))
        out.light(gap[lights], np.column_stack([np.minimum(lit_at, to), np.minimum(dark_at, to)])[lights])
        for k in np.flatnonzero(lights & (dark_at > gaps.after[gap])).tolist():
            beyond[int(gap[k])] = float(dark_at[k])
        t = np.where(lights, dark_at, w)
        more = t < to
        gap, at, vain, count = gap[more], at[more], vain[more], count[more]
        t, to = t[more], to[more]
    if len(gap):
        # The few that go on for long, each by itself.
        lane = _Lane(gaps, held, hold_s, occupancy, sensors, out, beyond)
        for start in zip(*(column.tolist() for column in (gap, at, vain, count, t, to))):
            lane.walk(*start)
    return out.steps(), beyond


class _Eye(NamedTuple):
    """A sensor that may notice the waves from one place in one gap: which, the key of its draws there, its chance."""

    sensor: int
    key: int
    chance: float
    latency_s: float
    report_s: float
    starts: bool


class _Lane:
    """The same steps in plain numbers, for one piece of a gap at a time."""

    def __init__(
        self, gaps: _Gaps, held: Array, hold_s: float, occupancy: OccupancyIntervals, sensors: tuple[WaveSensor, ...],
        out: _Log, beyond: dict[int, float],
    ) -> None:  # fmt: skip
        self._anchor, self._after = gaps.anchor.tolist(), gaps.after.tolist()
        self._held_from, self._held_to = held[:, 0].tolist(), held[:, 1].tolist()
        self._hold_s, self._sensors, self._out, self._beyond = hold_s, sensors, out, beyond
        self._begins, self._ends = [*occupancy.begin.tolist(), np.inf], [*occupancy.end.tolist(), np.nan]
        self._afters = [*occupancy.after_s.tolist(), 0.0]
        own, since = _luck(occupancy, sensors)
        self._own, self._since = own.tolist(), since.tolist()
        self._come = [*(_at_ms(occupancy.begin) - since[:-1]).tolist(), 0]
        self._chance = [[*row, 0.0] for row in occupancy.chance.tolist()]

    def walk(self, gap: int, at: int, vain: int, count: int, t: float, to: float) -> None:
        """Walk on from an instant, with so many waves so far, the last so many in vain."""
        yield_to_interface()
        begins, ends, afters = self._begins, self._ends, self._afters
        waves: list[float] = []
        presses: list[float] = []
        lights: list[tuple[float, float]] = []
        reports: list[list[tuple[float, float]]] = [[] for _ in self._sensors]
        place, eyes = -1, list[_Eye]()
        while t < to:
            w = max(t, begins[at]) + (afters[at] if vain < MAX_VAIN_WAVES else AGAIN_S)
            while w >= ends[at]:
                # They leave, or somebody else comes, before that.
                at, vain, count = at + 1, 0, 0
                w = max(t, begins[at]) + afters[at]
            if not w < to:
                break
            if vain >= MAX_VAIN_WAVES:
                presses.append(w)
                lit_at, until = w, w + PRESS_S
            else:
                if at != place:
                    place, eyes = at, self._eyes(gap, at)
                waves.append(w)
                noticed = [eye for eye in eyes if uniform_of(eye.key, count) < eye.chance]
                count += 1
                starting = [eye.latency_s for eye in noticed if eye.starts]
                if not starting:
                    t, vain = w, vain + 1
                    continue
                lit_at, until = w + min(starting), w + max(eye.report_s for eye in noticed)
                for eye in noticed:
                    reports[eye.sensor].append((w + eye.latency_s, w + eye.report_s))
            t, vain = until + self._hold_s, 0
            # Reports that come while the light is on keep it as they always do.
            j = bisect_right(self._held_from, t) - 1
            if j >= 0:
                t = max(t, self._held_to[j])
            lights.append((min(lit_at, to), min(t, to)))
            if t > self._after[gap]:
                self._beyond[gap] = t
        self._tell(gap, waves, presses, reports, lights)

    def _eyes(self, gap: int, at: int) -> list[_Eye]:
        """The sensors that may notice a wave of those at a place, within a gap."""
        anchor = max(self._anchor[gap] - self._since[at], self._come[at])
        return [
            _Eye(k, sub_key_of(self._own[k][at], anchor), self._chance[k][at], s.latency_s, s.report_s, s.starts)
            for k, s in enumerate(self._sensors)
            if s.latency_s < s.report_s and self._chance[k][at] > 0
        ]

    def _tell(
        self, gap: int, waves: list[float], presses: list[float], reports: list[list[tuple[float, float]]],
        lights: list[tuple[float, float]],
    ) -> None:  # fmt: skip
        for events, tell in ((waves, self._out.wave), (presses, self._out.press)):
            if events:
                tell(np.full(len(events), gap), np.array(events))
        for k, rows in enumerate(reports):
            if rows:
                self._out.report(k, np.full(len(rows), gap), np.array(rows))
        if lights:
            self._out.light(np.full(len(lights), gap), np.array(lights))


def _luck(occupancy: OccupancyIntervals, sensors: tuple[WaveSensor, ...]) -> tuple[Keys, Ints]:
    """The keys of each sensor's draws in each stretch, and the milliseconds from which its draws count, with one more
    stretch at the end."""
    n = len(occupancy.begin)
    own = np.empty((len(sensors), n + 1), np.uint64)
    own[:] = np.array([s.key for s in sensors], np.uint64)[:, None]
    since = np.zeros(n + 1, np.int64)
    if occupancy.luck is not None:
        own[:, :n], since[:n] = occupancy.luck.keys, _at_ms(occupancy.luck.begins)
    return own, since


def _at_ms(t: Array) -> Ints:
    return at_ms(t + EPSILON_S)


def _lanes(
    gaps: _Gaps, which: Ints, held: Array, hold_s: float, occupancy: OccupancyIntervals, sensors: tuple[WaveSensor, ...]
) -> tuple[Ints, Array, Array]:
    """Gaps in pieces that do not depend on each other: of which gap, from when, and until when.

    A sensor that hardly ever reports leaves gaps of weeks. Where nobody has been there for longer than any light of
    theirs lasts, and nothing keeps it, it is off whatever they did: there a gap is cut.
    """
    longest = hold_s + max([PRESS_S, *(s.report_s for s in sensors)])
    apart = np.append(False, occupancy.begin[1:] - occupancy.end[:-1] > longest)
    if len(held):
        kept = held[:, 0].searchsorted(occupancy.begin, side="left") - 1
        left = np.append(-np.inf, occupancy.end[:-1])
        apart &= (kept < 0) | (held[np.maximum(kept, 0), 1] <= left)
    cut = np.flatnonzero(apart)
    home = gaps.begin.searchsorted(occupancy.begin[cut], side="left") - 1
    walked = np.zeros(len(gaps.begin), bool)
    walked[which] = True
    inside = (home >= 0) & walked[home]
    inside[inside] &= occupancy.begin[cut[inside]] < gaps.end[home[inside]]
    gap = np.concatenate([which, home[inside]])
    begin = np.concatenate([gaps.begin[which], occupancy.begin[cut[inside]]])
    order = np.argsort(begin, kind="stable")
    gap, begin = gap[order], begin[order]
    to = gaps.end[gap]
    same = np.flatnonzero(gap[1:] == gap[:-1])
    to[same] = begin[same + 1]
    return gap, begin, to


class _Log:
    """Events as they come, by step."""

    def __init__(self, sensors: int) -> None:
        self._waves: list[tuple[Ints, Array]] = []
        self._presses: list[tuple[Ints, Array]] = []
        self._reports: list[list[tuple[Ints, Array]]] = [[] for _ in range(sensors)]
        self._lights: list[tuple[Ints, Array]] = []

    def wave(self, gap: Ints, t: Array) -> None:
        self._waves.append((gap, t))

    def press(self, gap: Ints, t: Array) -> None:
        self._presses.append((gap, t))

    def report(self, sensor: int, gap: Ints, rows: Array) -> None:
        self._reports[sensor].append((gap, rows))

    def light(self, gap: Ints, rows: Array) -> None:
        self._lights.append((gap, rows))

    def steps(self) -> _Steps:
        def column(parts: list[tuple[Ints, Array]], wide: bool) -> tuple[Ints, Array]:
            if not parts:
                return np.zeros(0, int), np.empty((0, 2) if wide else 0)
            return np.concatenate([g for g, _ in parts]), np.concatenate([x for _, x in parts])

        reports = [column(each, True) for each in self._reports]
        return _Steps(
            *column(self._waves, False), *column(self._presses, False), tuple(g for g, _ in reports),
            tuple(x for _, x in reports), *column(self._lights, True),
        )  # fmt: skip


def _without(s: _Steps, gaps: list[int]) -> _Steps:
    """The events of all other gaps."""

    def kept(gap: Ints, what: Array) -> tuple[Ints, Array]:
        stays = ~np.isin(gap, gaps)
        return gap[stays], what[stays]

    reports = [kept(g, x) for g, x in zip(s.report_gap, s.report)]
    return _Steps(
        *kept(s.wave_gap, s.wave), *kept(s.press_gap, s.press), tuple(g for g, _ in reports),
        tuple(x for _, x in reports), *kept(s.light_gap, s.light),
    )  # fmt: skip


def _joined(a: _Steps, b: _Steps) -> _Steps:
    def both(x: Any, y: Any) -> Any:
        return tuple(map(both, x, y)) if isinstance(x, tuple) else np.concatenate([x, y])

    return _Steps(*map(both, a, b))


# -- for many replicates at once ------------------------------------------------------------------------


def occupancy_arrays(occupancy: OccupancyIntervals, sensors: tuple[WaveSensor, ...]) -> loops.OccupancyArrays:
    """Stretches as the loop reads them."""
    from vastwatch.loops import reactions as loops

    n = len(occupancy.begin)
    if occupancy.luck is None:
        keys = np.repeat(np.array([s.key for s in sensors], np.uint64)[:, None], n, axis=1)
        since = np.zeros(n, np.int64)
    else:
        keys, since = np.ascontiguousarray(occupancy.luck.keys), at_ms(occupancy.luck.begins + EPSILON_S)
    begin, end, after_s, chance = (
        np.ascontiguousarray(x, float) for x in (occupancy.begin, occupancy.end, occupancy.after_s, occupancy.chance)
    )
    return loops.OccupancyArrays(begin, end, after_s, chance, keys.reshape(len(sensors), n), since)


def habits() -> loops.Habits:
    """What people do about a light, as the loop reads it."""
    from vastwatch.loops import reactions as loops

    return loops.Habits(REACH_S, AGAIN_S, PRESS_S, MAX_VAIN_WAVES, EPSILON_S)


def wave_sensor_arrays(sensors: tuple[WaveSensor, ...]) -> loops.WaveSensorArrays:
    """Sensors as the loop reads them."""
    from vastwatch.loops import reactions as loops

    return loops.WaveSensorArrays(
        np.array([s.starts for s in sensors], bool), np.array([s.latency_s for s in sensors], float),
        np.array([s.report_s for s in sensors], float),
    )  # fmt: skip
