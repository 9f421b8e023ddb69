"""What can be set of how a room's light follows its people: figures of the conclusion and of the rows that make the
light, off-delays of the zones that its lamps follow, and settings of its sensors."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.advice.judging.judge import legal_holds, settable_holds
from vastwatch.advice.simulation.room_simulation import lighting_conclusion
from vastwatch.design.edits.expressions import part_at, paths, replaced
from vastwatch.design.expressions import AtLeast, Belief, DoorLatch, Expr, Hold, MinimumOn, OnDelay
from vastwatch.design.ladders import ladder_conclusions, ladder_lamps, rows_of
from vastwatch.design.placed import SENSITIVITIES, own_hold_s, settable_hold, steps_of
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Settings
from vastwatch.design.relations import lamps_in, presence_of
from vastwatch.design.sentence import part_words
from vastwatch.devices.types import ZoneRules
from vastwatch.rehearsal.reaction_inputs import sensors_read
from vastwatch.words import and_list, duration_words

# A presence whose hold is a parameter is tried at no more of them than this, evenly spread over what is legal.
MOST_HOLDS = 24
# Delays and minimum times that are tried, seconds; probabilities from which somebody is estimated to be there, and
# below which no more.
DELAYS_S = (0.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0)
OFF_DELAYS_S = (5.0, 10.0, 15.0, 20.0, 30.0, 45.0, 60.0, 90.0, 120.0, 180.0, 240.0, 300.0, 420.0, 600.0, 900.0)
LEAST_S = (0.0, 15.0, 30.0, 60.0, 120.0, 300.0)
ABOVE, BELOW = (0.3, 0.45, 0.6, 0.75, 0.9), (0.003, 0.01, 0.03, 0.06, 0.1, 0.2)
# Sensitivity steps of one sensor that are tried at the most.
MOST_STEPS = 6


@dataclass(frozen=True, eq=False)
class Parameter:
    """One thing to set: `name` in words, the `values` it can have in order, the `index` of today's among them, how a
    value reads, and the project with another. `figure`: it is of the conclusion alone, so that the sensors report as
    they do whatever it is."""

    key: str
    name: str
    values: tuple[float, ...]
    index: int
    figure: bool
    words: Callable[[float], str]
    set: Callable[[Project, float], Project]

    @property
    def is_time(self) -> bool:
        """Whether its values are seconds."""
        return self.key.endswith(("seconds", "_s"))


def parameters(project: Project, room: str) -> list[Parameter]:
    """All there is to set of the light of a room, the hold first. Raises ValueError as `lighting_conclusion`."""
    presence = lighting_conclusion(project, room)
    found = [*_of_record(project, room, "presences", presence.id), *makers(project, room)]
    for sensor in sensors_read(presence):
        found += _of_sensor(project, sensor)
    # What the light holds last decides most, and comes first.
    return sorted(found, key=lambda p: (not p.figure, not p.key.endswith("seconds")))


def makers(project: Project, room: str) -> list[Parameter]:
    """What makes the light of a room besides what is concluded of it: the off-delay of the zones that its lamps follow,
    then the figures of its rows, and of the room's other conclusions that these name."""
    lighting_it = presence_of(project, room)
    own = None if lighting_it is None else lighting_it.id
    behind = [i for i in ladder_conclusions(project, room) if i != own and find(project.presences, i).room == room]
    return [
        *_of_zones(project, room),
        *(p for row in rows_of(project, room) for p in _of_record(project, room, "rules", row.id)),
        *(p for ident in behind for p in _of_record(project, room, "presences", ident)),
    ]


