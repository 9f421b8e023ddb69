"""Two readings of a light sensor beside a meter where light is wanted: what the one reads of what the other does."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from vastwatch.control.light.darkness import thresholds
from vastwatch.design.project import find, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.readings_dialog import ReadingsDialog
from vastwatch.site.building import DarkSource, MeterReading
from vastwatch.site.meter_scale import scale_of


def meter_dialog(document: Document, room: str, parent: QWidget) -> ReadingsDialog:
    """A line for each reading: the sensor, and the meter, lux."""
    tr = parent.tr
    record = find(document.project.rooms, room)
    source = record.darkness or DarkSource()

    def understood(text: str) -> tuple[str, Callable[[], str]]:
        readings = parse_readings(text)
        scale = scale_of(DarkSource(source="sensor", readings=readings))
        if not readings:
            return tr("Without readings, the sensor is assumed to read the same as the meter."), lambda: take(readings)
        more = "" if abs(scale.offset) < 0.05 else tr(", and {:+.1f} lx").format(scale.offset)
        return tr("It reads {:.2f} times the meter{}.").format(scale.gain, more), lambda: take(readings)

    def take(readings: tuple[MeterReading, ...]) -> str:
        project = document.project
        now = find(project.rooms, room)
        # The two figures are of the sensor: they begin anew with what the room asks for, as it reads that.
        calibrated = replace(now.darkness or DarkSource(), readings=readings, below_lux=None, until_lux=None)
        new = put(project, replace(now, darkness=calibrated))
        document.apply(new, f"Calibrate the light sensor of {now.name.lower()}")
        below, _ = thresholds(new, find(new.rooms, room), calibrated)
        return tr("{} is dark below {:.0f} lx on its sensor.").format(now.name, below)

    return ReadingsDialog(
        tr("Meter and sensor in {}").format(record.name.lower()),
        tr("Lamps off. Hold a lux meter at the task and read both: the sensor, then the meter, in lux. Two "
           "lines, one by day and one at dusk: 40 110."),
        tr("Calibrate"), understood, "\n".join(f"{r.sensor_lux:g} {r.meter_lux:g}" for r in source.readings), parent,
    )  # fmt: skip


def parse_readings(text: str) -> tuple[MeterReading, ...]:
    """Up to two lines of two figures, sensor and meter. Raises ValueError with the reason."""
    out = []
    for n, typed in enumerate((x for x in text.splitlines() if x.strip()), 1):
        try:
            sensor, meter = (float(w.replace(",", ".")) for w in typed.replace(";", " ").split())
        except ValueError:
            raise ValueError(f"line {n} needs two values: the sensor, then the meter") from None
        if not (0 <= sensor < 1e6 and 0 <= meter < 1e6):
            raise ValueError(f"line {n} has an impossible value")
        out.append(MeterReading(sensor_lux=sensor, meter_lux=meter))
    if len(out) > 2:
        raise ValueError("use no more than two readings")
    return tuple(out)
