"""Records of the design itself: sensors, zones, conclusions, lamps. What conclusions say is in `expressions`."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from vastwatch.design.expressions import Expr
from vastwatch.site.record import (
    Clock,
    Date,
    Id,
    NotNegative,
    OfLevel,
    OfRoom,
    Outline,
    Point,
    Point3,
    Positive,
    Record,
    Ref,
)


class DayPart(Record, frozen=True, kw_only=True):
    """What is set from a clock time on, until the next part begins; None as for the rest of the day."""

    begin: Clock
    hold_s: NotNegative | None = None
    sensitivity_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] | None = None
    still_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] | None = None
    infrared_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] | None = None


class Settings(Record, frozen=True, kw_only=True):
    """What is set on the placed device. None means: as the device type comes.

    Steps of 3 dB below the most sensitive: `sensitivity_below_max` (radar, ultrasound), `still_below_max` for somebody
    at rest where that is set by itself (radar), `infrared_below_max` (PIR). `hold_s`: the device's own hold.
    `bands_below_max`, `bands_still_below_max`: further steps below that, band by band, for a radar with bands.
    `min_gate_m`, `max_gate_m`: nothing that it reads as nearer or farther is reported (radar). `report_interval_s`:
    between reports of light or humidity. `folded`: a strip lies folded (mat). `measured_latency_s`,
    `measured_range_m`: what was found in place, on somebody who moves, and counts in place of the type's figure;
    `measured_at`, `measured_yaw`, `measured_bias_m`: from where, which way and by how much too long it reads, as a
    walk has shown (tracking radar); `measured_scale`: by what factor, as tape and reading have.
    `messages_lost`: of what it sends by radio, the share that never arrives; None as the brief says of the house.
    `by_hour`: parts of the day in which the device is set otherwise, in order, the last until the first begins again.
    """

    sensitivity_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] = 0
    still_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] | None = None
    infrared_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] = 0
    hold_s: NotNegative | None = None
    bands_below_max: Annotated[tuple[Annotated[int, msgspec.Meta(ge=0, le=20)], ...], msgspec.Meta(max_length=32)] = ()
    bands_still_below_max: Annotated[
        tuple[Annotated[int, msgspec.Meta(ge=0, le=20)], ...], msgspec.Meta(max_length=32)
    ] = ()
    min_gate_m: NotNegative | None = None
    max_gate_m: Positive | None = None
    report_interval_s: Annotated[float, msgspec.Meta(ge=1, le=864_000)] | None = None
    folded: bool = False
    measured_latency_s: Annotated[float, msgspec.Meta(ge=0, le=86_400)] | None = None
    measured_range_m: Annotated[float, msgspec.Meta(gt=0, le=100)] | None = None
    measured_at: Point | None = None
    measured_yaw: float | None = None
    measured_bias_m: Annotated[float, msgspec.Meta(ge=-5, le=5)] | None = None
    measured_scale: Annotated[float, msgspec.Meta(ge=0.5, le=2)] | None = None
    messages_lost: Annotated[float, msgspec.Meta(ge=0, le=0.5)] | None = None
    by_hour: Annotated[tuple[DayPart, ...], msgspec.Meta(max_length=24)] = ()


class Sensor(Record, frozen=True, kw_only=True):
    """A device at a place: z above its level's floor, yaw 0 along +x counter-clockwise, pitch negative looks down.

    `host`: the opening or furnishing it is fixed to, and watches, where it does.
    """

    id: Id
    device: Annotated[str, Ref("devices")]
    level: OfLevel
    name: str
    at: Point3
    yaw: float = 0.0
    pitch: float = 0.0
    settings: Settings = Settings()
    host: Annotated[str, Ref("openings", "furnishings")] | None = None


Role = Literal["detect", "entry", "ignore"]


class Zone(Record, frozen=True, kw_only=True):
    """An area that a tracking radar tells apart, as it is drawn on the plan (M13). What is typed into the device
    follows from it. A bands radar takes the rings that it lies in.

    `role`: somebody who stays there; somebody who comes in; or nothing in there counts at all. `off_delay_s`: it is
    left so long after the last report in it; None as the type comes. `ticked`: what was tried of it in place and found
    right, by the keys of the entry sheet's checks.
    """

    id: Id
    sensor: Annotated[str, Ref("sensors")]
    name: str
    role: Role = "detect"
    outline: Annotated[Outline, msgspec.Meta(min_length=3, max_length=24)]
    sensitivity_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] | None = None
    off_delay_s: NotNegative | None = None
    ticked: tuple[str, ...] = ()


class Presence(Record, frozen=True, kw_only=True):
    """A conclusion: a named statement of the house about a room, a zone of it, a level, or, with neither, the whole
    house, drawn from what sensors report, from other conclusions and from the clock (M14).

    `lights`: the outputs of its room follow it. One of a room's conclusions does so at the most.
    """

    id: Id
    room: OfRoom | None = None
    level: OfLevel | None = None
    zone: Annotated[str, Ref("zones", gone="clear")] | None = None
    name: str
    lights: bool = True
    expr: Expr


class Fixture(Record, frozen=True, kw_only=True):
    """What every output has that the house switches: a place in a room, and what it draws when full on."""

    id: Id
    room: OfRoom
    name: str
    at: Point
    watts: NotNegative


class Lamp(Fixture, frozen=True, kw_only=True):
    """A lamp that lights one room; it burns while the room's presence holds and it is dark enough. One that follows a
    `zone` burns while somebody is in that."""

    lumens: NotNegative
    zone: Annotated[str, Ref("zones", gone="clear")] | None = None


class Fan(Fixture, frozen=True, kw_only=True, tag_field="kind", tag="fan"):
    """An extractor fan that runs while somebody is concluded to be in its room, and on for `run_on_s` after.

    It starts once somebody has been there for `wait_s`, so that whoever only passes does not start it.
    """

    run_on_s: NotNegative = 600.0
    wait_s: NotNegative = 60.0


# Outputs that are no lamps, by kind. Each is a record here, a handler in `control.outputs` and a look on the desk.
KINDS: tuple[type[Fixture], ...] = (Fan,)

# -- lists that are still empty ------------------------------------------------------------------------------------

# The file has had these lists from its first version on. What will be in them is said where it is clear already.
_NOT_YET = msgspec.Meta(max_length=0, description="not used by this version")

Fixtures = tuple[Fan, ...]


class LampLevel(Record, frozen=True, kw_only=True):
    """To be: what a scene asks of one lamp, from 0 to 1, within so many seconds."""

    lamp: Annotated[str, Ref("lamps")]
    level: Annotated[float, msgspec.Meta(ge=0, le=1)]
    fade_s: NotNegative = 0.0


class Scene(Record, frozen=True, kw_only=True):
    """To be: a level for each lamp of a room; lamps it does not name are off (M11)."""

    id: Id
    room: OfRoom
    name: str
    levels: tuple[LampLevel, ...] = ()


class Rule(Record, frozen=True, kw_only=True):
    """To be: a row of a room's ladder. Of the rows whose condition holds the first one's scene wins (M11)."""

    id: Id
    room: OfRoom
    when: Expr
    scene: Annotated[str, Ref("scenes")]


class LogEntry(Record, frozen=True, kw_only=True):
    """To be: what was changed or tried on a day, and of which record."""

    id: Id
    on: Date
    text: str


ScenesToBe = Annotated[tuple[Scene, ...], _NOT_YET]
RulesToBe = Annotated[tuple[Rule, ...], _NOT_YET]
LogbookToBe = Annotated[tuple[LogEntry, ...], _NOT_YET]
