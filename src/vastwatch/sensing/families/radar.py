"""M3: what a radar presence sensor notices.

Each frame finds a body with a chance that falls off softly around an effective range; the range follows from the
radar equation with the antenna's gain, the losses of what is crossed, and the sensitivity set. A presence needs
m of n frames, and the mean wait for that is exact (`sensing.frames`). The echo of somebody at rest fades
(`sensing.fading`).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType, RadarType
from vastwatch.geometry.sightlines import (
    AzimuthOrder,
    Hits,
    add_crossings,
    prism_hits,
    sample_mask,
    screen_hits,
    sort_by_azimuth,
)
from vastwatch.sensing.bodies import LARGE_S, SAMPLES, Body, PersonAt, Stayer, Walker
from vastwatch.sensing.explain import blocking_obstacles, geometry, mean_wait_s
from vastwatch.sensing.fading import Fading
from vastwatch.sensing.frames import mean_frames
from vastwatch.sensing.hazards import hazard_body, per_second, sample_points
from vastwatch.sensing.model import MountedSensor, SightLine, StayDetection
from vastwatch.sensing.obstacles import OPAQUE_DB, Obstacles, near
from vastwatch.sensing.roll_off import FRAME_SOFTNESS as SOFTNESS
from vastwatch.sensing.roll_off import detection_probability
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]

# Two-way loss at the edge of the field of view, and per step of sensitivity, dB.
EDGE_DB = 12.0
STEP_DB = 3.0
# Nothing beyond this multiple of the greatest range is looked at: p < 1e-6 a frame there.
REACH = 1.83
# Still range by what faces the radar: chest, side, back (M3).
CHEST, SIDE, BACK = 1.0, 0.75, 0.85
# Where the facing is not known: chest, back and two sides alike.
ANY_SIDE = (CHEST + 2 * SIDE + BACK) / 4
# False reports per hour at full strength and in full view. Typical values, a matter of the place.
FALSE_PER_H = {
    "sun patch": 0.0, "heat source": 0.0, "vent": 4.0, "fan": 60.0, "curtain": 12.0, "pet area": 2.0,
    "mirror or metal": 1.0, "insect lamp": 1.0,
}  # fmt: skip


class RadarView(NamedTuple):
    """How a radar sees m of n places: `where` they are among the n, plan and slant distance, one-way loss in dB, and
    the factor on any range, 0 outside the gates; all (m,); and the factors that the sensitivity of each one's band puts
    on the ranges on movers and on those at rest. The other places are behind it or far out of reach."""

    where: NDArray[np.intp]
    plan: Array
    slant: Array
    loss_db: Array
    factor: Array
    moving: Array | float = 1.0
    still: Array | float = 1.0


def range_factor(gain_two_way_db: ArrayLike, loss_one_way_db: ArrayLike, below_max_db: float = 0.0) -> Array:
    """Range relative to that on axis in free sight at full sensitivity: 10^((2G - 2L - S) / 40)."""
    gain, loss = np.asarray(gain_two_way_db, float), np.asarray(loss_one_way_db, float)
    return 10.0 ** ((gain - 2.0 * loss - below_max_db) / 40.0)


def gain_two_way_db(azimuth_deg: ArrayLike, elevation_deg: ArrayLike, fov_h: float, fov_v: float) -> Array:
    """Antenna gain relative to its axis, both ways: -12 dB at the edge, quadratic in the angle."""
    az, el = np.asarray(azimuth_deg, float), np.asarray(elevation_deg, float)
    return -EDGE_DB * ((az / (fov_h / 2)) ** 2 + (el / (fov_v / 2)) ** 2)


def facing_factor(facing_deg: ArrayLike, bearing_to_radar_deg: ArrayLike) -> Array:
    """Still range by the side turned to the radar: chest within 60 degrees, back beyond 120, side between."""
    turn = np.abs((np.asarray(facing_deg, float) - np.asarray(bearing_to_radar_deg, float) + 180) % 360 - 180)
    return np.where(turn <= 60, CHEST, np.where(turn >= 120, BACK, SIDE))


def _far_m(device: RadarType, body: Body) -> float:
    """Farther than this no body like that is noticed, metres."""
    return REACH * max(device.moving_m, device.still_m) * body.size


def view_of(sensor: Sensor, device: RadarType, around: Obstacles, points: Array, body: Body) -> RadarView:
    """How the radar sees a body at each of the (n, 2) points of its level."""
    x, y, h = sensor.at
    dz = body.middle - h
    far = _far_m(device, body)
    # Gates are on what it reads.
    least, most = ((gate - device.bias_r_m) / device.scale_r for gate in (device.min_gate_m, device.max_gate_m))
    candidates = _in_front(sensor, points, min(far, most), dz)
    if len(candidates) == 0:
        # Most of a large building is beyond the reach of any one sensor.
        none = np.empty(0)
        return RadarView(candidates, none, none, none, none, 1.0, 1.0)
    dx, dy = points[candidates, 0] - x, points[candidates, 1] - y
    slant = np.sqrt(dx * dx + dy * dy + dz * dz)
    azimuth, elevation = off_axis(sensor, dx, dy, dz)
    below = STEP_DB * min(sensor.settings.sensitivity_below_max, device.steps - 1)
    free = range_factor(gain_two_way_db(azimuth, elevation, device.fov_h, device.fov_v), 0.0, below)
    # Towards the edge of the antenna the reach is shorter: there is no use in adding up losses beyond it.
    candidates = candidates[(slant <= far * free) & (slant >= least) & (slant <= most)]
    view = sort_by_azimuth(sensor.at, points, candidates)
    around = near(around, x, y, min(far, most))
    loss = np.zeros(len(view.r))
    add_crossings(view, around.full, np.minimum(around.full_db, OPAQUE_DB), loss)
    reached = np.hypot(view.r, dz) <= far * range_factor(0.0, loss, below)
    view, loss = view.keep(reached), loss[reached]
    loss += _partial_losses(view, around, body)
    azimuth, elevation = off_axis(sensor, view.r * view.ux, view.r * view.uy, dz)
    gain = gain_two_way_db(azimuth, elevation, device.fov_h, device.fov_v)
    factor = range_factor(gain, np.minimum(loss, OPAQUE_DB), below) * body.size
    slant = np.hypot(view.r, dz)
    moving, still = (
        _by_band(steps, device.scale_r * slant + device.bias_r_m, device)
        for steps in (sensor.settings.bands_below_max, sensor.settings.bands_still_below_max)
    )
    return RadarView(view.order, view.r, slant, loss, np.where(loss < OPAQUE_DB, factor, 0.0), moving, still)


def _by_band(below: tuple[int, ...], read: Array, device: RadarType) -> Array | float:
    """The factor on the range of anybody who is read as so far off, by the steps that their band is set below the
    rest."""
    if device.bands == 0 or not any(below):
        return 1.0
    steps = np.zeros(device.bands + 1)
    set_for = below[: device.bands]
    steps[: len(set_for)] = np.minimum(set_for, device.steps - 1)
    band = np.clip(np.floor(read / device.band_m).astype(int), 0, device.bands)
    return np.asarray(10.0 ** (-STEP_DB * steps[band] / 40.0), float)


def _in_front(sensor: Sensor, points: Array, far: float, dz: float) -> NDArray[np.intp]:
    """Indices of the points within reach and on the side of the antenna it faces."""
    dx, dy = points[:, 0] - sensor.at[0], points[:, 1] - sensor.at[1]
    yaw, pitch = math.radians(sensor.yaw), math.radians(sensor.pitch)
    ahead = (dx * math.cos(yaw) + dy * math.sin(yaw)) * math.cos(pitch) + dz * math.sin(pitch)
    return np.flatnonzero((dx * dx + dy * dy < far * far) & (ahead > 0))


def off_axis(sensor: Sensor, dx: Array, dy: Array, dz: float) -> tuple[Array, Array]:
    """Azimuth and elevation of each place in the radar's own frame, degrees: yaw about z, then pitch."""
    yaw, pitch = math.radians(sensor.yaw), math.radians(sensor.pitch)
    along = dx * math.cos(yaw) + dy * math.sin(yaw)
    left = dy * math.cos(yaw) - dx * math.sin(yaw)
    ahead = along * math.cos(pitch) + dz * math.sin(pitch)
    up = dz * math.cos(pitch) - along * math.sin(pitch)
    return np.degrees(np.arctan2(left, ahead)), np.degrees(np.arctan2(up, np.abs(ahead)))


