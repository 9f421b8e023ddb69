"""The arrows: whatever is selected moves a little."""

from __future__ import annotations

from msgspec.structs import replace

from vastwatch.design.edits.zones import set_outline
from vastwatch.design.places import room_at
from vastwatch.design.project import IN_ROOMS, find, find_any, put
from vastwatch.desk.plan.builder import Builder
from vastwatch.desk.plan.edit_context import EditContext


def nudge(bench: EditContext, builder: Builder, dx: float, dy: float, whole: bool = False) -> bool:
    """Move the selected mark a little; False when nothing movable is selected. A room moves only when the `whole` of it
    is meant: else the arrows scroll."""
    project, focus = bench.project, bench.focus
    if focus.marked:
        return builder.nudge_marked(dx, dy)
    found = find_any(project, focus.selected or "")
    if found is not None and found[0] == "rooms" and whole and focus.here.shapes == "building":
        return builder.nudge(found[1], dx, dy)
    if found is not None and found[0] in ("furnishings", "walls", "hazards", "sockets", "switches"):
        return builder.nudge(found[1], dx, dy)
    if found is not None and found[0] == "zones":
        zone = found[1]
        moved = set_outline(project, zone.id, [(x + dx, y + dy) for x, y in zone.outline])
        bench.document.apply(moved, f"Nudge zone {zone.name.lower()}", f"nudge-{zone.id}")
        return True
    if found is None or found[0] not in ("sensors", *IN_ROOMS):
        return False
    _, record = found
    level = record.level if found[0] == "sensors" else find(project.rooms, record.room).level
    x, y = round(record.at[0] + dx, 3), round(record.at[1] + dy, 3)
    room = room_at(project, level, x, y)
    if room is None:
        bench.say("That would be outside the building.")
        return True
    at = (x, y, record.at[2]) if found[0] == "sensors" else (x, y)
    new = replace(record, at=at) if found[0] == "sensors" else replace(record, at=at, room=room.id)
    bench.document.apply(put(project, new), f"Nudge {record.name}", f"nudge-{record.id}")
    return True
