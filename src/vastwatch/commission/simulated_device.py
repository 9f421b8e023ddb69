"""A simulated tracking radar for a walk: the stand-in for the one on the wall, which is mounted a little off the plan.

Somebody sits or stands at each spot of its room that it notices, for a while each, and walks from one to the next.
"""

from __future__ import annotations

import math

import numpy as np

from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.rng import key_of, normal, uniform
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import CHEST_M, WANDER_S, Pose, ReadingNoise, noisy_readings, scatter_of

# Seconds at each spot and on the way to the next; how far off it is mounted, at the most: degrees, metres, metres.
STAY_S, WAY_S = 60, 8
OFF_DEG, OFF_M, OFF_BIAS_M = 8.0, 0.2, 0.1


def true_pose(project: Project, sensor: Sensor, seed: int) -> Pose:
    """Where the simulated device really is mounted, for a seed. Raises ValueError for one that tells no places."""
    known = zoned_sensor(project, sensor)
    if known is None or known.device.reports != "xy":
        raise ValueError(f"{sensor.name} does not report positions")
    u = 2.0 * uniform(key_of(seed, sensor.id, "hangs"), np.arange(4)) - 1.0
    p = known.pose
    return Pose(p.x + OFF_M * u[0], p.y + OFF_M * u[1], p.height, p.yaw + OFF_DEG * u[2], p.bias + OFF_BIAS_M * u[3])


class SimulatedDevice:
    """A simulated device that is read second by second, while somebody goes from place to place. `marks`: since which
    second they said they were where."""

    def __init__(self, project: Project, sensor: Sensor, seed: int = 1) -> None:
        """Raises ValueError for one that tells no places."""
        self.pose = true_pose(project, sensor, seed)
        known = zoned_sensor(project, sensor)
        assert known is not None
        self._scatter = scatter_of(known.device)
        self._key = key_of(seed, sensor.id, "live")
        self._wander = [0.0, 0.0]
        self.at: tuple[float, float] | None = None
        self._chest = CHEST_M["standing"]
        self.marks: list[tuple[int, str]] = []
        self.read: list[tuple[int, float, float]] = []
        self.second = 0

    def go(self, at: tuple[float, float], posture: str, mark: str) -> None:
        """Somebody is at a place from now on, and says so by its name."""
        self.at, self._chest = at, CHEST_M[posture]
        self.marks.append((self.second, mark))

    def tick(self) -> tuple[float, float] | None:
        """A second passes; what is read in it, metres, or None while nobody is there."""
        self.second += 1
        if self.at is None:
            return None
        fresh = [float(normal(self._key, np.array([4 * self.second + k]))[0]) for k in range(4)]
        rho = math.exp(-1.0 / WANDER_S)
        for axis in (0, 1):
            # Anybody who has just come wanders from wherever they came to be.
            old = self._wander[axis]
            self._wander[axis] = rho * old + math.sqrt(1.0 - rho * rho) * fresh[axis] if self.read else fresh[axis]
        drawn = ReadingNoise(*(np.array([v]) for v in (*self._wander, fresh[2], fresh[3])))
        x, y = noisy_readings(self.pose, self._scatter, np.array([self.at]), np.array([self._chest]), drawn)[0].tolist()
        self.read.append((self.second, x, y))
        return x, y

    def text(self) -> str:
        """What was read as a log: CSV in centimetres, t, target, x, y, mark."""
        lines, marks = ["t,target,x_cm,y_cm,mark"], list(self.marks)
        for t, x, y in self.read:
            mark = ""
            while marks and marks[0][0] < t:
                mark = marks.pop(0)[1]
            # A mark may be a place, x,y.
            said = f'"{mark}"' if mark else ""
            lines.append(f"{t},1,{100 * x:.0f},{100 * y:.0f},{said}")
        return "\n".join(lines) + "\n"


def simulate_walk(project: Project, sensor: Sensor, seed: int = 1, true: Pose | None = None) -> str:
    """The log of a walk past the simulated device, as CSV in centimetres: t, target, x, y, mark. Raises ValueError
    where it notices nobody who stays."""
    known = zoned_sensor(project, sensor)
    pose = true_pose(project, sensor, seed) if true is None else true
    if known is None or not known.spots:
        raise ValueError(f"{sensor.name} notices nobody who stays")
    places, chest, marks = [], [], []
    for k, spot in enumerate(known.spots):
        if k:
            way = np.linspace(known.spots[k - 1].at, spot.at, WAY_S + 2)[1:-1]
            places += [(float(x), float(y)) for x, y in way]
            chest += [CHEST_M["standing"]] * WAY_S
            marks += ["walking"] * WAY_S
        places += [spot.at] * STAY_S
        chest += [CHEST_M[spot.posture]] * STAY_S
        marks += [spot.id] * STAY_S
    t = np.arange(len(places))
    key = key_of(seed, sensor.id, "walk")
    fresh = [normal(key, 4 * t + k) for k in range(4)]
    rho = math.exp(-1.0 / WANDER_S)
    for axis in (0, 1):
        for k in range(1, len(t)):
            fresh[axis][k] = rho * fresh[axis][k - 1] + math.sqrt(1.0 - rho * rho) * fresh[axis][k]
    read = noisy_readings(pose, scatter_of(known.device), np.array(places), np.array(chest), ReadingNoise(*fresh))
    lines, last = ["t,target,x_cm,y_cm,mark"], ""
    for k, (x, y) in enumerate(100.0 * read):
        mark = marks[k] if marks[k] != last else ""
        last = marks[k]
        lines.append(f"{k},1,{x:.0f},{y:.0f},{mark}")
    return "\n".join(lines) + "\n"
