"""A tracking radar where it is mounted, with its zones: what it is told, and who is counted in which."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project, find, indexed
from vastwatch.design.records import Sensor, Zone
from vastwatch.design.relations import spots_on
from vastwatch.devices import DeviceType, RadarType
from vastwatch.devices.families import parts_of
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.sensing.bodies import Stayer, body_of
from vastwatch.sensing.hazards import hazard_body as body_of_hazard
from vastwatch.sensing.model import MountedSensor, each_part, stay_detection
from vastwatch.sensing.tracker import CHEST_M, Pose, chest_height, pose_of, scatter_of, to_device_frame
from vastwatch.sensing.zone_encoding import DrawnZone, Shape, encode_zones
from vastwatch.sensing.zones import Spread, spread_of
from vastwatch.site.building import Hazard, Spot

Array = NDArray[np.floating[Any]]

# Somebody of whom not even so many large movements are noticed is no target: a chance.
NOTICED = 0.05
# What stands for the inside of a zone where nobody has a spot: its middle, and so far out towards its corners.
OUT = 0.5


class ZonedSensor(NamedTuple):
    """What a sensor makes of its zones. `spots`: those where it notices somebody at all, (n,), `noticed` with what
    chance for a large movement; `counted[i, j]`: the chance that a report of spot i falls into zone j. `own[i, j]`:
    whether it belongs there, as the zone is drawn."""

    sensor: Sensor
    device: RadarType
    pose: Pose
    zones: tuple[Zone, ...]
    shapes: tuple[Shape, ...]
    chest: tuple[float, ...]
    spots: tuple[Spot, ...]
    noticed: Array
    spread: Spread
    counted: Array
    intended: NDArray[np.bool_]

    def outline(self, zone: int) -> Array:
        """What the device uses of a zone, on the plan, for anybody who is meant to be in it, (n, 2)."""
        return self.shapes[zone].on_plan(self.pose, self.chest[zone], self.device.fov_h)


def tracking_part(device: DeviceType) -> RadarType | None:
    """The part of a type that tells zones or bands apart; None where none does."""
    for part in parts_of(device):
        if isinstance(part, RadarType) and (part.zones > 0 or part.bands > 0):
            return part
    return None


def _by_sensor(zones: tuple[Zone, ...]) -> dict[str, tuple[Zone, ...]]:
    out: dict[str, tuple[Zone, ...]] = {}
    for z in zones:
        out[z.sensor] = (*out.get(z.sensor, ()), z)
    return out


def zones_of(project: Project, sensor: str) -> tuple[Zone, ...]:
    """All zones drawn for a sensor, in order."""
    return indexed(project.zones, _by_sensor).get(sensor, ())


def programmed_zones(project: Project, sensor: Sensor) -> tuple[Zone, ...]:
    """Those of them that its device takes: none where it has no zones, and no more than it has room for."""
    drawn = zones_of(project, sensor.id)
    device = tracking_part(find(project.devices, sensor.device)) if drawn else None
    return () if device is None else drawn[: device.zones or device.bands]


def zoned_sensor_of(project: Project, sensor: Sensor, plain: MountedSensor) -> ZonedSensor | None:
    """A sensor's zones, from the sensor as it is mounted without regard to them; None where its device has none."""
    placed = next((p.device for p in each_part(plain) if tracking_part(p.device) is not None), None)
    device = None if placed is None else tracking_part(placed)
    if device is None:
        return None
    return _zoned(sensor, device, programmed_zones(project, sensor), _noticed(plain, _spots_on(project, sensor.level)))


def _spots_on(project: Project, level: str) -> tuple[Spot, ...]:
    return tuple(s for s in spots_on(project, level) if s.activity != "away")


class _Noticed(NamedTuple):
    """Spots, and with what chance a large movement of anybody who stays there is noticed."""

    spots: tuple[Spot, ...]
    chance: tuple[float, ...]


@memoised
def _noticed(plain: MountedSensor, spots: tuple[Spot, ...]) -> _Noticed:
    if not spots:
        return _Noticed((), ())
    large = np.zeros(len(spots))
    bodies = [body_of(s.posture, s.activity) for s in spots]
    for body in set(bodies):
        mine = np.array([i for i, b in enumerate(bodies) if b == body])
        at = np.array([spots[i].at for i in mine], float)
        facing = np.array([spots[i].facing for i in mine], float)
        large[mine] = stay_detection(plain, at, Stayer(body, facing)).large
    some = np.flatnonzero(large >= NOTICED).tolist()
    return _Noticed(tuple(spots[i] for i in some), tuple(float(large[i]) for i in some))


