"""What somebody means to do: the lines of their day sheet and their errands, as instants at which they set out.

Every draw belongs to one person and one day, so that a day's plan is the same whatever days are asked for besides.
"""

from __future__ import annotations

import bisect

import numpy as np

from vastwatch.draws import arrivals_of_many, key_of, normal, sub_keys
from vastwatch.signals import DAY, Calendar
from vastwatch.site.people import Person, holds_on

# An errand lasts its mean time by a log-normal factor of this sigma.
ERRAND_SPREAD = 0.35
# Nobody is later or earlier than this, seconds: half a day.
LATEST = DAY / 2
# Plans are drawn for so many days together.
BLOCK = 32


def clock_s(text: str) -> float:
    """Seconds past midnight of a clock time."""
    return int(text[:2]) * 3600.0 + int(text[3:]) * 60.0


class Plans:
    """One person's plans, a day at a time. Places are the ids of spots."""

    def __init__(self, person: Person, calendar: Calendar, seed: int) -> None:
        self.person, self.calendar = person, calendar
        self._lines_key = key_of(seed, person.id, "lines")
        self._errands_key = key_of(seed, person.id, "errands")
        self._lines: dict[int, list[tuple[float, str]]] = {}
        self._errands: dict[int, list[tuple[float, float, str]]] = {}

    def lines(self, day: int) -> list[tuple[float, str]]:
        """(instant, spot) of the lines that hold on a day, in order."""
        if day not in self._lines:
            self._draw_lines(day - day % BLOCK)
        return self._lines[day]

    def errands(self, day: int) -> list[tuple[float, float, str]]:
        """(begin, seconds, spot) of the errands that begin in a day's hours, in order; those over midnight included."""
        if day not in self._errands:
            self._draw_errands(day - day % BLOCK)
        return self._errands[day]

    def _draw_lines(self, first: int) -> None:
        """The lines of a block of days: each day's draws are its own, they are only made together."""
        days = np.arange(first, first + BLOCK)
        drawn = normal(sub_keys(self._lines_key, days)[:, None], np.arange(len(self.person.stays)))
        limits = LATEST / np.maximum([line.jitter_min * 60.0 for line in self.person.stays], 1e-9)
        shifts = np.clip(drawn, -limits, limits).tolist()
        for day, row in zip(days.tolist(), shifts):
            weekday = self._weekday(day)
            self._lines[day] = sorted(
                (self.calendar.instant(day, clock_s(line.at)) + shift * line.jitter_min * 60.0, line.spot)
                for line, shift in zip(self.person.stays, row)
                if holds_on(line.days, weekday)
            )

    def _draw_errands(self, first: int) -> None:
        days = np.arange(first, first + BLOCK)
        found: dict[int, list[tuple[float, float, str]]] = {day: [] for day in days.tolist()}
        of_day = sub_keys(self._errands_key, days)
        for k, errand in enumerate(self.person.errands):
            keys = sub_keys(of_day, k)
            a, b = (clock_s(c) for c in errand.between)
            b = b if b > a else b + DAY
            held = [n for n, day in enumerate(days.tolist()) if holds_on(errand.days, self._weekday(day))]
            begin, end = (np.array([self.calendar.instant(first + n, c) for n in held]) for c in (a, b))
            rate = errand.per_day / np.maximum(end - begin, 1.0)
            at, day = arrivals_of_many(keys[held], rate, begin, end)
            number = np.arange(len(at)) - day.searchsorted(day)
            spreads = normal(sub_keys(keys, 1)[held][day], number)
            spans = errand.minutes * 60.0 * np.exp(ERRAND_SPREAD * spreads)
            for n, t, lasts in zip(day.tolist(), at.tolist(), spans.tolist()):
                found[first + held[n]].append((t, lasts, errand.spot))
        self._errands |= {day: sorted(some) for day, some in found.items()}

    def _weekday(self, day: int) -> int:
        return self.calendar.date(day).weekday()

    def line_at(self, t: float) -> str:
        """Where their sheet has them at an instant: the last line before it, up to a week back."""
        day = self.calendar.day_of(t) if 0 <= t < self.calendar.end else _far_day(self.calendar, t)
        for d in range(day + 1, day - 9, -1):
            lines = self.lines(d)
            i = bisect.bisect_right(lines, t, key=_instant)
            if i:
                # A line of the day before that is late counts, if it is later still.
                before = [line for line in self.lines(d - 1) if lines[i - 1][0] < line[0] <= t]
                return (before[-1] if before else lines[i - 1])[1]
        return self.person.stays[-1].spot


def _instant(line: tuple[float, str]) -> float:
    return line[0]


def _far_day(calendar: Calendar, t: float) -> int:
    """The day of an instant outside the calendar's own days."""
    day = int(t // DAY)
    while calendar.midnight(day) > t:
        day -= 1
    while calendar.midnight(day + 1) <= t:
        day += 1
    return day
