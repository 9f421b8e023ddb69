"""Records of the design itself: sensors, zones, conclusions, lamps and what else the house switches, scenes, ladders,
buttons. What conclusions say is in `expressions`."""

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
from vastwatch.site.shown import Shown


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
    at rest where that is set by itself (radar), `infrared_below_max` (PIR). `hold_s`: the device's hold time.
    `bands_below_max`, `bands_still_below_max`: further steps below that, band by band, for a radar with bands.
    `min_gate_m`, `max_gate_m`: nothing that it reads as nearer or farther is reported (radar). `report_interval_s`:
    between reports of light or humidity. `folded`: a strip lies folded (mat). `measured_latency_s`,
    `measured_range_m`: what was found in place, on somebody who moves, and counts in place of the type's figure;
    `measured_at`, `measured_yaw`, `measured_bias_m`: from where, which way and by how much too long it reads, as a
    walk has shown (tracking radar); `measured_scale`: by what factor, as tape and reading have.
    `messages_lost`: of what it sends by radio, the share that never arrives; None as the brief says of the house.
    `by_hour`: parts of the day in which the device is set otherwise, in order, the last until the first begins again.
    """

    sensitivity_below_max: Annotated[int, msgspec.Meta(ge=0, le=20), Shown("Radar sensitivity", "steps")] = 0
    still_below_max: Annotated[
        Annotated[int, msgspec.Meta(ge=0, le=20)] | None, Shown("Stillness sensitivity", "steps")
    ] = None
    infrared_below_max: Annotated[int, msgspec.Meta(ge=0, le=20), Shown("PIR sensitivity", "steps")] = 0
    hold_s: Annotated[NotNegative | None, Shown("Device hold", "s")] = None
    bands_below_max: Annotated[tuple[Annotated[int, msgspec.Meta(ge=0, le=20)], ...], msgspec.Meta(max_length=32)] = ()
    bands_still_below_max: Annotated[
        tuple[Annotated[int, msgspec.Meta(ge=0, le=20)], ...], msgspec.Meta(max_length=32)
    ] = ()
    min_gate_m: Annotated[
        NotNegative | None,
        Shown("Nearest gate", "m", "Anything it measures as nearer than this is not reported.", 0.25),
    ] = None
    max_gate_m: Annotated[
        Positive | None,
        Shown(
            "Farthest gate",
            "m",
            "Anything it measures as farther than this, along the line of sight, is not reported.",
            0.25,
            0.5,
        ),
    ] = None
    report_interval_s: Annotated[
        Annotated[float, msgspec.Meta(ge=1, le=864000)] | None,
        Shown("Report interval", "s",
              "Interval between its light or humidity reports; shorter drains the battery faster.", 10, high=86400)
    ] = None  # fmt: skip
    folded: bool = False
    measured_latency_s: Annotated[
        Annotated[float, msgspec.Meta(ge=0, le=86400)] | None,
        Shown("Measured latency", "s", "Time it took to report on site; used in place of the data sheet figure.", 0.1,
              high=600)
    ] = None  # fmt: skip
    measured_range_m: Annotated[
        Annotated[float, msgspec.Meta(gt=0, le=100)] | None,
        Shown("Measured range", "m",
              "Distance at which somebody walking was noticed on site, on axis; used in place of the data sheet.", 0.25,
              0.1)
    ] = None  # fmt: skip
    measured_at: Point | None = None
    measured_yaw: float | None = None
    measured_bias_m: Annotated[float, msgspec.Meta(ge=-5, le=5)] | None = None
    measured_scale: Annotated[float, msgspec.Meta(ge=0.5, le=2)] | None = None
    messages_lost: Annotated[
        Annotated[float, msgspec.Meta(ge=0, le=0.5)] | None,
        Shown("Lost messages", "%",
              "Share of its radio messages that never arrive, %. Default: the figure in the Brief.", 0.5)
    ] = None  # fmt: skip
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
    yaw: Annotated[float, Shown("Aim", "turn", "0° is the plan's x axis, counter-clockwise.", 5)] = 0.0
    pitch: Annotated[float, Shown("Pitch", "°", "Negative tilts down.", 1, -90, 45)] = 0.0
    settings: Settings = Settings()
    host: Annotated[str, Ref("openings", "furnishings")] | None = None


Role = Literal["detect", "entry", "ignore"]
# From nothing to all.
Share = Annotated[float, msgspec.Meta(ge=0, le=1)]


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
    role: Annotated[
        Role, Shown("Type", why="Purpose of the zone.", options=("presence area", "entry area", "ignore area"))
    ] = "detect"
    outline: Annotated[Outline, msgspec.Meta(min_length=3, max_length=24)]
    sensitivity_below_max: Annotated[int, msgspec.Meta(ge=0, le=20)] | None = None
    off_delay_s: Annotated[NotNegative | None, Shown("Off delay", "s", step=5)] = None
    ticked: tuple[str, ...] = ()


class Conclusion(Record, frozen=True, kw_only=True):
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


class Output(Record, frozen=True, kw_only=True):
    """What every output has that the house switches: a place in a room, and what it draws when full on."""

    id: Id
    room: OfRoom
    name: str
    at: Point
    watts: Annotated[NotNegative, Shown("Watts", why="Power draw while it runs.", high=20_000)]


class Lamp(Output, frozen=True, kw_only=True):
    """A lamp that lights one room. Where a scene of its room names it, the room's ladder says how far it is on; else
    it is on while the room's presence holds and it is dark enough, and one that follows a `zone` while somebody is in
    that.

    It shines down from `height_m` above the floor (None: from the ceiling), as its `photometry` says, turned so many
    degrees about the vertical, or else evenly within a beam of `beam_deg` at half its strength (None: as a plain disc
    does). `dims`: its level can be set; `least_level`: the lowest it keeps without flicker; `standby_w`: what it draws
    while it is off.
    """

    lumens: Annotated[NotNegative, Shown("Lumens", why="Light output.", step=50, high=500_000)]
    zone: Annotated[str, Ref("zones", gone="clear")] | None = None
    height_m: Annotated[
        Annotated[float, msgspec.Meta(gt=0, le=30)] | None,
        Shown("Mounting height", "m", "Height above the floor; just below the ceiling unless set.", 0.1, 0.05),
    ] = None
    beam_deg: Annotated[
        Annotated[float, msgspec.Meta(ge=5, le=170)] | None,
        Shown("Beam", "°", "Angle at half intensity; 120° for a plain disc. A photometric file is more accurate.",
              5)
    ] = None  # fmt: skip
    photometry: Annotated[str, Ref("photometries", gone="clear")] | None = None
    turned_deg: Annotated[float, msgspec.Meta(ge=-3600, le=3600)] = 0.0
    dims: Annotated[
        bool, Shown("Dimmable", why="Whether it can be dimmed, or is only on or off.", options=("no", "yes"))
    ] = True
    least_level: Annotated[
        float, msgspec.Meta(ge=0, le=1), Shown("Minimum, %", "%", "The lowest level without flicker.")
    ] = 0.0
    standby_w: Annotated[
        float, msgspec.Meta(ge=0, le=50), Shown("Standby, W", "", "Power draw while it is off.", 0.1)
    ] = 0.0


class Photometry(Record, frozen=True, kw_only=True):
    """How a lamp spreads its light: intensity `candela` per 1,000 of its lumens, a row for each plane C of `c_deg`
    (from 0 up to below 360, about the vertical), a figure for each angle of `gamma_deg` from straight down."""

    id: Id
    name: str
    c_deg: Annotated[tuple[float, ...], msgspec.Meta(min_length=1, max_length=361)]
    gamma_deg: Annotated[tuple[float, ...], msgspec.Meta(min_length=2, max_length=361)]
    candela: Annotated[tuple[tuple[NotNegative, ...], ...], msgspec.Meta(min_length=1, max_length=361)]


# -- outputs that are no lamps -------------------------------------------------------------------------------------


class OutputRow(Record, frozen=True, kw_only=True):
    """A row of an output's own small ladder: how far it runs, 0 to 1, while a condition holds and none above it."""

    name: str = ""
    when: Expr
    level: Share = 1.0


