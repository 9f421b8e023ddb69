"""The sun over a place: its height as a number over time, and so when it stands higher than something.

Positions come from `astral`, by instant of universal time: which local date one falls on never matters, so that the
date line is a place like others. They are asked for every half hour and joined by cubics; the sun moves so evenly that
this is good to some thousandths of a degree, a second of time.
"""

from __future__ import annotations

from datetime import UTC, date, datetime

import numpy as np
from astral import Observer
from astral import sun as astral_sun

from vastwatch.memo import memoised
from vastwatch.signals import Calendar, Signal, TimeSeries

# The sun's upper edge on the horizon: its middle is so high, by half its width and the air's usual refraction, degrees.
EDGE_DEG = -0.833
# Positions are asked for so often, seconds, and told so many times as finely.
ASKED_S, FINER = 1800.0, 15


def elevation_deg(latitude: float, longitude: float, when: datetime) -> float:
    """Height of the sun above the horizon at an aware date and time, degrees, without refraction."""
    return float(astral_sun.elevation(Observer(latitude, longitude), when.astimezone(UTC), with_refraction=False))


@memoised
def height(latitude: float, longitude: float, calendar: Calendar) -> TimeSeries:
    """Height of the sun in degrees over the days of a calendar, without refraction."""
    pieces = int(np.ceil(calendar.end / ASKED_S))
    asked = np.arange(-1, pieces + 2) * ASKED_S
    h = np.array([elevation_deg(latitude, longitude, calendar.instant_utc(t)) for t in asked.tolist()])
    # Between two of them, the cubic through those and their neighbours (Lagrange).
    x = np.arange(FINER) / FINER
    weights = np.array(
        [
            -x * (x - 1) * (x - 2) / 6,
            (x + 1) * (x - 1) * (x - 2) / 2,
            -(x + 1) * x * (x - 2) / 2,
            (x + 1) * x * (x - 1) / 6,
        ]
    )
    fine = (np.column_stack([h[:-3], h[1:-2], h[2:-1], h[3:]]) @ weights).ravel()
    t = np.arange(len(fine)) * (ASKED_S / FINER)
    inside = t < calendar.end
    last = elevation_deg(latitude, longitude, calendar.instant_utc(calendar.end))
    return TimeSeries(np.append(t[inside], calendar.end), np.append(fine[inside], last))


def above(latitude: float, longitude: float, elevation: float, calendar: Calendar) -> Signal:
    """While the sun stands higher than that, degrees."""
    return height(latitude, longitude, calendar).above(elevation)


def rise_and_set(latitude: float, longitude: float, day: date, zone: str) -> tuple[float | None, float | None]:
    """Sunrise and sunset of a local day, seconds from its midnight; None where there is none that day."""
    up = above(latitude, longitude, EDGE_DEG, Calendar(day, zone, 1))
    rises, falls = up.rises[up.rises > 0], up.falls
    return float(rises[0]) if len(rises) else None, float(falls[-1]) if len(falls) else None
