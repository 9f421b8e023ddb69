"""Edits of whole conclusions: a new one, which of a room's its lamps follow, and what one says."""

from __future__ import annotations

from msgspec.structs import replace

from vastwatch.design.conclusions import evaluation_order
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.expressions import Expr
from vastwatch.design.project import Project, find, fresh_id, put, unique_name
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import lighting_of


def set_expr(project: Project, presence: str, expr: Expr) -> Project:
    """Let a conclusion say something else. Raises ValueError where it would go in a circle that was not there."""
    new = put(project, replace(find(project.presences, presence), expr=expr))
    if len(evaluation_order(new).circles) > len(evaluation_order(project).circles):
        circle = next(c for c in evaluation_order(new).circles if any(p.id == presence for p in c))
        raise ValueError(f"circular reference: {' names '.join(f'“{p.name}”' for p in (*circle, circle[0]))}")
    return new


def add_conclusion(
    project: Project, name: str, expr: Expr, room: str | None = None, level: str | None = None
) -> tuple[Project, Conclusion]:
    """A further conclusion, about a room, a level or the house; it lights its room where nothing does yet."""
    lights = room is not None and lighting_of(project, room) is None
    made = Conclusion(
        id=fresh_id(project, f"concluded-{room or level or 'house'}"), room=room, level=level,
        name=unique_name(name, (p.name for p in project.presences)), lights=lights, expr=expr,
    )  # fmt: skip
    return replace(project, presences=(*project.presences, made)), made


def set_lighting_conclusion(project: Project, presence: str) -> Project:
    """Let the lamps of its room follow a conclusion, in place of that which they followed. Raises ValueError for one
    that is about no room."""
    chosen = find(project.presences, presence)
    if chosen.room is None:
        raise ValueError(f"“{chosen.name}” is not about a room whose lamps could follow it")
    return replace(
        project,
        presences=tuple(
            replace(p, lights=p.id == presence) if p.room == chosen.room and p.lights != (p.id == presence) else p
            for p in project.presences
        ),
    )


def set_holds(project: Project, holds: dict[str, float]) -> Project:
    """Set the hold times of several conclusions at once. Raises ValueError where one has no single hold."""
    for ident, seconds in holds.items():
        project = set_hold(project, ident, seconds)
    return project
