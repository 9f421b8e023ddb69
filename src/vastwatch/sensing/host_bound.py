"""What the models of sensors that are fixed to something share: a mat, a contact, a plug, a tag."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from vastwatch.devices import DeviceType
from vastwatch.sensing.bodies import Body, PersonAt, Stayer, Walker
from vastwatch.sensing.explain import mean_wait_s, no_sight_line
from vastwatch.sensing.model import MountedSensor, SightLine, StayDetection
from vastwatch.site.building import Hazard

Array = NDArray[np.float64]


class HostBoundModel:
    """`SensingModel` of what notices nobody, has no sight line and is not set off by anything else; each kind
    overrides what it knows better."""

    by_speed, by_weight = False, False
    least_s = 0.0
    settings: tuple[str, ...] = ("hold_s",)

    def reach_m(self, device: DeviceType) -> float:
        """How far around itself it speaks for, metres."""
        return 0.0

    def band(self, device: DeviceType) -> str:
        return "infrared"

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        return np.zeros(len(points))

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        return StayDetection.nobody(len(points))

    def explain(self, mounted: MountedSensor, who: PersonAt) -> SightLine:
        return no_sight_line(mounted, who, self.reach_m(mounted.device), mean_wait_s(mounted, who))

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        return math.inf

    def false_rate(self, mounted: MountedSensor, hazard: Hazard) -> float:
        return 0.0

    def blind_s(self, device: DeviceType) -> float:
        return 0.0
