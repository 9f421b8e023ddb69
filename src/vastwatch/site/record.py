"""What every record of a project has in common.

A record is frozen, compares and hashes by identity, and refuses fields it does not know. Identity is what the
result caches key on: an edit makes new records only where something changed, so a tuple of unchanged records is
found again at once, and nothing ever has to be declared stale.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import msgspec

Point = tuple[float, float]
Point3 = tuple[float, float, float]
Outline = tuple[Point, ...]

Positive = Annotated[float, msgspec.Meta(gt=0)]
NotNegative = Annotated[float, msgspec.Meta(ge=0)]
# A bare $ would let a line end pass, and \d the digits of every script.
CLOCK_PATTERN = r"^([01][0-9]|2[0-3]):[0-5][0-9](?!\n)$"
ID_PATTERN = r"^[a-z0-9][a-z0-9_.-]{0,63}(?!\n)$"
DATE_PATTERN = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}(?!\n)$"

Clock = Annotated[str, msgspec.Meta(pattern=CLOCK_PATTERN, description="local time, HH:MM")]
Date = Annotated[str, msgspec.Meta(pattern=DATE_PATTERN, description="a day, YYYY-MM-DD")]
Id = Annotated[str, msgspec.Meta(pattern=ID_PATTERN, description="unique in the project")]


@dataclass(frozen=True)
class Ref:
    """Declares, within Annotated, that a text is the id of another record: of which lists, and what becomes of its
    holder when that record goes. "along": it goes too; "clear": it forgets the other and stays. `same_room`: only what
    is of the same room is named, and what comes into another is gone for this holder."""

    collections: tuple[str, ...]
    gone: Literal["along", "clear"]
    same_room: bool

    def __init__(self, *collections: str, gone: Literal["along", "clear"] = "along", same_room: bool = False) -> None:
        object.__setattr__(self, "collections", collections)
        object.__setattr__(self, "gone", gone)
        object.__setattr__(self, "same_room", same_room)


@dataclass(frozen=True)
class Apart:
    """Declares, within Annotated, that what stands here names what belongs to itself: nobody outside looks in."""


OfLevel = Annotated[str, Ref("levels")]
OfRoom = Annotated[str, Ref("rooms")]
OfSpot = Annotated[str, Ref("spots")]


class Record(msgspec.Struct, frozen=True, eq=False, kw_only=True, forbid_unknown_fields=True, omit_defaults=False):
    """Base of all project records; see the module's text."""


def seconds_of(clock: str) -> float:
    """Seconds of the day of a clock time."""
    hours, minutes = clock.split(":")
    return 3600.0 * int(hours) + 60.0 * int(minutes)
