"""`RoomState`: a room as the adviser finds it, and how one sensor more would do in it."""

from __future__ import annotations

import math
from datetime import date

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.adviser.remedies import mount_points
from vastwatch.advice.detection.entry_paths import entry_paths, path_rates, share_within
from vastwatch.advice.detection.gap_model import SpotDetection
from vastwatch.advice.detection.spot_detection import spot_detections, stay_spot_detection
from vastwatch.advice.judging.requirements import STEP_S
from vastwatch.advice.simulation.room_simulation import hours_between_false_offs
from vastwatch.design.needs import light_spots, needs_of
from vastwatch.design.placed import at_hour
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.devices import DeviceType
from vastwatch.geometry import polygons
from vastwatch.geometry.grids import grid_over
from vastwatch.memo import memoised
from vastwatch.people.floors import blocked
from vastwatch.sensing.bodies import MINOR_MOTION, Stayer
from vastwatch.sensing.coverage import notice_times, spot_body, spot_notice_s
from vastwatch.sensing.hazards import false_rate, on_date
from vastwatch.sensing.model import (
    MountedSensor,
    StayDetection,
    assemble_sensor,
    each_part,
    latency_s,
    mean_wait,
    stay_detection,
)
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.obstacles import Obstacles, obstacles, within
from vastwatch.site.building import Room, Spot

# Walkers are judged on cells this far apart, coarser in large rooms so that no room has more than so many: shares are
# wanted and not contours, metres.
CELL, MOST_CELLS = 0.25, 150
# The rooms next door, on cells this far apart, metres.
SPILL_CELL = 0.5


