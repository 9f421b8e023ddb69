"""Levels, walls, openings, rooms, furnishings and spots: the fixed things a sensor looks at."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from vastwatch.site.record import Clock, Id, NotNegative, OfLevel, OfRoom, Outline, Point, Positive, Record, Ref
from vastwatch.site.shown import Shown

WallMaterial = Literal["plasterboard", "timber", "brick", "concrete", "glass"]
OpeningKind = Literal["door", "window", "archway"]
Leaf = Literal["timber", "glass", "none"]
Rest = Literal["open", "closed"]
FurnishingMaterial = Literal["timber", "upholstery", "metal", "glass", "fabric"]
Posture = Literal["standing", "seated", "lying"]
Activity = Literal["passing", "hands-on", "desk", "reading", "film", "washing", "sleeping", "away"]
RoomUse = Literal[
    "passage", "stair", "store", "toilet", "bathroom", "kitchen", "dining", "sitting", "bedroom", "nursery",
    "desk", "workshop", "shop", "class", "plant", "outside", "open office", "meeting", "reception", "waiting",
    "consulting", "gym", "laundry", "garage", "corridor"
]  # fmt: skip

Control = Literal["presence", "absence"]
HazardKind = Literal["sun patch", "heat source", "vent", "fan", "curtain", "pet area", "mirror or metal", "insect lamp"]


class Underlay(Record, frozen=True, kw_only=True):
    """A picture that lies under a level to draw over: the picture itself (`data`, base64 of a PNG or JPEG), where its
    lower left corner lies, how large a pixel is, and how strongly it shows."""

    data: Annotated[str, msgspec.Meta(max_length=12_000_000)]
    width_px: Annotated[int, msgspec.Meta(ge=1, le=20_000)]
    height_px: Annotated[int, msgspec.Meta(ge=1, le=20_000)]
    at: Point = (0.0, 0.0)
    metres_per_px: Annotated[float, msgspec.Meta(gt=0, le=10)] = 0.01
    opacity: Annotated[float, msgspec.Meta(ge=0, le=1)] = 0.5
    locked: bool = False


class Level(Record, frozen=True, kw_only=True):
    """One storey; `elevation` of its floor and `height` to its ceiling, metres."""

    id: Id
    name: str
    elevation: float
    height: Positive = 2.5
    underlay: Underlay | None = None


class Wall(Record, frozen=True, kw_only=True):
    """A straight wall on the centre line a-b, from floor to ceiling."""

    id: Id
    level: OfLevel
    a: Point
    b: Point
    thickness: Annotated[Positive, Shown("Thickness", "m", "Thickness of the wall.", 0.01, 0.02, 1.5)] = 0.1
    material: Annotated[WallMaterial, Shown("Material", why="Radar loss depends on it; infrared passes none.")] = (
        "plasterboard"
    )


class Opening(Record, frozen=True, kw_only=True):
    """A door, window or archway in a wall; it begins `offset` metres along the wall from its end a.

    A door's leaf is hinged at the `hinge` end of the opening, that nearer the wall's a or b, and swings to the left or
    right of a-b.
    """

    id: Id
    wall: Annotated[str, Ref("walls")]
    kind: OpeningKind
    offset: Annotated[NotNegative, Shown("Offset", "m", "From the end of the wall to the opening.", 0.05, 0, 20)]
    width: Annotated[Positive, Shown("Width", "m", "Clear opening width.", 0.05, 0.2, 20)]
    sill: Annotated[NotNegative, Shown("Sill", "m", "Height of its lower edge.", 0.05, 0, 20)] = 0.0
    head: Annotated[Positive, Shown("Head", "m", "Height of its upper edge.", 0.05, 0.2, 20)] = 2.0
    leaf: Annotated[Leaf, Shown("Leaf", why="Glass blocks a PIR too.")] = "timber"
    rest: Annotated[Rest, Shown("Normally", why="Whether it normally stands open or closed.")] = "closed"
    hinge: Annotated[Literal["a", "b"], Shown("Hinge", why="Which end of the opening.")] = "a"
    swings: Annotated[Literal["left", "right"], Shown("Opens", why="Which way it opens.")] = "left"


class Needs(Record, frozen=True, kw_only=True):
    """What a room's users ask of its light, where it differs from what the room's use makes of it (None).

    `lux` on the task; `notice_s`: somebody walking in is noticed within it; `drops_per_week` at the most;
    `hold_max_s`: the longest the light may stay on while empty; `idle_h`: for how many hours a day in all; None: as
    long as its visits and some false-ons explain. `asleep_share`: the most light, of full, while somebody sleeps there;
    `stays`: whether those who stay have to be kept in the light.
    """

    lux: NotNegative | None = None
    notice_s: Positive | None = None
    drops_per_week: NotNegative | None = None
    hold_max_s: Positive | None = None
    idle_h: Annotated[float, msgspec.Meta(ge=0, le=24)] | None = None
    asleep_share: Annotated[float, msgspec.Meta(ge=0, le=1)] | None = None
    stays: bool | None = None


class OwnUse(Record, frozen=True, kw_only=True):
    """A use of rooms that the project has of its own: it is `like` one that is known, with needs of its own."""

    id: Id
    name: str
    like: RoomUse
    needs: Needs = Needs()


class MeterReading(Record, frozen=True, kw_only=True):
    """What a light sensor read, and a meter at the same moment where light is wanted, lux, lamps off."""

    sensor_lux: NotNegative
    meter_lux: NotNegative


class DarkSource(Record, frozen=True, kw_only=True):
    """How the house tells that a room is dark, where its conclusions and its ladder ask for that.

    "daylight": as is computed of its windows; "sensor": by what a `sensor` of light reads where it is mounted; "flag":
    by that one's own threshold, which nobody can set; "sun": while the sun is lower than `sun_deg`; "shut door": while
    the door that a contact `sensor` watches is shut, for a room without a window. Dark below `below_lux` and from then
    on until `until_lux`; None: what the room asks for, and no more than that. `readings`: up to two by which a sensor
    of light is calibrated against a meter; the two figures are then of the sensor.
    """

    source: Literal["daylight", "sensor", "flag", "sun", "shut door"] = "daylight"
    sensor: Annotated[str, Ref("sensors", gone="clear")] | None = None
    below_lux: NotNegative | None = None
    until_lux: NotNegative | None = None
    sun_deg: Annotated[float, msgspec.Meta(ge=-18, le=60)] = 0.0
    readings: Annotated[tuple[MeterReading, ...], msgspec.Meta(max_length=2)] = ()


class Room(Record, frozen=True, kw_only=True):
    """A room's outline runs along the centre lines of its walls. `ambient_c` is its usual air temperature.

    `control`: "presence" switches on and off by itself, "absence" only off, after a hand switched on.
    `own_use`: the use of the project's own that it has; `use` is then the one that is like.
    `darkness`: how the house tells that it is dark there; None: by computed daylight.
    """

    id: Id
    level: OfLevel
    name: str
    outline: Annotated[Outline, msgspec.Meta(min_length=3)]
    use: RoomUse
    ambient_c: Annotated[
        float, Shown("Air °C", why="The warmer the background, the shorter the range of a PIR.", low=-30, high=60)
    ] = 21.0
    control: Control = "presence"
    needs: Needs = Needs()
    own_use: Annotated[str, Ref("uses", gone="clear")] | None = None
    darkness: DarkSource | None = None


class Furnishing(Record, frozen=True, kw_only=True):
    """A thing that fills its outline from z0 to z1 above the floor.

    A bed's `mattress` is `mattress_m` thick. A `stair` is climbed in the direction `climb` (degrees, 0 along +x) and
    joins its level to the next one above.
    """

    id: Id
    level: OfLevel
    name: str
    kind: str
    outline: Annotated[Outline, msgspec.Meta(min_length=3)]
    z0: Annotated[NotNegative, Shown("Bottom", "m", "Height of its lower edge: sensors see below it.", 0.05, 0, 10)] = (
        0.0
    )
    z1: Annotated[Positive, Shown("Top", "m", "Height of its top: decides what it hides.", 0.05, 0.02, 10)] = 0.75
    material: Annotated[FurnishingMaterial, Shown("Material", why="Radar loss depends on it.")] = "timber"
    climb: float | None = None
    mattress: Annotated[
        Literal["springs", "foam"] | None,
        Shown("Mattress", why="Foam spreads the load, so a mat under it may never close."),
    ] = None
    mattress_m: Annotated[Positive, Shown("Thickness", "m", "Thickness of the mattress.", 0.01, 0.03, 0.6)] = 0.2


class Spot(Record, frozen=True, kw_only=True):
    """Where somebody stops: how they hold themselves, which way they face (degrees), and what they do there;
    `calls_per_hour` that they take there, and whether it is done to an `exercise` programme on the room's player."""

    id: Id
    room: OfRoom
    name: str
    at: Point
    facing: Annotated[
        float, Shown("Facing", "turn", "Direction somebody here faces; radar sees a chest best from the front.", 15)
    ] = 0.0
    posture: Annotated[Posture, Shown("Posture", why="Posture of somebody here.")] = "standing"
    activity: Annotated[Activity, Shown("Activity", why="What is done here: the stiller, the harder to notice.")] = (
        "passing"
    )
    lux: Annotated[NotNegative | None, Shown("Lux", "", "Target lux here; the room's own unless set.", 25, 0, 5000)] = (
        None
    )
    calls_per_hour: Annotated[
        float, msgspec.Meta(ge=0, le=30),
        Shown("Calls/h", "", "Calls an hour taken here, during which machines can be kept quiet.", 0.5)
    ] = 0.0  # fmt: skip
    exercise: Annotated[
        bool,
        Shown("Screen", why="What the room's screen plays meanwhile; nobody exercises in the dark.",
              options=("off", "exercise"))
    ] = False  # fmt: skip

    @property
    def asks_for_light(self) -> bool:
        """Whether somebody here who has no light is left in the dark. Sleepers are not, nor anybody who watches a film,
        but where the place has a figure of its own."""
        return self.activity not in ("sleeping", "away") and (self.activity != "film" or self.lux is not None)


