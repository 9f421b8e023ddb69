"""What can be set of how a room's light follows its people: figures of the conclusion, and settings of its sensors."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.advice.judging.judge import legal_holds, settable_holds
from vastwatch.advice.simulation.weeks import lighting
from vastwatch.design.edits.expressions import part_at, paths, replaced
from vastwatch.design.expressions import AtLeast, Belief, DoorLatch, Hold, MinimumOn, OnDelay
from vastwatch.design.placed import SENSITIVITIES, own_hold_s, settable_hold, steps_of
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Settings
from vastwatch.design.sentence import part_words
from vastwatch.rehearsal.reactors import sensors_read
from vastwatch.words import duration_words

# A presence whose hold is a parameter is tried at no more of them than this, evenly spread over what is legal.
MOST_HOLDS = 24
# Delays and minimum times that are tried, seconds; probabilities from which somebody is believed to be there, and below
# which no more.
DELAYS_S = (0.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0)
LEAST_S = (0.0, 15.0, 30.0, 60.0, 120.0, 300.0)
ABOVE, BELOW = (0.3, 0.45, 0.6, 0.75, 0.9), (0.003, 0.01, 0.03, 0.06, 0.1, 0.2)
# Sensitivity steps of one sensor that are tried at the most.
MOST_STEPS = 6


@dataclass(frozen=True, eq=False)
class Parameter:
    """One thing to set: `name` in words, the `values` it can have in order, the `place` of today's among them, how a
    value reads, and the project with another. `figure`: it is of the conclusion alone, so that the sensors report as
    they do whatever it is."""

    key: str
    name: str
    values: tuple[float, ...]
    place: int
    figure: bool
    words: Callable[[float], str]
    set: Callable[[Project, float], Project]


def parameters(project: Project, room: str) -> list[Parameter]:
    """All there is to set of the light of a room, the hold first. Raises ValueError as `lighting`."""
    presence = lighting(project, room)
    found = [p for path, part in paths(presence.expr) for p in _of_part(project, room, presence.id, path, part)]
    for sensor in dict.fromkeys(_sensors(project, room)):
        found += _of_sensor(project, sensor)
    # What the light holds last decides most, and comes first.
    return sorted(found, key=lambda p: (not p.figure, not p.key.endswith("seconds")))


def _sensors(project: Project, room: str) -> list[str]:
    return list(sensors_read(lighting(project, room)))


def _of_part(project: Project, room: str, presence: str, path: tuple[int, ...], part: object) -> list[Parameter]:
    expr = find(project.presences, presence).expr

    def made(field: str, name: str, values: tuple[float, ...], words: Callable[[float], str]) -> Parameter:
        now = float(getattr(part, field))
        every = tuple(sorted({*values, now}))

        def set_to(project: Project, value: float) -> Project:
            old = find(project.presences, presence)
            inner = part_at(old.expr, path)
            kept = int(value) if field == "k" else value
            return put(project, replace(old, expr=replaced(old.expr, path, replace(inner, **{field: kept}))))

        key = f"{presence}:{'.'.join(map(str, path))}:{field}"
        return Parameter(key, name, every, every.index(now), True, words, set_to)

    what = part_words(project, expr, (*path, 0)) if isinstance(part, Hold | OnDelay | MinimumOn) else ""
    if isinstance(part, Hold):
        # A hold of the light itself is one that the brief allows.
        holds = legal_holds(project, room) if path in ((), (1,)) else settable_holds()
        return [made("seconds", f"hold of {what}", _spread(holds), duration_words)]
    if isinstance(part, OnDelay):
        return [made("seconds", f"delay of {what}", DELAYS_S, duration_words)]
    if isinstance(part, MinimumOn):
        return [made("seconds", f"least time of {what}", LEAST_S, duration_words)]
    if isinstance(part, AtLeast):
        return [made("k", "how many must agree", tuple(map(float, range(1, len(part.of) + 1))), lambda v: f"{v:.0f}")]
    if isinstance(part, DoorLatch):
        holds = legal_holds(project, room)
        return [
            made("hold_s", "hold with the door open", _spread(holds), duration_words),
            made("settle_s", "settling after the door shuts", DELAYS_S, duration_words),
        ]
    if isinstance(part, Belief):
        return [
            made("off_below", "believed until below", BELOW, _percent),
            made("on_above", "believed from above", ABOVE, _percent),
        ]
    return []


def _spread(holds: NDArray[np.float64]) -> tuple[float, ...]:
    """Some holds of many, evenly over all."""
    picked = np.unique(np.linspace(0, len(holds) - 1, MOST_HOLDS).round().astype(int))
    return tuple(float(h) for h in holds[picked])


def _percent(value: float) -> str:
    return f"{100 * value:.2g} %"


def _of_sensor(project: Project, ident: str) -> list[Parameter]:
    """The sensitivities of a sensor, and its own hold where that can be set."""
    sensor = find(project.sensors, ident)
    device = find(project.devices, sensor.device)
    if sensor.settings.by_hour:
        return []
    out = []
    for field, called in SENSITIVITIES.items():
        steps = steps_of(device, field)
        if steps < 2:
            continue
        now = float(getattr(sensor.settings, field) or 0)
        spread = range(0, steps, max(steps // MOST_STEPS, 1))
        values = tuple(sorted({*map(float, spread), now}))

        def words(value: float, steps: int = steps) -> str:
            return f"{max(steps - value, 1):.0f} of {steps}"

        out.append(_setting(ident, field, f"{called} of {sensor.name}", values, now, words, whole=True))
    if device.hold_max_s is not None:
        now = own_hold_s(device, sensor.settings)
        wanted = (device.hold_min_s, 5.0, 15.0, 30.0, 60.0, 180.0, device.hold_max_s)
        values = tuple(sorted({*(settable_hold(device, w) for w in wanted), now}))
        if len(values) > 1:
            name = f"own hold of {sensor.name}"
            out.append(_setting(ident, "hold_s", name, values, now, duration_words, whole=False))
    return out


def _setting(
    ident: str, field: str, name: str, values: tuple[float, ...], now: float, words: Callable[[float], str],
    whole: bool,
) -> Parameter:  # fmt: skip
    def set_to(project: Project, value: float) -> Project:
        sensor = find(project.sensors, ident)
        settings: Settings = replace(sensor.settings, **{field: int(value) if whole else value})
        return put(project, replace(sensor, settings=settings))

    return Parameter(f"{ident}:{field}", name, values, values.index(now), False, words, set_to)