class RoomState:
    """The room as it is: rates at the spots and times at the cells by what serves it already, and what power, switches
    and hazards there are."""

    def __init__(self, project: Project, room: Room) -> None:
        self.project, self.room = project, room
        self.needs = needs_of(project, room)
        self.spots = light_spots(project, room.id) if self.needs.stays else []
        self.between_drops_h = [hours_between_false_offs(project, s) for s in self.spots]
        outline = np.asarray(room.outline, float)
        cell = max(CELL, math.sqrt(polygons.area(outline) / MOST_CELLS))
        grid = grid_over([outline], cell)
        x0, y0, x1, y1 = polygons.bounds(room.outline)
        # Sensors are mounted a little inside; the frame holds the walls around as well.
        self.bounds = (x0 - 0.3, y0 - 0.3, x1 + 0.3, y1 + 0.3)
        cells = grid.points[grid.mask(room.outline).ravel()]
        # Nobody walks inside a wardrobe.
        walked = cells[~blocked((f for f in project.furnishings if f.level == room.level), cells)]
        self.cells = np.asfortranarray(walked if len(walked) else cells)
        self.at = np.array([s.at for s in self.spots], float).reshape(-1, 2)
        self.minor_motion = np.array([MINOR_MOTION[s.activity].rate for s in self.spots], float)
        presence = presence_of(project, room.id)
        serving = [] if presence is None else list(dict.fromkeys(r.sensor for r in reports(presence.expr)))
        self.served = bool(serving)
        self.watches = [spot_detections(project, serving, s) for s in self.spots]
        self.rates = np.array([sum(rate_of(spot_notice_s(project, k, s)) for k in serving) for s in self.spots], float)
        self.times = np.full(len(self.cells), math.inf)
        self.ways = entry_paths(project, room.id)
        self.on_ways: list[tuple[MountedSensor, np.ndarray]] = []
        for k in serving:
            sensor = find(project.sensors, k)
            if sensor.level == room.level:
                mounted = mount(project, at_hour(sensor))
                self.on_ways.append((mounted, path_rates(mounted, self.ways)))
                if not self.ways.count:
                    self.times = np.minimum(self.times, notice_times(mounted, self.cells, "across"))
        self.own_share = self._share(self.times, self.on_ways)
        around = grid_over([np.asarray(r.outline, float) for r in project.rooms if r.level == room.level], SPILL_CELL)
        others = np.zeros((around.rows, around.columns), bool)
        for other in project.rooms:
            if other.level == room.level and other is not room and _near_boxes(other, room):
                others |= around.mask(other.outline)
        self.outside = np.asfortranarray(around.points[others.ravel()])
        self.height = find(project.levels, room.level).height
        self.points = mount_points(room)
        mine = [s.at for s in project.sockets if s.level == room.level]
        self.sockets = [p for p in mine if polygons.contains_point(room.outline, *p)]
        self.drawn_sockets = bool(project.sockets)
        self.lamps = [lamp for lamp in project.lamps if lamp.room == room.id]
        self.switches = [
            s for s in project.switches
            if s.level == room.level and polygons.contains_point(room.outline, *s.at)
        ]  # fmt: skip
        day = date.fromisoformat(project.brief.rehearse_from)
        hazards = (on_date(project, h, day) for h in project.hazards if h.level == room.level)
        self.hazards = [h for h in hazards if h is not None]
        own = {h.id for h in self.hazards if polygons.contains_point(room.outline, *polygons.centroid(h.outline))}
        self.hazards_here = [h for h in self.hazards if h.id in own]
        self.hazards_next_door = [h for h in self.hazards if h.id not in own]

    def placed(self, device: DeviceType, sensor: Sensor, whole: bool = False) -> MountedSensor:
        """As `sensing.model.mount`, without a project that has the sensor in it; with the obstacles of the `whole`
        level, or only those between points of the room."""
        host = None
        if sensor.host is not None:
            host = next((f for f in self.project.furnishings if f.id == sensor.host), None)

        def around(band: str) -> Obstacles:
            every = obstacles(self.project, self.room.level, band)
            return every if whole else within(every, *self.bounds)

        return assemble_sensor(sensor, device, self.room, host, around)

    def waits(self, mounted: MountedSensor) -> np.ndarray:
        """Mean wait at each spot with this sensor besides what serves the room, (spots,)."""
        mine = np.zeros(len(self.spots))
        for which, seen in self._stays(mounted):
            mine[which] = seen.rate(self.minor_motion[which])
        wait = mean_wait(mine, latency_s(mounted.device))
        rate = self.rates + np.where(np.isfinite(wait), 1.0 / wait, 0.0)
        return np.where(rate > 0, 1.0 / np.maximum(rate, 1e-12), math.inf)

    def spot_detections(self, mounted: MountedSensor) -> list[tuple[SpotDetection, ...]]:
        """How somebody at each spot is watched with this sensor besides what serves the room."""
        out = list(self.watches)
        for which, seen in self._stays(mounted):
            for k, spot in enumerate(which.tolist()):
                out[spot] = (*out[spot], stay_spot_detection(mounted, seen, k))
        return out

    def _stays(self, mounted: MountedSensor) -> list[tuple[NDArray[np.intp], StayDetection]]:
        """How a sensor notices those at the spots, by bodies: places of the spots, and how it notices them."""
        return _stays(mounted, tuple(self.spots))

    def over_coverage_m2(self, mounted: MountedSensor) -> float:
        """Square metres of other rooms in which it notices a walker in time, through the walls."""
        through = [part for part in each_part(mounted) if part.device.through_walls]
        if not through or len(self.outside) == 0:
            return 0.0
        times = np.min([notice_times(part, self.outside, "across") for part in through], axis=0)
        return float((times <= self.needs.notice_s).sum()) * SPILL_CELL**2

    def false_rate_per_h(self, mounted: MountedSensor) -> float:
        """False reports an hour by what falsely triggers it in the room."""
        return 3600.0 * sum(false_rate(mounted, h) for h in self.hazards_here)

    def share(self, mounted: MountedSensor) -> float:
        """Share of those who come in that are noticed in time, on the ways they walk; where nobody ever does, share of
        the room in which a walker is."""
        if self.ways.count:
            return self._share(self.times, [*self.on_ways, (mounted, path_rates(mounted, self.ways))])
        if len(self.cells) == 0:
            return 0.0
        return self._share(np.minimum(self.times, notice_times(mounted, self.cells, "across")), [])

    def _share(self, times: np.ndarray, on_ways: list[tuple[MountedSensor, np.ndarray]]) -> float:
        if self.ways.count:
            return share_within(self.ways, on_ways, self.needs.notice_s + STEP_S)
        return float((times <= self.needs.notice_s).mean()) if len(times) else 0.0

    def walkers_words(self, share: float) -> str:
        """What such a share means: `92 % of those who come in within 3 s`."""
        if self.ways.count:
            return f"{100 * share:.0f} % of people entering within {self.needs.notice_s + STEP_S:g} s"
        return f"somebody walking in {100 * share:.0f} % of the room within {self.needs.notice_s:g} s"


@memoised
def _stays(mounted: MountedSensor, spots: tuple[Spot, ...]) -> list[tuple[NDArray[np.intp], StayDetection]]:
    bodies = [spot_body(s) for s in spots]
    at, facing = np.array([s.at for s in spots], float).reshape(-1, 2), np.array([s.facing for s in spots], float)
    each = [(body, np.array([k for k, b in enumerate(bodies) if b == body])) for body in dict.fromkeys(bodies)]
    return [(which, stay_detection(mounted, at[which], Stayer(body, facing[which]))) for body, which in each]


def _near_boxes(a: Room, b: Room) -> bool:
    """Whether two rooms' frames lie within a wall's thickness of each other."""
    p, q = np.asarray(a.outline), np.asarray(b.outline)
    return bool((p.min(axis=0) <= q.max(axis=0) + 0.5).all() and (q.min(axis=0) <= p.max(axis=0) + 0.5).all())


def rate_of(wait: float) -> float:
    """Notices per second of a mean wait, 0 for never."""
    return 1.0 / wait if math.isfinite(wait) else 0.0
