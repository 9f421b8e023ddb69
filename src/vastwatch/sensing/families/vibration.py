"""Vibration tags: fixed to furniture, they notice what moves on it."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.devices import DeviceType, VibrationType
from vastwatch.sensing.explain import Sight, unseen, waited
from vastwatch.sensing.figures import Body
from vastwatch.sensing.hosts import near_host
from vastwatch.sensing.model import MountedSensor, Staying, held
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]

# On the furniture is on it, or so near its edge, metres; a tag speaks for about that much around itself.
ON_M, REACH_M = 0.1, 0.9


class VibrationModel:
    """`SensingModel` of vibration tags."""

    by_speed, by_weight = False, False
    settings = ("hold_s",)

    def band(self, device: DeviceType) -> str:
        return "infrared"

    def walk(
        self,
        mounted: MountedSensor,
        points: Array,
        psi_deg: ArrayLike | None,
        heading_deg: ArrayLike | None,
        speed: float,
        body: Body,
    ) -> Array:
        return np.zeros(len(points))

    def stay(
        self, mounted: MountedSensor, points: Array, facing_deg: ArrayLike | None, body: Body, kg: float
    ) -> Staying:
        assert isinstance(mounted.device, VibrationType)
        out = Staying.nobody(len(points))
        on = near_host(mounted.host, points, ON_M)
        out.large[on], out.small[on] = mounted.device.large_share, mounted.device.small_share
        return out

    def explain(
        self,
        mounted: MountedSensor,
        at: tuple[float, float],
        body: Body,
        activity: str,
        facing: float | None,
        walking_by: bool,
    ) -> Sight:
        wait = waited(mounted, np.array([at], float), body, activity, facing, walking_by)
        return unseen(mounted, at, body, REACH_M, wait)

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        return 0.0

    def blind_s(self, device: DeviceType) -> float:
        return 0.0

    def report(self, mounted: MountedSensor, start: Array, end: Array, own_hold_s: float) -> Array:
        return held(start, end, own_hold_s)


MODEL = VibrationModel()