def _partial_losses(view: AzimuthOrder, around: Obstacles, body: Body) -> Array:
    """One-way loss in dB to each body by what does not reach from floor to ceiling, (n,), in the order of the view.

    The samples of a body scatter alike, so what returns is the mean over them of the power each lets through, both
    ways; its decibels, halved, are the body's one-way loss. One free sample of five costs 3.5 dB, not infinity.
    """
    loss = np.zeros(len(view.r))
    heights = body.heights
    found = [(hits, around.part_db[k]) for k, hits in screen_hits(view, around.part, heights)]
    found += [(hits, around.prism_db[k]) for k, hits in prism_hits(view, around.prisms, heights, around.prism_circles)]
    ragged = []
    for hits, loss_db in found:
        db = min(float(loss_db), OPAQUE_DB)
        # What covers the whole body costs it plainly; only the rest has to be reckoned sample by sample.
        whole = hits.hi - hits.lo == SAMPLES
        loss[hits.at[whole]] += db
        if not whole.all():
            part = ~whole
            ragged.append((Hits(hits.at[part], hits.lo[part], hits.hi[part]), db))
    if ragged:
        touched = np.zeros(len(loss), bool)
        for hits, _ in ragged:
            touched[hits.at] = True
        place = np.cumsum(touched) - 1
        samples = np.zeros((SAMPLES, int(place[-1]) + 1))
        for hits, db in ragged:
            samples[:, place[hits.at]] += sample_mask(hits, SAMPLES) * db
        power = (10.0 ** (-0.2 * samples)).mean(axis=0)
        loss[touched] -= 5.0 * np.log10(np.maximum(power, 1e-300))
    return loss


