"""Vibration tags: fixed to furniture, they notice what moves on it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.devices import DeviceType, VibrationType
from vastwatch.sensing.bodies import Stayer
from vastwatch.sensing.host_bound import HostBoundModel
from vastwatch.sensing.hosts import near_host
from vastwatch.sensing.model import MountedSensor, StayDetection

Array = NDArray[np.float64]

# On the furniture is on it, or so near its edge, metres; a tag speaks for about that much around itself.
ON_M, REACH_M = 0.1, 0.9


class VibrationModel(HostBoundModel):
    """`SensingModel` of vibration tags."""

    def reach_m(self, device: DeviceType) -> float:
        return REACH_M

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        assert isinstance(mounted.device, VibrationType)
        out = StayDetection.nobody(len(points))
        on = near_host(mounted.host, points, ON_M)
        out.large[on], out.small[on] = mounted.device.large_share, mounted.device.small_share
        return out


MODEL = VibrationModel()
