"""The sun over a place: its height at an instant, when it passes a height, and so when it is brighter than that.

Positions come from `astral`. Its passages are asked for by date of universal time, for more dates than the days need,
and put in order as instants: which local date one falls on never matters, so that the date line is a place like others.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from functools import lru_cache

from astral import Observer, SunDirection
from astral import sun as astral_sun

from vastwatch.signals import Calendar, Signal

# The upper edge of the sun on the horizon, its middle as seen through the air, degrees.
EDGE_DEG = -32.0 / (60.0 * 2.0)


def elevation_deg(latitude: float, longitude: float, when: datetime) -> float:
    """Height of the sun above the horizon at an aware date and time, degrees, without refraction."""
    return float(astral_sun.elevation(Observer(latitude, longitude), when.astimezone(UTC), with_refraction=False))


@lru_cache(maxsize=8192)
def _passage(latitude: float, longitude: float, day: date, elevation: float, rising: bool, refraction: bool
             ) -> datetime | None:  # fmt: skip
    direction = SunDirection.RISING if rising else SunDirection.SETTING
    try:
        return astral_sun.time_of_transit(
            Observer(latitude, longitude), day, 90.0 - elevation, direction, with_refraction=refraction
        )
    except (ValueError, OverflowError):
        # It stays above or below all day, or the date is at the end of time.
        return None


def passages(
    latitude: float, longitude: float, elevation: float, calendar: Calendar, refraction: bool = False
) -> list[tuple[float, bool]]:
    """Instants at which the sun passes a height within the calendar's days, and whether it rises; in order."""
    found = []
    for d in range(-2, calendar.days + 2):
        day = calendar.date(d)
        for rising in (True, False):
            when = _passage(latitude, longitude, day, elevation, rising, refraction)
            if when is not None and 0.0 <= (t := calendar.of(when)) < calendar.end:
                found.append((t, rising))
    return sorted(set(found))


def above(latitude: float, longitude: float, elevation: float, calendar: Calendar) -> Signal:
    """While the sun stands higher than that, degrees."""
    up = elevation_deg(latitude, longitude, calendar.instant_utc(0.0)) > elevation
    rows, since = [], 0.0
    for t, rising in passages(latitude, longitude, elevation, calendar):
        if rising and not up:
            since = t
        elif not rising and up:
            rows.append((since, t))
        up = rising
    if up:
        rows.append((since, calendar.end))
    return Signal.from_intervals(rows, 0.0, calendar.end)


def rise_and_set(latitude: float, longitude: float, day: date, zone: str) -> tuple[float | None, float | None]:
    """Sunrise and sunset of a local day, instants from its midnight on; None where there is none that day."""
    found = passages(latitude, longitude, EDGE_DEG, Calendar(day, zone, 1), refraction=True)
    rises = [t for t, rising in found if rising]
    sets = [t for t, rising in found if not rising]
    return rises[0] if rises else None, sets[-1] if sets else None
