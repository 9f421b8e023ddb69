"""The days of households that differ in their seed alone, side by side: what is done in one go for all of them costs
hardly more than for one.
"""

from __future__ import annotations

from datetime import date
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.memo import memoised
from vastwatch.people.minor_motion import MotionKeys, Stays, minor_motion_events
from vastwatch.people.tracks import Walks
from vastwatch.people.truth import Household
from vastwatch.signals import Calendar

Ints = NDArray[np.int64]


class HouseholdBatch(NamedTuple):
    """Walks and stays of everybody in so many replicates, each in its own time, [begin, end). `walk_of` and `stay_of`
    say whose each row is: the place among the people, counted on from replicate to replicate. `luck`: of each stay's
    small movements.
    """

    replicates: int
    begin: float
    end: float
    walks: Walks
    walk_of: Ints
    stays: Stays
    stay_of: Ints
    luck: MotionKeys


class MotionEvents(NamedTuple):
    """Small movements, each a row: when, at which spot of the book, whether large, and whose as in `HouseholdBatch`:
    one person's after the other's, and of each in order."""

    t: NDArray[np.float64]
    spot: Ints
    large: NDArray[np.bool_]
    of: Ints


@memoised
def household_batch(lives: tuple[Household, ...], first: int, last: int) -> HouseholdBatch:
    """The days from one to another (not with it) of some replicates of a household that has people."""
    logs = [log for life in lives for log in life.logs()]
    walks, stays = [log.walks(first, last) for log in logs], [log.stays(first, last) for log in logs]
    walk_of = np.repeat(np.arange(len(logs)), [len(w.leave) for w in walks])
    stay_of = np.repeat(np.arange(len(logs)), [len(s.spot) for s in stays])
    keys = (np.array(column, np.uint64)[stay_of] for column in zip(*(log.luck for log in logs)))
    calendar = Calendar(date.fromisoformat(lives[0].begin), lives[0].zone, 1)
    return HouseholdBatch(
        len(lives), calendar.midnight(first), calendar.midnight(last),
        Walks(*(np.concatenate(column) for column in zip(*walks))), walk_of,
        Stays(*(np.concatenate(column) for column in zip(*stays))), stay_of, MotionKeys(*keys),
    )  # fmt: skip


@memoised
def motion_events_in(lives: tuple[Household, ...], first: int, last: int, room: str) -> MotionEvents:
    """The small movements in a room in some replicates."""
    # Loaded where many replicates are simulated: the compiler takes a moment.
    from vastwatch.loops.movements import gaps_of

    spots, every = lives[0].book.spots, household_batch(lives, first, last)
    here = np.flatnonzero(np.array([s.room == room for s in spots])[every.stays.spot])
    t, of, large = minor_motion_events(spots, every.stays.at(here), every.luck.at(here), gaps_of)
    whose = every.stay_of[here[of]]
    order = group_by_owner(t, whose)
    return MotionEvents(t[order], every.stays.spot[here[of[order]]], large[order], whose[order])


def group_by_owner(t: NDArray[np.float64], of: Ints) -> Ints:
    """The places of some instants one after the other, by whose or which they are (from zero), and of each in order.

    Of each they come in sorted runs, which are merged: all of them sorted at once would take longer.
    """
    order = np.argsort(of, kind="stable")
    cuts = np.searchsorted(of[order], np.arange(int(of.max(initial=-1)) + 2))
    for a, b in pairwise(cuts.tolist()):
        order[a:b] = order[a:b][np.argsort(t[order[a:b]], kind="stable")]
    return order
