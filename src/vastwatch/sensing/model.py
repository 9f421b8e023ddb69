"""`SensingModel`: what a family of sensors knows of itself, and the one way to any family's model.

Every family answers the same questions: how readily is somebody noticed who walks here, or stays there, and why; what
falsely triggers it; what does its device report of what it noticed; what can be set. Its model is the `MODEL` of the
module named like the family in `sensing.families`; a family without such a module senses nobody.
"""

from __future__ import annotations

import importlib
import importlib.util
import math
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.placed import as_placed
from vastwatch.design.records import Sensor
from vastwatch.devices import AREA_FAMILIES, DeviceType
from vastwatch.devices.families import parts_of
from vastwatch.sensing.bodies import LARGE_SHARE, Body, PersonAt, Stayer, Walker
from vastwatch.sensing.fading import Fading
from vastwatch.sensing.obstacles import Obstacles
from vastwatch.sensing.tracker import Pose, chest_height, readings
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.site.building import Hazard, Room
from vastwatch.site.record import Outline

Array = NDArray[np.float64]

# What takes longer than ten days never happens.
NEVER_S = 864_000.0
# What is sure is noticed at once: notices per second.
SURE_PER_S = 10.0


class ZoneArea(NamedTuple):
    """A part of what a tracking radar sees, as its device tells it apart, and from where its readings are."""

    pose: Pose
    shape: Shape

    def holds(self, points: Array, chest: float) -> NDArray[np.bool_]:
        """Whether somebody at each point of the plan is read within it."""
        return self.shape.contains(readings(self.pose, points, chest))


class MountedSensor(NamedTuple):
    """A sensor with everything around it that its sensing reads. Hashable parts only, so results can be cached."""

    sensor: Sensor
    device: DeviceType
    obstacles: Obstacles
    ambient_c: float
    # The outline of the room it is mounted in, and the record it is fixed to, where it watches that.
    outline: Outline | None = None
    host: Any = None
    # The parts of one that is several in one housing.
    parts: tuple[MountedSensor, ...] = ()
    # Where it is set otherwise: anybody who is read in the area is noticed as by the other; with None, not at all.
    by_zone: tuple[tuple[ZoneArea, MountedSensor | None], ...] = ()


class StayDetection(NamedTuple):
    """How somebody who stays is noticed: by the large and the small movement (chances), and of itself (per s). Where
    that fades: `range_ratio`, how far they are as a share of the range on them, and how it fades. `margin`: of what
    they press, the pressure on it over the one it closes at."""

    large: Array
    small: Array
    still_per_s: Array
    range_ratio: Array | None = None
    fading: Fading | None = None
    margin: Array | None = None

    def rate(self, minor_motions_per_s: ArrayLike) -> Array:
        """Notices per second with movements at a rate: one over the mean wait of anybody who has just come."""
        moving = np.asarray(minor_motions_per_s, float) * (LARGE_SHARE * self.large + (1 - LARGE_SHARE) * self.small)
        if self.fading is None or self.range_ratio is None:
            return moving + self.still_per_s
        return moving + self.fading.excess(self.range_ratio, moving)

    @staticmethod
    def nobody(n: int) -> StayDetection:
        """Never noticed, at n places."""
        return StayDetection(np.zeros(n), np.zeros(n), np.zeros(n))


class SightLine(NamedTuple):
    """One sight line. `range_m`: the range that counts here, after every factor; `rated_m`: as the catalogue has it.

    `hidden_by`: ids of records in the way, worst first, with the share of the body each hides alone (infrared) or
    its one-way loss in dB (radar). `notice_s`: mean time until noticed, inf for never.
    """

    sensor: str
    at: tuple[float, float]
    plan_m: float
    slant_m: float
    off_axis_deg: float
    off_axis_factor: float
    in_view: bool
    share: float
    loss_db: float
    contrast: float
    rated_m: float
    range_m: float
    hidden_by: tuple[tuple[str, float], ...]
    notice_s: float


class SensingModel(Protocol):
    """What a family knows of itself. Points are (n, 2) on the sensor's level; rates are per second."""

    # Whether a walker is noticed as often again who walks twice as fast.
    by_speed: bool
    # Whether it matters how heavy somebody is.
    by_weight: bool
    # It reports for so long at the least, seconds, whatever its device hold time.
    least_s: float
    # Which of the settings of a placed sensor count for it.
    settings: tuple[str, ...]

    def band(self, device: DeviceType) -> str:
        """As what it sees obstacles: "infrared", or a radio band in GHz."""
        ...

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        """Notices per second, (n,), of a walker at each point."""
        ...

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        """How somebody who stays at each point is noticed."""
        ...

    def explain(self, mounted: MountedSensor, who: PersonAt) -> SightLine:
        """Why somebody is noticed as readily as they are."""
        ...

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        """False reports per second by a hazard on its level, while it is there."""
        ...

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        """Farther than this on the plan it never notices a body, metres; inf where that cannot be said."""
        ...

    def blind_s(self, device: DeviceType) -> float:
        """How long it notices nothing after a report has ended, seconds."""
        ...


@cache
def model_of(family: str) -> SensingModel | None:
    """The model of a family, or None for one that senses nobody."""
    name = f"vastwatch.sensing.families.{family}"
    if importlib.util.find_spec(name) is None:
        return None
    model: SensingModel = importlib.import_module(name).MODEL
    return model


