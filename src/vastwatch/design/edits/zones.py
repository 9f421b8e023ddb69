"""Edits of zones: drawn, changed, cleared of each other, and lamps that follow them."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace
from shapely import Polygon

from vastwatch.design.project import Project, find, fresh_id, put, unique_name
from vastwatch.design.records import Role, Sensor, Zone
from vastwatch.design.references import without

# Smaller than this a zone is a slip of the hand, square metres; corners of a drawn zone lie on this grid, metres.
LEAST_M2, GRID_M = 0.04, 0.01

Corner = tuple[float, float]


def add_zone(
    project: Project, sensor: str, outline: Sequence[Corner], name: str = "", role: Role = "detect"
) -> tuple[Project, Zone]:
    """Draw a zone for a sensor. Raises ValueError for an outline that is none."""
    taken = [z.name for z in project.zones if z.sensor == sensor]
    called = unique_name(name or {"detect": "Zone", "entry": "Entry", "ignore": "Ignore"}[role], taken)
    zone = Zone(id=fresh_id(project, "zone"), sensor=sensor, name=called, role=role, outline=tidy(outline))
    return replace(project, zones=(*project.zones, zone)), zone


def set_outline(project: Project, zone: str, outline: Sequence[Corner]) -> Project:
    """Draw a zone anew. Raises ValueError for an outline that is none."""
    return put(project, replace(find(project.zones, zone), outline=tidy(outline)))


def replace_zones(project: Project, sensor: Sensor, zones: Sequence[Zone]) -> Project:
    """These zones of a sensor in place of all it had; what followed one that is gone goes on without."""
    keep = {z.id for z in zones}
    project = without(project, [z.id for z in project.zones if z.sensor == sensor.id and z.id not in keep])
    others = tuple(z for z in project.zones if z.sensor != sensor.id)
    return replace(project, zones=(*others, *zones))


def follow(project: Project, lamp: str, zone: str | None) -> Project:
    """Let a lamp follow a zone, or its room's presence again."""
    return put(project, replace(find(project.lamps, lamp), zone=zone))


def tidy(outline: Sequence[Corner]) -> tuple[Corner, ...]:
    """An outline on the grid, without corners that repeat. Raises ValueError where it crosses itself or has no area."""
    points = [(round(x / GRID_M) * GRID_M, round(y / GRID_M) * GRID_M) for x, y in outline]
    corners = [p for k, p in enumerate(points) if p != points[k - 1]]
    shape = Polygon(corners) if len(corners) >= 3 else Polygon()
    if not shape.is_valid:
        raise ValueError("the outline of a zone must not cross itself")
    if shape.area < LEAST_M2:
        raise ValueError("the zone is too small: draw it larger")
    return tuple((round(x, 2), round(y, 2)) for x, y in corners)


def clear_of(outline: Sequence[Corner], others: Sequence[Sequence[Corner]], gap: float) -> tuple[Corner, ...] | None:
    """What is left of an outline clear of others by a gap: itself where it is clear; its largest piece where that is
    most of it; None where they take too much of it."""
    shape = Polygon(outline)
    left = shape
    for other in others:
        left = left.difference(Polygon(other).buffer(gap, join_style="mitre"))
    if left.area >= shape.area - 1e-6:
        return tuple((float(x), float(y)) for x, y in outline)
    parts = [p for p in getattr(left, "geoms", [left]) if isinstance(p, Polygon) and not p.is_empty]
    best = max(parts, key=lambda p: p.area, default=None)
    if best is None or best.area < max(0.5 * shape.area, LEAST_M2):
        return None
    return tidy([(x, y) for x, y in best.exterior.coords[:-1]])
