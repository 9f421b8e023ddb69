"""What an ultrasonic motion sensor notices: the Doppler shift of its own tone on whatever moves in the room it fills.

Somebody moving at v towards it shifts a tone of f by 2 v f / c, 233 Hz for 1 m/s at 40 kHz. The echo falls with the
fourth power of the distance, so that a step of 3 dB is a factor of 10^(-3/40) on any range. Sound goes around what
light does not: in its own room a body is heard by way of the walls and the ceiling, if less far; walls, glass and shut
doors stop it. Across the line to the sensor a walker shifts little of the direct echo, and is heard on the echoes from
the side. Somebody quite still is not heard at all, moving air is.
"""

from __future__ import annotations

import math
from itertools import chain
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.devices import DeviceType
from vastwatch.devices.families import UltrasonicType
from vastwatch.geometry import polygons
from vastwatch.geometry.sightlines import prism_hits, sample_mask, screen_hits, sort_by_azimuth, visible
from vastwatch.sensing.bodies import SAMPLES, Body, PersonAt, Stayer, Walker
from vastwatch.sensing.explain import blocking_obstacles, geometry, mean_wait_s
from vastwatch.sensing.hazards import hazard_body, per_second, sample_points
from vastwatch.sensing.model import MountedSensor, SightLine, StayDetection, angle_to_sight
from vastwatch.sensing.obstacles import near
from vastwatch.sensing.roll_off import SOFTNESS, detection_probability
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]

# Looks a second: a Doppler tone needs about a quarter of a second to stand out.
LOOKS_HZ = 4.0
# Range on somebody who is heard only by way of walls and ceiling, or whom the horns do not point at, of that in plain
# sight. Our figure: two reflections at 3 dB each and a longer way.
AROUND = 0.7
# Range on a walker across, of that towards it; on a hand or the head, of that on an arm or the trunk. Our figures.
ACROSS, SMALL = 0.8, 0.6
# Per step of sensitivity, dB; nothing beyond this multiple of the range is looked at: p < 1e-5 there.
STEP_DB, REACH = 3.0, 1.93
# False reports per hour at full strength and in full view. Typical values, a matter of the place.
FALSE_PER_H = {
    "sun patch": 0.0, "heat source": 1.0, "vent": 20.0, "fan": 40.0, "curtain": 8.0, "pet area": 3.0,
    "mirror or metal": 0.0, "insect lamp": 0.5,
}  # fmt: skip


class UltrasonicView(NamedTuple):
    """How it hears m of n places: `where` they are among the n, slant distance, visible share, and the factor on any
    range; all (m,). Nobody is heard at the others."""

    where: NDArray[np.intp]
    slant: Array
    share: Array
    factor: Array


def view_of(mounted: MountedSensor, points: Array, body: Body) -> UltrasonicView:
    """How the sensor hears a body at each of the (n, 2) points of its level."""
    sensor, device = mounted.sensor, mounted.device
    assert isinstance(device, UltrasonicType)
    x, y, z = sensor.at
    most = _sensitivity(mounted) * body.size
    reach = REACH * device.moving_m * most
    near_by = np.flatnonzero(np.hypot(points[:, 0] - x, points[:, 1] - y) < reach)
    view = sort_by_azimuth(sensor.at, points, near_by)
    around = near(mounted.obstacles, x, y, reach)
    share = np.zeros(len(points))
    seen_by = view.keep(visible(view, around.full))
    heights = body.heights
    seen = np.ones((SAMPLES, len(seen_by.r)), bool)
    for _, hits in chain(
        screen_hits(seen_by, around.part, heights), prism_hits(seen_by, around.prisms, heights, around.prism_circles)
    ):
        seen[:, hits.at] &= ~sample_mask(hits, SAMPLES)
    share[seen_by.order] = seen.mean(axis=0)
    own = np.zeros(len(points), bool)
    if mounted.outline is not None:
        own[near_by] = polygons.contains(mounted.outline, points[near_by])
    where = near_by[own[near_by] | (share[near_by] > 0)]
    dx, dy = points[where, 0] - x, points[where, 1] - y
    azimuth = (np.degrees(np.arctan2(dy, dx)) - sensor.yaw + 180.0) % 360.0 - 180.0
    direct = np.where(np.abs(azimuth) <= device.fov_h / 2, share[where], 0.0)
    # In its own room what the horns or the sight do not reach, the walls do.
    floor = np.where(own[where], AROUND, 0.0)
    factor = floor + (1.0 - floor) * direct
    return UltrasonicView(where, np.sqrt(dx * dx + dy * dy + (z - body.middle) ** 2), share[where], factor * most)


