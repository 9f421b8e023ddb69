"""Clear and overcast days: a mix by month, drawn by date.

Lamps are designed for an overcast sky, but people live under both. Each day is one or the other. The shares are those
of a temperate climate, our own round figures; south of the equator half a year apart.
"""

from __future__ import annotations

from datetime import date

from vastwatch.memo import memoised
from vastwatch.rng import key_of, uniform_of
from vastwatch.signals import Calendar, Signal

# Share of the days with a clear sky, January to December, in the north.
CLEAR = (0.20, 0.25, 0.30, 0.40, 0.45, 0.45, 0.50, 0.50, 0.45, 0.35, 0.20, 0.15)


def clear_share(latitude: float, month: int) -> float:
    """The share of a month's days, 1 to 12, on which the sky is clear."""
    return CLEAR[(month - 1 + (6 if latitude < 0 else 0)) % 12]


def is_clear(latitude: float, longitude: float, day: date, seed: int) -> bool:
    """Whether the sky is clear over a place on a day, under a seed."""
    return uniform_of(_key(latitude, longitude, seed), day.toordinal()) < clear_share(latitude, day.month)


@memoised
def _key(latitude: float, longitude: float, seed: int) -> int:
    return key_of("sky", latitude, longitude, seed)


@memoised
def clear_days(latitude: float, longitude: float, calendar: Calendar) -> Signal:
    """The clear days of a calendar, midnight to midnight, under its own skies."""
    days = [d for d in range(calendar.days) if is_clear(latitude, longitude, calendar.date(d), calendar.weather_seed)]
    return Signal.from_intervals([(calendar.midnight(d), calendar.midnight(d + 1)) for d in days], 0.0, calendar.end)
