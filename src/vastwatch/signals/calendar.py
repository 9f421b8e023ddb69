"""`Calendar`: which seconds are which days. Days have 24 hours, but for the two a year on which clocks are moved.

Everywhere else an instant is a number: true seconds since the first local midnight. Here, and only here, it becomes
a clock's reading and back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import cached_property, lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

DAY = 86_400.0


@dataclass(frozen=True)
class Calendar:
    """`days` days from local midnight of `begin` on, in a time zone; `weather_seed` is the seed of their weather.
    `free` and `away`: dates, as ISO texts, that are free though they are no weekend, and on which nobody lives there.
    """

    begin: date
    zone: str
    days: int
    weather_seed: int = 0
    free: tuple[str, ...] = ()
    away: tuple[str, ...] = ()

    @cached_property
    def _free(self) -> frozenset[str]:
        return frozenset(self.free)

    @cached_property
    def _away(self) -> frozenset[str]:
        return frozenset(self.away)

    def is_free(self, day: int) -> bool:
        """Whether nobody goes to work on a day: Saturday, Sunday, and dates that are free besides."""
        there = self.date(day)
        return there.weekday() >= 5 or there.isoformat() in self._free

    def is_away(self, day: int) -> bool:
        """Whether nobody lives there on a day."""
        return self.date(day).isoformat() in self._away

    @cached_property
    def _zone(self) -> ZoneInfo:
        return ZoneInfo(self.zone)

    @cached_property
    def _zero(self) -> datetime:
        return datetime(self.begin.year, self.begin.month, self.begin.day, tzinfo=self._zone).astimezone(UTC)

    @cached_property
    def _midnights(self) -> Array:
        """Local midnights of days 0 to `days`, and so the end of the last."""
        return np.array([_midnight(self.begin, self.zone, d) for d in range(self.days + 1)])

    @property
    def end(self) -> float:
        """The midnight that ends the last day."""
        return self.midnight(self.days)

    def date(self, day: int) -> date:
        """The date of a day, counted from 0; days before the first are negative."""
        return self.begin + timedelta(days=day)

    def midnight(self, day: int) -> float:
        """The instant a day begins; days before the first and after the last count as well."""
        return _midnight(self.begin, self.zone, day)

    def instant(self, day: int, clock_s: float) -> float:
        """The instant at which clocks of a day have come `clock_s` seconds past midnight.

        From 86,400 on it is a later day. What clocks skip in spring is counted on from before; what they show twice
        in autumn is the first time.
        """
        later, rest = divmod(clock_s, DAY)
        day += int(later)
        begin = self.midnight(day)
        if self.midnight(day + 1) - begin == DAY:
            return begin + rest
        there = self.date(day)
        wall = datetime(there.year, there.month, there.day, tzinfo=self._zone) + timedelta(seconds=rest)
        return (wall.astimezone(UTC) - self._zero).total_seconds()

    def instants(self, days: NDArray[np.int64], clocks_s: Sequence[float]) -> Array:
        """`instant` of successive days at some clock times: (days, clock times)."""
        later, rest = np.divmod(np.asarray(clocks_s, float), DAY)
        at = days[:, None] + later.astype(int)
        first, last = int(at.min(initial=0)), int(at.max(initial=0))
        midnights = np.array([self.midnight(d) for d in range(first, last + 2)])
        out = midnights[at - first] + rest
        for k in np.flatnonzero(np.diff(midnights) != DAY).tolist():
            for n, m in np.argwhere(at == first + k).tolist():
                out[n, m] = self.instant(int(days[n]), float(clocks_s[m]))
        return np.asarray(out, float)

    def clock(self, t: float) -> datetime:
        """Local date and time of an instant, as clocks there show it."""
        return (self._zero + timedelta(seconds=float(t))).astimezone(self._zone).replace(tzinfo=None)

    def clock_s(self, t: float) -> float:
        """Seconds past midnight that clocks show at an instant."""
        day = self.day_of(t)
        if 0 <= day < self.days and self._midnights[day + 1] - self._midnights[day] == DAY:
            return float(t - self._midnights[day])
        at = self.clock(t)
        return at.hour * 3600.0 + at.minute * 60.0 + at.second + at.microsecond * 1e-6

    def day_of(self, t: float) -> int:
        """The day an instant falls on: -1 before the first midnight, `days` from the last on."""
        return int(self._midnights.searchsorted(t, side="right")) - 1

    def noon(self, day: int) -> float:
        """Noon of a day."""
        return self.instant(day, DAY / 2)

    def noon_day(self, t: float) -> int:
        """The day whose noon was the last before an instant: the night that follows counts to it."""
        day = self.day_of(t)
        return day if t >= self.noon(day) else day - 1

    def instant_utc(self, t: float) -> datetime:
        """An instant as an aware date and time."""
        return self._zero + timedelta(seconds=float(t))

    def of(self, when: datetime) -> float:
        """The instant of an aware date and time."""
        return (when.astimezone(UTC) - self._zero).total_seconds()

    def with_days(self, days: int) -> Calendar:
        """The same beginning, another number of days."""
        return Calendar(self.begin, self.zone, days, self.weather_seed, self.free, self.away)


@lru_cache(maxsize=4096)
def _midnight(begin: date, zone: str, day: int) -> float:
    def utc(d: date) -> datetime:
        return datetime(d.year, d.month, d.day, tzinfo=ZoneInfo(zone)).astimezone(UTC)

    return (utc(begin + timedelta(days=day)) - utc(begin)).total_seconds()
