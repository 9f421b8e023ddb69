"""Ladders of rooms and of groups of their lamps: which rows each has, what its scenes ask of which lamps, what all of
it reads, and whether what lights the room can be told apart from what else the rows follow."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.design.conclusions import evaluation_order, references_in, with_dependencies
from vastwatch.design.expressions import AllOf, AnyOf, AtLeast, ConclusionRef, Expr, Not, Report, every_part, parts_of
from vastwatch.design.project import Project, find, indexed
from vastwatch.design.records import LadderRow, Lamp, LampGroup, Scene
from vastwatch.design.relations import by_room, lamps_in, lighting_of, presence_of, sensors_of
from vastwatch.devices import DeviceType
from vastwatch.memo import memoised
from vastwatch.site.building import Circuit

Array = NDArray[np.float64]

# Operators that come to the same whenever they are asked: what they join decides at once.
_AT_ONCE = (AnyOf, AllOf, AtLeast, Not)


def rows_of(project: Project, room: str) -> tuple[LadderRow, ...]:
    """The rows of all ladders of a room, as they stand in the project."""
    return indexed(project.rules, by_room).get(room, ())


def scenes_in(project: Project, room: str) -> tuple[Scene, ...]:
    """The scenes of a room."""
    return indexed(project.scenes, by_room).get(room, ())


def groups_in(project: Project, room: str) -> tuple[LampGroup, ...]:
    """The groups of lamps of a room."""
    return indexed(project.lamp_groups, by_room).get(room, ())


def ladder_rows(project: Project, room: str, group: str | None = None) -> tuple[LadderRow, ...]:
    """The rows of a room's own ladder, or of that of a group of its lamps, from the top."""
    return tuple(row for row in rows_of(project, room) if row.group == group)


def lamps_for(project: Project, room: str, group: str | None = None) -> tuple[Lamp, ...]:
    """The lamps that a room's own ladder may govern, or that of a group: of the group its lamps, of the room all but
    those of groups that have rows."""
    of = None if group is None else find(project.lamp_groups, group)
    return _lamps_for(rows_of(project, room), groups_in(project, room), lamps_in(project, room), of)


def _lamps_for(
    rows: tuple[LadderRow, ...], groups: tuple[LampGroup, ...], lamps: tuple[Lamp, ...], group: LampGroup | None
) -> tuple[Lamp, ...]:
    if group is not None:
        return tuple(lamp for lamp in lamps if lamp.id in group.lamps)
    laddered = {row.group for row in rows}
    taken = {x for g in groups if g.id in laddered for x in g.lamps}
    return tuple(lamp for lamp in lamps if lamp.id not in taken)


class Ladder(NamedTuple):
    """A ladder: of which group of lamps, None for a room's own; its rows from the top, the scene of each, and the lamps
    that it governs."""

    group: LampGroup | None
    rows: tuple[LadderRow, ...]
    scenes: tuple[Scene, ...]
    lamps: tuple[Lamp, ...]


def ladders_in(project: Project, room: str) -> tuple[Ladder, ...]:
    """The ladders of a room that govern any lamp, its own first.

    One governs those of its lamps (`lamps_for`) which any scene of the room names; the others go their own way.
    """
    rows = rows_of(project, room)
    if not rows:
        return ()
    lamps = tuple(as_wired(project, lamp) for lamp in lamps_in(project, room))
    return _ladders(rows, scenes_in(project, room), groups_in(project, room), lamps)


@memoised
def _ladders(
    rows: tuple[LadderRow, ...], scenes: tuple[Scene, ...], groups: tuple[LampGroup, ...], lamps: tuple[Lamp, ...]
) -> tuple[Ladder, ...]:
    named = {x.lamp for scene in scenes for x in scene.levels}
    out = []
    for group in (None, *groups):
        mine = tuple(row for row in rows if row.group == (None if group is None else group.id))
        of = tuple(x for x in _lamps_for(rows, groups, lamps, group) if x.id in named)
        if mine and of:
            out.append(Ladder(group, mine, tuple(find(scenes, row.scene) for row in mine), of))
    return tuple(out)


def ladder_lamps(project: Project, room: str) -> tuple[Lamp, ...]:
    """The lamps that any ladder of a room governs."""
    return tuple(lamp for ladder in ladders_in(project, room) for lamp in ladder.lamps)


def as_wired(project: Project, lamp: Lamp) -> Lamp:
    """A lamp as it is on behind what switches it: a module that only switches does not let it be dimmed."""
    return _as_wired(lamp, project.circuits, project.devices)


