"""Levels, walls, openings, rooms, furnishings and spots: the fixed things a sensor looks at."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from vastwatch.site.record import Id, NotNegative, Outline, Point, Positive, Record

WallMaterial = Literal["plasterboard", "timber", "brick", "concrete", "glass"]
OpeningKind = Literal["door", "window", "archway"]
Leaf = Literal["timber", "glass", "none"]
Rest = Literal["open", "closed"]
FurnishingMaterial = Literal["timber", "upholstery", "metal", "glass", "fabric"]
Posture = Literal["standing", "seated", "lying"]
Activity = Literal["passing", "hands-on", "desk", "reading", "film", "washing", "sleeping", "away"]
RoomUse = Literal[
    "passage", "stair", "store", "toilet", "bathroom", "kitchen", "dining", "sitting", "bedroom", "nursery",
    "desk", "workshop", "shop", "class", "plant", "outside",
]  # fmt: skip


class Level(Record, frozen=True, kw_only=True):
    """One storey; `elevation` of its floor and `height` to its ceiling, metres."""

    id: Id
    name: str
    elevation: float
    height: Positive = 2.5


class Wall(Record, frozen=True, kw_only=True):
    """A straight wall on the centre line a-b, from floor to ceiling."""

    id: Id
    level: str
    a: Point
    b: Point
    thickness: Positive = 0.1
    material: WallMaterial = "plasterboard"


class Opening(Record, frozen=True, kw_only=True):
    """A door, window or archway in a wall; it begins `offset` metres along the wall from its end a."""

    id: Id
    wall: str
    kind: OpeningKind
    offset: NotNegative
    width: Positive
    sill: NotNegative = 0.0
    head: Positive = 2.0
    leaf: Leaf = "timber"
    rest: Rest = "closed"


class Needs(Record, frozen=True, kw_only=True):
    """What a room's users ask of its light. `lux` on the task; None takes the value usual for the room's use."""

    lux: NotNegative | None = None


class Room(Record, frozen=True, kw_only=True):
    """A room's outline runs along the centre lines of its walls. `ambient_c` is its usual air temperature."""

    id: Id
    level: str
    name: str
    outline: Annotated[Outline, msgspec.Meta(min_length=3)]
    use: RoomUse
    ambient_c: float = 21.0
    needs: Needs = Needs()


class Furnishing(Record, frozen=True, kw_only=True):
    """A thing that fills its outline from z0 to z1 above the floor.

    A `stair` is climbed in the direction `climb` (degrees, 0 along +x) and joins its level to the next one above.
    """

    id: Id
    level: str
    name: str
    kind: str
    outline: Annotated[Outline, msgspec.Meta(min_length=3)]
    z0: NotNegative = 0.0
    z1: Positive = 0.75
    material: FurnishingMaterial = "timber"
    climb: float | None = None


class Spot(Record, frozen=True, kw_only=True):
    """Where somebody stops: how they hold themselves, which way they face (degrees), and what they do there."""

    id: Id
    room: str
    name: str
    at: Point
    facing: float = 0.0
    posture: Posture = "standing"
    activity: Activity = "passing"
    lux: NotNegative | None = None
