"""The entry sheet of a tracking radar: the numbers to type, with their unit and sign, and what to check afterwards."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType, RadarType
from vastwatch.devices.types import ZoneRules
from vastwatch.files.csv_cells import csv_text
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.zoned_sensor import ZonedSensor

# From this share of the reports on somebody who sits is counted at once; a zone is left a little after its delay.
SLACK_S = 3.0


class Row(NamedTuple):
    """One line: the zone, what is typed, its value as text, and the unit."""

    zone: str
    field: str
    value: str
    unit: str


class Check(NamedTuple):
    """One thing to try: where to sit, what is to be told, within what time. `key` names it for its tick."""

    key: str
    text: str


class EntrySheet(NamedTuple):
    """A page to type from."""

    title: str
    convention: str
    rows: tuple[Row, ...]
    checks: tuple[Check, ...]


def typed_numbers(known: ZonedSensor, zone: int) -> tuple[str, dict[str, int | float]]:
    """The unit, and the numbers of a zone by their names as the device takes them."""
    shape = known.shapes[zone]
    if shape.ring is not None:
        return "band", {"from": shape.numbers[0], "to": shape.numbers[1]}
    rules = known.device.zone_rules or ZoneRules()
    if rules.shape == "rectangle":
        return rules.unit, dict(zip(("x_min", "x_max", "y_min", "y_max"), shape.numbers))
    pairs = zip(shape.numbers[::2], shape.numbers[1::2])
    return rules.unit, {f"{axis}{k}": v for k, pair in enumerate(pairs, 1) for axis, v in zip("xy", pair)}


LABELS = {
    "x_min": "X from", "x_max": "X to", "y_min": "Y from", "y_max": "Y to", "from": "first band", "to": "last band",
}  # fmt: skip


def convention_words(device: DeviceType) -> str:
    """How a device counts, in a sentence."""
    rules = getattr(device, "zone_rules", None)
    if rules is None:
        width, count = getattr(device, "band_m", 0.0), getattr(device, "bands", 0)
        return f"{count} bands of {width:g} m, along the line of sight, as the device measures."
    return (
        f"In {rules.unit}, in steps of {rules.step:g}; X increases to the {rules.x_grows} as seen from the "
        "device, Y away from it."
    )


def entry_sheet(project: Project, sensor: Sensor) -> EntrySheet | None:
    """The sheet of a sensor; None for one without zones."""
    known = zoned_sensor(project, sensor)
    if known is None or not known.zones:
        return None
    rules = known.device.zone_rules or ZoneRules()
    rows, checks = _of_device(sensor, known.device), []
    for j, zone in enumerate(known.zones):
        unit, numbers = typed_numbers(known, j)
        if set(numbers) <= set(LABELS):
            rows += [Row(zone.name, LABELS[name], f"{value:g}", unit) for name, value in numbers.items()]
        else:
            values = list(numbers.values())
            pairs = enumerate(zip(values[::2], values[1::2]), 1)
            rows += [Row(zone.name, f"corner {k}: X, Y", f"{x:g}, {y:g}", unit) for k, (x, y) in pairs]
        delay = rules.off_delay_s if zone.off_delay_s is None else zone.off_delay_s
        if zone.role != "ignore" and known.device.zones:
            rows.append(Row(zone.name, "off-delay", f"{delay:g}", "s"))
        if rules.sensitivity:
            below = sensor.settings.sensitivity_below_max if zone.sensitivity_below_max is None \
                else zone.sensitivity_below_max  # fmt: skip
            rows.append(
                Row(zone.name, "sensitivity", f"{max(known.device.steps - below, 1)}", f"of {known.device.steps}")
            )
        if zone.role == "ignore":
            rows.append(Row(zone.name, "kind", "ignore", ""))
            checks.append(Check(f"{zone.id}:ignore", f"Let it move in {zone.name}: no report for a minute."))
        elif zone.role == "entry":
            checks.append(Check(f"{zone.id}:entry", f"Step in at {zone.name}: it reports 1 at once."))
        else:
            for i in np.flatnonzero(known.intended[:, j]):
                spot, p = known.spots[i], known.counted[i, j]
                checks.append(
                    Check(f"{zone.id}:{spot.id}", f"Sit or stand at the {spot.name}: {zone.name} reports 1, and "
                                                  f"keeps it for {100 * p:.0f} % of the reports.")
                )  # fmt: skip
            checks.append(Check(f"{zone.id}:leave", f"Leave {zone.name}: it reports 0 within {delay + SLACK_S:g} s."))
    return EntrySheet(
        f"{sensor.name}: zone values to enter", convention_words(known.device), tuple(rows), tuple(checks)
    )


def _of_device(sensor: Sensor, device: RadarType) -> list[Row]:
    """What is set of the device as a whole."""
    s, whole = sensor.settings, "The device"
    out = [
        Row(whole, "nearest", f"{device.min_gate_m:g}", "m"), Row(whole, "farthest", f"{device.max_gate_m:g}", "m"),
        Row(whole, "sensitivity", f"{max(device.steps - s.sensitivity_below_max, 1)}", f"of {device.steps}"),
    ]  # fmt: skip
    if s.still_below_max is not None:
        out.append(Row(whole, "stillness", f"{max(device.steps - s.still_below_max, 1)}", f"of {device.steps}"))
    bands = [max(device.steps - b, 1) for b in s.bands_below_max]
    out += [Row(whole, f"band {k}, sensitivity", f"{v}", f"of {device.steps}") for k, v in enumerate(bands, 1)]
    return out


def as_text(sheet: EntrySheet) -> str:
    """The sheet as plain text."""
    out = [sheet.title, sheet.convention, ""]
    last = ""
    for row in sheet.rows:
        if row.zone != last:
            out.append(row.zone)
            last = row.zone
        out.append(f"  {row.field:14s} {row.value:>12s} {row.unit}".rstrip())
    return "\n".join([*out, "", "To check:", *(f"[ ] {c.text}" for c in sheet.checks), ""])


def as_csv(sheet: EntrySheet) -> str:
    """The sheet's numbers as CSV."""
    return csv_text([("zone", "field", "value", "unit"), *sheet.rows])
