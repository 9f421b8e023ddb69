"""How good the light of a room was beyond on and off: whether anybody who was awake had what their place asks for,
whether it was on over sleepers, how restless it was, and how often a hand had to press.

Anybody who watches a film asks for nothing, unless their place has a figure of its own; anybody who walks asks for
nothing here either: that is what false-offs and first light are for.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.house import HouseRun
from vastwatch.control.light.darkness import daylight_in
from vastwatch.control.light.illuminance import spot_lux, spot_target_lux
from vastwatch.design.needs import needs_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import lamps_in
from vastwatch.memo import memoised
from vastwatch.people.truth import Truth
from vastwatch.signals import Signal, TimeSeries
from vastwatch.site.building import Spot

Array = NDArray[np.float64]

# A light that changes again within this has flickered, seconds.
FLICKER_S = 10.0
# A change of at least so much of full within less than this is abrupt, for eyes that are used to the dark, seconds.
ABRUPT, GENTLE_S = 0.3, 1.0


@dataclass(frozen=True)
class LightScores:
    """Per day: `under_min` by spot, minutes that somebody awake had less there than it asks for; `over_sleepers_min`,
    minutes of more than a sleeper bears; `flickers`, changes within FLICKER_S of another; `abrupt`, changes that leap
    while somebody is there in the dark; `presses` by hand."""

    under_min: Mapping[str, float]
    over_sleepers_min: float
    flickers: float
    abrupt: float
    presses: float

    @property
    def under(self) -> float:
        """Minutes a day under what is asked, at all spots together."""
        return sum(self.under_min.values())


def light_scores(project: Project, room: str, truth: Truth, house: HouseRun, days: int) -> LightScores:
    """Scores of the light of a room, per day."""
    record = find(project.rooms, room)
    lamps = tuple(x for x in lamps_in(project, room) if x.id in house.outputs)
    levels = tuple(house.outputs[x.id] for x in lamps)
    day = daylight_in(project, record, truth.calendar)
    full = spot_lux(project, room)
    under = {}
    for spot in project.spots:
        if spot.room != room or not spot.asks_for_light:
            continue
        there = stays_at(truth, spot)
        if len(there):
            units = tuple(full[spot.id][x.id] for x in lamps)
            short = short_of(levels, units, day, spot_target_lux(project, spot))
            under[spot.id] = (there & short).total() / 60.0 / days
    hand = house.actions.get(room)
    pressed = 0.0 if hand is None else (len(hand.pressed.rises) + len(hand.overrides)) / days
    asleep = truth.occupied(room, False) - truth.occupied(room, True)
    most = needs_of(project, record).asleep_share
    lumens = tuple(x.lumens for x in lamps)
    over = _over(levels, lumens, asleep, most) / 60.0 / days if most is not None and lamps else 0.0
    awake = truth.occupied(room, True)
    return LightScores(
        under, over, sum(flickers(x) for x in levels) / days,
        sum(_abrupt(x, awake & house.conclusions.dark[room]) for x in levels) / days, pressed,
    )  # fmt: skip


@memoised
def stays_at(truth: Truth, spot: Spot) -> Signal:
    """While somebody awake who is no pet stays at a spot."""
    return truth.stays_at(spot.room, lambda other: other.id == spot.id)


@memoised
def short_of(levels: tuple[TimeSeries, ...], units: tuple[float, ...], day: TimeSeries, wanted: float) -> Signal:
    """While lamps at their levels, each with what it gives when full on, and daylight come to less than is wanted."""
    total = day
    for each, unit in zip(levels, units):
        if unit > 0:
            total = total + each.scaled(unit)
    return ~total.above(wanted - 1e-6)


@memoised
def _over(levels: tuple[TimeSeries, ...], lumens: tuple[float, ...], asleep: Signal, most: float) -> float:
    """Seconds of more of all light than sleepers bear while somebody sleeps there and nobody is awake."""
    whole = max(sum(lumens), 1e-9)
    total = levels[0].scaled(lumens[0] / whole)
    for each, lm in zip(levels[1:], lumens[1:]):
        total = total + each.scaled(lm / whole)
    return (total.above(most + 1e-9) & asleep).total()


@memoised
def flickers(levels: TimeSeries) -> int:
    """How often a light changes again within FLICKER_S, the other way."""
    begin, up = turns(levels)
    if len(begin) < 2:
        return 0
    return int(((np.diff(begin) < FLICKER_S) & (up[1:] != up[:-1])).sum())


def turns(levels: TimeSeries) -> tuple[Array, NDArray[np.bool_]]:
    """When a number begins to rise or to fall, and which."""
    rise = np.diff(levels.v)
    k = np.flatnonzero(rise != 0)
    if len(k) == 0:
        return np.empty(0), np.empty(0, bool)
    up = rise[k] > 0
    first = np.concatenate([[True], (up[1:] != up[:-1]) | (levels.t[k[1:]] > levels.t[k[:-1] + 1])])
    return levels.t[k[first]], up[first]


@memoised
def _abrupt(levels: TimeSeries, there: Signal) -> int:
    rise, run = np.diff(levels.v), np.diff(levels.t)
    leaps = (np.abs(rise) >= ABRUPT) & (run < GENTLE_S) & (levels.t[:-1] > levels.start)
    return int(there.at(levels.t[:-1][leaps]).sum())
