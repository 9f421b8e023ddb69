"""How long a battery device lasts, from its currents and how often it reports."""

from __future__ import annotations

from vastwatch.devices.families import DeviceType

# Usable charge of one cell at a room's temperature and these small currents, ampere hours.
CELL_AH = {"AAA": 1.1, "AA": 2.5, "CR2032": 0.21, "CR2450": 0.55, "CR123A": 1.45, "CR2": 0.8}
# Cells lose about this share a year in the drawer, and nobody should promise more than this.
SELF_DISCHARGE, MOST_YEARS = 0.01, 10.0
HOURS_A_YEAR = 8766.0
# A usual day of a usual room.
USUAL_REPORTS = 150.0


def battery_years(device: DeviceType, reports_per_day: float = USUAL_REPORTS) -> float | None:
    """Years until the cells are empty, at most MOST_YEARS; None for a device without cells.

    Cells are in series, so that one cell's charge counts: C / (I_sleep + I_report * t_report * reports / day), with
    the self-discharge of the cell beside it.
    """
    b = device.battery
    if b is None:
        return None
    charge = CELL_AH[b.cell]
    amperes = b.sleep_ua * 1e-6 + b.report_ma * 1e-3 * b.report_ms * 1e-3 * reports_per_day / 86_400.0
    amperes += charge * SELF_DISCHARGE / HOURS_A_YEAR
    return min(charge / amperes / HOURS_A_YEAR, MOST_YEARS)
