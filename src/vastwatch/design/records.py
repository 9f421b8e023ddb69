"""Records of the design itself: sensors, presences with their expressions, and lamps."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from vastwatch.site.record import Id, NotNegative, OfLevel, OfRoom, Point, Point3, Positive, Record, Ref


class Settings(Record, frozen=True, kw_only=True):
    """What is set on the placed device. None means: as the device type comes.

    `sensitivity_below_max`: steps of 3 dB below the most sensitive (radar). `hold_s`: the device's own hold.
    `max_gate_m`: nothing beyond this slant range is reported (radar). `folded`: a strip lies folded (mat).
    """

    sensitivity_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] = 0
    hold_s: NotNegative | None = None
    max_gate_m: Positive | None = None
    folded: bool = False


class Sensor(Record, frozen=True, kw_only=True):
    """A device at a place: z above its level's floor, yaw 0 along +x counter-clockwise, pitch negative looks down."""

    id: Id
    device: Annotated[str, Ref("devices")]
    level: OfLevel
    name: str
    at: Point3
    yaw: float = 0.0
    pitch: float = 0.0
    settings: Settings = Settings()
    on: Annotated[str, Ref("openings", "furnishings")] | None = None


class Report(Record, frozen=True, kw_only=True, tag_field="op", tag="report"):
    """What a sensor says; `state` narrows a radar to those who move or those who are still."""

    sensor: Annotated[str, Ref("sensors")]
    state: Literal["moving", "still"] | None = None


class AnyOf(Record, frozen=True, kw_only=True, tag_field="op", tag="any"):
    """On while at least one is."""

    of: Annotated[tuple[Expr, ...], msgspec.Meta(min_length=1)]


class AllOf(Record, frozen=True, kw_only=True, tag_field="op", tag="all"):
    """On while every one is."""

    of: Annotated[tuple[Expr, ...], msgspec.Meta(min_length=1)]


class AtLeast(Record, frozen=True, kw_only=True, tag_field="op", tag="at_least"):
    """On while at least k are."""

    k: Annotated[int, msgspec.Meta(ge=1)]
    of: Annotated[tuple[Expr, ...], msgspec.Meta(min_length=1)]


class Not(Record, frozen=True, kw_only=True, tag_field="op", tag="not"):
    """On while the other is not."""

    of: Expr


class Hold(Record, frozen=True, kw_only=True, tag_field="op", tag="hold"):
    """Lasts `seconds` longer."""

    of: Expr
    seconds: NotNegative


class OnDelay(Record, frozen=True, kw_only=True, tag_field="op", tag="on_delay"):
    """Begins `seconds` later, and only if it lasts that long."""

    of: Expr
    seconds: NotNegative


class StartKeep(Record, frozen=True, kw_only=True, tag_field="op", tag="start_keep"):
    """On from a rise of `start` until neither `start` nor `keep` is on."""

    start: Expr
    keep: Expr


Expr = Report | AnyOf | AllOf | AtLeast | Not | Hold | OnDelay | StartKeep


class Presence(Record, frozen=True, kw_only=True):
    """Whether somebody is in a room, concluded from what sensors report."""

    id: Id
    room: OfRoom
    name: str
    expr: Expr


class Lamp(Record, frozen=True, kw_only=True):
    """A lamp that lights one room; it burns while the room's presence holds and it is dark enough."""

    id: Id
    room: OfRoom
    name: str
    at: Point
    watts: NotNegative
    lumens: NotNegative


# Whatever the house switches.
Output = Lamp
