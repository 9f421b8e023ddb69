"""M2: what a passive infrared sensor notices.

A PIR sees changes of heat across its beams. Its range shrinks off axis, with a warm background, for somebody partly
hidden, and for somebody coming straight at it; beyond the range the chance per beam crossed falls off smoothly.
"""

from __future__ import annotations

import math
from itertools import chain
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType, PirType
from vastwatch.geometry.sightlines import AzimuthOrder, prism_hits, sample_mask, screen_hits, sort_by_azimuth, visible
from vastwatch.sensing.bodies import (
    LARGE_M,
    MINOR_MOTION,
    SAMPLES,
    SMALL_M,
    WALKING_SPEED,
    Body,
    PersonAt,
    Stayer,
    Walker,
)
from vastwatch.sensing.explain import blocking_obstacles, geometry, wait_of
from vastwatch.sensing.hazards import hazard_body, per_second, sample_points
from vastwatch.sensing.model import CATALOGUE_C, MountedSensor, SightLine, StayDetection, angle_to_sight
from vastwatch.sensing.obstacles import Obstacles, near
from vastwatch.sensing.roll_off import detection_probability
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]

# Mean temperature of skin, Celsius. Clothing lies between it and the room, always as far of the way: of what the two
# differ by, a share shows, and it cancels against that at CATALOGUE_C.
SKIN_C = 34.0
# Nothing beyond this multiple of the greatest range is worth looking at: p < 1e-5 there.
REACH = 1.93
# Beams converge at the lens; nearer than this their spacing means nothing, metres.
NEAREST = 0.15
# Anybody who walks straight towards a sensor sways and swings arms and legs: across the sight line they move with at
# least so much of their speed (steps of 0.7 m with a sway and swing of some 0.1 m to each side).
SWAY = 0.25
# Crossing of beams by small movements is reckoned at so many distances, and over so many directions.
CROSSING_AT, DIRECTIONS = 96, 24
# False reports per hour at full strength and in full view. Typical values, a matter of the place.
FALSE_PER_H = {
    "sun patch": 2.0, "heat source": 1.5, "vent": 3.0, "fan": 0.5, "curtain": 1.0, "pet area": 2.0,
    "mirror or metal": 0.2, "insect lamp": 4.0,
}  # fmt: skip


def _half_sphere() -> tuple[Array, Array]:
    x, weight = np.polynomial.legendre.leggauss(DIRECTIONS)
    return (x + 1.0) / 2.0, weight / 2.0


_DIRECTIONS = _half_sphere()


class PirView(NamedTuple):
    """How a PIR sees m of n places: `where` they are among the n, plan and slant distance, angle off axis, visible
    share, and the factor that off-axis, contrast, visible share and body size together put on any range; all of
    shape (m,). The other places are out of its reach, out of its beams, or fully hidden."""

    where: NDArray[np.intp]
    plan: Array
    slant: Array
    azimuth: Array
    share: Array
    factor: Array


def off_axis_exponent(fov_h: float, edge_share: float = 1 / 3) -> float:
    """n such that cos(fov/2)^n is `edge_share`."""
    half = math.radians(min(fov_h, 170.0) / 2)
    return math.log(edge_share) / math.log(math.cos(half))


def off_axis_factor(azimuth_deg: ArrayLike, fov_h: float, edge_share: float = 1 / 3) -> Array:
    """Range off axis relative to on axis: cos(az)^n within the field of view, 0 outside it."""
    azimuth = np.abs(np.asarray(azimuth_deg, float))
    inside = azimuth <= fov_h / 2
    cosine = np.cos(np.radians(np.where(inside, azimuth, 0.0)))
    return np.where(inside, np.maximum(cosine, 0.0) ** off_axis_exponent(fov_h, edge_share), 0.0)


def contrast_factor(ambient_c: float) -> float:
    """Range at a background temperature relative to the catalogue's: the root of the contrast, 0 from SKIN_C on."""
    return math.sqrt(max(SKIN_C - ambient_c, 0.0) / (SKIN_C - CATALOGUE_C))


