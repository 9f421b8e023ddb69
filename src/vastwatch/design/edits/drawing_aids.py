"""Edits of what helps drawing and of what falsely triggers sensors: the underlay of a level with its two-point scale,
hazards."""

from __future__ import annotations

import math
from typing import get_args

from msgspec.structs import replace

from vastwatch.design.places import room_at
from vastwatch.design.project import Project, find, fresh_id, put, unique_name
from vastwatch.geometry import polygons
from vastwatch.site.building import Hazard, HazardKind, Level
from vastwatch.site.record import Outline, Point

HAZARD_KINDS: tuple[HazardKind, ...] = get_args(HazardKind)
# A hazard that is clicked rather than drawn is this large, metres.
HAZARD_M = 0.8
# Points nearer than this cannot give a scale, metres on the plan as it is.
SCALE_LEAST_M = 0.05


def add_hazard(
    project: Project, level: str, kind: HazardKind, outline: Outline, window: str | None = None
) -> tuple[Project, Hazard]:
    """A hazard over an outline. Raises ValueError outside every room, or for an outline without area."""
    if polygons.area(outline) < 1e-3:
        raise ValueError("the area is too small: draw it larger")
    room = room_at(project, level, *polygons.centroid(outline))
    if room is None:
        raise ValueError("the area must be inside a room")
    name = unique_name(f"{kind.capitalize()} {room.name.lower()}", (h.name for h in project.hazards))
    hazard = Hazard(id=fresh_id(project, kind), level=level, name=name, kind=kind, outline=outline, window=window)
    return replace(project, hazards=(*project.hazards, hazard)), hazard


def set_underlay_scale(project: Project, level_id: str, a: Point, b: Point, metres: float) -> Project:
    """Scale the underlay so that two points of it, given where they lie now, are so far apart; `a` stays in place.

    Raises ValueError without an underlay, for points too near each other, or for no distance.
    """
    level = find(project.levels, level_id)
    if level.underlay is None:
        raise ValueError("there is no picture under this level")
    now = math.dist(a, b)
    if now < SCALE_LEAST_M:
        raise ValueError("choose two points farther apart")
    if not metres > 0:
        raise ValueError("the distance must be greater than zero")
    k = metres / now
    u = level.underlay
    at = (a[0] + (u.at[0] - a[0]) * k, a[1] + (u.at[1] - a[1]) * k)
    scale = u.metres_per_px * k
    if not 1e-5 < scale < 10:
        raise ValueError(f"the scale would be {scale:g} m per pixel, which is not plausible for a building plan")
    return set_underlay(project, level, at=(round(at[0], 4), round(at[1], 4)), metres_per_px=scale)


def set_underlay(project: Project, level: Level, **fields: object) -> Project:
    """Change fields of a level's underlay. Raises ValueError where it has none."""
    if level.underlay is None:
        raise ValueError("there is no picture under this level")
    return put(project, replace(level, underlay=replace(level.underlay, **fields)))


def times_of(text: str) -> tuple[tuple[str, str], ...]:
    """Hours such as `8-10, 13:30-15` as ((from, to), ...); none for an empty text, which means always.

    Raises ValueError naming the part that is no stretch of time.
    """
    out = []
    for part in (p.strip() for p in text.replace("–", "-").replace(";", ",").split(",")):
        if not part or part.lower() == "always":
            continue
        ends = [e.strip() for e in part.split("-")]
        if len(ends) != 2:
            raise ValueError(f"'{part}' is not a time range such as 8:00-10:30")
        out.append((_clock(ends[0], part), _clock(ends[1], part)))
    return tuple(out)


def _clock(text: str, part: str) -> str:
    hours, _, minutes = text.partition(":")
    if not (hours.isdigit() and (minutes or "0").isdigit()) or int(hours) > 24 or int(minutes or 0) > 59:
        raise ValueError(f"'{part}' is not a time range such as 8:00-10:30")
    return f"{int(hours) % 24:02d}:{int(minutes or 0):02d}"


def times_words(times: tuple[tuple[str, str], ...]) -> str:
    """The hours as they are typed; `always` without any."""
    return ", ".join(f"{a}-{b}" for a, b in times) or "always"