@memoised
def _spread(pose: Pose, device: RadarType, spots: tuple[Spot, ...]) -> Spread:
    at = np.array([s.at for s in spots], float).reshape(-1, 2)
    return spread_of(pose, scatter_of(device), at, np.array([CHEST_M[s.posture] for s in spots], float))


@memoised
def _counted(pose: Pose, device: RadarType, spots: tuple[Spot, ...], shape: Shape) -> Array:
    """The chance of each spot in one shape; kept by that, for while a zone is dragged the others stay."""
    return shape.probability(_spread(pose, device, spots))


@memoised
def _zoned(sensor: Sensor, device: RadarType, zones: tuple[Zone, ...], noticed: _Noticed) -> ZonedSensor:
    pose, spots = pose_of(sensor, device), noticed.spots
    spread = _spread(pose, device, spots)
    n = len(spots)
    own = np.zeros((n, len(zones)), bool)
    for j, zone in enumerate(zones):
        if zone.role != "ignore":
            own[:, j] = [polygons.contains_point(zone.outline, *s.at) for s in spots]
    chest, inside = [], []
    for j, zone in enumerate(zones):
        mine = [CHEST_M[spots[i].posture] for i in np.flatnonzero(own[:, j])]
        chest.append(sum(mine) / len(mine) if mine else CHEST_M["standing"])
        inside.append(np.empty((0, 2)) if mine else _inside(zone))
    # Where nobody has a spot, its own inside stands for those who will be there.
    added = np.concatenate([np.empty((0, 2)), *inside])
    of = np.repeat(np.arange(len(zones)), [len(p) for p in inside])
    whole = spread if not len(added) else spread_of(
        pose, scatter_of(device), np.concatenate([np.array([s.at for s in spots], float).reshape(-1, 2), added]),
        np.concatenate([[CHEST_M[s.posture] for s in spots], np.array(chest)[of]]),
    )  # fmt: skip
    wanted = [
        DrawnZone(
            tuple(zone.outline), chest[j], (*own[:, j].tolist(), *(of == j).tolist()),
            (*(~own[:, j]).tolist(), *([False] * len(added))),
        )
        for j, zone in enumerate(zones)
    ]  # fmt: skip
    made = tuple(encode_zones(pose, device, whole, wanted))
    counted = np.column_stack([_counted(pose, device, spots, s) for s in made]) if made else np.zeros((n, 0))
    return ZonedSensor(
        sensor, device, pose, zones, made, tuple(chest), spots, np.array(noticed.chance), spread, counted, own
    )


def counted_shares(known: ZonedSensor, hazard: Hazard) -> list[tuple[Zone, float]]:
    """The share of what something that moves by itself shows which falls into each zone that counts."""
    spread = _of_hazard(known, hazard)
    pairs = zip(known.zones, known.shapes)
    return [(z, float(shape.probability(spread)[0])) for z, shape in pairs if z.role != "ignore"]


def ignored_share(known: ZonedSensor, hazard: Hazard) -> float:
    """The share of it that falls where it is to be ignored."""
    spread = _of_hazard(known, hazard)
    pairs = zip(known.zones, known.shapes)
    return max((float(shape.probability(spread)[0]) for z, shape in pairs if z.role == "ignore"), default=0.0)


def _of_hazard(known: ZonedSensor, hazard: Hazard) -> Spread:
    middle, chest = polygons.centroid(hazard.outline), chest_height(body_of_hazard(hazard))
    return spread_of(known.pose, scatter_of(known.device), [middle], chest)


def _inside(zone: Zone) -> Array:
    corners = np.array(zone.outline, float)
    middle = np.array(polygons.centroid(zone.outline))
    return np.vstack([middle, middle + OUT * (corners - middle)])


def off_axis_deg(pose: Pose, points: Array) -> Array:
    """How far to the right of a device's aim points of the plan lie, degrees."""
    frame = to_device_frame(pose, points)
    return np.degrees(np.arctan2(frame[:, 0], frame[:, 1]))
