"""Which places of the plan the marks of a walk mean."""

from __future__ import annotations

import re

import numpy as np

from vastwatch.commission.calibrate import CalibrationError, ReferenceReadings
from vastwatch.commission.walk_log import WalkLog
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.geometry import polygons
from vastwatch.sensing.tracker import CHEST_M

# A mark that is a place itself: two numbers, metres.
_PLACE = re.compile(r"^\s*(-?\d+(?:\.\d+)?)\s*[,; ]\s*(-?\d+(?:\.\d+)?)\s*$")
# After a mark somebody settles for so long, seconds: those readings are left out where enough others remain.
SETTLE_S, ENOUGH = 3.0, 10
# Of a place no more readings than about so many are looked at, evenly over the time.
MOST_EACH = 400
# Beside a corner of a room or of furniture one stands.
Place = tuple[tuple[float, float], float]


def place_of(project: Project, level: str, mark: str) -> Place | None:
    """Where a mark is, and how high the chest of anybody who is there: a spot or furnishing by id or name, or `x,y`."""
    said = mark.strip().lower()
    if (found := _PLACE.match(said)) is not None:
        return (float(found[1]), float(found[2])), CHEST_M["standing"]
    for spot in project.spots:
        if said in (spot.id.lower(), spot.name.lower()) and find(project.rooms, spot.room).level == level:
            return spot.at, CHEST_M[spot.posture]
    for piece in project.furnishings:
        if said in (piece.id.lower(), piece.name.lower()) and piece.level == level:
            return polygons.centroid(piece.outline), CHEST_M["seated"]
    return None


def reference_readings(project: Project, sensor: Sensor, log: WalkLog) -> tuple[ReferenceReadings, list[str]]:
    """The readings of a log that stand under a mark of a known place, and the marks that are none. Raises
    CalibrationError where none is known."""
    places = {m: place_of(project, sensor.level, m) for m in log.marks()}
    unknown = [m for m, p in places.items() if p is None]
    read, at, chest = [], [], []
    for mark, place in places.items():
        if place is None:
            continue
        mine = np.flatnonzero(log.mark == mark)
        settled = mine[log.t[mine] >= log.t[mine[0]] + SETTLE_S]
        mine = settled if len(settled) >= ENOUGH else mine
        # More of one seat say no more of it: they err alike.
        mine = mine[:: max(1, len(mine) // MOST_EACH)]
        read.append(log.xy[mine])
        at.append(np.tile(place[0], (len(mine), 1)))
        chest.append(np.full(len(mine), place[1]))
    if not read:
        said = f" (it marks {', '.join(unknown)})" if unknown else ""
        raise CalibrationError(f"no reading is marked with a position of the project{said}")
    return ReferenceReadings(np.concatenate(read), np.concatenate(at), np.concatenate(chest)), unknown
