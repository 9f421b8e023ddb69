"""What of a plan is shown from how far: marks that shrink, rooms that say how many devices they have in place of a
heap of marks, names that shorten, and furniture that fades."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import NamedTuple

from vastwatch.desk.plan.painting import SENSOR_RADIUS
from vastwatch.geometry import polygons
from vastwatch.site.building import Room
from vastwatch.site.record import Point

# Marks are of their full size from so many pixels a metre on, and of their least so far below, as a share of it.
NEAR_PX, FAR_PX, LEAST_SHARE = 34.0, 12.0, 0.55
# Furniture, positions and lamps are gone below the first, and as by day from the second on, pixels a metre.
GONE_PX, CLEAR_PX = 12.0, 26.0
# A mark wants so many times its own square of the room's floor, so that names and others have place beside it: from
# near, and from far, where names take more of it.
ELBOW_NEAR, ELBOW_FAR = 2.5, 6.5
# Names are so large from near and from far, pixels.
NAME_NEAR_PX, NAME_FAR_PX = 13, 10
# Of a shortened word at least so many letters are left.
LEAST_LETTERS = 3


def mark_share(scale_px: float) -> float:
    """Of which share of their full size marks are drawn, at so many pixels a metre."""
    k = (scale_px - FAR_PX) / (NEAR_PX - FAR_PX)
    return LEAST_SHARE + (1.0 - LEAST_SHARE) * min(max(k, 0.0), 1.0)


def name_px(scale_px: float) -> int:
    """How large the names of rooms are, pixels."""
    near = (mark_share(scale_px) - LEAST_SHARE) / (1.0 - LEAST_SHARE)
    return round(NAME_FAR_PX + (NAME_NEAR_PX - NAME_FAR_PX) * near)


def clearness(scale_px: float) -> float:
    """How clearly furniture and positions are drawn, 0 to 1, at so many pixels a metre."""
    return min(max((scale_px - GONE_PX) / (CLEAR_PX - GONE_PX), 0.0), 1.0)


class Group(NamedTuple):
    """What stands for the devices of a room that has no place for their marks: where, and the ids of all of them."""

    room: str
    at: Point
    members: frozenset[str]


def groups(rooms: Iterable[Room], members: Mapping[str, frozenset[str]], scale_px: float) -> dict[str, Group]:
    """The rooms whose marks have no place at so many pixels a metre, by id; `members`: the devices in each."""
    share = mark_share(scale_px)
    elbow = ELBOW_NEAR + (ELBOW_FAR - ELBOW_NEAR) * (1.0 - share) / (1.0 - LEAST_SHARE)
    size = (2.0 * SENSOR_RADIUS * share) ** 2 * elbow
    out = {}
    for room in rooms:
        here = members.get(room.id, frozenset())
        if len(here) > 1 and len(here) * size > polygons.area(room.outline) * scale_px**2:
            out[room.id] = Group(room.id, polygons.centroid(room.outline), here)
    return out


def short_name(words: str, wide: float, width_of: Callable[[str], float]) -> str:
    """A name in so much width: whole where it fits, else with its words shortened, the last first, but a number at its
    end kept whole ("Treatment room 1", "Treatm. 1"); empty where not even that fits."""
    if width_of(words) <= wide:
        return words
    parts = words.split()
    number = parts.pop() if len(parts) > 1 and any(c.isdigit() for c in parts[-1]) else ""
    for kept in range(len(parts), 0, -1):
        # The kind of a room ("room", "office") goes before its own name is cut.
        whole = " ".join([*parts[:kept], number]).strip()
        if kept < len(parts) and width_of(whole) <= wide:
            return whole
        for letters in range(max(len(parts[kept - 1]) - 2, 0), LEAST_LETTERS - 1, -1):
            cut = " ".join([*parts[: kept - 1], parts[kept - 1][:letters] + ".", number]).strip()
            if width_of(cut) <= wide:
                return cut
    return number if number and width_of(number) <= wide else ""
