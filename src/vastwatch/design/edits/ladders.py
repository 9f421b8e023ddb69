"""Editing scenes, groups of lamps, the rows of ladders, and buttons."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from vastwatch.design.expressions import Expr
from vastwatch.design.ladders import groups_in, ladder_rows, lamps_for, scenes_in
from vastwatch.design.project import Project, clean_name, find, fresh_id, put, unique_name
from vastwatch.design.records import Button, LadderRow, LampGroup, LampLevel, Scene
from vastwatch.design.references import without
from vastwatch.design.relations import lamps_in
from vastwatch.site.record import Point


def add_scene(
    project: Project, room: str, name: str, levels: dict[str, float], fade_s: float = 2.0
) -> tuple[Project, Scene]:
    """Another scene of a room, by lamp ids; numbered on where its name is taken there. Raises ValueError for a lamp of
    another room."""
    _of_room(project, room, levels)
    name = unique_name(name, (s.name for s in scenes_in(project, room)))
    made = Scene(
        id=fresh_id(project, f"scene {name}"), room=room, name=name,
        levels=tuple(LampLevel(lamp=x, level=_share(level), fade_s=max(fade_s, 0.0)) for x, level in levels.items()),
    )  # fmt: skip
    return replace(project, scenes=(*project.scenes, made)), made


def set_level(project: Project, scene: str, lamp: str, level: float) -> Project:
    """How far a lamp is on in a scene, 0 to 1; with the fade of the scene's others where it had none there. Raises
    ValueError for a lamp of another room."""
    record = find(project.scenes, scene)
    _of_room(project, record.room, (lamp,))
    level = _share(level)
    if any(x.lamp == lamp for x in record.levels):
        levels = tuple(replace(x, level=level) if x.lamp == lamp else x for x in record.levels)
    else:
        fade_s = max((x.fade_s for x in record.levels), default=0.0)
        levels = (*record.levels, LampLevel(lamp=lamp, level=level, fade_s=fade_s))
    return put(project, replace(record, levels=levels))


def set_fade(project: Project, scene: str, seconds: float) -> Project:
    """How slowly a scene is gone to, all its lamps alike."""
    record = find(project.scenes, scene)
    return put(project, replace(record, levels=tuple(replace(x, fade_s=max(seconds, 0.0)) for x in record.levels)))


def _share(level: float) -> float:
    return min(max(level, 0.0), 1.0)


def _of_room(project: Project, room: str, lamps: Iterable[str]) -> None:
    """Raises ValueError for a lamp that is not in a room."""
    there = {x.id for x in lamps_in(project, room)}
    if any(lamp not in there for lamp in lamps):
        raise ValueError("a scene can only use lamps of its own room")


def add_row(
    project: Project, room: str, name: str, when: Expr, scene: str, at: int | None = None, group: str | None = None
) -> tuple[Project, LadderRow]:
    """Another row of a room's ladder, or of that of a group of its lamps, at a place from the top, by default the last.
    Raises ValueError for a scene of another room."""
    if find(project.scenes, scene).room != room:
        raise ValueError("a row must use a scene of its own room")
    ident = fresh_id(project, f"row {name or 'ladder'}")
    made = LadderRow(id=ident, room=room, group=group, name=name, when=when, scene=scene)
    mine = ladder_rows(project, room, group)
    at = len(mine) if at is None else min(max(at, 0), len(mine))
    return _in_order(project, mine, (*mine[:at], made, *mine[at:])), made


def move_row(project: Project, row: str, at: int) -> Project:
    """A row at another place of its ladder, from the top; what is beyond either end is the end."""
    rule = find(project.rules, row)
    mine = ladder_rows(project, rule.room, rule.group)
    others = [x for x in mine if x is not rule]
    at = min(max(at, 0), len(others))
    new = (*others[:at], rule, *others[at:])
    return project if new == mine else _in_order(project, mine, new)


def _in_order(project: Project, old: tuple[LadderRow, ...], new: tuple[LadderRow, ...]) -> Project:
    """With the rows of a ladder in another order, or others, where its first one stood; all others as they are."""
    was = {row.id for row in old}
    first = next((k for k, x in enumerate(project.rules) if x.id in was), len(project.rules))
    others = [x for x in project.rules[first:] if x.id not in was]
    return replace(project, rules=(*project.rules[:first], *new, *others))


def set_row(project: Project, row: str, **changes: Any) -> Project:
    """A row with another name, condition or scene. Raises ValueError for a scene of another room."""
    rule = find(project.rules, row)
    scene = changes.get("scene")
    if scene is not None and find(project.scenes, scene).room != rule.room:
        raise ValueError("a row must use a scene of its own room")
    return put(project, replace(rule, **changes))


def remove_row(project: Project, row: str) -> Project:
    """Without a row, and without its scene where nothing else asks for it."""
    rule = find(project.rules, row)
    rules = tuple(x for x in project.rules if x is not rule)
    used = {x.scene for x in rules} | {b.scene for b in project.buttons}
    scenes = tuple(s for s in project.scenes if s.id != rule.scene or s.id in used)
    return replace(project, rules=rules, scenes=scenes)


def rename_scene(project: Project, scene: str, name: str) -> Project:
    """A scene by another name. Raises ValueError for one that is none."""
    name = clean_name(name)
    if not name:
        raise ValueError("a scene needs a name")
    return put(project, replace(find(project.scenes, scene), name=name))


def with_ladder(
    project: Project, room: str, rows: list[tuple[str, Expr, str, dict[str, float], float]], group: str | None = None
) -> Project:
    """A room, or a group of its lamps, with this ladder in place of its own: names, conditions, scenes' names, levels
    by lamp, and fades."""
    gone = {r.id for r in ladder_rows(project, room, group)}
    rules = tuple(r for r in project.rules if r.id not in gone)
    asked = {r.scene for r in rules} | {b.scene for b in project.buttons}
    scenes = tuple(s for s in project.scenes if s.room != room or s.id in asked)
    project = replace(project, rules=rules, scenes=scenes)
    for name, when, called, levels, fade_s in rows:
        project, scene = add_scene(project, room, called, levels, fade_s)
        project, _ = add_row(project, room, name, when, scene.id, group=group)
    return project


def add_group(project: Project, room: str, name: str, lamps: tuple[str, ...]) -> tuple[Project, LampGroup]:
    """Lamps of a room as a group, for a ladder of their own; they leave the groups that they were in. Raises ValueError
    for no lamp, or one of another room."""
    name = unique_name(name, (g.name for g in groups_in(project, room)))
    made = LampGroup(id=fresh_id(project, f"lamps {name}"), room=room, name=name)
    return group_lamps(replace(project, lamp_groups=(*project.lamp_groups, made)), made.id, lamps), made


def group_lamps(project: Project, group: str, lamps: tuple[str, ...]) -> Project:
    """A group of these lamps; they leave the groups that they were in. Raises ValueError for no lamp, or one of another
    room."""
    record = find(project.lamp_groups, group)
    there = [x.id for x in lamps_in(project, record.room)]
    if not lamps or any(x not in there for x in lamps):
        raise ValueError("a group needs at least one lamp of its room")
    new = tuple(
        replace(g, lamps=tuple(x for x in there if x in lamps))
        if g.id == group
        else replace(g, lamps=tuple(x for x in g.lamps if x not in lamps))
        for g in project.lamp_groups
    )
    return replace(project, lamp_groups=new)


def rename_group(project: Project, group: str, name: str) -> Project:
    """A group of lamps by another name. Raises ValueError for one that is none."""
    name = clean_name(name)
    if not name:
        raise ValueError("a group of lamps needs a name")
    return put(project, replace(find(project.lamp_groups, group), name=name))


def remove_group(project: Project, group: str) -> Project:
    """Without a group and its ladder: its lamps are the room's again. Scenes that nothing else asks for go along."""
    record = find(project.lamp_groups, group)
    for row in ladder_rows(project, record.room, group):
        project = remove_row(project, row.id)
    return without(project, [group])


def add_button(project: Project, room: str, at: Point, name: str = "") -> tuple[Project, Button]:
    """Another button of a room."""
    name = unique_name(name or f"{find(project.rooms, room).name} button", (b.name for b in project.buttons))
    made = Button(id=fresh_id(project, "button"), room=room, name=name, at=at)
    return replace(project, buttons=(*project.buttons, made)), made


def full(project: Project, room: str, group: str | None = None) -> dict[str, float]:
    """All lamps that a room's own ladder may govern at full, or all of a group."""
    return {lamp.id: 1.0 for lamp in lamps_for(project, room, group)}