def _sensitivity(mounted: MountedSensor) -> float:
    assert isinstance(mounted.device, UltrasonicType)
    below = min(mounted.sensor.settings.sensitivity_below_max, mounted.device.steps - 1)
    return float(10.0 ** (-STEP_DB * below / 40.0))


def across_factor(psi_deg: ArrayLike) -> Array:
    """Range on a walker at an angle psi to the line to the sensor, of that straight towards it: an ellipse."""
    psi = np.radians(np.asarray(psi_deg, float))
    return 1.0 / np.sqrt(np.cos(psi) ** 2 + (np.sin(psi) / ACROSS) ** 2)


class UltrasonicModel:
    """`SensingModel` of ultrasonic motion sensors."""

    by_speed, by_weight = False, False
    least_s = 0.0
    settings = ("hold_s", "sensitivity_below_max")

    def band(self, device: DeviceType) -> str:
        # Whatever stops light stops sound of a centimetre's length, glass as well.
        return "infrared"

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        assert isinstance(mounted.device, UltrasonicType)
        out = np.zeros(len(points))
        heard = view_of(mounted, points, walker.body)
        psi = angle_to_sight(mounted.sensor, points, heard.where, walker)
        reach = mounted.device.moving_m * heard.factor * across_factor(psi)
        out[heard.where] = LOOKS_HZ * detection_probability(heard.slant, reach, SOFTNESS)
        return out

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        assert isinstance(mounted.device, UltrasonicType)
        out = StayDetection.nobody(len(points))
        heard = view_of(mounted, points, stayer.body)
        reach = mounted.device.minor_m * heard.factor
        out.large[heard.where] = detection_probability(heard.slant, reach, SOFTNESS)
        out.small[heard.where] = detection_probability(heard.slant, SMALL * reach, SOFTNESS)
        return out

    def explain(self, mounted: MountedSensor, who: PersonAt) -> SightLine:
        device = mounted.device
        assert isinstance(device, UltrasonicType)
        g = geometry(mounted, who)
        heard = view_of(mounted, g.points, who.body)
        known = len(heard.where) > 0
        rated = device.moving_m if who.walking_by else device.minor_m
        factor = float(heard.factor[0]) if known else 0.0
        return SightLine(
            sensor=mounted.sensor.id, at=who.at, plan_m=g.plan_m, slant_m=g.slant_m,
            off_axis_deg=g.azimuth_deg if device.fov_h < 360 else 0.0,
            off_axis_factor=1.0 if g.azimuth_deg <= device.fov_h / 2 else AROUND, in_view=factor > 0,
            share=float(heard.share[0]) if known else 0.0, loss_db=0.0, contrast=1.0, rated_m=rated,
            range_m=rated * factor, hidden_by=blocking_obstacles(mounted, g.points, who.body, by_share=True),
            notice_s=mean_wait_s(mounted, who),
        )  # fmt: skip

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        # In its own room the walls send it round every corner.
        return math.inf

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        assert isinstance(mounted.device, UltrasonicType)
        heard = view_of(mounted, sample_points(hazard), hazard_body(hazard))
        seen = detection_probability(heard.slant, mounted.device.moving_m * heard.factor, SOFTNESS)
        return per_second(FALSE_PER_H[hazard.kind], hazard, seen)

    def blind_s(self, device: DeviceType) -> float:
        return 0.0


MODEL = UltrasonicModel()
