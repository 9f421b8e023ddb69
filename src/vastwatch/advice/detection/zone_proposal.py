"""Zones for a room on one press: one for every spot where somebody stays, entries at its doors, and areas to ignore
over what moves by itself; within what the device takes, clear of each other.

A heuristic, and told as one: zones come in the order of what they are worth, each cleared of those before it, and two
neighbours that the device cannot tell apart are tried as one. `Proposal.total_zone_error` is the figure that is made
small, for the proposal and for what was drawn before.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from shapely import Polygon, box

from vastwatch.advice.detection.walk_test import entrances
from vastwatch.design.edits.zones import GRID_M, clear_of, replace_zones, tidy
from vastwatch.design.places import opening_middle, room_of, rooms_beside
from vastwatch.design.project import Project, find, fresh_ids, indexed, unique_name
from vastwatch.design.records import Role, Sensor, Zone
from vastwatch.design.references import references
from vastwatch.design.relations import spots_on
from vastwatch.devices.types import ZoneRules
from vastwatch.geometry import polygons
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.zone_encoding import zone_error
from vastwatch.sensing.zoned_sensor import ZonedSensor
from vastwatch.site.building import Furnishing, Opening, Room, Spot
from vastwatch.site.people import Person

Corner = tuple[float, float]

# Round a spot without furniture a zone reaches so far, and beyond furniture so far; before a door so deep; metres.
ROUND_M, BEYOND_M, DEEP_M = 0.45, 0.15, 0.9
# Furniture that somebody sits or lies on is no larger than this, metres; a zone round a part of it no smaller.
LARGEST_M = 2.6
# What moves by itself and makes a target of itself.
MOVES = ("fan", "curtain", "vent", "mirror or metal", "pet area")
# Nobody stays there whom a zone would be for.
PASSING = ("passing", "away")


class ZoneProposal(NamedTuple):
    """Zones for a sensor, and how far off they are, as `total_zone_error` sums it; `before` for the zones that are
    drawn. `left_out`: what there was no room for, by name."""

    zones: tuple[Zone, ...]
    wrong: float
    before: float
    left_out: tuple[str, ...]


def total_zone_error(known: ZonedSensor) -> float:
    """How far off a sensor's zones are, summed over the spots that it notices: what their numbers make small."""
    counting = [j for j, z in enumerate(known.zones) if z.role != "ignore"]
    return sum(float(zone_error(known.counted[:, j], known.intended[:, j], ~known.intended[:, j])) for j in counting)


def zone_around(project: Project, level: str, at: Corner, room: Room | None = None) -> tuple[Corner, ...]:
    """A zone round whatever stands at a point: the furniture there, or a square about the point itself."""
    mine = _furniture_at(project, level, at)
    if mine is None:
        x, y = at
        shape = box(x - ROUND_M, y - ROUND_M, x + ROUND_M, y + ROUND_M)
    else:
        shape = Polygon(mine.outline).buffer(BEYOND_M, join_style="mitre")
    if room is not None:
        shape = shape.intersection(Polygon(room.outline).buffer(BEYOND_M, join_style="mitre"))
    return _corners(shape)


def propose_zones(project: Project, sensor: Sensor) -> ZoneProposal | None:
    """The proposal for a sensor, in place of whatever it has; None where its type takes no zones."""
    known = zoned_sensor(project, sensor)
    room = room_of(project, sensor)
    if known is None or room is None:
        return None
    rules = known.device.zone_rules or ZoneRules()
    most = known.device.zones or known.device.bands
    ids = fresh_ids(project, "zone")
    kept: list[Zone] = []
    left: list[str] = []

    def propose(name: str, role: Role, outline: Sequence[Corner]) -> None:
        clear = clear_of(outline, [z.outline for z in kept], rules.gap_m)
        if len(kept) >= most or clear is None:
            left.append(name)
            return
        called = unique_name(name, (z.name for z in kept))
        kept.append(Zone(id=next(ids), sensor=sensor.id, name=called, role=role, outline=tidy(clear)))

    for spots in _seats(project, room, known.spots):
        propose(_called(project, spots), "detect", _round(project, room, spots))
    noticed = [s.id for s in known.spots]
    unseen = [s for s in project.spots if s.room == room.id and s.id not in noticed]
    left += [f"{s.name} (not noticed there)" for group in _seats(project, room, tuple(unseen)) for s in group]
    if known.device.zones:
        for opening, inside, along in entrances(project, room):
            propose(_from(project, room, opening), "entry", _entry(project, room, opening, inside, along))
        for hazard in project.hazards:
            middle = polygons.centroid(hazard.outline)
            if hazard.level == room.level and hazard.kind in MOVES and polygons.contains_point(room.outline, *middle):
                grown = Polygon(hazard.outline).buffer(2 * BEYOND_M, join_style="mitre")
                propose(f"Ignore {hazard.name.lower()}", "ignore", _corners(grown))
    made = _better_merged(project, sensor, tuple(kept))
    new = zoned_sensor(replace_zones(project, sensor, made), sensor)
    assert new is not None
    return ZoneProposal(made, total_zone_error(new), total_zone_error(known), tuple(left))


