"""A lamp that lifts its own light sensor: dark, so it comes on; on, so it is not dark; off, and so on. How much it
lifts it by, whether it then blinks, and the thresholds that cure it."""

from __future__ import annotations

import math
from typing import NamedTuple

from msgspec.structs import replace

from vastwatch.control.light.darkness import house_dark, sampling_of, thresholds
from vastwatch.control.light.daylight import target_lux
from vastwatch.control.self_illumination import max_self_lux, with_self_illumination
from vastwatch.design.project import Project, find, put
from vastwatch.rehearsal import Rehearsal
from vastwatch.site.building import DarkSource
from vastwatch.site.meter_scale import scale_of

# A cure keeps so much between what the lamps add and the gap of the thresholds.
MARGIN = 1.2
# Daylight changes so much around dusk without its being day again.
CLOUD = 1.2


class Feedback(NamedTuple):
    """Of a room whose dark is told by a light sensor: the sensor, what the room's own light adds to its reading, the
    two thresholds, whether the light would blink, every how many seconds, and the upper threshold that cures it."""

    sensor: str
    self_lux: float
    below: float
    until: float
    oscillates: bool
    every_s: float
    cure: float


def feedback(project: Project, room: str) -> Feedback | None:
    """How a room's light and its light sensor play together; None where no sensor tells the dark."""
    record = find(project.rooms, room)
    source = record.darkness
    if source is None or source.source not in ("sensor", "flag") or source.sensor is None:
        return None
    sensor = find(project.sensors, source.sensor)
    lifts = max_self_lux(project, record, sensor)
    below, until = thresholds(project, record, source)
    every = 2.0 * sampling_of(project, source).interval_s
    blinks = below + lifts > until
    return Feedback(sensor.id, lifts, below, until, blinks, every, _cure(below, lifts))


def _cure(below: float, lifts: float) -> float:
    return math.ceil((below + MARGIN * lifts) / 10.0) * 10.0


class ThresholdProposal(NamedTuple):
    """The two thresholds that a room's source is best given, lux as its sensor reads them; how often a day its dark
    began in some days with those of today, and with these."""

    below: float
    until: float
    begins_now: float
    begins_then: float


def propose_thresholds(project: Project, room: str, r: Rehearsal) -> ThresholdProposal | None:
    """Thresholds for a room of which daylight or a light sensor tells the dark: below what the room asks for, as the
    sensor reads that, and until so much more that neither its own lamps nor a passing cloud blink it; held against some
    days simulated. None for other sources, which have none."""
    record = find(project.rooms, room)
    source = record.darkness or DarkSource()
    if source.source not in ("daylight", "sensor"):
        return None
    below = float(round(scale_of(source).read(target_lux(project, record))))
    until = math.ceil(below * CLOUD / 10.0) * 10.0
    if source.source == "sensor" and source.sensor is not None:
        lifts = max_self_lux(project, record, find(project.sensors, source.sensor))
        until = max(until, _cure(below, lifts))
    then = put(project, replace(record, darkness=replace(source, below_lux=below, until_lux=until)))
    begins = [
        len(house_dark(each, room, with_self_illumination(each, r.recording)).rises) / r.days
        for each in (project, then)
    ]
    return ThresholdProposal(below, until, *begins)
