"""When a line of a log was written: ISO 8601 with or without a zone, or seconds, milliseconds, ... since 1970."""

from __future__ import annotations

import math
import re
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

_ISO = re.compile(r"^(\d{4}-\d{2}-\d{2})[T ](\d{2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?\s*(Z|z|[+-]\d{2}:?\d{2})?$")


# No log of a house is older or younger.
FIRST_YEAR, LAST_YEAR = 1970, 2200


class Clock:
    """Seconds since 1970 of the times of a log; days without a zone are those of a time zone."""

    def __init__(self, zone: str) -> None:
        self._zone = ZoneInfo(zone)
        self._days: dict[tuple[str, str | None], float] = {}
        self._shifting: set[str] = set()
        self._last = -math.inf

    def __call__(self, text: Any) -> float:
        """Raises ValueError for a text that is no time."""
        if isinstance(text, bool) or text is None:
            raise ValueError
        if isinstance(text, int | float):
            return self._since_1970(float(text))
        text = str(text).strip()
        found = _ISO.match(text)
        if found is None:
            return self._since_1970(float(text))
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

    def many(self, texts: list[Any]) -> list[float | None]:
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