def crossing_deg(heading_deg: float, bearing_deg: float) -> float:
    """At which angle somebody on a heading crosses the sight line to them, 0 straight along it, 90 across."""
    off = abs((heading_deg - bearing_deg + 90.0) % 180.0 - 90.0)
    return min(off, 180.0 - off)


def heading_range(tangential: float, radial: float, psi_deg: ArrayLike) -> Array:
    """Range on somebody walking at an angle psi to the sight line: an ellipse with the two catalogue half-axes."""
    psi = np.radians(np.asarray(psi_deg, float))
    return 1.0 / np.sqrt((np.cos(psi) / radial) ** 2 + (np.sin(psi) / tangential) ** 2)


def _contrast(ambient_c: float, body: Body) -> float:
    return contrast_factor(ambient_c) * body.size * math.sqrt(body.visible_share)


def reach_m(sensor: Sensor, device: PirType, ambient_c: float, body: Body) -> float:
    """Farther than this on the plan no body like that is noticed, metres."""
    reach = REACH * max(device.tangential_m, device.radial_m) * max(_contrast(ambient_c, body), 1e-3)
    if device.lens == "ceiling":
        # The cone reaches farthest on the floor.
        reach = min(reach, max(sensor.at[2], 0.0) * math.tan(math.radians(min(device.fov_h, 179.0) / 2)) + 1e-9)
    return reach


def view_of(
    sensor: Sensor, device: PirType, obstacles: Obstacles, ambient_c: float, points: Array, body: Body
) -> PirView:
    """How the sensor sees a body at each of the (n, 2) points of its level."""
    x, y, h = sensor.at
    ceiling = device.lens == "ceiling"
    contrast = _contrast(ambient_c, body)
    reach = reach_m(sensor, device, ambient_c, body)
    view = sort_by_azimuth(sensor.at, points, _within(sensor, device, points, reach))
    azimuth, off_axis = np.zeros(len(view.r)), np.ones(len(view.r))
    if not ceiling:
        # Off axis the reach is shorter: most of a wide room is settled before any wall is looked at.
        azimuth, off_axis = _falloff(view.azimuth, sensor, device)
        view, azimuth, off_axis = _kept(view.r < reach * off_axis, view, azimuth, off_axis)
    if len(view.r) == 0:
        # Most of a large building is beyond the reach of any one sensor.
        return PirView(view.order, view.r, view.r, view.r, view.r, view.r)
    obstacles = near(obstacles, x, y, reach)
    view, azimuth, off_axis = _kept(visible(view, obstacles.full), view, azimuth, off_axis)
    heights = body.heights
    seen = _in_beams(sensor, device, view.r, heights, h)
    for _, hits in chain(
        screen_hits(view, obstacles.part, heights), prism_hits(view, obstacles.prisms, heights, obstacles.prism_circles)
    ):
        seen[:, hits.at] &= ~sample_mask(hits, SAMPLES)
    share = np.count_nonzero(seen, axis=0) / len(seen)
    slant = view.r if ceiling else np.hypot(view.r, h - body.middle)
    return PirView(view.order, view.r, slant, azimuth, share, off_axis * contrast * np.sqrt(share))


def _kept(
    which: NDArray[np.bool_], view: AzimuthOrder, azimuth: Array, off_axis: Array
) -> tuple[AzimuthOrder, Array, Array]:
    return view.keep(which), azimuth[which], off_axis[which]


def _falloff(bearing: Array, sensor: Sensor, device: PirType) -> tuple[Array, Array]:
    """Azimuth off the sensor's axis in degrees, and the factor on its range, for bearings in radians."""
    azimuth = (np.degrees(bearing) - sensor.yaw + 180.0) % 360.0 - 180.0
    return azimuth, off_axis_factor(azimuth, device.fov_h, device.edge_share)


