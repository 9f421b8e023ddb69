"""Lights that a hand switches: what a room without any sensor costs, and absence control, where a hand switches on
and the sensor only off.

A hand finds the switch a moment after its owner has come in; leaving, some switches are forgotten. Both are plain
figures of ours, to be replaced by what a client says of their own house.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.signals import Signal

Array = NDArray[np.float64]

# From the door to the switch, and from a light that went off to its being on again by hand, seconds.
REACH_S, AGAIN_S = 2.0, 12.0
# Share of leavings at which the switch is forgotten, and how long such a light is on at most, seconds.
FORGOTTEN, LONGEST_S = 0.25, 4 * 3600.0
# How long a press lasts, seconds.
PRESS_S = 0.5


class SwitchPresses(NamedTuple):
    """While the switch is pressed, and the instants of those presses that a light gone off on somebody made needful."""

    signal: Signal
    again: Array


# Rows in which light is needed, rows of presence, and the hold, seconds: when the switch is pressed, and whether each
# time since the light went off on somebody.
PressTimes = Callable[[Array, Array, float], tuple[Array, NDArray[np.bool_]]]


def press_times(needed: Array, presence: Array, hold_s: float) -> tuple[Array, NDArray[np.bool_]]:
    """See PressedAt."""
    begins, ends = presence[:, 0].tolist(), presence[:, 1].tolist()
    t: list[float] = []
    again: list[bool] = []
    # The light is on until then, were it dark.
    lit_until = -math.inf
    for a, b in needed.tolist():
        dropped = lit_until > a
        since = lit_until if dropped else a
        while (press := since + (AGAIN_S if dropped else REACH_S)) < b:
            t.append(press)
            again.append(dropped)
            lit_until = press + PRESS_S + hold_s
            k = bisect.bisect_right(begins, lit_until) - 1
            if k >= 0:
                lit_until = max(lit_until, ends[k])
            since, dropped = lit_until, True
    return np.array(t), np.array(again, bool)


def switch_presses(
    presence: Signal, asking: Signal, dark: Signal, hold_s: float, pressed: PressTimes = press_times
) -> SwitchPresses:
    """When the switch of a room is pressed by those in it who ask for light, where a hand switches on and vacancy off.

    One of them presses REACH_S after coming into the dark room, or AGAIN_S after the light went off on them, each
    time anew, since what a press switched on goes off again (`manual_on`). `pressed` walks through it.
    """
    needed = asking & dark
    t, again = pressed(needed.intervals, presence.intervals, float(hold_s))
    rows = np.column_stack([t, t + PRESS_S])
    return SwitchPresses(Signal.from_intervals(rows, needed.start, needed.end), t[again])


def manual_on(presence: Signal, pressed: Signal, hold_s: float) -> Signal:
    """What a press switched on: until neither presence nor the hold after the press is on."""
    return pressed.start_keep(presence | pressed.hold(hold_s))


def expected_manual_cost(awake: Signal, asking: Signal, dark: Signal) -> tuple[float, float]:
    """What a room without sensors is expected to cost over the span: seconds needed and not lit, and seconds lit for
    nobody; by who is awake there, and who asks for light.

    Each arrival in the dark costs REACH_S; after each leaving the light stays on, with chance FORGOTTEN, until
    somebody comes again, at most LONGEST_S and only while it is dark.
    """
    needed = asking & dark
    unlit = float(np.minimum(needed.intervals[:, 1] - needed.intervals[:, 0], REACH_S).sum()) if len(needed) else 0.0
    rows = (~awake).intervals
    rows = rows[rows[:, 0] > awake.start]
    ends = np.minimum(rows[:, 1], rows[:, 0] + LONGEST_S)
    burning = Signal.from_intervals(np.column_stack([rows[:, 0], ends]), awake.start, awake.end) & dark
    return unlit, FORGOTTEN * burning.total()