def _better_merged(project: Project, sensor: Sensor, zones: tuple[Zone, ...]) -> tuple[Zone, ...]:
    """Neighbours as one where the device cannot tell them apart: as long as that makes less go wrong."""

    def off(of: tuple[Zone, ...]) -> float:
        known = zoned_sensor(replace_zones(project, sensor, of), sensor)
        return math.inf if known is None else total_zone_error(known)

    now = off(zones)
    while True:
        best: tuple[float, tuple[Zone, ...]] | None = None
        seats = [z for z in zones if z.role == "detect"]
        for i, a in enumerate(seats):
            for b in seats[i + 1 :]:
                if Polygon(a.outline).distance(Polygon(b.outline)) > 2 * ROUND_M:
                    continue
                both = Polygon(a.outline).union(Polygon(b.outline)).envelope
                others = [z for z in zones if z is not a and z is not b]
                if any(both.intersects(Polygon(z.outline)) for z in others):
                    continue
                one = replace(a, name=f"{a.name} and {b.name[0].lower()}{b.name[1:]}", outline=_corners(both))
                tried = tuple(one if z is a else z for z in zones if z is not b)
                if (value := off(tried)) < (now if best is None else best[0]) - 0.1:
                    best = value, tried
        if best is None:
            return zones
        now, zones = best


def _seats(project: Project, room: Room, noticed: tuple[Spot, ...]) -> list[list[Spot]]:
    """Spots of a room where somebody stays and is noticed, those on one small furnishing together, the stillest
    first."""
    groups: dict[str, list[Spot]] = {}
    for spot in noticed:
        if spot.room != room.id or not _stayed(project, spot):
            continue
        mine = _furniture_at(project, room.level, spot.at)
        groups.setdefault(spot.id if mine is None else mine.id, []).append(spot)
    order = {"lying": 0, "seated": 1, "standing": 2}
    return sorted(groups.values(), key=lambda g: min(order[s.posture] for s in g))


def stay_spots(project: Project, sensor: Sensor) -> list[Spot]:
    """The spots on a sensor's level where somebody stays, and not a pet alone."""
    return [s for s in spots_on(project, sensor.level) if _stayed(project, s)]


def _stayed(project: Project, spot: Spot) -> bool:
    pets, people = indexed(project.people, _haunts)
    return spot.activity not in PASSING and (spot.id in people or spot.id not in pets)


def _haunts(everybody: tuple[Person, ...]) -> tuple[set[str], set[str]]:
    """The ids that pets name, and those that people do."""
    pets, people = (
        {r.ident for p in everybody if (p.kind == "pet") == pet for r in references(p)} for pet in (True, False)
    )
    return pets, people


def _furniture_at(project: Project, level: str, at: Corner) -> Furnishing | None:
    """The smallest furnishing at a point that somebody could be on."""
    found = [
        f for f in project.furnishings
        if f.level == level and polygons.contains_point(f.outline, *at)
        and max(np.ptp(np.array(f.outline), axis=0)) <= LARGEST_M
    ]  # fmt: skip
    return min(found, key=lambda f: polygons.area(f.outline), default=None)


def _called(project: Project, spots: list[Spot]) -> str:
    mine = _furniture_at(project, find(project.rooms, spots[0].room).level, spots[0].at)
    return spots[0].name if mine is None else mine.name


def _round(project: Project, room: Room, spots: list[Spot]) -> tuple[Corner, ...]:
    return zone_around(project, room.level, spots[0].at, room)


def _entry(project: Project, room: Room, opening: Opening, inside: Corner, along: Corner) -> tuple[Corner, ...]:
    """The floor inside a room before an opening, `inside` a point of it."""
    (mx, my), _ = opening_middle(project, opening)
    (ux, uy), half = along, opening.width / 2
    away = (inside[0] - mx, inside[1] - my)
    depth = math.hypot(*away)
    nx, ny = away[0] / depth * DEEP_M, away[1] / depth * DEEP_M
    a, b = (mx - ux * half, my - uy * half), (mx + ux * half, my + uy * half)
    return a, b, (b[0] + nx, b[1] + ny), (a[0] + nx, a[1] + ny)


def _from(project: Project, room: Room, opening: Opening) -> str:
    other = next((r for r in rooms_beside(project, opening) if r is not None and r.id != room.id), None)
    return "From outside" if other is None else f"From the {other.name.lower()}"


def _corners(shape: object) -> tuple[Corner, ...]:
    parts = [p for p in getattr(shape, "geoms", [shape]) if isinstance(p, Polygon) and not p.is_empty]
    best = max(parts, key=lambda p: p.area)
    return tuple((round(x / GRID_M) * GRID_M, round(y / GRID_M) * GRID_M) for x, y in best.exterior.coords[:-1])