class GuardedOutput(Output, frozen=True, kw_only=True):
    """What an output that is no lamp keeps to, whatever its rows say: once on it runs for `least_run_s`, once off it
    rests for `least_rest_s`, and it starts no more than `moves_a_day` times a day. Without rows it does what is usual
    for its kind. `locks`: while any of these holds it never runs, whatever else says so: a window that is open."""

    rows: Annotated[tuple[OutputRow, ...], msgspec.Meta(max_length=24)] = ()
    least_run_s: Annotated[
        NotNegative, Shown("Minimum run", "s", "Once on, it stays on for at least this long.", 60, high=86_400)
    ] = 0.0
    least_rest_s: Annotated[
        NotNegative, Shown("Minimum off", "s", "Once off, it stays off for at least this long.", 60, high=86_400)
    ] = 0.0
    moves_a_day: Annotated[int, msgspec.Meta(ge=1, le=1000)] | None = None
    locks: Annotated[tuple[Expr, ...], msgspec.Meta(max_length=8)] = ()


class Fan(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="fan"):
    """An extractor fan that runs while somebody is concluded to be in its room, and on for `run_on_s` after.

    It starts once somebody has been there for `wait_s`, so that anybody who only passes does not start it.
    """

    run_on_s: Annotated[
        NotNegative, Shown("Run-on time", "s", "How long it runs after presence has ended.", 60, high=7200)
    ] = 600.0
    wait_s: Annotated[NotNegative, Shown("Start delay", "s", "Shorter visits do not start it.", 15, high=1800)] = 60.0


