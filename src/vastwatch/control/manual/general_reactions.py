"""People's reactions to a light that follows any conclusion, whatever it is made of (see `reactions` for what they do).

Where a light is one hold of some reports, `reactions` knows what a wave brings. Here it is asked: what is reported of
the waves so far goes into the conclusion, and what comes out tells whether the next one is needed. All stays are
walked side by side; since nothing that is concluded depends on what comes later, what was found up to a wave stays so.
Light may last from one stay into another: those that waved into it are walked again. People do the same again and
again, and so they are taken to, some steps ahead, until what is concluded says otherwise.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.manual.manual_switching import AGAIN_S, PRESS_S
from vastwatch.control.manual.reactions import EPSILON_S, MAX_VAIN_WAVES, OccupancyIntervals, Reaction, WaveSensor
from vastwatch.rng import at_ms, sub_key_of, uniform_of
from vastwatch.signals import Signal
from vastwatch.yielding import yield_to_interface

Array = NDArray[np.float64]

# Stays at least so far apart are walked side by side, seconds: any figure gives the same, this one soon.
APART_S = 300.0
# So often at the most is anything concluded anew: a light that nothing ever settles is told as it then is.
MOST_ROUNDS = 20_000

PRESSED = (-1,)
# So many steps are taken ahead at the most before anything is concluded.
MOST_AHEAD = 512


class _Lamp(NamedTuple):
    """A light: its switchings, whether it is on at first, and where the dark begins and ends that is long enough for a
    wave."""

    switches: Array
    first: bool
    begins: list[float]
    ends: list[float]


# What is concluded, given what each sensor reports of waves, [on, off) rows, and while the switch is pressed, rows.
Conclude = Callable[[tuple[Array, ...], Array], Signal]


class _Did(NamedTuple):
    """A wave, and which sensors notice it; or a press, which is of no sensor: PRESSED."""

    at: float
    by: tuple[int, ...]

    @property
    def press(self) -> bool:
        return self.by == PRESSED


class _State(NamedTuple):
    """Where a walk through a stay stands: after so many things done, in which stretch, at which instant; how many of
    the last waves were vain, how many there were in this stretch; and whether the last has yet to be answered."""

    k: int
    at: int
    t: float
    vain: int
    waves: int
    asked: bool


class _Stay:
    """Stretches that follow each other closely, from `first` to before `last`, and what is done in them: up to `sure`
    for certain, and from there on as it will be if things go on as they did."""

    def __init__(self, first: int, last: int) -> None:
        self.first, self.last = first, last
        self.did: list[_Did] = []
        # By kind, after how long the last of it brought light, and until when after it; None where it brought none.
        self.brought: dict[tuple[int, ...], tuple[float, float] | None] = {}
        self.ahead = 1
        self.begin_again()

    def begin_again(self) -> None:
        """Nothing is certain any more."""
        self.sure = _State(0, self.first, -np.inf, 0, 0, False)
        self.done = False


def react_to_conclusion(conclude: Conclude, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...]) -> Reaction:
    """What people do about a light that follows `conclude`. Of `sensors`, what `starts` says is not asked."""
    quiet: tuple[Array, ...] = tuple(np.empty((0, 2)) for _ in sensors)
    plain = lit = conclude(quiet, np.empty((0, 2)))
    stays = _stays(who)
    walk = _Walk(who, sensors)
    for _ in range(MOST_ROUNDS):
        yield_to_interface()
        if not walk.all_on([stay for stay in stays if not stay.done], lit):
            # All have come to their ends: once more from the beginning, now that all that was done is known.
            for stay in stays:
                stay.begin_again()
            if not walk.all_on(stays, lit):
                break
        lit = _concluded(conclude, stays, sensors)
    rows, presses, waves = _reported(stays, sensors)
    return Reaction(waves, presses[:, 0], rows, (lit - plain).intervals, lit.falls)


def _concluded(conclude: Conclude, stays: list[_Stay], sensors: tuple[WaveSensor, ...]) -> Signal:
    rows, presses, _ = _reported(stays, sensors)
    return conclude(rows, presses)


def _stays(who: OccupancyIntervals) -> list[_Stay]:
    if len(who.begin) == 0:
        return []
    heads = np.flatnonzero(np.append(True, who.begin[1:] - who.end[:-1] > APART_S)).tolist()
    return [_Stay(a, b) for a, b in zip(heads, [*heads[1:], len(who.begin)])]


def _reported(stays: list[_Stay], sensors: tuple[WaveSensor, ...]) -> tuple[tuple[Array, ...], Array, Array]:
    """By sensor what it reports of all waves; the presses as rows; the instants of the waves; each in order."""
    noticed: list[list[float]] = [[] for _ in sensors]
    presses: list[float] = []
    waves: list[float] = []
    for stay in stays:
        for at, by in stay.did:
            if by == PRESSED:
                presses.append(at)
                continue
            waves.append(at)
            for k in by:
                noticed[k].append(at)
    pressed = np.array(presses)
    rows = []
    for sensor, when in zip(sensors, noticed):
        w = np.array(when)
        rows.append(np.column_stack([w + sensor.latency_s, w + sensor.report_s]))
    return tuple(rows), np.column_stack([pressed, pressed + PRESS_S]), np.array(waves)


class _Walk:
    """The steps of a stay, in plain numbers."""

    def __init__(self, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...]) -> None:
        self.begins, self.ends, self.afters = who.begin.tolist(), who.end.tolist(), who.after_s.tolist()
        self.come = at_ms(who.begin + EPSILON_S).tolist()
        self.chance, self.sensors = who.chance, sensors
        # Anybody who waves has been in the dark for so long at the least, seconds.
        self.least = min([AGAIN_S, *self.afters])
        if who.luck is None:
            self.keys = [[s.key] * len(self.begins) for s in sensors]
        else:
            self.keys = who.luck.keys.tolist()
            self.come = (at_ms(who.begin + EPSILON_S) - at_ms(who.luck.begins + EPSILON_S)).tolist()

    def all_on(self, stays: list[_Stay], lit: Signal) -> bool:
        """`on` for each of some stays; whether for any of them something is to be concluded again."""
        dark = (~lit).intervals
        dark = dark[dark[:, 1] - dark[:, 0] > self.least]
        lamp = _Lamp(lit.switches, lit.first, dark[:, 0].tolist(), dark[:, 1].tolist())
        return sum(self.on(stay, lamp) for stay in stays) > 0

    def on(self, stay: _Stay, lamp: _Lamp) -> bool:
        """Walk on through a stay, given the light with all that is done in it so far: what was done as it would be done
        now is certain, the rest is done anew, some steps ahead. Whether anything is to be concluded again."""
        state = stay.sure
        held = state.k
        while True:
            state, w = self._next(stay, state, lamp, True)
            noted = stay.did[state.k] if state.k < len(stay.did) else None
            if (
                w is None
                or noted is None
                or abs(noted.at - w) > EPSILON_S
                or noted.press != (state.vain >= MAX_VAIN_WAVES)
            ):
                break
            state = self._after(state, noted)
            stay.sure = state
        if len(stay.did) > state.k:
            # What was guessed wrongly may have brought light itself: without it first.
            del stay.did[state.k :]
            stay.ahead = max(state.k - held, 1)
            return True
        stay.done = w is None
        stay.ahead = min(2 * stay.ahead, MOST_AHEAD)
        for _ in range(stay.ahead):
            if w is None:
                break
            stay.did.append(self._doing(state, w))
            state, w = self._next(stay, self._after(state, stay.did[-1]), lamp, False)
        return not stay.done

    def _after(self, state: _State, did: _Did) -> _State:
        return state._replace(k=state.k + 1, t=did.at, waves=state.waves + (not did.press), asked=True)

    def _next(self, stay: _Stay, s: _State, lamp: _Lamp, known: bool) -> tuple[_State, float | None]:
        """When somebody waves or presses next, and the state in which they do; None once the stay is over. Whether the
        last brought light is `known`, or guessed by what the like of it brought before."""
        if s.at >= stay.last:
            return s, None
        if s.asked:
            s = self._answered(stay, s, lamp, known)
        at, t, vain, count = s.at, s.t, s.vain, s.waves
        k = bisect_right(lamp.ends, t)
        while k < len(lamp.ends):
            if lamp.begins[k] > t:
                t, vain = lamp.begins[k], 0
            w = self._due(at, t, vain)
            while w >= self.ends[at]:
                at, vain, count = at + 1, 0, 0
                if at >= stay.last:
                    return s._replace(at=at), None
                w = self._due(at, t, vain)
            # What was noted brought light itself, perhaps at once: the dark then ends with it, and not before.
            noted = (
                known
                and s.k < len(stay.did)
                and abs(stay.did[s.k].at - w) <= EPSILON_S
                and w <= lamp.ends[k] + EPSILON_S
            )
            if w < lamp.ends[k] or noted:
                return _State(s.k, at, t, vain, count, False), w
            # Light comes on before that; or nobody is there before the dark has long ended.
            k = max(k + 1, bisect_right(lamp.ends, self.begins[at]))
        return s._replace(at=stay.last), None

    def _answered(self, stay: _Stay, s: _State, lamp: _Lamp, known: bool) -> _State:
        """Whether light came on before the next wave was due, and until when."""
        last = stay.did[s.k - 1]
        if known:
            due = s.t + (self.afters[s.at] if s.vain + 1 < MAX_VAIN_WAVES else AGAIN_S)
            on = _next_on(lamp.switches, lamp.first, s.t)
            came = None if on is None or on[0] > due - EPSILON_S else (on[0] - s.t, on[1] - s.t)
            stay.brought[last.by] = came
        else:
            came = stay.brought.get(last.by)
        if came is None:
            return s._replace(vain=s.vain + 1, asked=False)
        return s._replace(t=s.t + came[1], vain=0, asked=False)

    def _due(self, at: int, t: float, vain: int) -> float:
        return max(t, self.begins[at]) + (self.afters[at] if vain < MAX_VAIN_WAVES else AGAIN_S)

    def _doing(self, s: _State, w: float) -> _Did:
        if s.vain >= MAX_VAIN_WAVES:
            return _Did(w, PRESSED)
        by = []
        for k, sensor in enumerate(self.sensors):
            luck = uniform_of(sub_key_of(self.keys[k][s.at], self.come[s.at]), s.waves)
            if luck < self.chance[k, s.at] and sensor.latency_s < sensor.report_s:
                by.append(k)
        return _Did(w, tuple(by))


def _next_on(switches: Array, first: bool, t: float) -> tuple[float, float] | None:
    """The light that is on at an instant or comes on next, from then until it goes off."""
    i = int(switches.searchsorted(t, side="right"))
    if not (i % 2 == 1) ^ first:
        if i >= len(switches):
            return None
        i += 1
        since = float(switches[i - 1])
    else:
        since = t
    return since, float(switches[i]) if i < len(switches) else np.inf
