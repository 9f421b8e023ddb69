"""Plugs with a meter: a machine in use has somebody at it."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.devices import DeviceType
from vastwatch.sensing.explain import Sight, unseen, waited
from vastwatch.sensing.figures import Body
from vastwatch.sensing.hosts import near_host
from vastwatch.sensing.model import SURE_PER_S, MountedSensor, Staying, held
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]

# A machine in use has somebody this near its outline, metres.
AT_MACHINE_M = 0.9


class PlugModel:
    """`SensingModel` of plugs with a meter."""

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
        out = Staying.nobody(len(points))
        out.still_per_s[near_host(mounted.host, points, AT_MACHINE_M)] = SURE_PER_S
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
        return unseen(mounted, at, body, AT_MACHINE_M, wait)

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        return 0.0

    def blind_s(self, device: DeviceType) -> float:
        return 0.0

    def report(self, mounted: MountedSensor, start: Array, end: Array, own_hold_s: float) -> Array:
        return held(start, end, own_hold_s)


MODEL = PlugModel()