class Machine(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="machine"):
    """A machine that hums, and is off while it would disturb: while a film plays or somebody sleeps in its room."""


class Vacuum(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="vacuum"):
    """A floor cleaner that comes out by day once its room has been empty for `empty_s`, and waits for who comes in."""

    empty_s: Annotated[NotNegative, Shown("Empty for", "s", "Time the room must have been empty.", 60, high=7200)] = (
        300.0
    )


class Sign(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="sign"):
    """A sign at the door that says whether somebody is in."""


class Setback(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="set-back"):
    """Heating that is let down while the room has been empty for `empty_s`; its thermostat stays above everything."""

    empty_s: Annotated[
        NotNegative, Shown("Empty for", "s", "Time the room must have been empty.", 300, high=86_400)
    ] = 3600.0


class Blind(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="cover"):
    """A blind or shutter before a window; on: it is down."""

    window: Annotated[str, Ref("openings", gone="clear")] | None = None


class Alert(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="notice"):
    """A message to anybody who is to know; a convenience, never a safety device."""


# Outputs that are no lamps, by kind. Each is a record here, a handler in `control.outputs` and a look on the desk.
KINDS: tuple[type[Output], ...] = (Fan, Machine, Vacuum, Sign, Setback, Blind, Alert)
Fixtures = tuple[Fan | Machine | Vacuum | Sign | Setback | Blind | Alert, ...]

# -- scenes and hands ----------------------------------------------------------------------------------------------


class LampLevel(Record, frozen=True, kw_only=True):
    """What a scene asks of one lamp, from 0 to 1, reached within so many seconds."""

    lamp: Annotated[str, Ref("lamps", same_room=True)]
    level: Share
    fade_s: Annotated[float, msgspec.Meta(ge=0, le=3600)] = 0.0


class Scene(Record, frozen=True, kw_only=True):
    """A level for each lamp of a room. A ladder whose row asks for it takes what is said of its own lamps, and those
    that it does not name are off (M11)."""

    id: Id
    room: OfRoom
    name: str
    levels: Annotated[tuple[LampLevel, ...], msgspec.Meta(max_length=200)] = ()


class LampGroup(Record, frozen=True, kw_only=True):
    """Lamps of a room that follow a ladder of their own, beside the one for the rest of it. No lamp is in two."""

    id: Id
    room: OfRoom
    name: Annotated[str, msgspec.Meta(min_length=1, max_length=80)]
    lamps: Annotated[tuple[Annotated[str, Ref("lamps", same_room=True)], ...], msgspec.Meta(max_length=200)] = ()


class LadderRow(Record, frozen=True, kw_only=True):
    """A row of a ladder: of a room's, or of that of a `group` of its lamps. Of the rows of a ladder whose condition
    holds the first one's scene wins; where none holds all its lamps are off (M11)."""

    id: Id
    room: OfRoom
    group: Annotated[str, Ref("lamp_groups", same_room=True)] | None = None
    name: str = ""
    when: Expr
    scene: Annotated[str, Ref("scenes", same_room=True)]


Ends = Literal["vacancy", "minutes", "clock", "press", "never"]


class Button(Record, frozen=True, kw_only=True):
    """A button that tells the house what a hand wants: above every row of its room's ladder until that ends.

    `does`: "toggle" is off while the room is lit and else on; "scene" its `scene`; "leave" keeps what is. `ends`: once
    the room has been empty for its hold, after `minutes`, at a `clock` time, or only at the next press. "never" is as
    "press", said by anybody who means it.
    """

    id: Id
    room: OfRoom
    name: str
    at: Point
    does: Annotated[
        Literal["toggle", "off", "scene", "leave"],
        Shown("Action", why="What a press does, above the room's ladder.",
              options=("off or on", "off", "a scene", "keeps current light"))
    ] = "toggle"  # fmt: skip
    scene: Annotated[str, Ref("scenes", gone="clear", same_room=True)] | None = None
    ends: Annotated[
        Ends,
        Shown("Until", why="When the override ends by itself.",
              options=("when the room is empty", "after some minutes", "at a time of day", "at the next press",
                       "never"))
    ] = "vacancy"  # fmt: skip
    minutes: Annotated[
        float, msgspec.Meta(gt=0, le=1440),
        Shown("Minutes", "", "Duration, if it ends after some minutes.", 5, 1)
    ] = 30.0  # fmt: skip
    clock: Clock = "06:00"


# -- a list that is still empty ------------------------------------------------------------------------------------

# The file has had this list from its first version on. What will be in it is said where it is clear already.
_NOT_YET = msgspec.Meta(max_length=0, description="not used by this version")


class LogEntry(Record, frozen=True, kw_only=True):
    """To be: what was changed or tried on a day, and of which record."""

    id: Id
    on: Date
    text: str


LogbookToBe = Annotated[tuple[LogEntry, ...], _NOT_YET]
