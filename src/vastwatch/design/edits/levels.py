"""Edits of whole levels: a bare one on top, or the same again."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from vastwatch.design.edits.building import fresh_name_id
from vastwatch.design.project import COLLECTIONS, Project, find, on_level, put, unique_name
from vastwatch.design.references import copied
from vastwatch.site.building import Level

# An id made of another is cut to so many characters, which leaves room for a number.
LONGEST_STEM = 56


def add_level(project: Project, name: str = "") -> tuple[Project, Level]:
    """A bare level on top of the highest."""
    top = max(project.levels, key=lambda level: level.elevation, default=None)
    elevation = 0.0 if top is None else round(top.elevation + top.height + 0.3, 2)
    name = name or f"Level {len(project.levels) + 1}"
    level = Level(id=fresh_name_id(project, name), name=name, elevation=elevation)
    return replace(project, levels=(*project.levels, level)), level


def copy_level(project: Project, ident: str) -> tuple[Project, Level]:
    """A level on top that is filled as `fill_level` does."""
    old = find(project.levels, ident)
    project, level = add_level(project, unique_name(old.name, (x.name for x in project.levels)))
    project = put(project, replace(level, height=old.height))
    return fill_level(project, ident, level.id), find(project.levels, level.id)


def fill_level(project: Project, ident: str, new: str) -> Project:
    """Build on a bare level what another has: the same walls, openings, rooms, furniture, spots, lamps and hazards; no
    sensors, no people (they are one and not two), and no stair, which joins what is there already."""
    walls = on_level(project.walls, ident)
    rooms = on_level(project.rooms, ident)
    hosts, homes = {w.id for w in walls}, {r.id for r in rooms}
    taken: dict[str, tuple[Any, ...]] = {
        "walls": walls,
        "openings": tuple(o for o in project.openings if o.wall in hosts),
        "rooms": rooms,
        "furnishings": tuple(f for f in on_level(project.furnishings, ident) if f.kind != "stair"),
        "spots": tuple(s for s in project.spots if s.room in homes and s.activity != "away"),
        "lamps": tuple(x for x in project.lamps if x.room in homes),
        "outputs": tuple(x for x in project.outputs if x.room in homes),
        "hazards": on_level(project.hazards, ident),
    }
    used = {r.id for c in COLLECTIONS for r in getattr(project, c)}

    def name(record: Any) -> str:
        stem = f"{new}-{record.id.removeprefix(f'{ident}-')}"[:LONGEST_STEM].rstrip("-_.")
        made, n = stem, 2
        while made in used:
            made, n = f"{stem}-{n}", n + 1
        used.add(made)
        return made

    copies, _ = copied((r for records in taken.values() for r in records), name, {ident: new})
    made = iter(copies)
    return replace(
        project, **{c: (*getattr(project, c), *(next(made) for _ in records)) for c, records in taken.items()}
    )