def _within(sensor: Sensor, device: PirType, points: Array, reach: float) -> NDArray[np.intp]:
    """Indices of the points within reach and, for a wall lens, within the horizontal field of view."""
    dx, dy = points[:, 0] - sensor.at[0], points[:, 1] - sensor.at[1]
    inside = dx * dx + dy * dy < reach * reach
    if device.lens == "wall" and device.fov_h < 180:
        yaw = math.radians(sensor.yaw)
        along = dx * math.cos(yaw) + dy * math.sin(yaw)
        aside = dy * math.cos(yaw) - dx * math.sin(yaw)
        inside &= np.abs(aside) <= along * math.tan(math.radians(device.fov_h / 2))
    return np.flatnonzero(inside)


def _in_beams(sensor: Sensor, device: PirType, r: Array, heights: Array, h: float) -> NDArray[np.bool_]:
    """Which samples (k, n) lie within the elevation of the beams: below the lowest is the blind wedge."""
    drop = heights[:, None] - h
    if device.lens == "ceiling":
        half = math.tan(math.radians(min(device.fov_h, 179.0) / 2))
        return (drop < 0) & (r <= -drop * half)
    low = max(sensor.pitch - device.span_down, -89.9)
    high = min(sensor.pitch + device.span_up, 89.9)
    return (drop >= r * math.tan(math.radians(low))) & (drop <= r * math.tan(math.radians(high)))


def walk_rate(device: PirType, view: PirView, height: float, psi_deg: ArrayLike, speed: float, body: Body) -> Array:
    """Noticed beam crossings per second of somebody who walks at an angle psi to the sight line, (n,).

    Not capped by the re-arm time: an armed sensor reports the first crossing it notices. The pause after a report
    is applied where reports are made (`rehearsal.reports`).
    """
    r = np.maximum(view.plan, NEAREST)
    psi = np.radians(np.asarray(psi_deg, float))
    h = abs(height - body.middle)
    across = np.maximum(np.abs(np.sin(psi)), SWAY) / (r * math.radians(device.beam_pitch))
    towards = np.abs(np.cos(psi)) * h / ((r * r + h * h) * math.radians(device.beam_pitch_el))
    reach = heading_range(device.tangential_m, device.radial_m, np.degrees(psi)) * view.factor
    return detection_probability(view.slant, reach) * speed * (across + towards)


def minor_motion_chances(device: PirType, view: PirView, height: float, body: Body) -> tuple[Array, Array]:
    """Chance that one large and one small movement of somebody who stays is noticed by a sensor at a height, each
    (n,)."""
    p = detection_probability(view.slant, device.minor_m * view.factor)
    if len(p) == 0:
        return p, p
    r, h = np.maximum(view.plan, NEAREST), abs(height - body.middle)
    # Along one sight line all follows from the distance: reckoned at some, and straight between them.
    at = np.geomspace(NEAREST, max(float(r.max()), 2 * NEAREST), CROSSING_AT) if len(r) > CROSSING_AT else r
    azimuth = at * math.radians(device.beam_pitch)
    elevation = np.hypot(at, h) * math.radians(device.beam_pitch_el)
    large, small = (crossing_chance(m / azimuth, m / elevation) for m in (LARGE_M, SMALL_M))
    if at is not r:
        large, small = np.interp(r, at, large), np.interp(r, at, small)
    return p * large, p * small


def crossing_chance(azimuth: Array, elevation: Array) -> Array:
    """Chance that a straight movement crosses an edge of the beams, (n,), whose length is so many times what lies
    between two of them in azimuth and in elevation.

    Movements go in all directions of space, and begin anywhere between two edges: of a component of c spacings the
    chance is min(1, c). With u, v, w the components of a direction, the mean of 1 - (1 - min(1, a |u|)) (1 - min(1, b
    |v|)) over the sphere: v is even on [-1, 1], and at given v the mean over the circle is closed.
    """
    v, weight = _DIRECTIONS
    a = azimuth[:, None] * np.sqrt(1.0 - v * v)
    b = np.minimum(1.0, elevation[:, None] * v)
    beyond = np.maximum(a, 1.0)
    across = np.where(
        a <= 1.0, a, beyond * (1.0 - np.sqrt(1.0 - 1.0 / beyond**2)) + np.arccos(1.0 / beyond)
    ) * (2.0 / math.pi)  # fmt: skip
    return (1.0 - (1.0 - across) * (1.0 - b)) @ weight