@memoised
def _as_wired(lamp: Lamp, circuits: tuple[Circuit, ...], devices: tuple[DeviceType, ...]) -> Lamp:
    module = next((c.module for c in circuits if lamp.id in c.lamps), None)
    device = next((d for d in devices if d.id == module), None)
    if not lamp.dims or device is None or getattr(device, "dims", False):
        return lamp
    return replace(lamp, dims=False)


class SceneLevels(NamedTuple):
    """What the rows of a ladder ask of its lamps, and last what none asks, (rows + 1, lamps): how far each is on, and
    within how many seconds it goes there."""

    goals: Array
    fades: Array


# Where no row says how fast, lamps go out within this, seconds.
OUT_S = 0.0


def scene_levels(lamps: tuple[Lamp, ...], scenes: tuple[Scene, ...]) -> SceneLevels:
    """What the scenes of some rows ask of some lamps. What a scene does not name goes off as fast as the slowest of
    that scene fades; a lamp that cannot be dimmed is on or off."""
    place = {lamp.id: k for k, lamp in enumerate(lamps)}
    goals, fades = np.zeros((len(scenes) + 1, len(lamps))), np.full((len(scenes) + 1, len(lamps)), OUT_S)
    for n, scene in enumerate(scenes):
        fades[n] = max((x.fade_s for x in scene.levels), default=OUT_S)
        for x in scene.levels:
            k = place.get(x.lamp)
            if k is not None:
                goals[n, k] = achievable_level(lamps[k], x.level)
                fades[n, k] = x.fade_s
    return SceneLevels(goals, fades)


def achievable_level(lamp: Lamp, level: float) -> float:
    """How far a lamp is on that is asked for a level: one that cannot be dimmed all or not at all, one that flickers
    below its least level at that."""
    if level <= 0:
        return 0.0
    return max(level, lamp.least_level) if lamp.dims else 1.0


def ladder_conclusions(project: Project, room: str) -> tuple[str, ...]:
    """The conclusions that the rows of a room's ladders name, themselves and through each other, in order."""
    wanted = {ident for row in rows_of(project, room) for ident in references_in(row.when)}
    ordered = evaluation_order(project).sound
    for p in reversed(ordered):
        if p.id in wanted:
            wanted.update(references_in(p.expr))
    return tuple(p.id for p in ordered if p.id in wanted)


def ladder_sensors(project: Project, room: str, told: str | None = None) -> tuple[str, ...]:
    """Return the sensors that a room's ladder rows read, directly or through conclusions, and its darkness sensors,
    each once. The conclusion `told` is not followed."""
    own = (part.sensor for row in rows_of(project, room) for part in every_part(row.when) if isinstance(part, Report))
    behind = (ident for ident in ladder_conclusions(project, room) if ident != told)
    named = (s for ident in behind for s in sensors_of(find(project.presences, ident)))
    lighting = presence_of(project, room)
    asking = (*(row.when for row in rows_of(project, room)), *(() if lighting is None else (lighting.expr,)))
    parts = (part for expr in asking for part in every_part(expr))
    asked_of = dict.fromkeys((room, *(r for part in parts if (r := getattr(part, "room", None)) is not None)))
    sources = (
        source.sensor
        for r in project.rooms
        if r.id in asked_of and (source := r.darkness) is not None and source.sensor is not None
    )
    return tuple(dict.fromkeys((*own, *named, *sources)))


def dependent_conclusions(project: Project, room: str) -> tuple[str, ...]:
    """The conclusions that depend on the one which lights a room, itself first."""
    lighting = lighting_of(project, room)
    if lighting is None:
        return ()
    return tuple(
        p.id for p in evaluation_order(project).sound if lighting.id in {x.id for x in with_dependencies(project, p)}
    )


def delayed_rows(project: Project, room: str) -> list[LadderRow]:
    """Rows that put a delay, a hold or the like of their own about the conclusion which lights the room: how the room
    would do with another hold cannot be told apart from theirs."""
    mine = set(dependent_conclusions(project, room))
    late = {p for p in mine if not _at_once(find(project.presences, p).expr, mine)}
    lighting = lighting_of(project, room)
    late -= set() if lighting is None else {lighting.id}
    return [
        row for row in rows_of(project, room) if not _at_once(row.when, mine) or late & set(_through(project, row.when))
    ]


def _through(project: Project, expr: Expr) -> Iterator[str]:
    for ident in references_in(expr):
        yield ident
        lights = find(project.presences, ident)
        if lights is not presence_of(project, lights.room or ""):
            yield from _through(project, lights.expr)


def _at_once(expr: Expr, mine: set[str]) -> bool:
    """Whether nothing but what decides at once stands about the conclusions of a set."""
    if isinstance(expr, ConclusionRef) or not any(ident in mine for ident in references_in(expr)):
        return True
    return isinstance(expr, _AT_ONCE) and all(_at_once(part, mine) for part in parts_of(expr))
