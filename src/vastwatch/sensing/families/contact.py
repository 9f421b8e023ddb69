"""Door contacts: somebody who walks through a door has opened it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.devices import DeviceType
from vastwatch.sensing.bodies import PET, Body, Walker
from vastwatch.sensing.host_bound import HostBoundModel
from vastwatch.sensing.model import SURE_PER_S, MountedSensor

Array = NDArray[np.float64]

# Somebody this near the middle of a closed door has it open, metres; it was shut behind anybody who is past.
DOOR_M = 0.45
# It has no hold of its own: the door stays open for a moment behind anybody who walked through, seconds.
DOOR_OPEN_S = 3.0


class ContactModel(HostBoundModel):
    """`SensingModel` of contacts on doors."""

    least_s = DOOR_OPEN_S

    def reach_m(self, device: DeviceType) -> float:
        return DOOR_M

    def farthest_m(self, mounted: MountedSensor, body: Body) -> float:
        return DOOR_M

    def walk(self, mounted: MountedSensor, points: Array, walker: Walker) -> Array:
        out = np.zeros(len(points))
        if walker.body != PET:
            x, y, _ = mounted.sensor.at
            out[np.hypot(points[:, 0] - x, points[:, 1] - y) <= DOOR_M] = SURE_PER_S
        return out


MODEL = ContactModel()
