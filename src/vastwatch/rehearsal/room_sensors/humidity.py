"""How damp a room is, of a truth, and what a humidity sensor says of it.

Relative humidity above the room's usual, in percent: it goes towards STEAM while somebody showers, and back to nothing
after, each exponentially. Anybody who is at a place for washing for SHOWER_S or longer has showered; anybody who is
there for less has washed their hands, which nobody notices. A fan that runs is not looked at: it would dry the room
sooner.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.light.darkness import latch_steps, zero_order_hold
from vastwatch.memo import memoised
from vastwatch.people.truth import Truth
from vastwatch.rng import key_of, uniform
from vastwatch.signals import Signal

Array = NDArray[np.float64]

# Somebody who washes for so long showers, seconds.
SHOWER_S = 240.0
# Where a shower takes the humidity to in time, percent above the usual, and how fast it goes there and back, seconds.
STEAM, RISES_S, FALLS_S = 45.0, 360.0, 1500.0
# A sensor says damp from so much above the usual until so much, percent.
DAMP_FROM, DAMP_UNTIL = 15.0, 7.0


@memoised
def showering(truth: Truth, room: str) -> Signal:
    """While somebody showers in a room."""
    return truth.stays_at(room, lambda spot: spot.activity == "washing", SHOWER_S)


def excess_humidity(steam: Signal, t: Array) -> Array:
    """Humidity above the usual at some instants, percent, (n,); nothing at the start of the span."""
    edges = np.concatenate([[steam.start], steam.switches])
    goal = np.where(steam.at(edges), STEAM, 0.0)
    takes = np.where(goal > 0, RISES_S, FALLS_S)
    value = [0.0]
    for n, run in enumerate(np.diff(edges).tolist()):
        value.append(float(goal[n] + (value[n] - goal[n]) * np.exp(-run / takes[n])))
    k = np.clip(np.searchsorted(edges, t, side="right") - 1, 0, len(edges) - 1)
    return np.asarray(goal[k] + (np.array(value)[k] - goal[k]) * np.exp(-(t - edges[k]) / takes[k]), float)


@memoised
def humidity_report(truth: Truth, room: str, sensor: str, interval_s: float, accuracy_pct: float) -> Signal:
    """While a humidity sensor says that a room is damp: read every so many seconds, each reading wrong by up to its
    accuracy, with hysteresis."""
    t = np.arange(0.0, truth.end, interval_s)
    luck = uniform(key_of(truth.household.seed, sensor, "humidity"), np.arange(len(t)))
    read = excess_humidity(showering(truth, room), t) + accuracy_pct * (2.0 * luck - 1.0)
    return zero_order_hold(t, latch_steps(read > DAMP_UNTIL, read > DAMP_FROM), truth.end)
