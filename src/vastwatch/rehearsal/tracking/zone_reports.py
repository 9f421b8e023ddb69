"""What a sensor that tells places says of its zones: its targets day by day, and while each zone is on."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project
from vastwatch.design.records import Zone
from vastwatch.devices.types import ZoneRules
from vastwatch.people.truth import HouseholdDays, Truth
from vastwatch.rehearsal.noticing.notices import Notices
from vastwatch.rehearsal.tracking.targets import Targets, TrackingRadar, targets_of, zone_intervals
from vastwatch.sensing.model import MountedSensor, each_part
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import pose_of
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.sensing.zoned_sensor import programmed_zones, tracking_part
from vastwatch.signals import Signal

Array = NDArray[np.float64]

# Of more reports than this a tracking radar's are told in compiled loops: of four weeks in a room lived in (800,000);
# those of one (200,000) gain a tenth of a second by it, and loading the loops takes half of one.
MANY_REPORTS = 300_000


class ZoneTask(NamedTuple):
    """What a sensor makes zones of: `part` of its housing tells the places."""

    watched: TrackingRadar
    part: int
    zones: tuple[Zone, ...]
    shapes: tuple[Shape, ...]
    rules: ZoneRules


def zone_task(project: Project, mounted: MountedSensor, level: int) -> ZoneTask | None:
    """Return how a placed sensor reports its zones; None if it has none or its device reports none."""
    zones = programmed_zones(project, mounted.sensor)
    watched = tracking_radar_of(project, mounted, level) if zones else None
    known = zoned_sensor(project, mounted.sensor) if watched is not None else None
    if watched is None or known is None:
        return None
    return ZoneTask(watched[1], watched[0], zones, known.shapes, known.device.zone_rules or ZoneRules())


def tracking_radar_of(project: Project, mounted: MountedSensor, level: int) -> tuple[int, TrackingRadar] | None:
    """Which part of a placed sensor tells places, and how."""
    for k, part in enumerate(each_part(mounted)):
        device = tracking_part(part.device)
        if device is not None:
            here = tuple(h for h in project.hazards if h.level == mounted.sensor.level)
            return k, TrackingRadar(mounted.sensor.id, level, pose_of(mounted.sensor, device), device, here)
    return None


def zone_rows(
    zoning: ZoneTask, truth: Truth, lives: HouseholdDays, noticed: Notices, days: range,
    keep: Callable[[int, Targets], None] = lambda _, targets: None,
) -> list[list[Array]]:  # fmt: skip
    """Day after day, the rows of each zone; `keep` hears of each day's targets, unless they are very many."""
    midnights = _midnights(truth, days)
    if float((noticed.end - noticed.start).sum()) + len(noticed.start) > MANY_REPORTS:
        # Loaded where it is needed: with the compiler it takes half a second, and a hundred megabytes.
        from vastwatch.rehearsal.tracking import target_batch

        into = zoning.zones, zoning.shapes, zoning.rules
        return target_batch.zones_of(zoning.watched, truth.household, lives, noticed, midnights, *into)
    told = targets_of(zoning.watched, truth.household, lives, noticed).by_day(midnights)
    for day, targets in zip(days, told):
        keep(day, targets)
    return [zone_intervals(targets, zoning.zones, zoning.shapes, zoning.rules) for targets in told]


def _midnights(truth: Truth, days: range) -> list[float]:
    return [truth.calendar.midnight(d) for d in range(days.start, days.stop + 1)]


def zone_signals(zoning: ZoneTask, rows: list[list[Array]], truth: Truth) -> dict[str, Signal]:
    """Each zone's signal, of its rows of some days, late by the device's own time."""
    late = zoning.watched.device.latency.typical_s
    return {
        zone.id: Signal.from_intervals(_late(np.concatenate([day[k] for day in rows]), late), 0.0, truth.end)
        for k, zone in enumerate(zoning.zones)
    }


def _late(rows: Array, by: float) -> Array:
    return np.column_stack([np.minimum(rows[:, 0] + by, rows[:, 1]), rows[:, 1]])
