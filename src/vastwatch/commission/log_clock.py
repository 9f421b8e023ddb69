"""When a line of a log was written: ISO 8601 with or without a zone, a date as people write it with a time of day, or
seconds, milliseconds, ... since 1970."""

from __future__ import annotations

import contextlib
import math
import re
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from typing import Any, Literal
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

_ISO = re.compile(r"^(\d{4}-\d{2}-\d{2})[T ](\d{2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?\s*(Z|z|[+-]\d{2}:?\d{2})?$")


# Dates as people write them, and times of day: 2/13/2026 8:05 pm, 13.02.2026 20:05:30, 13 Feb 2026, 20:05.
_DATE = re.compile(r"^(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})\.?$")
_NAMED = re.compile(r"^(\d{1,2})\.?[ -]([A-Za-z]{3})[a-z]*\.?[ -,]+(\d{2,4})$")
_TIME = re.compile(r"^(\d{1,2})[:.](\d{2})(?:[:.](\d{2}(?:[.,]\d+)?))?\s*([AaPp])?\.?(?:[Mm]\.?)?$")
_PARTS = re.compile(r"^(.*?\d)(?:,\s*|T|\s+)(\d{1,2}[:.]\d{2}.*)$")
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
# In which order a date has its day and month, where its year is last.
Order = Literal["day", "month"]


def date_of(text: str, order: Order) -> date:
    """A date as people write it. Raises ValueError for what is none."""
    text = text.strip()
    if (named := _NAMED.match(text)) is not None:
        day, month, year = int(named[1]), _MONTHS.index(named[2].lower()) + 1, int(named[3])
    elif (found := _DATE.match(text)) is None:
        raise ValueError
    else:
        first, second, third = (int(g) for g in found.groups())
        if len(found[1]) == 4:
            year, month, day = first, second, third
        else:
            day, month = (first, second) if order == "day" else (second, first)
            year = third
    return date(year + 2000 if year < 100 else year, month, day)


def clock_of(text: str) -> str:
    """A time of day as people write it, as HH:MM:SS. Raises ValueError for what is none."""
    found = _TIME.match(text.strip())
    if found is None:
        raise ValueError
    hour, half = int(found[1]), (found[4] or "").lower()
    if half:
        if not 1 <= hour <= 12:
            raise ValueError
        hour = hour % 12 + (12 if half == "p" else 0)
    return f"{hour:02d}:{found[2]}:{(found[3] or '00').replace(',', '.')}"


def as_iso(text: str, order: Order) -> str:
    """A date and a time of day as people write them, in ISO 8601. Raises ValueError for what is none."""
    found = _PARTS.match(text.strip())
    if found is None:
        raise ValueError
    return f"{date_of(found[1], order).isoformat()} {clock_of(found[2])}"


def likely_order(texts: Sequence[str]) -> tuple[Order, bool]:
    """In which order some dates have day and month, and whether that is sure: a day is above 12, or only in one of the
    orders they run on."""
    pairs = [(int(m[1]), int(m[2])) for t in texts if (m := _DATE.match(t.strip())) is not None and len(m[1]) < 4]
    if any(a > 12 for a, _ in pairs):
        return "day", True
    if any(b > 12 for _, b in pairs):
        return "month", True
    orders: tuple[Order, Order] = ("day", "month")
    runs = []
    for order in orders:
        dates = []
        for text in texts:
            # What is no date in either order tells nothing.
            with contextlib.suppress(ValueError):
                dates.append(date_of(text, order))
        steps = [(b - a).days for a, b in pairwise(dates)]
        runs.append((sum(s < 0 for s in steps), max((abs(s) for s in steps), default=0)))
    return ("day" if runs[0] <= runs[1] else "month"), runs[0] != runs[1] or not pairs


# No log of a house is older or younger.
FIRST_YEAR, LAST_YEAR = 1970, 2200