def confirmed_rate(device: RadarType, view: RadarView, reach: ArrayLike) -> Array:
    """Confirmed detections per second of a body the radar sees with a range of `reach` on axis, (n,)."""
    p = detection_probability(view.slant, np.asarray(reach) * view.factor, SOFTNESS)
    m, n = device.confirm_of
    frames = mean_frames(p, min(m, n), n)
    return np.where(np.isfinite(frames), device.frame_hz / frames, 0.0)


def walk_rate(device: RadarType, view: RadarView) -> Array:
    """Confirmed detections per second of somebody walking."""
    return confirmed_rate(device, view, device.moving_m * view.moving)


def nearness(device: RadarType, view: RadarView, side: ArrayLike = ANY_SIDE) -> Array:
    """How far somebody at rest is, as a share of the range on them; inf outside the gates; `side` from
    `facing_factor`."""
    reach = device.still_m * np.asarray(side, float) * view.still * view.factor
    return np.where(reach > 0, view.slant / np.maximum(reach, 1e-9), math.inf)


def large_movement_chance(device: RadarType, view: RadarView) -> Array:
    """Chance that one large movement is confirmed as motion while it lasts."""
    return 1.0 - np.exp(-walk_rate(device, view) * LARGE_S)


class RadarModel:
    """`SensingModel` of radar presence sensors."""

    by_speed, by_weight = False, False
    least_s = 0.0
    settings = ("hold_s", "sensitivity_below_max", "still_below_max", "min_gate_m", "max_gate_m")

    def band(self, device: DeviceType) -> str:
        assert isinstance(device, RadarType)
        return device.band_ghz

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        assert isinstance(mounted.device, RadarType)
        out = np.zeros(len(points))
        seen = view_of(mounted.sensor, mounted.device, mounted.obstacles, points, walker.body)
        out[seen.where] = walk_rate(mounted.device, seen)
        return out

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        sensor, device = mounted.sensor, mounted.device
        assert isinstance(device, RadarType)
        out = StayDetection.nobody(len(points))
        seen = view_of(sensor, device, mounted.obstacles, points, stayer.body)
        side: ArrayLike = ANY_SIDE
        if stayer.facing_deg is not None:
            x, y = points[seen.where].T
            bearing = np.degrees(np.arctan2(sensor.at[1] - y, sensor.at[0] - x))
            side = facing_factor(np.broadcast_to(stayer.facing_deg, len(points))[seen.where], bearing)
        out.large[seen.where] = large_movement_chance(device, seen)
        near = np.full(len(points), math.inf)
        near[seen.where] = nearness(device, seen, side)
        fading = Fading(device.frame_hz, min(device.confirm_of), device.confirm_of[1])
        return out._replace(still_per_s=fading.excess(near, 0.0), range_ratio=near, fading=fading)

    def explain(self, mounted: MountedSensor, who: PersonAt) -> SightLine:
        sensor, device = mounted.sensor, mounted.device
        assert isinstance(device, RadarType)
        g = geometry(mounted, who)
        echo = view_of(sensor, device, mounted.obstacles, g.points, who.body)
        az, el = off_axis(
            sensor, g.points[:, 0] - sensor.at[0], g.points[:, 1] - sensor.at[1], who.body.middle - sensor.at[2]
        )
        axis = float(range_factor(gain_two_way_db(az, el, device.fov_h, device.fov_v), 0.0)[0])
        side = 1.0
        if who.facing is not None and not who.walking_by:
            side = float(facing_factor(who.facing, g.bearing_deg + 180.0))
        rated = device.moving_m if who.walking_by else device.still_m
        seen = len(echo.where) > 0
        factor = float(echo.factor[0]) if seen else 0.0
        return SightLine(
            sensor=sensor.id, at=who.at, plan_m=g.plan_m, slant_m=g.slant_m,
            off_axis_deg=float(np.hypot(az[0], el[0])), off_axis_factor=axis, in_view=factor > 0, share=1.0,
            loss_db=float(echo.loss_db[0]) if seen else 0.0, contrast=1.0, rated_m=rated,
            range_m=rated * side * factor, hidden_by=blocking_obstacles(mounted, g.points, who.body, by_share=False),
            notice_s=mean_wait_s(mounted, who),
        )  # fmt: skip

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        assert isinstance(mounted.device, RadarType)
        return _far_m(mounted.device, body)

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        assert isinstance(mounted.device, RadarType)
        usual = FALSE_PER_H[hazard.kind]
        if usual <= 0:
            return 0.0
        view = view_of(mounted.sensor, mounted.device, mounted.obstacles, sample_points(hazard), hazard_body(hazard))
        return per_second(
            usual,
            hazard,
            detection_probability(view.slant, mounted.device.moving_m * view.moving * view.factor, SOFTNESS),
        )

    def blind_s(self, device: DeviceType) -> float:
        return 0.0


MODEL = RadarModel()
