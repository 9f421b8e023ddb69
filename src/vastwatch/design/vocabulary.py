"""What a part of a conclusion could say instead: what its sensors, zones, other conclusions, the clock and the dark
offer, and nothing that cannot be."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from vastwatch.design.conclusions import allowed_references
from vastwatch.design.edits.expressions import WRAPS, Path, part_at, without_part
from vastwatch.design.edits.sensors import readable_sensors
from vastwatch.design.expressions import (
    Belief,
    ClockTime,
    ConclusionRef,
    Dark,
    DoorLatch,
    Expr,
    Fact,
    MinimumOn,
    Not,
    Nothing,
    OnDelay,
    Report,
    StartKeep,
)
from vastwatch.design.needs import used_by_people
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion, Sensor
from vastwatch.design.sentence import leaf_words

# A window of the clock that is put in begins and ends so.
NIGHT = ClockTime(begin="22:30", end="06:30")


class PartChoice(NamedTuple):
    """Something a part could say: under which heading it is offered, in which words."""

    heading: str
    words: str
    expr: Expr


def part_choices(project: Project, presence: Conclusion, path: Path = ()) -> list[PartChoice]:
    """What the part at a path could say instead, or another beside it. Within an occupancy probability only sensors can
    be weighed."""
    weighed = any(isinstance(part_at(presence.expr, path[:k]), Belief) for k in range(len(path)))
    found = _sensors(project, presence)
    if not weighed:
        found = [*found, *_others(project, presence)]
    return found


def _sensors(project: Project, presence: Conclusion) -> list[PartChoice]:
    if presence.room is not None:
        near: list[Sensor] = readable_sensors(project, presence.room)
    elif presence.level is not None:
        near = [s for s in project.sensors if s.level == presence.level]
    else:
        near = list(project.sensors)
    mine = {s.id for s in near}
    every = [*near, *(s for s in project.sensors if s.id not in mine)]
    out = []
    for sensor in every:
        room = room_of(project, sensor)
        heading = "Sensors" if sensor.id in mine else f"Elsewhere: {'' if room is None else room.name}"
        device = find(project.devices, sensor.device)
        if not device.on_off:
            continue
        said = [Report(sensor=sensor.id)]
        if device.tells_state:
            said += [Report(sensor=sensor.id, state=state) for state in ("moving", "still")]
        said += [Report(sensor=sensor.id, zone=z.id) for z in project.zones if z.sensor == sensor.id]
        out += [PartChoice(heading, leaf_words(project, each), each) for each in said]
    return out


def _others(project: Project, presence: Conclusion) -> Iterator[PartChoice]:
    for other in allowed_references(project, presence):
        named = ConclusionRef(presence=other.id)
        yield PartChoice("Conclusions", leaf_words(project, named), named)
    yield PartChoice("Clock and daylight", leaf_words(project, NIGHT), NIGHT)
    if presence.room is not None:
        dark = Dark(room=presence.room)
        yield PartChoice("Clock and daylight", leaf_words(project, dark), dark)
    used = used_by_people(project)
    for room in dict.fromkeys(s.room for s in project.spots if s.activity == "film" and s.id in used):
        for fact in (Fact(what="film", room=room), Fact(what="paused", room=room)):
            yield PartChoice("Stored facts", leaf_words(project, fact), fact)
    for room in dict.fromkeys(s.room for s in project.spots if s.calls_per_hour > 0 and s.id in used):
        call = Fact(what="call", room=room)
        yield PartChoice("Stored facts", leaf_words(project, call), call)


# What wrapping a part in an operator is offered as.
WRAP_WORDS = {
    "hold": "With a hold time", "on_delay": "On-delay", "minimum_on": "Minimum duration",
    "not": "Not", "start_keep": "One starts, another keeps", "door_latch": "Latched by a door",
}  # fmt: skip


def wraps(project: Project, presence: Conclusion, path: Path) -> list[str]:
    """The operators that the part at a path could be wrapped in: none within an occupancy probability, no delay of a
    delay, a door latch only where a contact watches one of the room's doors."""
    if any(isinstance(part_at(presence.expr, path[:k]), Belief) for k in range(len(path))):
        return []
    part = part_at(presence.expr, path)
    if isinstance(part, Nothing):
        return []
    out = []
    for kind in WRAPS:
        if kind == "on_delay" and isinstance(part, OnDelay):
            continue
        if kind == "minimum_on" and isinstance(part, MinimumOn):
            continue
        if kind == "start_keep" and isinstance(part, StartKeep | Not | ClockTime | Dark):
            continue
        if kind == "door_latch" and (not doors_of(project, presence) or isinstance(part, DoorLatch | StartKeep)):
            continue
        out.append(kind)
    return out


def doors_of(project: Project, presence: Conclusion) -> list[Report]:
    """The contacts on the doors of a conclusion's room."""
    if presence.room is None:
        return []
    return [
        Report(sensor=s.id)
        for s in readable_sensors(project, presence.room)
        if find(project.devices, s.device).at_doors
    ]


def is_removable(presence: Conclusion, path: Path) -> bool:
    """Whether something is left without the part at a path."""
    return without_part(presence.expr, path) is not None