class Hazard(Record, frozen=True, kw_only=True):
    """Something in a room that falsely triggers sensors. `strength` from 0 (harmless) to 1 (as bad as they come) scales
    how often it does; `times` are the hours it is there, [from, to) on the clock, and none means always. A sun patch
    may name the `window` it comes through: its place and hours are then computed from the sun."""

    id: Id
    level: OfLevel
    name: str
    kind: Annotated[HazardKind, Shown("Kind", why="What it is; sets how often it triggers a sensor.")]
    outline: Annotated[Outline, msgspec.Meta(min_length=3)]
    strength: Annotated[float, msgspec.Meta(ge=0, le=1), Shown("Strength", "%", "0 harmless, 100 worst case.", 10)] = (
        0.5
    )
    times: tuple[tuple[Clock, Clock], ...] = ()
    window: Annotated[str, Ref("openings", gone="clear")] | None = None


class Socket(Record, frozen=True, kw_only=True):
    """A mains socket: what feeds a radar within a cable's reach."""

    id: Id
    level: OfLevel
    name: str
    at: Point


class Circuit(Record, frozen=True, kw_only=True):
    """Lamps that are switched together. `neutral`: whether its switch box has one; `module`: the id of the device type
    that switches it, in place of or behind the wall switch; `feeds`: sensors that have their supply from behind that
    switch, and are dead while it is off; `contacts`: sensors that switch it with a contact of their own, in parallel;
    `live`: its module has its supply from before the wall switch, which then only tells it something."""

    id: Id
    name: str
    lamps: tuple[Annotated[str, Ref("lamps")], ...] = ()
    neutral: bool = False
    module: Annotated[str, Ref("devices", gone="clear")] | None = None
    feeds: tuple[Annotated[str, Ref("sensors")], ...] = ()
    contacts: tuple[Annotated[str, Ref("sensors")], ...] = ()
    live: bool = False


class Switch(Record, frozen=True, kw_only=True):
    """A wall switch. Two of one circuit are a two-way pair. `off_per_week`: how often anybody who leaves switches the
    circuit off here, with all that depends on it; None: as the brief says of every switch."""

    id: Id
    level: OfLevel
    name: str
    at: Point
    circuit: Annotated[str, Ref("circuits")]
    off_per_week: Annotated[
        Annotated[float, msgspec.Meta(ge=0, le=100)] | None,
        Shown("Switched off", "", "How often a week somebody leaving switches off the circuit here. Default: the "
              "figure in the Brief.", 0.25)
    ] = None  # fmt: skip
