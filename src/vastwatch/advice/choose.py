"""The adviser: which device type would do in a room, where it would hang, and why, in figures.

Each type of the catalogue is tried at the room's corners, wall middles or ceiling, together with what already serves
the room, and judged by the same models as everything else: how much of the room notices a walker soon enough, how
often somebody at each spot is noticed, and so how long presence would have to hold.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vastwatch.advice.findings import RISK_HOURS, WALKER_S, WALKER_SHARE, hold_for, wakeful_spots
from vastwatch.advice.remedies import mount_points
from vastwatch.design.edits import add_sensor, presence_of
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType, catalogue
from vastwatch.geometry import polygons
from vastwatch.geometry.grids import grid_over
from vastwatch.sensing.coverage import notice_times, spot_notice_s
from vastwatch.sensing.noticing import Placed, placed
from vastwatch.site.building import Room, Spot
from vastwatch.words import about_words, never_words

# Cells on which walkers are judged, metres: coarse, since shares are wanted and not contours.
CELL = 0.2
# On the way through, light has to come within this time; elsewhere WALKER_S does, seconds.
PASSING_S = 1.0
PASSING_USES = ("passage", "stair", "outside")
# A hold longer than this is no cure, and none is shorter than this in service, seconds.
LONGEST_HOLD_S, SHORTEST_HOLD_S = 1800.0, 30.0
# Wall devices hang in corners and at wall middles; this is their pitch, degrees.
PITCH = {"pir": 0.0, "radar": -5.0}
# What a minute of hold is reckoned worth when types are put in order, in the catalogue's unit of money: our choice.
PRICE_PER_HOLD_MIN = 2.0
# A wait beyond this counts no worse when placements are compared, seconds.
CAPPED_S = 7200.0


@dataclass(frozen=True, eq=False)
class Option:
    """One device type for a room, at its best place. `fails`: what disqualifies it, in sentences; empty if it does.

    `walker_share`: of the room, within `walker_s`. `waits`: per spot id the mean wait with all that serves the room.
    `hold_s`: the hold with which the worst spot drops less than once in RISK_HOURS; inf where none would.
    `project`: the project with it placed.
    """

    device: DeviceType
    sensor: Sensor
    project: Project
    walker_share: float
    walker_s: float
    waits: dict[str, float]
    hold_s: float
    fails: tuple[str, ...]
    reason: str


def choose(project: Project, room_id: str) -> list[Option]:
    """All catalogue types for a room, those that do first, and among them by hold time and price.

    Raises KeyError for a room that is not there.
    """
    room = find(project.rooms, room_id)
    spots = wakeful_spots(project, room_id)
    grid = grid_over([np.asarray(room.outline, float)], CELL)
    cells = np.asfortranarray(grid.points[grid.mask(room.outline).ravel()])
    now = _Now(project, room, spots, cells)
    options = [o for d in catalogue() if (o := _best(now, d)) is not None]
    return sorted(options, key=lambda o: (bool(o.fails), len(o.fails), _worth(o)))


def _worth(o: Option) -> float:
    """For ordering: the price, and a price for every minute of hold, which burns light for nobody."""
    return o.device.price + PRICE_PER_HOLD_MIN * min(o.hold_s, CAPPED_S) / 60.0


class _Now:
    """The room as it is: rates at the spots and times at the cells by what serves it already."""

    def __init__(self, project: Project, room: Room, spots: list[Spot], cells: np.ndarray) -> None:
        self.project, self.room, self.spots, self.cells = project, room, spots, cells
        presence = presence_of(project, room.id)
        serving = [] if presence is None else list(dict.fromkeys(r.sensor for r in reports(presence.expr)))
        self.served = bool(serving)
        self.rates = {s.id: sum(_rate(spot_notice_s(project, k, s)) for k in serving) for s in spots}
        self.times = np.full(len(cells), math.inf)
        for k in serving:
            sensor = find(project.sensors, k)
            if sensor.level == room.level:
                self.times = np.minimum(self.times, notice_times(placed(project, sensor), cells, "across"))


def _rate(wait: float) -> float:
    return 1.0 / wait if math.isfinite(wait) else 0.0


def _places(room: Room, device: DeviceType) -> list[tuple[float, float, float, float]]:
    """x, y, yaw, pitch of the places to try."""
    if "ceiling" in device.mounts:
        x, y = polygons.centroid(room.outline)
        if not polygons.contains_point(room.outline, x, y):
            return []
        return [(round(x, 2), round(y, 2), 0.0, -90.0)]
    return [(x, y, yaw, PITCH[device.family]) for x, y, yaw in mount_points(room)]


def _best(now: _Now, device: DeviceType) -> Option | None:
    """The type at the place where the spots wait least, and among equals the walkers."""
    walker_s = PASSING_S if now.room.use in PASSING_USES else WALKER_S
    ceiling = find(now.project.levels, now.room.level).height
    z = ceiling if "ceiling" in device.mounts else min(device.mount_height, ceiling)
    best: tuple[tuple[float, float], Project, Sensor, dict[str, float], float] | None = None
    for x, y, yaw, pitch in _places(now.room, device):
        changed, sensor = add_sensor(now.project, device, now.room.level, (x, y, z), yaw, pitch)
        waits = {}
        for s in now.spots:
            rate = now.rates[s.id] + _rate(spot_notice_s(changed, sensor.id, s))
            waits[s.id] = 1.0 / rate if rate > 0 else math.inf
        it: Placed = placed(changed, sensor)
        times = np.minimum(now.times, notice_times(it, now.cells, "across"))
        share = float((times <= walker_s).mean()) if len(times) else 0.0
        key = (sum(min(w, CAPPED_S) for w in waits.values()) / 60.0, -share)
        if best is None or key < best[0]:
            best = (key, changed, sensor, waits, share)
    if best is None:
        return None
    _, changed, sensor, waits, share = best
    return _judged(now, device, sensor, changed, waits, share, walker_s)


def _judged(
    now: _Now, device: DeviceType, sensor: Sensor, changed: Project, waits: dict[str, float], share: float,
    walker_s: float,
) -> Option:  # fmt: skip
    fails = []
    worst = max(now.spots, key=lambda s: waits[s.id], default=None)
    hold = SHORTEST_HOLD_S
    reason = "With what hangs there, a walker" if now.served else "A walker"
    reason += f" is noticed within {walker_s:g} s in {100 * share:.0f} % of the room"
    if worst is not None:
        wait = waits[worst.id]
        hold = max(hold_for(wait, RISK_HOURS), SHORTEST_HOLD_S)
        noticed = f"noticed {never_words(wait)}" if math.isfinite(wait) else "never noticed"
        reason += f"; at the {worst.name} {_somebody(worst)} is {noticed}"
        if hold > LONGEST_HOLD_S:
            fails.append(f"cannot hold on {_somebody(worst)} at the {worst.name}: {noticed}")
        else:
            hold = math.ceil(hold / 10.0) * 10.0
            reason += f", so a hold of {about_words(hold)} does"
    if share < WALKER_SHARE:
        fails.append(f"notices a walker within {walker_s:g} s in only {100 * share:.0f} % of the room")
    if now.room.use in PASSING_USES and device.latency.typical_s >= PASSING_S:
        fails.append(f"too slow on the way through: it reports {device.latency.typical_s:g} s after it notices")
    return Option(device, sensor, changed, share, walker_s, waits, hold, tuple(fails), reason + ".")


def _somebody(spot: Spot) -> str:
    doing = {
        "reading": "a reader",
        "film": "somebody watching",
        "desk": "somebody at work",
        "hands-on": "somebody at work",
        "washing": "somebody washing",
    }
    return doing.get(spot.activity, "somebody")
