"""Who belongs to whom: the questions everybody asks of a project, answered through indices.

An index is kept with the tuple it was made of, so that asking costs nothing until one of its records changes.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from vastwatch.design.expressions import Nothing
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find, indexed
from vastwatch.design.records import Button, Conclusion, Lamp, Output
from vastwatch.site.building import Level, Room, Spot


def by_room(records: tuple[Any, ...]) -> dict[str, tuple[Any, ...]]:
    """Records by the room that they are of."""
    out: dict[str, list[Any]] = {}
    for r in records:
        out.setdefault(r.room, []).append(r)
    return {room: tuple(some) for room, some in out.items()}


def presences_in(project: Project, room: str) -> tuple[Conclusion, ...]:
    """The conclusions about a room and its zones."""
    return indexed(project.presences, by_room).get(room, ())


def presence_of(project: Project, room: str) -> Conclusion | None:
    """The conclusion that a room's outputs follow, or None while there is none, or nothing tells it anything."""
    found = lighting_of(project, room)
    return None if found is None or isinstance(found.expr, Nothing) else found


def lighting_of(project: Project, room: str) -> Conclusion | None:
    """The conclusion that a room's outputs are to follow, even while nothing tells it anything."""
    return next((p for p in presences_in(project, room) if p.lights), None)


def sensors_of(presence: Conclusion) -> tuple[str, ...]:
    """The sensors a conclusion itself reads, each once, in its own order."""
    return tuple(dict.fromkeys(report.sensor for report in reports(presence.expr)))


def lamps_in(project: Project, room: str) -> tuple[Lamp, ...]:
    """The lamps that light a room."""
    return indexed(project.lamps, by_room).get(room, ())


def outputs(project: Project) -> Iterator[Output]:
    """Everything that the house switches: lamps, then whatever else."""
    yield from project.lamps
    yield from project.outputs


def outputs_in(project: Project, room: str) -> tuple[Output, ...]:
    """Everything in a room that the house switches."""
    return (*lamps_in(project, room), *indexed(project.outputs, by_room).get(room, ()))


def buttons_in(project: Project, room: str) -> tuple[Button, ...]:
    """The buttons of a room."""
    return indexed(project.buttons, by_room).get(room, ())


def levels_in_order(project: Project) -> tuple[Level, ...]:
    """The levels from the lowest to the highest."""
    return indexed(project.levels, _by_elevation)


def _by_elevation(levels: tuple[Level, ...]) -> tuple[Level, ...]:
    return tuple(sorted(levels, key=lambda level: level.elevation))


def built_below(project: Project, level: str) -> Level | None:
    """The nearest lower level, if it has rooms. Raises KeyError for a level that is not there."""
    order = levels_in_order(project)
    shown = order[level_number(project, level)]
    below = [each for each in order if each.elevation < shown.elevation]
    return below[-1] if below and rooms_on(project, below[-1].id) else None


def level_number(project: Project, level: str) -> int:
    """A level's place among them, from 0 for the lowest. Raises KeyError for one that is not there."""
    for i, each in enumerate(levels_in_order(project)):
        if each.id == level:
            return i
    raise KeyError(level)


def rooms_on(project: Project, level: str) -> tuple[Room, ...]:
    """The rooms of a level."""
    return indexed(project.rooms, _by_level).get(level, ())


def _by_level(records: tuple[Any, ...]) -> dict[str, tuple[Any, ...]]:
    out: dict[str, list[Any]] = {}
    for r in records:
        out.setdefault(r.level, []).append(r)
    return {level: tuple(some) for level, some in out.items()}


def readers_of(project: Project, sensor: str) -> tuple[Conclusion, ...]:
    """The presences that read a sensor."""
    return indexed(project.presences, _readers).get(sensor, ())


def _readers(presences: tuple[Conclusion, ...]) -> dict[str, tuple[Conclusion, ...]]:
    out: dict[str, list[Conclusion]] = {}
    for p in presences:
        for sensor in sensors_of(p):
            out.setdefault(sensor, []).append(p)
    return {sensor: tuple(some) for sensor, some in out.items()}


def spots_on(project: Project, level: str) -> list[Spot]:
    """The spots of a level."""
    return [s for s in project.spots if find(project.rooms, s.room).level == level]
