"""M4: the pressure a body puts on a mat, and whether the mat's switch closes under it. A mat is sure within its pad
and blind beyond it.

A body is a few Gaussians along its length, each with its share of the weight. What lies between blurs them: a
mattress or cushion adds its spread to theirs. The switch closes where the pressure reaches the mat's own anywhere on
its pad; lying folded it feels more.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType, MatType
from vastwatch.geometry import polygons
from vastwatch.sensing.bodies import ABED, LYING, PET, PET_KG, SEATED, Body, Stayer, Walker
from vastwatch.sensing.host_bound import HostBoundModel
from vastwatch.sensing.model import SURE_PER_S, MountedSensor, StayDetection
from vastwatch.site.building import Furnishing, Spot

Array = NDArray[np.float64]

GRAVITY = 9.81
# Gain in pressure of a folded strip: the same load on a narrower ridge.
FOLDED = 1.6
# How far a load spreads in it, in parts of its thickness.
SPREAD = {"springs": 0.35, "foam": 0.8}
# A bed of which nobody said otherwise has springs, this thick; a seat has a cushion, metres.
MATTRESS, MATTRESS_M, CUSHION_M = "springs", 0.20, 0.06
# Below this ratio of pressure to closing pressure a mat is a doubtful fact; above 1 it closes at all.
SURE_MARGIN = 1.3
# Points over the pad, across and along.
PAD_POINTS = (11, 7)
# The pad's own yaw counts from its width; somebody this far off it does not press it at all, metres.
FARTHEST_M = 1.2
# A foot so far beside the pad still treads on it, metres.
PAD_EDGE_M = 0.1


class Part(NamedTuple):
    """A part of a body: its share of the weight, its place along the body from the hips (towards the head), and its
    spread along and across, metres."""

    share: float
    along: float
    spread_along: float
    spread_across: float
    across: float = 0.0


FOOTPRINTS = {
    "lying": (
        Part(0.08, 0.72, 0.09, 0.08), Part(0.40, 0.35, 0.18, 0.13), Part(0.37, 0.0, 0.11, 0.14),
        Part(0.15, -0.50, 0.25, 0.10),
    ),
    "seated": (Part(0.55, 0.0, 0.13, 0.16), Part(0.30, 0.25, 0.12, 0.16)),
    "standing": (Part(0.5, 0.0, 0.09, 0.04, -0.1), Part(0.5, 0.0, 0.09, 0.04, 0.1)),
}  # fmt: skip


def pressure_kpa(kg: float, posture: str, along: ArrayLike, across: ArrayLike, spread_m: float = 0.0) -> Array:
    """Pressure at places given along and across the body from its hips (or the middle between its feet), kPa.

    p = m g * sum of share * N(along; spread) * N(across; spread), each spread widened to sqrt(spread^2 + blur^2).
    """
    u, v = np.broadcast_arrays(np.asarray(along, float), np.asarray(across, float))
    out = np.zeros(u.shape)
    for part in FOOTPRINTS[posture]:
        su, sv = math.hypot(part.spread_along, spread_m), math.hypot(part.spread_across, spread_m)
        peak = part.share * kg * GRAVITY / (2 * math.pi * su * sv) / 1000.0
        out += peak * np.exp(-0.5 * (((u - part.along) / su) ** 2 + ((v - part.across) / sv) ** 2))
    return out


def load_spread(host: Furnishing | None, posture: str) -> float:
    """How far what lies over the mat spreads a load, metres."""
    if posture == "standing":
        return 0.0
    if posture == "seated":
        return SPREAD["springs"] * CUSHION_M
    stuff = (host.mattress if host else None) or MATTRESS
    thick = host.mattress_m if host is not None and host.mattress is not None else MATTRESS_M
    return SPREAD[stuff] * thick


def margin(
    sensor: Sensor, device: MatType, host: Furnishing | None, at: tuple[float, float], facing: float, posture: str,
    kg: float,
) -> float:  # fmt: skip
    """Greatest pressure on the pad over its closing pressure, for a body at a place: it closes from 1 on."""
    if math.dist(sensor.at[:2], at) > FARTHEST_M:
        return 0.0
    x, y = _pad(sensor, device)
    a = math.radians(facing)
    dx, dy = x - at[0], y - at[1]
    along, across = dx * math.cos(a) + dy * math.sin(a), dy * math.cos(a) - dx * math.sin(a)
    p = pressure_kpa(kg, posture, along, across, load_spread(host, posture)).max()
    fold = FOLDED if device.foldable and sensor.settings.folded else 1.0
    return float(p) * fold / device.closing_kpa


def _pad(sensor: Sensor, device: MatType) -> tuple[Array, Array]:
    """Points over the pad on the plan; its width lies along its yaw."""
    w, d = device.pad
    u, v = np.meshgrid(np.linspace(-w / 2, w / 2, PAD_POINTS[0]), np.linspace(-d / 2, d / 2, PAD_POINTS[1]))
    a = math.radians(sensor.yaw)
    return (
        sensor.at[0] + u * math.cos(a) - v * math.sin(a),
        sensor.at[1] + u * math.sin(a) + v * math.cos(a),
    )


def on_pad(sensor: Sensor, device: MatType, points: Array, reach: float = PAD_EDGE_M) -> NDArray[np.bool_]:
    """Which of the (n, 2) points lie on the pad, or within `reach` of it."""
    a = math.radians(sensor.yaw)
    dx, dy = points[:, 0] - sensor.at[0], points[:, 1] - sensor.at[1]
    u, v = dx * math.cos(a) + dy * math.sin(a), dy * math.cos(a) - dx * math.sin(a)
    return (np.abs(u) <= device.pad[0] / 2 + reach) & (np.abs(v) <= device.pad[1] / 2 + reach)


class BestPlace(NamedTuple):
    """Where a mat is surest for a spot: its place, yaw, whether folded, and the margin there for that weight."""

    at: tuple[float, float]
    yaw: float
    folded: bool
    margin: float


def best_place(project: Project, device: MatType, spot: Spot, kg: float) -> BestPlace:
    """The place along the body where a mat is pressed most; folded only where flat leaves it doubtful."""
    level = find(project.rooms, spot.room).level
    host = next(
        (f for f in project.furnishings if f.level == level and polygons.contains_point(f.outline, *spot.at)), None
    )
    best: BestPlace | None = None
    a = math.radians(spot.facing)
    for folded in (False, True) if device.foldable else (False,):
        for along in np.arange(-0.3, 0.51, 0.05).tolist():
            at = (round(spot.at[0] + along * math.cos(a), 3), round(spot.at[1] + along * math.sin(a), 3))
            yaw = (spot.facing + 90.0) % 360.0
            sensor = Sensor(id="probe", device=device.id, level=level, name="", at=(*at, 0.0), yaw=yaw)
            m = margin(sensor, device, host, spot.at, spot.facing, spot.posture, kg)
            m *= FOLDED if folded else 1.0
            if best is None or m > best.margin + 1e-9:
                best = BestPlace(at, yaw, folded, m)
        if best is not None and best.margin >= SURE_MARGIN:
            break
    assert best is not None
    return best


class MatModel(HostBoundModel):
    """`SensingModel` of pressure mats, pads and strips."""

    by_speed, by_weight = False, True
    settings = ("folded", "hold_s")

    def reach_m(self, device: DeviceType) -> float:
        assert isinstance(device, MatType)
        return math.hypot(*device.pad) / 2

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        return max(self.reach_m(mounted.device) + PAD_EDGE_M, FARTHEST_M)

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        assert isinstance(mounted.device, MatType)
        out = np.zeros(len(points))
        kg = PET_KG if walker.body == PET else walker.kg
        if (
            margin(mounted.sensor, mounted.device, None, mounted.sensor.at[:2], mounted.sensor.yaw, "standing", kg)
            >= 1.0
        ):
            out[on_pad(mounted.sensor, mounted.device, points)] = SURE_PER_S
        return out

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        assert isinstance(mounted.device, MatType)
        out = StayDetection.nobody(len(points))._replace(margin=np.zeros(len(points)))
        assert out.margin is not None
        facing = np.broadcast_to(
            np.asarray(0.0 if stayer.facing_deg is None else stayer.facing_deg, float), len(points)
        )
        posture = "lying" if stayer.body in (LYING, ABED) else "seated" if stayer.body == SEATED else "standing"
        host = mounted.host if isinstance(mounted.host, Furnishing) else None
        for i, (x, y) in enumerate(points.tolist()):
            m = margin(mounted.sensor, mounted.device, host, (x, y), float(facing[i]), posture, stayer.kg)
            out.margin[i] = m
            if m >= 1.0:
                out.still_per_s[i] = SURE_PER_S
        return out


MODEL = MatModel()
