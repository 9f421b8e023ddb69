"""The sample several times side by side in one project: how cost grows with the building."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from vastwatch.design.project import COLLECTIONS, Project
from vastwatch.design.references import copied

# From one copy to the next, metres: the sample and a lane beside it.
APART_M = 40.0
# What all copies share.
SHARED = ("uses", "levels", "devices", "photometries")


def copies(project: Project, many: int) -> Project:
    """A project with so many copies of a building on the same levels, each with its people, sensors and ladders."""
    records: dict[str, list[Any]] = {c: list(getattr(project, c)) for c in COLLECTIONS}
    apart = [c for c in COLLECTIONS if c not in SHARED]
    for k in range(1, many):
        originals = [(c, r) for c in apart for r in getattr(project, c)]
        new, _ = copied([r for _, r in originals], lambda r, k=k: f"{r.id}--{k}")
        for (collection, _), record in zip(originals, new):
            records[collection].append(_shifted(record, k * APART_M))
    return replace(project, variants=(), diary=(), **{c: tuple(found) for c, found in records.items()})


def _shifted(record: Any, by: float) -> Any:
    """A record so many metres to the right."""
    changes: dict[str, Any] = {}
    for name in ("at", "a", "b", "measured_at"):
        point = getattr(record, name, None)
        if isinstance(point, tuple) and len(point) >= 2:
            changes[name] = (point[0] + by, *point[1:])
    outline = getattr(record, "outline", None)
    if outline is not None:
        changes["outline"] = tuple((x + by, y) for x, y in outline)
    return replace(record, **changes) if changes else record
