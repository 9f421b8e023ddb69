"""How long a battery device lasts, from its currents, how often it reports, and how cold it is mounted."""

from __future__ import annotations

import math

import numpy as np

from vastwatch.devices.families import DeviceType, HumidityType
from vastwatch.signals import DAY

# Usable charge of one cell at a room's temperature and these small currents, ampere hours.
CELL_AH = {"AAA": 1.1, "AA": 2.5, "CR2032": 0.21, "CR2450": 0.55, "CR123A": 1.45, "CR2": 0.8}
# What is left of it in the cold, by kind of cell: shares at so many degrees Celsius, typical of data sheets at a few
# milliamperes.
COLD_C = (-20.0, -10.0, 0.0, 20.0)
ALKALINE, LITHIUM = (0.15, 0.35, 0.65, 1.0), (0.55, 0.75, 0.88, 1.0)
# Cells lose about this share a year in the drawer, and nobody should promise more than this.
SELF_DISCHARGE, MOST_YEARS = 0.01, 10.0
HOURS_A_YEAR = 8766.0
# Messages a day of what notices people or openings: in a room hardly used, in a usual one, in a busy one.
USES = {"quiet": 50.0, "usual": 150.0, "busy": 600.0}
USUAL_REPORTS = USES["usual"]
# Background that the charges hold for, Celsius.
USUAL_C = 20.0


def charge_ah(cell: str, ambient_c: float = USUAL_C) -> float:
    """Usable charge of one cell at a temperature, ampere hours."""
    shares = ALKALINE if cell in ("AAA", "AA") else LITHIUM
    return CELL_AH[cell] * float(np.interp(ambient_c, COLD_C, shares))


def intervals_per_day(device: DeviceType, interval_s: float | None = None) -> float:
    """Reports a day that a type sends by the clock, no matter who is there: of light and of humidity; `interval_s`
    where that is set."""
    return sum(DAY / (interval_s or each) for each in _intervals_s(device))


def usual_interval_s(device: DeviceType) -> float:
    """How often a type reports by the clock with default settings, seconds; inf where it does not."""
    return min(_intervals_s(device), default=math.inf)


def _intervals_s(device: DeviceType) -> list[float]:
    own = [device.light.interval_s] if device.light is not None else []
    return own + ([device.interval_s] if isinstance(device, HumidityType) else [])


def battery_years(
    device: DeviceType,
    reports_per_day: float | None = None,
    interval_s: float | None = None,
    ambient_c: float = USUAL_C,
) -> float | None:
    """Years until the cells are empty, at most MOST_YEARS; None for a device without cells.

    `reports_per_day`: those of what it notices, by default USUAL_REPORTS for what senses people and openings; to them
    come those by the clock. Of cells in series one's charge counts, of strings side by side all; of cells that may be
    taken in their place the best. With I asleep, i for t at each of n reports a day: C / (I + i t n / day), the
    self-discharge beside it.
    """
    b = device.battery
    if b is None:
        return None
    if reports_per_day is None:
        reports_per_day = 0.0 if device.by_interval else USUAL_REPORTS
    reports = reports_per_day + intervals_per_day(device, interval_s)
    best = 0.0
    for cell in (b.cell, *([b.or_cell] if b.or_cell else [])):
        charge = charge_ah(cell, ambient_c) * b.strings
        amperes = b.sleep_ua * 1e-6 + b.report_ma * 1e-3 * b.report_ms * 1e-3 * reports / DAY
        amperes += charge * SELF_DISCHARGE / HOURS_A_YEAR
        best = max(best, charge / amperes / HOURS_A_YEAR)
    return min(best, MOST_YEARS)
