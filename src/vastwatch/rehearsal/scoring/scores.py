"""M9: how good a rehearsal was for one room, per day."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.memo import memoised
from vastwatch.people.truth import There
from vastwatch.signals import Signal


@dataclass(frozen=True)
class Scores:
    """Per day: `false_offs` (false-offs: light went off on somebody), `dark_min` (needed and not lit), `wasted_h` and
    `wasted_kwh` (lit while empty). `first_median_s`, `first_p95_s`: from crossing the door into the dark to light; None
    without such an arrival, of which there were `arrivals` in all. `waves` and `switch_trips`: how often somebody waved
    at a light that had gone off on them, and how often they had to go to the switch."""

    false_offs: float
    dark_min: float
    wasted_h: float
    wasted_kwh: float
    first_median_s: float | None
    first_p95_s: float | None
    arrivals: int
    waves: float = 0.0
    switch_trips: float = 0.0


def false_offs(lamp: Signal, need: Signal) -> NDArray[np.float64]:
    """The instants at which the light went off on somebody who asks for it in the dark: within `need`."""
    falls = lamp.falls
    return falls[need.at(falls)]


def comers(there: There, dark: Signal) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Who comes into the dark and asks for light, were it never on: when, and until when they ask for it, seconds."""
    awake, asks = there.awake, there.asking.intervals
    came = awake.intervals[:, 0]
    came = came[dark.at(came) & there.asking.at(came) & (came > awake.start)]
    return came, asks[np.searchsorted(asks[:, 0], came, side="right") - 1, 1] if len(came) else came


def arrivals(lamp: Signal, there: There, dark: Signal) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Arrivals into a dark, unlit room: instants, and seconds until light (or until they left again without, or came to
    where they ask for none)."""
    came, left = comers(there, dark)
    unlit = ~lamp.at(came)
    came, left = came[unlit], left[unlit]
    rises = np.append(lamp.rises, np.inf)
    return came, np.minimum(rises[np.searchsorted(rises, came, side="left")], left) - came


@memoised
def score(
    lamp: Signal, there: There, dark: Signal, watts: float, days: int, reacted: tuple[int, int] = (0, 0)
) -> Scores:
    """Scores of one room from its light, the people in it, the darkness, and how often they waved and went to the
    switch."""
    need = there.asking & dark
    idle_h = (lamp - there.awake).total() / 3600.0 / days
    _, waits = arrivals(lamp, there, dark)
    return Scores(
        false_offs=len(false_offs(lamp, need)) / days,
        dark_min=(need - lamp).total() / 60.0 / days,
        wasted_h=idle_h,
        wasted_kwh=idle_h * watts / 1000.0,
        first_median_s=float(np.median(waits)) if len(waits) else None,
        first_p95_s=float(np.percentile(waits, 95)) if len(waits) else None,
        arrivals=len(waits),
        waves=reacted[0] / days,
        switch_trips=reacted[1] / days,
    )


@dataclass(frozen=True)
class OutputScores:
    """Per day, of one output: hours it ran, those with nobody in its room, energy, how often it started, and minutes it
    bothered somebody."""

    run_h: float
    idle_h: float
    kwh: float
    starts: float
    bothered_min: float = 0.0


@memoised
def score_output(
    running: Signal, occupied: Signal, kwh: float, days: int, bothered: Signal | None = None
) -> OutputScores:
    """Scores of an output from when it ran at all, when anybody was in its room, what it drew in all, and when it would
    bother somebody."""
    return OutputScores(
        running.total() / 3600.0 / days, (running - occupied).total() / 3600.0 / days, kwh / days,
        len(running.rises) / days, 0.0 if bothered is None else (running & bothered).total() / 60.0 / days,
    )  # fmt: skip