def _of_zones(project: Project, room: str) -> list[Parameter]:
    """One off-delay of all zones that lamps of a room follow: those that its ladder governs follow none."""
    ruled = {lamp.id for lamp in ladder_lamps(project, room)}
    followed = dict.fromkeys(x.zone for x in lamps_in(project, room) if x.zone is not None and x.id not in ruled)
    if not followed:
        return []
    zones = [find(project.zones, ident) for ident in followed]
    types = [find(project.devices, find(project.sensors, z.sensor).device) for z in zones]
    rules = [getattr(device, "zone_rules", None) or ZoneRules() for device in types]
    longest = min(legal_holds(project, room)[-1], *(r.off_delay_max_s for r in rules))
    now = float(max(r.off_delay_s if z.off_delay_s is None else z.off_delay_s for z, r in zip(zones, rules)))
    values = tuple(sorted({*(v for v in OFF_DELAYS_S if v <= longest), now}))

    def set_to(project: Project, value: float) -> Project:
        for ident in followed:
            project = put(project, replace(find(project.zones, ident), off_delay_s=value))
        return project

    name = f"off-delay of {and_list([z.name for z in zones])}"
    return [Parameter("zones:off_delay_s", name, values, values.index(now), False, duration_words, set_to)]


# Where a record keeps its expression, by the collection that it is in.
_EXPRESSION = {"presences": "expr", "rules": "when"}


def _of_record(project: Project, room: str, collection: str, ident: str) -> Iterator[Parameter]:
    expr: Expr = getattr(find(getattr(project, collection), ident), _EXPRESSION[collection])
    for path, part in paths(expr):
        yield from _of_part(project, room, (collection, ident), path, part)


def _of_part(
    project: Project, room: str, record: tuple[str, str], path: tuple[int, ...], part: object
) -> list[Parameter]:
    collection, ident = record
    field_of = _EXPRESSION[collection]
    own = find(getattr(project, collection), ident)
    expr: Expr = getattr(own, field_of)
    lighting_it = lighting_conclusion(project, room)
    of_row = f", row “{own.name}”" if collection == "rules" else ""

    def made(field: str, name: str, values: tuple[float, ...], words: Callable[[float], str]) -> Parameter:
        now = float(getattr(part, field))
        every = tuple(sorted({*values, now}))

        def set_to(project: Project, value: float) -> Project:
            old = find(getattr(project, collection), ident)
            whole = getattr(old, field_of)
            inner = part_at(whole, path)
            kept = int(value) if field == "k" else value
            return put(project, replace(old, **{field_of: replaced(whole, path, replace(inner, **{field: kept}))}))

        key = f"{ident}:{'.'.join(map(str, path))}:{field}"
        return Parameter(key, f"{name}{of_row}", every, every.index(now), own is lighting_it, words, set_to)

    what = part_words(project, expr, (*path, 0)) if isinstance(part, Hold | OnDelay | MinimumOn) else ""
    if isinstance(part, Hold):
        # A hold of the light itself is one that the brief allows.
        of_light = (own is lighting_it and path in ((), (1,))) or collection == "rules"
        holds = legal_holds(project, room) if of_light else settable_holds()
        return [made("seconds", f"hold time of {what}", _spread(holds), duration_words)]
    if isinstance(part, OnDelay):
        return [made("seconds", f"delay of {what}", DELAYS_S, duration_words)]
    if isinstance(part, MinimumOn):
        return [made("seconds", f"minimum time of {what}", LEAST_S, duration_words)]
    if isinstance(part, AtLeast):
        return [
            made("k", "number that must agree", tuple(map(float, range(1, len(part.of) + 1))), lambda v: f"{v:.0f}")
        ]
    if isinstance(part, DoorLatch):
        holds = legal_holds(project, room)
        return [
            made("hold_s", "hold time with the door open", _spread(holds), duration_words),
            made("settle_s", "settling time after the door shuts", DELAYS_S, duration_words),
        ]
    if isinstance(part, Belief):
        return [
            made("off_below", "occupied until probability falls below", BELOW, _percent),
            made("on_above", "occupied from probability above", ABOVE, _percent),
        ]
    return []


def _spread(holds: NDArray[np.float64]) -> tuple[float, ...]:
    """Some holds of many, evenly over all."""
    picked = np.unique(np.linspace(0, len(holds) - 1, MOST_HOLDS).round().astype(int))
    return tuple(float(h) for h in holds[picked])


def _percent(value: float) -> str:
    return f"{100 * value:.2g} %"


def _of_sensor(project: Project, ident: str) -> list[Parameter]:
    """The sensitivities of a sensor, and its device hold time where that can be set."""
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
            name = f"device hold time of {sensor.name}"
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