def assemble_sensor(
    sensor: Sensor, device: DeviceType, room: Room | None, host: Any, around: Callable[[str], Obstacles]
) -> MountedSensor:
    """A sensor of a type in a room, with its obstacles by what they are seen as; also one that no project has yet."""
    device = as_placed(device, sensor.settings)
    ambient, outline = (CATALOGUE_C, None) if room is None else (room.ambient_c, room.outline)

    def alone(part: DeviceType) -> MountedSensor:
        model = model_of(part.family)
        return MountedSensor(
            sensor, part, around("infrared" if model is None else model.band(part)), ambient, outline, host
        )

    parts = tuple(alone(part) for part in parts_of(device))
    return parts[0] if len(parts) == 1 else parts[0]._replace(device=device, parts=parts)


# Background the catalogue's figures hold for, Celsius.
CATALOGUE_C = 21.0


def each_part(mounted: MountedSensor) -> Iterable[MountedSensor]:
    """A placed sensor's parts, or itself alone."""
    return mounted.parts or (mounted,)


def settings_of(device: DeviceType) -> tuple[str, ...]:
    """Which settings of a placed sensor count for a type, in the order they are shown."""
    models = [model_of(part.family) for part in parts_of(device)]
    found = list(dict.fromkeys(s for model in models if model is not None for s in model.settings))
    found += (
        ["bands_below_max", "bands_still_below_max"] if any(getattr(p, "bands", 0) for p in parts_of(device)) else []
    )
    found += ["report_interval_s"] if device.light is not None or device.by_interval else []
    found += ["measured_range_m"] if device.reach_m() > 0 else []
    found += ["measured_latency_s"] if any(model is not None for model in models) else []
    found += ["messages_lost"] if device.radio in ("mesh", "network") else []
    return tuple(found)


def latency_s(device: DeviceType) -> float:
    """Typical delay from noticing to the report, seconds."""
    return device.latency.typical_s


def watches_area(device: DeviceType) -> bool:
    """Whether it sees people from where it is mounted, so that contours mean something."""
    return device.family in AREA_FAMILIES


def min_blind_s(mounted: MountedSensor) -> float:
    """How long a placed sensor notices nothing after a report, whichever of its parts made it, seconds."""
    models = [(model_of(part.device.family), part.device) for part in each_part(mounted)]
    return min((model.blind_s(device) for model, device in models if model is not None), default=0.0)


def farthest_m(mounted: MountedSensor, body: Body) -> float:
    """Farther than this on the plan nothing of a sensor ever notices a body, metres; inf where that cannot be said."""
    parts = [*each_part(mounted), *(other for _, other in mounted.by_zone if other is not None)]
    models = [(part, model_of(part.device.family)) for part in parts]
    return max((model.farthest_m(part, body) for part, model in models if model is not None), default=0.0)


def walker_rate(mounted: MountedSensor, points: Array, walker: Walker) -> Array:
    """Notices per second, (n,), of a walker at each point: `SensingModel.walk` of its family, or zero."""
    out = np.zeros(len(points))
    for part in each_part(mounted):
        model = model_of(part.device.family)
        if model is not None:
            rate = model.walk(part, points, walker)
            out += rate * np.asarray(walker.pace, float) if model.by_speed else rate
    for at, other in _set_otherwise(mounted, points, walker.body):
        out[at] = 0.0 if other is None else walker_rate(other, points[at], walker.take(at))
    return out


def stay_detection(mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
    """How somebody who stays at each point is noticed: `SensingModel.stay` of its family."""
    found = []
    for part in each_part(mounted):
        model = model_of(part.device.family)
        found.append(StayDetection.nobody(len(points)) if model is None else model.stay(part, points, stayer))
    out = found[0]
    for more in found[1:]:
        out = StayDetection(
            1 - (1 - out.large) * (1 - more.large), 1 - (1 - out.small) * (1 - more.small),
            out.still_per_s + more.still_per_s,
            more.range_ratio if out.fading is None else out.range_ratio,
            out.fading or more.fading,
        )  # fmt: skip
    for at, other in _set_otherwise(mounted, points, stayer.body):
        there = StayDetection.nobody(len(at)) if other is None else stay_detection(other, points[at], stayer.take(at))
        for mine, new in zip(out[:3], there[:3]):
            mine[at] = new
        if out.range_ratio is not None:
            out.range_ratio[at] = math.inf if there.range_ratio is None else there.range_ratio
    return out


def _set_otherwise(
    mounted: MountedSensor, points: Array, body: Body
) -> Iterator[tuple[NDArray[np.intp], MountedSensor | None]]:
    for area, other in mounted.by_zone:
        at = np.flatnonzero(area.holds(points, chest_height(body)))
        if len(at):
            yield at, other


def angle_to_sight(sensor: Sensor, points: Array, where: NDArray[np.intp], walker: Walker) -> Array | float:
    """The angle psi between a walker's heading and the sight line to the sensor, degrees, at some of the points."""
    if walker.psi_deg is not None:
        return walker.psi_deg
    assert walker.heading_deg is not None
    x, y = points[where].T
    return np.asarray(walker.heading_deg, float)[where] - np.degrees(np.arctan2(y - sensor.at[1], x - sensor.at[0]))


def mean_wait(rate: ArrayLike, latency: float) -> Array:
    """Mean seconds until the report, inf where nothing is ever noticed (less than once in NEVER_S)."""
    rate = np.asarray(rate, float)
    wait = np.full(rate.shape, math.inf)
    ever = rate > 1.0 / NEVER_S
    wait[ever] = 1.0 / rate[ever] + latency
    return wait
