"""Plugs with a meter: a machine in use has somebody at it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.devices import DeviceType
from vastwatch.sensing.bodies import Stayer
from vastwatch.sensing.host_bound import HostBoundModel
from vastwatch.sensing.hosts import near_host
from vastwatch.sensing.model import SURE_PER_S, MountedSensor, StayDetection

Array = NDArray[np.float64]

# A machine in use has somebody this near its outline, metres.
AT_MACHINE_M = 0.9


class PlugModel(HostBoundModel):
    """`SensingModel` of plugs with a meter."""

    def reach_m(self, device: DeviceType) -> float:
        return AT_MACHINE_M

    def stay(self, mounted: MountedSensor, points: Array, stayer: Stayer) -> StayDetection:
        out = StayDetection.nobody(len(points))
        out.still_per_s[near_host(mounted.host, points, AT_MACHINE_M)] = SURE_PER_S
        return out


MODEL = PlugModel()