class Clock:
    """Seconds since 1970 of the times of a log; days without a zone are those of a time zone."""

    def __init__(self, zone: str, order: Order = "day") -> None:
        self._zone, self._order = ZoneInfo(zone), order
        self._days: dict[tuple[str, str | None], float] = {}
        self._shifting: set[str] = set()
        self._last = -math.inf

    def __call__(self, text: Any) -> float:
        """Raises ValueError for a text that is not a time."""
        if isinstance(text, bool) or text is None:
            raise ValueError
        if isinstance(text, int | float):
            return self._since_1970(float(text))
        text = str(text).strip()
        found = _ISO.match(text)
        if found is None:
            try:
                return self._since_1970(float(text.replace(",", ".")))
            except ValueError:
                found = _ISO.match(as_iso(text, self._order))
        if found is None:
            raise ValueError
        day, hour, minute, second, zone = found.groups()
        past = int(hour) * 3600.0 + int(minute) * 60.0 + float((second or "0").replace(",", "."))
        if int(hour) > 23 or int(minute) > 59:
            raise ValueError
        key = (day, zone)
        if key not in self._days:
            self._begin(day, zone)
        if zone is None and day in self._shifting:
            return self._on_a_shifting_day(day, past)
        at = self._days[key] + past
        self._last = at
        return at

    def parse_all(self, texts: list[Any]) -> list[float | None]:
        """The same for many texts in a row where all are written alike; None for each where they are not."""
        first = texts[0] if texts else None
        found = _ISO.match(first) if isinstance(first, str) else None
        if found is None or found[4] is None:
            return [None] * len(texts)
        zone, long = found[5], len(first or "")
        cut = None if zone is None else -len(zone)
        try:
            if not all(len(t) == long and (zone is None or t[cut:] == zone) for t in texts):
                return [None] * len(texts)
            at = np.array([t[:cut] for t in texts], "datetime64[us]")
        except (ValueError, TypeError, OverflowError):
            return [None] * len(texts)
        days = at.astype("datetime64[D]")
        whole = np.unique(days)
        begins = {}
        for day in whole.tolist():
            if not FIRST_YEAR <= day.year <= LAST_YEAR:
                return [None] * len(texts)
            if (day.isoformat(), zone) not in self._days:
                self._begin(day.isoformat(), zone)
            if zone is None and day.isoformat() in self._shifting:
                return [None] * len(texts)
            begins[day] = self._days[day.isoformat(), zone]
        begin = np.array([begins[day] for day in whole.tolist()])[whole.searchsorted(days)]
        seconds = begin + (at - days).astype(float) * 1e-6
        self._last = float(seconds[-1])
        return seconds.tolist()

    def _begin(self, day: str, zone: str | None) -> None:
        begin = date.fromisoformat(day)
        if not FIRST_YEAR <= begin.year <= LAST_YEAR:
            raise ValueError
        midnight = datetime(begin.year, begin.month, begin.day)
        if zone is None:
            local = midnight.replace(tzinfo=self._zone)
            nxt = (midnight + timedelta(days=1)).replace(tzinfo=self._zone)
            if (nxt.astimezone(UTC) - local.astimezone(UTC)).total_seconds() != 86_400.0:
                self._shifting.add(day)
            self._days[day, zone] = local.timestamp()
            return
        offset = 0.0
        if zone not in ("Z", "z"):
            sign = -1.0 if zone[0] == "-" else 1.0
            offset = sign * (int(zone[1:3]) * 3600.0 + int(zone[-2:]) * 60.0)
        self._days[day, zone] = midnight.replace(tzinfo=UTC).timestamp() - offset

    def _on_a_shifting_day(self, day: str, past: float) -> float:
        """Of an hour that clocks show twice the one that does not run backwards; what they skip counts on."""
        begin = date.fromisoformat(day)
        wall = datetime(begin.year, begin.month, begin.day) + timedelta(seconds=past)
        first = wall.replace(tzinfo=self._zone, fold=0).timestamp()
        second = wall.replace(tzinfo=self._zone, fold=1).timestamp()
        at = second if second > first and first < self._last - 1.0 else first
        self._last = at
        return at

    def _since_1970(self, value: float) -> float:
        # Seconds, milliseconds, microseconds or nanoseconds, whichever is a time of these centuries.
        for unit in (1.0, 1e3, 1e6, 1e9):
            if 1e8 <= value / unit <= 1e10:
                self._last = value / unit
                return value / unit
        raise ValueError


# Lines that lie so far from the rest, seconds, and are so few of all, tell of a clock that was not set.
APART_S, FEW_SHARE = 60 * 86_400.0, 0.01


def far_off(t: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which lines lie far from nearly all others: those of small groups with long silences around them."""
    order = np.argsort(t, kind="stable")
    group = np.append(0, np.cumsum(np.diff(t[order]) > APART_S))
    few = np.bincount(group) < max(FEW_SHARE * len(t), 1.5)
    out = np.zeros(len(t), bool)
    if not few.all():
        out[order] = few[group]
    return out
