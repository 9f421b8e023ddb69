"""Door contacts: somebody who walks through a door has opened it."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.devices import DeviceType
from vastwatch.sensing.explain import Sight, unseen, waited
from vastwatch.sensing.figures import PET, Body
from vastwatch.sensing.model import SURE_PER_S, MountedSensor, Staying, held
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]

# Somebody this near the middle of a closed door has it open, metres; it was shut behind whoever is past.
DOOR_M = 0.45
# It has no hold of its own: the door stays open for a moment behind whoever walked through, seconds.
DOOR_OPEN_S = 3.0


class ContactModel:
    """`SensingModel` of contacts on doors."""

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
        out = np.zeros(len(points))
        if body != PET:
            x, y, _ = mounted.sensor.at
            out[np.hypot(points[:, 0] - x, points[:, 1] - y) <= DOOR_M] = SURE_PER_S
        return out

    def stay(
        self, mounted: MountedSensor, points: Array, facing_deg: ArrayLike | None, body: Body, kg: float
    ) -> Staying:
        return Staying.nobody(len(points))

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
        return unseen(mounted, at, body, DOOR_M, wait)

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        return 0.0

    def blind_s(self, device: DeviceType) -> float:
        return 0.0

    def report(self, mounted: MountedSensor, start: Array, end: Array, own_hold_s: float) -> Array:
        return held(start, end, max(own_hold_s, DOOR_OPEN_S))


MODEL = ContactModel()
