"""What somebody means to do: the lines of their schedule and their short visits, as instants at which they set out.

Every draw belongs to one person and one day, so that a day's plan is the same whatever days are asked for besides.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.memo import memoised
from vastwatch.rng import key_of, normal, poisson_times_batch, sub_keys
from vastwatch.signals import DAY, Calendar
from vastwatch.site.people import Errand, Person, Stay, applies_on

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# A short visit lasts its mean time by a log-normal factor of this sigma.
ERRAND_SPREAD = 0.35
# Nobody is later or earlier than this, seconds: half a day.
LATEST = DAY / 2
# A line of the sheet comes again within a week, and may be late: so many days back one of them is in force.
IN_FORCE_DAYS = 9
# Who goes on vacation leaves at this time of the first day, seconds past midnight.
LEAVES_S = 8 * 3600.0


def clock_s(text: str) -> float:
    """Seconds past midnight of a clock time."""
    return int(text[:2]) * 3600.0 + int(text[3:]) * 60.0


class Schedule(NamedTuple):
    """Lines of a schedule as they are followed: instants, ascending, and the ids of the spots gone to from then on;
    `else_spot` before the first."""

    at: Array
    spot: list[str]
    else_spot: str

    def spots_at(self, t: Sequence[float] | Array) -> list[str]:
        """Where the sheet has somebody at some instants."""
        last = (np.searchsorted(self.at, t, side="right") - 1).tolist()
        return [self.spot[k] if k >= 0 else self.else_spot for k in last]


class Plans:
    """One person's plans, some days at a time: from one day to another, not with it. Places are the ids of spots.

    On days on which nobody lives there anybody who is no pet has left for `outside` in the morning of the first, and
    comes back with the first line of the day after the last; where there is no outside, they stay.
    """

    def __init__(self, person: Person, calendar: Calendar, seed: int, outside: str | None = None) -> None:
        self.person, self.calendar = person, calendar
        self._outside = None if person.kind == "pet" or not calendar.away else outside
        self._lines_key = key_of(seed, person.id, "lines")
        self._errands_key = key_of(seed, person.id, "errands")

    def lines(self, first: int, last: int) -> Schedule:
        """The lines that hold on some days."""
        days, stays = np.arange(first, last), self.person.stays
        drawn = normal(sub_keys(self._lines_key, days)[:, None], np.arange(len(stays)))
        jitter = np.array([line.jitter_min for line in stays])
        limits = LATEST / np.maximum(jitter * 60.0, 1e-9)
        clocks = _instants(self.calendar, first, last, tuple(clock_s(line.at) for line in stays))
        t = clocks + np.clip(drawn, -limits, limits) * jitter * 60.0
        day, line = np.nonzero(_held(self.calendar, first, last, stays, self._outside is not None))
        at = t[day, line]
        if self._outside is not None:
            return self._without_vacations(first, last, at, day, line)
        # Of what falls on one instant the later day's counts last, and of one day the place that is last by name.
        order = np.lexsort((_ranks([s.spot for s in stays])[line], day, at))
        return Schedule(at[order], [stays[k].spot for k in line[order].tolist()], stays[-1].spot)

    def _without_vacations(self, first: int, last: int, at: Array, day: Ints, line: Ints) -> Schedule:
        """The lines with those of a vacation left out, and the leaving at its beginning."""
        assert self._outside is not None
        leaves = _leaves(self.calendar, first, last)
        stays = [s.spot for s in self.person.stays]
        order = np.lexsort((_ranks(stays)[line], day, at))
        rows = [(float(at[k]), stays[line[k]]) for k in order.tolist()]
        rows = sorted([*rows, *((t, self._outside) for t in leaves)], key=lambda r: r[0])
        return Schedule(np.array([t for t, _ in rows]), [spot for _, spot in rows], stays[-1])

    def errands(self, first: int, last: int) -> list[tuple[float, float, str]]:
        """(begin, seconds, spot) of the short visits that begin in the hours of some days, in order; those over
        midnight included."""
        days, errands = np.arange(first, last), self.person.errands
        if not errands:
            return []
        hours = [[clock_s(c) for c in errand.between] for errand in errands]
        begin = _instants(self.calendar, first, last, tuple(a for a, _ in hours))
        end = _instants(self.calendar, first, last, tuple(b if b > a else b + DAY for a, b in hours))
        rate = np.array([errand.per_day for errand in errands]) / np.maximum(end - begin, 1.0)
        keys = sub_keys(sub_keys(self._errands_key, days)[:, None], np.arange(len(errands)))
        day, kind = np.nonzero(_held(self.calendar, first, last, errands, self._outside is not None))
        at, which = poisson_times_batch(keys[day, kind], rate[day, kind], begin[day, kind], end[day, kind])
        number = np.arange(len(at)) - which.searchsorted(which)
        spreads = normal(sub_keys(keys[day, kind], 1)[which], number)
        minutes = np.array([errand.minutes for errand in errands])[kind[which]]
        lasts = minutes * 60.0 * np.exp(ERRAND_SPREAD * spreads)
        order = np.lexsort((_ranks([e.spot for e in errands])[kind[which]], lasts, at))
        spots = [errands[k].spot for k in kind[which[order]].tolist()]
        return list(zip(at[order].tolist(), lasts[order].tolist(), spots))


# What follows from the calendar is the same whatever the luck: it is asked for once and not once a seed.


@memoised
def _held(calendar: Calendar, first: int, last: int, of: tuple[Stay | Errand, ...], leaves: bool) -> NDArray[np.bool_]:
    """Which of some lines or short visits hold on which days, (days, of them), for somebody who `leaves` on
    vacations."""
    days = np.arange(first, last)
    by_weekday = np.array([[applies_on(each.days, weekday) for each in of] for weekday in range(7)], bool)
    held = by_weekday[(calendar.date(first).weekday() + days - first) % 7]
    if not calendar.free and not leaves:
        return held
    for k, day in enumerate(days.tolist()):
        weekday = calendar.date(day).weekday()
        if leaves and calendar.is_away(day):
            held[k] = False
        elif weekday < 5 and calendar.is_free(day):
            held[k] = [applies_on(each.days, weekday, True) for each in of]
    return held


@memoised
def _instants(calendar: Calendar, first: int, last: int, clocks: tuple[float, ...]) -> Array:
    return calendar.instants(np.arange(first, last), clocks)


@memoised
def _leaves(calendar: Calendar, first: int, last: int) -> tuple[float, ...]:
    """When who goes on vacation leaves, on which of some days."""
    return tuple(
        calendar.instant(d, LEAVES_S) for d in range(first, last) if calendar.is_away(d) and not calendar.is_away(d - 1)
    )


def _ranks(names: list[str]) -> Ints:
    """The place of each in the order of them all by name."""
    return np.unique(names, return_inverse=True)[1]
