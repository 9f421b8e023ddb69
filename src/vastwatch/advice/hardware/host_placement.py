"""Where a device that watches what it is fixed to goes: the contact on a door, the strip at hip height, the mat in
front of a door, the tag or plug on a machine."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from vastwatch.design.places import opening_middle, room_at
from vastwatch.design.project import Project, find
from vastwatch.design.records import Settings
from vastwatch.devices import ContactType, DeviceType, MatType
from vastwatch.geometry import polygons
from vastwatch.sensing.bodies import ADULT_KG
from vastwatch.sensing.families.mat import best_place
from vastwatch.site.building import Furnishing, Opening, Spot
from vastwatch.site.record import Point

# A click this near selects a door, a seat or a machine, metres.
NEAR_M = 1.2
# A door mat lies this far into the room, metres to its middle.
MAT_IN_M = 0.45
# Pads wider than this, or that close only under more than this, are for feet.
FOOT_KPA = 4.0


class HostPlacement(NamedTuple):
    """The place, the direction of its width, what it is fixed to, and its settings."""

    at: tuple[float, float, float]
    yaw: float
    host: str | None
    settings: Settings
    margin: float | None = None


def host_placement(project: Project, device: DeviceType, level: str, x: float, y: float) -> HostPlacement:
    """The place nearest a point where the device does what it is for. Raises ValueError where there is none near."""
    if isinstance(device, ContactType):
        return _on_opening(project, device, level, x, y)
    if isinstance(device, MatType):
        if device.closing_kpa >= FOOT_KPA:
            return _before_door(project, device, level, x, y)
        return _under_somebody(project, device, level, x, y)
    piece = _furnishing_at(project, level, x, y)
    if piece is None:
        raise ValueError(f"{device.name} is attached to furniture or a machine: click on one")
    cx, cy = polygons.centroid(piece.outline)
    return HostPlacement((round(cx, 3), round(cy, 3), min(device.mount_height, piece.z1)), 0.0, piece.id, Settings())


def _doors(project: Project, level: str, x: float, y: float, kinds: tuple[str, ...]) -> list[Opening]:
    """Openings of a level near a point, the nearest first."""
    walls = {w.id for w in project.walls if w.level == level}
    found = [o for o in project.openings if o.wall in walls and o.kind in kinds]
    near = [(math.dist(opening_middle(project, o)[0], (x, y)), o) for o in found]
    return [o for d, o in sorted(near, key=lambda n: n[0]) if d <= NEAR_M]


def _into(project: Project, level: str, opening: Opening, x: float, y: float, step: float) -> Point | None:
    """A point `step` metres from the middle of an opening, on the side of (x, y) if that is in a room."""
    (mx, my), (ux, uy) = opening_middle(project, opening)
    wall = find(project.walls, opening.wall)
    side = 1.0 if (x - mx) * -uy + (y - my) * ux >= 0 else -1.0
    step += wall.thickness / 2
    for sign in (side, -side):
        p = (round(mx - sign * uy * step, 3), round(my + sign * ux * step, 3))
        if room_at(project, level, *p) is not None:
            return p
    return None


def _on_opening(project: Project, device: ContactType, level: str, x: float, y: float) -> HostPlacement:
    for opening in _doors(project, level, x, y, ("door", "window")):
        at = _into(project, level, opening, x, y, 0.03)
        if at is not None:
            _, (ux, uy) = opening_middle(project, opening)
            z = min(device.mount_height, opening.head)
            return HostPlacement((*at, z), round(math.degrees(math.atan2(uy, ux)) % 360, 1), opening.id, Settings())
    raise ValueError("a contact is mounted on a door or window: click on one")


def _before_door(project: Project, device: MatType, level: str, x: float, y: float) -> HostPlacement:
    for opening in _doors(project, level, x, y, ("door", "archway")):
        at = _into(project, level, opening, x, y, MAT_IN_M)
        if at is not None:
            _, (ux, uy) = opening_middle(project, opening)
            return HostPlacement(
                (*at, device.mount_height), round(math.degrees(math.atan2(uy, ux)) % 360, 1), None, Settings()
            )
    if room_at(project, level, x, y) is None:
        raise ValueError("a door mat goes inside, in front of a door: click there")
    return HostPlacement((round(x, 3), round(y, 3), device.mount_height), 0.0, None, Settings())


def _under_somebody(project: Project, device: MatType, level: str, x: float, y: float) -> HostPlacement:
    spots = [
        s for s in project.spots
        if s.posture in ("seated", "lying") and find(project.rooms, s.room).level == level
    ]  # fmt: skip
    spot: Spot | None = min(spots, key=lambda s: math.dist(s.at, (x, y)), default=None)
    if spot is None or math.dist(spot.at, (x, y)) > NEAR_M:
        raise ValueError(f"{device.name} goes where somebody sits or sleeps: click on such a position")
    room = find(project.rooms, spot.room)
    if room.use in ("toilet", "bathroom"):
        raise ValueError(f"{device.name} needs a cushion or mattress on top, and there is none at the {spot.name}")
    place = best_place(project, device, spot, lightest_kg(project, spot))
    piece = _furnishing_at(project, level, *spot.at)
    z = min(device.mount_height, piece.z1) if piece else device.mount_height
    settings = Settings(folded=True) if place.folded else Settings()
    return HostPlacement((*place.at, z), round(place.yaw, 1), piece.id if piece else None, settings, place.margin)


def lightest_kg(project: Project, spot: Spot) -> float:
    """The lightest person whose schedule names the spot; an adult where none does. Kilograms."""
    mine = [
        p.body_kg for p in project.people
        if p.kind != "pet" and (any(s.spot == spot.id for s in p.stays) or any(e.spot == spot.id for e in p.errands))
    ]  # fmt: skip
    return min(mine, default=ADULT_KG)


def _furnishing_at(project: Project, level: str, x: float, y: float) -> Furnishing | None:
    near: list[tuple[float, Furnishing]] = []
    for f in project.furnishings:
        if f.level != level or f.kind == "stair":
            continue
        outline = np.asarray(f.outline, float)
        if polygons.contains_point(f.outline, x, y):
            return f
        distance, _ = polygons.nearest_on_segments((x, y), outline, np.roll(outline, -1, axis=0))
        near.append((float(distance.min()), f))
    distance_m, piece = min(near, key=lambda n: n[0], default=(math.inf, None))
    return piece if distance_m <= 0.5 else None
