"""`Project`: the whole value, from the place on Earth to the last lamp.

It is immutable. Look-ups by id go through `find`, whose index is cached by the tuple it indexes, so that an edit
of the sensors does not index the walls again.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterable, Iterator
from threading import Lock
from typing import Annotated, Any, Literal, TypeVar

import msgspec
from msgspec.structs import replace

from vastwatch.design.log_layouts import MOST_LAYOUTS, LogLayout
from vastwatch.design.records import (
    Button,
    Conclusion,
    Fixtures,
    LadderRow,
    Lamp,
    LampGroup,
    LogbookToBe,
    Photometry,
    Scene,
    Sensor,
    Zone,
)
from vastwatch.devices import DeviceType
from vastwatch.site.building import (
    Circuit,
    Furnishing,
    Hazard,
    Level,
    Opening,
    OwnUse,
    Room,
    Socket,
    Spot,
    Switch,
    Wall,
    WallMaterial,
)  # fmt: skip
from vastwatch.site.people import Person
from vastwatch.site.record import Apart, Date, Id, NotNegative, Positive, Record, Ref
from vastwatch.site.shown import Shown

R = TypeVar("R", bound=Any)
T = TypeVar("T")

FORMAT = "vastwatch-project"
VERSION = 10


Weight = Annotated[int, msgspec.Meta(ge=0, le=3)]


_DEGREES = "Degrees, south and west negative, or with N, S, E, W. Determines when it is dark outside."


class Place(Record, frozen=True, kw_only=True):
    """Where the building stands: degrees north and east, and the name of its time zone."""

    latitude: Annotated[float, msgspec.Meta(ge=-90, le=90), Shown("Degrees north", "earth", _DEGREES, 0.5)] = 54.0
    longitude: Annotated[float, msgspec.Meta(ge=-180, le=180), Shown("Degrees east", "earth", _DEGREES, 0.5)] = 0.0
    timezone: str = "UTC"


_Thickness = Annotated[
    float, msgspec.Meta(ge=0.01, le=2), Shown("New walls", "m", "Thickness of new walls.", 0.01)
]  # fmt: skip
_Material = Annotated[WallMaterial, Shown("New walls: made of")]


class Construction(Record, frozen=True, kw_only=True):
    """What walls are made of where nobody says otherwise: those between a room and the outside, and those between two
    rooms. Thicknesses in metres."""

    outer_m: _Thickness = 0.3
    outer_material: _Material = "brick"
    inner_m: _Thickness = 0.1
    inner_material: _Material = "plasterboard"


class Owned(Record, frozen=True, kw_only=True):
    """Kit that is there already and costs nothing more: so many of a device type."""

    device: Annotated[str, Ref("devices")]
    count: Annotated[int, msgspec.Meta(ge=1, le=999)]


class Weights(Record, frozen=True, kw_only=True):
    """What matters more, each from 0 (not at all) to 3 (most): the cost, the comfort, no new cables, few devices."""

    cost: Weight = 1
    comfort: Weight = 2
    no_cables: Weight = 1
    fewest: Weight = 1


class ServiceHold(Record, frozen=True, kw_only=True):
    """What a conclusion is held for in service."""

    presence: Annotated[str, Ref("presences")]
    seconds: NotNegative


class TestMode(Record, frozen=True, kw_only=True):
    """All is held for `hold_s` only while the building is walked: since when, and what it is in service."""

    since: Annotated[str, msgspec.Meta(pattern=r"^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}(?!\n)$")]
    hold_s: NotNegative
    service: tuple[ServiceHold, ...]


class Impairments(Record, frozen=True, kw_only=True):
    """What goes wrong with devices in use; nothing, unless it is said here. Shares are from 0 to 1."""

    supply_off_per_week: Annotated[
        float, msgspec.Meta(ge=0, le=100),
        Shown("Turned off at the wall", "a week",
              "How often somebody leaving a room switches off its circuit, cutting power to everything on it: at each "
              "wall switch on the plan.")
    ] = 0.0  # fmt: skip
    messages_lost: Annotated[
        float, msgspec.Meta(ge=0, le=0.5),
        Shown("Lost radio messages", "%",
              "Share of wireless messages that never arrive; more arrive late. Each sensor can have its own figure.",
              0.5)
    ] = 0.0  # fmt: skip
    cells_flat_days: Annotated[
        float, msgspec.Meta(ge=0, le=366),
        Shown("Flat battery delay", "days",
              "How long a device with flat batteries is dead before somebody changes them; 0: always changed in time.")
    ] = 0.0  # fmt: skip
    contacts_bounce: Annotated[
        float, msgspec.Meta(ge=0, le=1),
        Shown("Bouncing contacts", "%",
              "Share of door closings at which the contact briefly opens again.", 5)
    ] = 0.0  # fmt: skip


class Holiday(Record, frozen=True, kw_only=True):
    """A date that is free though it is no weekend, and what it is called."""

    on: Date
    name: Annotated[str, msgspec.Meta(max_length=80)] = ""


class Vacation(Record, frozen=True, kw_only=True):
    """Nobody lives there from one date to another, both included."""

    begin: Date
    end: Date


# How things are named in what goes out to a controller.
Convention = Literal["words_with_underscores", "WordsTogether", "words with spaces", "ids"]


class Brief(Record, frozen=True, kw_only=True):
    """What is wanted of the whole, and what is there.

    `drops_per_week`: the limit a hold time has to meet; `rehearse_from`: the date a rehearsal begins; `budget` in
    `currency`, None for no limit; `cable_m`: how far a cable may run along the wall to a socket; `controller`: what
    will run the rules, in the user's words; `owned`: kit already bought. What the user's local
    code asks, as they read it: `code_hold_max_s`, no hold longer than this anywhere; `code_manual_on`, that a hand
    switches on where people work at desks, and in stores; `code_half_off`, that in passages, stairs and stores the
    light goes down to half and not out. `test_mode`: holds are shortened to walk by, and not yet restored. `troubles`:
    what goes wrong in use. `unwanted_off`: of the times a light comes on that anybody who sleeps or watches a film
    there does not want, the share at which they press it off, where the room has a button for that. `holidays`: days
    that are free besides weekends; `vacations`: when nobody lives there. `naming`: how recipes name things.
    """

    drops_per_week: Annotated[
        NotNegative,
        Shown("False-offs a week, at most, in a room", "",
              "Limit for each room: how often a week the light may go off on somebody.", 0.25, high=1000)
    ] = 1.0  # fmt: skip
    rehearse_from: Date = "2026-01-12"
    currency: Annotated[str, msgspec.Meta(max_length=8)] = ""
    budget: NotNegative | None = None
    cable_m: Annotated[
        NotNegative, Shown("Max. cable length", "m", "How far a cable may run from a socket to a radar.", 0.5, high=50)
    ] = 3.0
    controller: str = ""
    owned: tuple[Owned, ...] = ()
    weights: Weights = Weights()
    code_hold_max_s: Annotated[
        Positive | None,
        Shown("Longest hold time by local code", "s or none",
              "Many energy codes limit how long lights stay on in empty rooms, often to 20 min. Check yours.", 60, 0,
              7200)
    ] = None  # fmt: skip
    code_manual_on: Annotated[
        bool,
        Shown("Code requires manual on in offices and stores",
              why="Adds a finding where the light comes on automatically. Check your local code.")
    ] = False  # fmt: skip
    code_half_off: Annotated[
        bool,
        Shown("Code requires half light instead of off in corridors and stores",
              why="Adds a finding where the light goes fully off. Check your local code.")
    ] = False  # fmt: skip
    test_mode: TestMode | None = None
    troubles: Impairments = Impairments()
    holidays: Annotated[tuple[Holiday, ...], msgspec.Meta(max_length=1000)] = ()
    vacations: Annotated[tuple[Vacation, ...], msgspec.Meta(max_length=100)] = ()
    unwanted_off: Annotated[float, msgspec.Meta(ge=0, le=1)] = 0.7
    naming: Convention = "words_with_underscores"


class Variant(Record, frozen=True, kw_only=True):
    """Another design of the same building for the same people, kept beside the present one: all that a design decides.

    It names what it holds itself, and what the building holds; what of that is gone meanwhile, it does without.
    """

    id: Id
    name: Annotated[str, msgspec.Meta(min_length=1, max_length=80)]
    devices: tuple[DeviceType, ...] = ()
    sensors: tuple[Sensor, ...] = ()
    zones: tuple[Zone, ...] = ()
    presences: tuple[Conclusion, ...] = ()
    lamps: tuple[Lamp, ...] = ()
    outputs: Fixtures = ()
    circuits: tuple[Circuit, ...] = ()
    switches: tuple[Switch, ...] = ()
    photometries: tuple[Photometry, ...] = ()
    scenes: tuple[Scene, ...] = ()
    lamp_groups: tuple[LampGroup, ...] = ()
    rules: tuple[LadderRow, ...] = ()
    buttons: tuple[Button, ...] = ()


class DiaryNote(Record, frozen=True, kw_only=True):
    """What somebody noted of the real house: when, by the clock there, and what happened."""

    id: Id
    at: Annotated[str, msgspec.Meta(pattern=r"^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}(?!\n)$")]
    text: Annotated[str, msgspec.Meta(min_length=1, max_length=500)]


class Project(Record, frozen=True, kw_only=True):
    """See `docs/format` for the file this is written to. Lengths in metres, angles in degrees, times in seconds."""

    format: Literal["vastwatch-project"] = "vastwatch-project"
    version: Literal[10] = 10
    name: str
    client: str = ""
    notes: str = ""
    place: Place = Place()
    construction: Construction = Construction()
    brief: Brief = Brief()
    uses: tuple[OwnUse, ...] = ()
    levels: tuple[Level, ...] = ()
    walls: tuple[Wall, ...] = ()
    openings: tuple[Opening, ...] = ()
    rooms: tuple[Room, ...] = ()
    furnishings: tuple[Furnishing, ...] = ()
    spots: tuple[Spot, ...] = ()
    hazards: tuple[Hazard, ...] = ()
    sockets: tuple[Socket, ...] = ()
    circuits: tuple[Circuit, ...] = ()
    switches: tuple[Switch, ...] = ()
    people: tuple[Person, ...] = ()
    devices: tuple[DeviceType, ...] = ()
    sensors: tuple[Sensor, ...] = ()
    zones: tuple[Zone, ...] = ()
    presences: tuple[Conclusion, ...] = ()
    lamps: tuple[Lamp, ...] = ()
    outputs: Fixtures = ()
    photometries: Annotated[tuple[Photometry, ...], msgspec.Meta(max_length=200)] = ()
    scenes: tuple[Scene, ...] = ()
    lamp_groups: tuple[LampGroup, ...] = ()
    rules: tuple[LadderRow, ...] = ()
    buttons: tuple[Button, ...] = ()
    logbook: LogbookToBe = ()
    variants: Annotated[tuple[Variant, ...], Apart(), msgspec.Meta(max_length=20)] = ()
    diary: Annotated[tuple[DiaryNote, ...], msgspec.Meta(max_length=2000)] = ()
    log_layouts: Annotated[tuple[LogLayout, ...], Apart(), msgspec.Meta(max_length=MOST_LAYOUTS)] = ()


# The lists that are of no design and that nothing computed depends on: kept beside it.
ASIDE = ("variants", "diary", "log_layouts")
# The lists whose records belong to a room and have a place in it.
IN_ROOMS = ("spots", "lamps", "outputs", "buttons")
# The lists that hold records with an id, in file order.
COLLECTIONS = (
    "uses", "levels", "walls", "openings", "rooms", "furnishings", "spots", "people", "devices", "sensors", "zones",
    "presences", "lamps", "outputs", "hazards", "sockets", "circuits", "switches", "photometries", "scenes",
    "lamp_groups", "rules", "buttons"
)  # fmt: skip


# Indices by the identity of the tuple they index and by what makes them, each kept with its tuple so that the identity
# stays its own. A cache that hashed its key would look at every record at every look-up.
_indices: dict[tuple[int, Callable[..., Any]], tuple[tuple[Any, ...], Any]] = {}
_MOST_INDICES = 1024
_making = Lock()


def indexed(records: tuple[Any, ...], make: Callable[[tuple[Any, ...]], T]) -> T:
    """An index of some records, made once for the very tuple they are in."""
    key = (id(records), make)
    held = _indices.get(key)
    if held is not None and held[0] is records:
        return held[1]
    made = make(records)
    with _making:
        while len(_indices) >= _MOST_INDICES:
            del _indices[next(iter(_indices))]
        _indices[key] = (records, made)
    return made


def _by_id(records: tuple[Any, ...]) -> dict[str, Any]:
    return {r.id: r for r in records}


def _index(records: tuple[Any, ...]) -> dict[str, Any]:
    return indexed(records, _by_id)


def find(records: tuple[R, ...], ident: str) -> R:
    """The record with that id. Raises KeyError."""
    return _index(records)[ident]


def find_any(project: Project, ident: str) -> tuple[str, Any] | None:
    """The collection and the record that carry an id, or None."""
    for collection in COLLECTIONS:
        records = getattr(project, collection)
        if ident in _index(records):
            return collection, _index(records)[ident]
    return None


def put(project: Project, record: Any) -> Project:
    """Replace the record that has the same id. Raises KeyError when there is none."""
    found = find_any(project, record.id)
    if found is None:
        raise KeyError(record.id)
    collection, old = found
    if old is record:
        return project
    records = tuple(record if r is old else r for r in getattr(project, collection))
    return replace(project, **{collection: records})


def on_level(records: Iterable[R], level: str) -> tuple[R, ...]:
    """Those records that stand on a level."""
    return tuple(r for r in records if r.level == level)


def clean_name(name: str, most: int = 80) -> str:
    """A name as it is kept: no longer than that, in one line."""
    return " ".join(name.split())[:most]


def unique_name(name: str, taken: Iterable[str]) -> str:
    """The name itself where it is free, else numbered on: `Office 2` after `Office`, and after `Office 1`."""
    names = set(taken)
    if name not in names:
        return name
    stem = name.rstrip("0123456789").rstrip() or name
    return next(x for n in itertools.count(2) if (x := f"{stem} {n}") not in names)


def is_used(project: Project, ident: str) -> bool:
    """Whether a record of the project has that id."""
    return any(ident in _index(getattr(project, c)) for c in COLLECTIONS)


def fresh_ids(project: Project, stem: str) -> Iterator[str]:
    """Short readable ids that the project does not use yet, one after another: `pir-3`, `pir-4`, ..."""
    stem = re.sub(r"[^a-z0-9]+", "-", stem.lower()).strip("-")[:48] or "item"
    used = set().union(*(_index(getattr(project, c)) for c in COLLECTIONS), *map(_ids_in, project.variants))
    # A log names sensors that may be gone: a new one is none of them.
    used |= {d.sensor for layout in project.log_layouts for d in layout.devices if d.sensor is not None}
    for n in itertools.count(1):
        if f"{stem}-{n}" not in used:
            yield f"{stem}-{n}"


def _ids_in(variant: Variant) -> set[str]:
    """The ids that a variant has for itself: what is new in the building must not be called so either."""
    held = (getattr(variant, name) for name in variant.__struct_fields__ if name not in ("id", "name"))
    return {record.id for records in held for record in records}


def fresh_id(project: Project, stem: str) -> str:
    """A short readable id that the project does not use yet, such as `pir-3`."""
    return next(fresh_ids(project, stem))
