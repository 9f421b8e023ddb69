"""Checks of zones: what the device cannot take, what it cannot see, who is counted where they are not."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np
from shapely import Polygon

from vastwatch.advice.checks.finding import Finding, RemedyText
from vastwatch.advice.detection.zone_proposal import MOVES, stay_spots
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor, Zone
from vastwatch.devices.types import ZoneRules
from vastwatch.geometry import polygons
from vastwatch.sensing.bodies import STANDING, WALKING_SPEED, Walker
from vastwatch.sensing.hazards import false_rate
from vastwatch.sensing.model import walker_rate
from vastwatch.sensing.mounted import mount_plain, zoned_sensor
from vastwatch.sensing.tracker import WANDER_M, is_pose_current
from vastwatch.sensing.zoned_sensor import (
    ZonedSensor,
    counted_shares,
    ignored_share,
    off_axis_deg,
    tracking_part,
    zones_of,
)
from vastwatch.words import capital

# Somebody is well counted in their own zone with this share of their reports, and badly with less than that one; in
# another zone from this share on it is worth a word.
WELL, BADLY, ASTRAY = 0.9, 0.6, 0.05
# Zones drawn over each other by less than this are meant side by side, square metres.
OVER_M2 = 0.02
# A zone narrower than so many spreads of the reports in it holds hardly anything for sure.
THIN = 3.0
# Somebody walking who is noticed less often than this, a second, walks through a zone unnoticed.
HARDLY_PER_S = 0.05


def zone_findings(project: Project, sensor: Sensor) -> list[Finding]:
    """What is wrong with the zones of one sensor."""
    return list(_of_sensor(project, sensor))


def _zones(project: Project) -> Iterator[Finding]:
    for sensor in project.sensors:
        if zones_of(project, sensor.id):
            yield from _of_sensor(project, sensor)


def _of_sensor(project: Project, sensor: Sensor) -> Iterator[Finding]:
    drawn = zones_of(project, sensor.id)
    type_ = find(project.devices, sensor.device)
    device = tracking_part(type_)
    if not drawn:
        return
    if device is None:
        names = ", ".join(z.name for z in drawn)
        text = (
            f"{sensor.name} is a {type_.name} and has no zones: {names} {'are' if len(drawn) > 1 else 'is'} "
            "kept but not used."
        )
        yield Finding("zones-aside", "risk", (sensor.id, *(z.id for z in drawn)), text,
                      (RemedyText("Choose a tracking radar, or delete the zones."),))  # fmt: skip
        return
    known = zoned_sensor(project, sensor)
    assert known is not None
    most = device.zones or device.bands
    for zone in drawn[most:]:
        text = f"{sensor.name} supports {most} zones: {zone.name} is one too many and is not sent to it."
        yield Finding("zones-too-many", "risk", (zone.id, sensor.id), text)
    for a, b in combinations(known.zones, 2):
        if Polygon(a.outline).intersection(Polygon(b.outline)).area > OVER_M2:
            text = f"{a.name} and {b.name} of {sensor.name} overlap: the device needs separate zones."
            yield Finding("zones-overlap", "risk", (b.id, a.id), text)
    if not is_pose_current(sensor):
        text = f"{sensor.name} has moved since the walk located it, so that result no longer counts. Walk again."
        yield Finding("zone-found-elsewhere", "note", (sensor.id,), text)
    for j, zone in enumerate(known.zones):
        yield from _of_zone(project, known, j, zone)
    yield from _moving_things(project, known)


def _moving_things(project: Project, known: ZonedSensor) -> Iterator[Finding]:
    """What moves by itself within a zone that counts."""
    plain = mount_plain(project, known.sensor)
    for hazard in project.hazards:
        if hazard.kind not in MOVES or hazard.level != known.sensor.level or false_rate(plain, hazard) <= 0:
            continue
        hidden = ignored_share(known, hazard)
        zone, share = max(counted_shares(known, hazard), key=lambda c: c[1], default=(None, 0.0))
        if zone is not None and share > ASTRAY and hidden < share:
            text = f"{hazard.name} moves within {zone.name}: {100 * share:.0f} % of the reports it causes are counted."
            yield Finding("zone-moves", "risk", (zone.id, hazard.id), text,
                          (RemedyText("Draw an ignore area over it, clear of the seat."),))  # fmt: skip


def _of_zone(project: Project, known: ZonedSensor, j: int, zone: Zone) -> Iterator[Finding]:
    sensor, device = known.sensor, known.device
    rules = device.zone_rules or ZoneRules()
    ids = (zone.id, sensor.id)
    outline = np.array(zone.outline, float)
    points = np.vstack([polygons.centroid(zone.outline), 0.5 * (outline + polygons.centroid(zone.outline))])
    outside = np.abs(off_axis_deg(known.pose, points)) > device.fov_h / 2
    away = np.hypot(points[:, 0] - known.pose.x, points[:, 1] - known.pose.y)
    if outside.all():
        text = (
            f"{zone.name} is outside the {device.fov_h:g}° that {sensor.name} sees: turn the sensor, or move the zone."
        )
        yield Finding("zone-unseen", "wrong", ids, text)
        return
    if away.min() > device.max_gate_m:
        text = f"{zone.name} is {away.min():.1f} m away; {sensor.name} reads up to {device.max_gate_m:g} m."
        yield Finding("zone-unseen", "wrong", ids, text)
        return
    plain = mount_plain(project, sensor)
    if (
        zone.role != "ignore"
        and not (walker_rate(plain, points, Walker(STANDING, WALKING_SPEED, 90.0)) > HARDLY_PER_S).any()
    ):
        text = f"{sensor.name} notices nobody in {zone.name}: walls or furniture are in the way."
        yield Finding("zone-unseen", "wrong", ids, text)
        return
    if zone.off_delay_s is not None and zone.off_delay_s > rules.off_delay_max_s:
        text = (
            f"{zone.name}: its off delay of {zone.off_delay_s:g} s cannot be set; the maximum is "
            f"{rules.off_delay_max_s:g} s."
        )
        yield Finding("zone-delay", "risk", ids, text)
    if zone.sensitivity_below_max is not None and not rules.sensitivity:
        text = f"{zone.name}: {sensor.name} has one sensitivity for all its zones."
        yield Finding("zone-sensitivity", "risk", ids, text)
    if zone.role == "ignore":
        for i in np.flatnonzero(known.counted[:, j] > ASTRAY):
            spot, p = known.spots[i], known.counted[i, j]
            text = f"{zone.name} suppresses {100 * p:.0f} % of the reports of anybody at the {spot.name}."
            yield Finding("zone-hides", "risk", (zone.id, spot.id), text)
        return
    noticed = {s.id for s in known.spots}
    for spot in stay_spots(project, sensor):
        if spot.id not in noticed and polygons.contains_point(zone.outline, *spot.at):
            text = f"Anybody at the {spot.name} is hardly noticed by {sensor.name}, so {zone.name} stays off."
            yield Finding("zone-unseen", "wrong", (zone.id, spot.id), text,
                          (RemedyText("Turn the sensor, place it elsewhere, or tilt it."),))  # fmt: skip
    narrow = _narrow(known, j)
    if narrow is not None:
        text = (
            f"{zone.name} is {narrow[0]:.2f} m across, but reports there scatter by {narrow[1]:.2f} m: make it wider."
        )
        yield Finding("zone-thin", "risk", ids, text)
    for i in np.flatnonzero(known.intended[:, j]):
        p, spot = known.counted[i, j], known.spots[i]
        if p >= WELL:
            continue
        worst, k = max(((known.counted[i, m], m) for m in range(len(known.zones)) if m != j), default=(0.0, j))
        text = f"{capital(spot.name)}: {100 * p:.0f} % of the reports of anybody there fall into {zone.name}"
        if worst > ASTRAY:
            text += f", {100 * worst:.0f} % into {known.zones[k].name}"
        help_ = (RemedyText("Turn the sensor or place it nearer: its readings then scatter less."),
                 RemedyText("Widen the zone where nobody else is."))  # fmt: skip
        yield Finding("zone-missed", "wrong" if p < BADLY else "risk", (zone.id, spot.id), f"{text}.", help_)
    for i in np.flatnonzero(~known.intended[:, j] & (known.counted[:, j] > ASTRAY)):
        if known.intended[i].any() and known.counted[i][known.intended[i]].min() < WELL:
            # That is said of its own zone.
            continue
        p, spot = known.counted[i, j], known.spots[i]
        text = f"For anybody at the {spot.name}, {100 * p:.0f} % of reports are counted in {zone.name}."
        yield Finding("zone-astray", "risk", (zone.id, spot.id), text)


def _narrow(known: ZonedSensor, j: int) -> tuple[float, float] | None:
    """How wide a zone's device shape is where it is narrowest, and the scatter there, if that is too much for it."""
    corners = np.array(known.shapes[j].outline)
    if len(corners) < 3:
        return None
    middle = corners.mean(axis=0)
    r = float(np.hypot(*middle))
    d = known.device
    across = float(np.hypot(r * np.radians(d.sigma_az_deg), WANDER_M))
    along = float(np.hypot(d.sigma_r_m, WANDER_M))
    shape = Polygon(corners).minimum_rotated_rectangle
    sides = np.diff(np.array(shape.exterior.coords), axis=0)
    width = float(np.hypot(sides[:, 0], sides[:, 1]).min())
    scatter = min(across, along)
    return (width, scatter) if width < THIN * scatter else None


CHECKS = (_zones,)