class PirModel:
    """`SensingModel` of passive infrared sensors."""

    by_speed, by_weight = True, False
    least_s = 0.0
    settings = ("hold_s", "infrared_below_max")

    def band(self, device: DeviceType) -> str:
        return "infrared"

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        sensor, device = mounted.sensor, mounted.device
        assert isinstance(device, PirType)
        out = np.zeros(len(points))
        view = view_of(sensor, device, mounted.obstacles, mounted.ambient_c, points, walker.body)
        psi = angle_to_sight(sensor, points, view.where, walker)
        out[view.where] = walk_rate(device, view, sensor.at[2], psi, walker.speed, walker.body)
        return out

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        assert isinstance(mounted.device, PirType)
        out = StayDetection.nobody(len(points))
        view = view_of(mounted.sensor, mounted.device, mounted.obstacles, mounted.ambient_c, points, stayer.body)
        out.large[view.where], out.small[view.where] = minor_motion_chances(
            mounted.device, view, mounted.sensor.at[2], stayer.body
        )
        return out

    def explain(self, mounted: MountedSensor, who: PersonAt) -> SightLine:
        device = mounted.device
        assert isinstance(device, PirType)
        g = geometry(mounted, who)
        view = view_of(mounted.sensor, device, mounted.obstacles, mounted.ambient_c, g.points, who.body)
        ceiling = device.lens == "ceiling"
        axis = 1.0 if ceiling else float(off_axis_factor(g.azimuth_deg, device.fov_h, device.edge_share))
        rated = device.minor_m
        if who.walking_by:
            psi = 90.0 if who.facing is None else crossing_deg(who.facing, g.bearing_deg)
            rated = float(heading_range(device.tangential_m, device.radial_m, psi))
            rate = walk_rate(device, view, mounted.sensor.at[2], psi, WALKING_SPEED, who.body)
        else:
            large, small = minor_motion_chances(device, view, mounted.sensor.at[2], who.body)
            rate = StayDetection(large, small, np.zeros(len(large))).rate(MINOR_MOTION[who.activity].rate)
        seen = len(view.where) > 0
        share = float(view.share[0]) if seen else 0.0
        return SightLine(
            sensor=mounted.sensor.id, at=who.at, plan_m=g.plan_m, slant_m=g.plan_m if ceiling else g.slant_m,
            off_axis_deg=0.0 if ceiling else g.azimuth_deg, off_axis_factor=axis, in_view=axis > 0,
            share=share, loss_db=0.0, contrast=contrast_factor(mounted.ambient_c),
            rated_m=rated, range_m=rated * float(view.factor[0]) if seen else 0.0,
            hidden_by=blocking_obstacles(mounted, g.points, who.body, by_share=True) if share < 1.0 else (),
            notice_s=wait_of(mounted, rate),
        )  # fmt: skip

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        assert isinstance(mounted.device, PirType)
        return reach_m(mounted.sensor, mounted.device, mounted.ambient_c, body)

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        assert isinstance(mounted.device, PirType)
        view = view_of(
            mounted.sensor,
            mounted.device,
            mounted.obstacles,
            mounted.ambient_c,
            sample_points(hazard),
            hazard_body(hazard),
        )
        seen = detection_probability(view.slant, mounted.device.radial_m * view.factor)
        return per_second(FALSE_PER_H[hazard.kind], hazard, seen)

    def blind_s(self, device: DeviceType) -> float:
        assert isinstance(device, PirType)
        return device.rearm_s


MODEL = PirModel()
