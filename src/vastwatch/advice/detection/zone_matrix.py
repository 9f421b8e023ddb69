"""Who is counted where: spots, and the ways into a room, against the zones of a tracking radar."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.detection.walk_test import entrances
from vastwatch.design.places import room_of, rooms_beside
from vastwatch.design.project import Project
from vastwatch.design.records import Zone
from vastwatch.devices import RadarType
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.sensing.tracker import CHEST_M, Pose, scatter_of
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.sensing.zoned_sensor import ZonedSensor
from vastwatch.sensing.zones import spread_of

Array = NDArray[np.float64]

# A way into a room is looked at in so many places: from the door to where people stay nearest to it.
STEPS = 12
# An entry zone this near to a door is meant for it, metres.
BESIDE_M = 0.4


class MatrixRow(NamedTuple):
    """`spot`: its id, None for a way in; `probability`: of a report, per zone, of a way where it is greatest;
    `intended`: which zones are meant."""

    words: str
    spot: str | None
    chance: tuple[float, ...]
    own: tuple[bool, ...]


@memoised
def _on_way(
    pose: Pose, device: RadarType, inside: tuple[float, float], end: tuple[float, float], shape: Shape
) -> float:
    """The greatest chance on a way in; kept by the shape, for while a zone is dragged the others stay."""
    way = np.linspace(inside, end, STEPS + 3)[:STEPS]
    return float(shape.probability(spread_of(pose, scatter_of(device), way, CHEST_M["standing"])).max())


def _near(zone: Zone, at: tuple[float, float]) -> bool:
    outline = np.array(zone.outline, float)
    inside = polygons.contains_point(zone.outline, *at)
    return (
        inside or float(polygons.nearest_on_segments(at, outline, polygons.next_vertices(outline))[0].min()) < BESIDE_M
    )


def matrix(project: Project, zoned: ZonedSensor) -> list[MatrixRow]:
    """A row for each spot that is noticed, those of its own room first, and one for each way into the room."""
    room = room_of(project, zoned.sensor)
    home = None if room is None else room.id
    order = sorted(range(len(zoned.spots)), key=lambda i: zoned.spots[i].room != home)
    out = [
        MatrixRow(zoned.spots[i].name, zoned.spots[i].id, tuple(zoned.counted[i].tolist()),
                  tuple(zoned.intended[i].tolist())) for i in order
    ]  # fmt: skip
    if room is None or not zoned.zones:
        return out
    stays = [s.at for s in zoned.spots if s.room == home] or [polygons.centroid(room.outline)]
    for opening, inside, _ in entrances(project, room):
        end = min(stays, key=lambda p: float(np.hypot(p[0] - inside[0], p[1] - inside[1])))
        # The last bit of the way is the seat itself: it ends half a metre before.
        chance = tuple(_on_way(zoned.pose, zoned.device, inside, end, shape) for shape in zoned.shapes)
        other = next((r for r in rooms_beside(project, opening) if r is not None and r.id != room.id), None)
        words = "in from outside" if other is None else f"in from the {other.name.lower()}"
        own = tuple(z.role == "entry" and _near(z, inside) for z in zoned.zones)
        out.append(MatrixRow(words, None, chance, own))
    return out
