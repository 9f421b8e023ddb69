"""Editing scenes, the rows of ladders, and buttons."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from vastwatch.design.expressions import Expr
from vastwatch.design.ladders import rows_of, scenes_in
from vastwatch.design.project import Project, find, fresh_id, numbered, put
from vastwatch.design.records import Button, LampLevel, Rule, Scene
from vastwatch.design.relations import lamps_in
from vastwatch.site.record import Point


def add_scene(
    project: Project, room: str, name: str, levels: dict[str, float], fade_s: float = 2.0
) -> tuple[Project, Scene]:
    """Another scene of a room, by lamp ids; numbered on where its name is taken there."""
    name = numbered(name, (s.name for s in scenes_in(project, room)))
    made = Scene(
        id=fresh_id(project, f"scene {name}"), room=room, name=name,
        levels=tuple(LampLevel(lamp=lamp, level=level, fade_s=fade_s) for lamp, level in levels.items()),
    )  # fmt: skip
    return replace(project, scenes=(*project.scenes, made)), made


def set_level(project: Project, scene: str, lamp: str, level: float) -> Project:
    """How far a lamp burns in a scene, 0 to 1; with the fade of the scene's others where it had none there."""
    record = find(project.scenes, scene)
    level = min(max(level, 0.0), 1.0)
    if any(x.lamp == lamp for x in record.levels):
        levels = tuple(replace(x, level=level) if x.lamp == lamp else x for x in record.levels)
    else:
        fade_s = max((x.fade_s for x in record.levels), default=0.0)
        levels = (*record.levels, LampLevel(lamp=lamp, level=level, fade_s=fade_s))
    return put(project, replace(record, levels=levels))


def set_fade(project: Project, scene: str, seconds: float) -> Project:
    """How slowly a scene is gone to, all its lamps alike."""
    record = find(project.scenes, scene)
    return put(project, replace(record, levels=tuple(replace(x, fade_s=seconds) for x in record.levels)))


def add_row(
    project: Project, room: str, name: str, when: Expr, scene: str, at: int | None = None
) -> tuple[Project, Rule]:
    """Another row of a room's ladder, at a place from the top, by default the last. Raises ValueError for a scene of
    another room."""
    if find(project.scenes, scene).room != room:
        raise ValueError("a row asks for a scene of its own room")
    made = Rule(id=fresh_id(project, f"row {name or 'ladder'}"), room=room, name=name, when=when, scene=scene)
    mine = rows_of(project, room)
    at = len(mine) if at is None else min(max(at, 0), len(mine))
    return _in_order(project, room, (*mine[:at], made, *mine[at:])), made


def move_row(project: Project, row: str, at: int) -> Project:
    """A row at another place of its ladder, from the top; what is beyond either end is the end."""
    rule = find(project.rules, row)
    others = [x for x in rows_of(project, rule.room) if x is not rule]
    at = min(max(at, 0), len(others))
    new = (*others[:at], rule, *others[at:])
    return project if new == rows_of(project, rule.room) else _in_order(project, rule.room, new)


def _in_order(project: Project, room: str, rows: tuple[Rule, ...]) -> Project:
    """With the rows of a room in this order, where its first one stood; the other rooms' as they are."""
    rules = list(project.rules)
    first = next((k for k, x in enumerate(rules) if x.room == room), len(rules))
    others_before = [x for x in rules[:first] if x.room != room]
    others_after = [x for x in rules[first:] if x.room != room]
    return replace(project, rules=(*others_before, *rows, *others_after))


def set_row(project: Project, row: str, **changes: Any) -> Project:
    """A row with another name, condition or scene. Raises ValueError for a scene of another room."""
    rule = find(project.rules, row)
    scene = changes.get("scene")
    if scene is not None and find(project.scenes, scene).room != rule.room:
        raise ValueError("a row asks for a scene of its own room")
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
    name = " ".join(name.split())[:80]
    if not name:
        raise ValueError("a scene needs a name")
    return put(project, replace(find(project.scenes, scene), name=name))


def with_ladder(project: Project, room: str, rows: list[tuple[str, Expr, str, dict[str, float], float]]) -> Project:
    """A room with this ladder in place of its own: names, conditions, scenes' names, levels by lamp, and fades."""
    gone = {r.id for r in rows_of(project, room)}
    pressed = {b.scene for b in project.buttons}
    project = replace(
        project, rules=tuple(r for r in project.rules if r.id not in gone),
        scenes=tuple(s for s in project.scenes if s.room != room or s.id in pressed),
    )  # fmt: skip
    for name, when, called, levels, fade_s in rows:
        project, scene = add_scene(project, room, called, levels, fade_s)
        project, _ = add_row(project, room, name, when, scene.id)
    return project


def add_button(project: Project, room: str, at: Point, name: str = "") -> tuple[Project, Button]:
    """Another button of a room."""
    name = numbered(name or f"{find(project.rooms, room).name} button", (b.name for b in project.buttons))
    made = Button(id=fresh_id(project, "button"), room=room, name=name, at=at)
    return replace(project, buttons=(*project.buttons, made)), made


def full(project: Project, room: str) -> dict[str, float]:
    """All lamps of a room at full."""
    return {lamp.id: 1.0 for lamp in lamps_in(project, room)}
