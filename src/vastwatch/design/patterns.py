"""Ready-made ways to conclude that somebody is in a room, each with what it needs, and with when it fails."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vastwatch.design.edits.sensors import readable_sensors
from vastwatch.design.expressions import (
    AnyOf,
    AtLeast,
    Belief,
    DoorLatch,
    Expr,
    Fact,
    Hold,
    OnDelay,
    Report,
    StartKeep,
)
from vastwatch.design.needs import used_by_people
from vastwatch.design.places import room_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.devices import FAMILIES, DeviceType
from vastwatch.site.building import Room

# A new pattern holds as long as what it takes the place of, or so long, seconds.
HOLD_S = 120.0
# A mat says somebody after so long on it, and nobody so long after, seconds: foam that yields, and who only shifts.
MAT_ON_S, MAT_OFF_S = 5.0, 30.0
# After a door has shut a latch waits for so long at least before it believes motion, seconds.
SETTLE_S = 10.0


@dataclass(frozen=True)
class Pattern:
    """`what` it does and when it `fails`, in a sentence each; `wants` says what it cannot be made without. `make` gives
    the expression for a room, or None where something is wanting."""

    key: str
    name: str
    what: str
    fails: str
    wants: str
    make: Callable[[Project, Room], Expr | None]


class _Tellers:
    """The sensors that could tell of a room, by how they do."""

    def __init__(self, project: Project, room: Room) -> None:
        self.project = project
        found = [(find(project.devices, s.device), Report(sensor=s.id)) for s in readable_sensors(project, room.id)]
        # Family by family.
        found.sort(key=lambda x: FAMILIES.index(x[0].family))
        self._found = [(device, report) for device, report in found if device.presence or device.watches == "host"]
        presence = presence_of(project, room.id)
        self.hold_s = (None if presence is None else hold_of(presence.expr)) or HOLD_S

    def which(self, are: Callable[[DeviceType], bool]) -> tuple[Report, ...]:
        """The reports of those whose type is so."""
        return tuple(report for device, report in self._found if are(device))

    @property
    def quick(self) -> tuple[Report, ...]:
        """What notices somebody who comes in at once."""
        return self.which(lambda d: d.starts)

    @property
    def motion(self) -> tuple[Report, ...]:
        return self.which(lambda d: d.watches == "area")

    @property
    def patient(self) -> tuple[Report, ...]:
        return self.which(lambda d: d.patient)


def _any(parts: tuple[Expr, ...]) -> Expr:
    return parts[0] if len(parts) == 1 else AnyOf(of=parts)


def _start_and_keep(start: tuple[Report, ...], keep: tuple[Expr, ...], hold_s: float) -> Expr:
    every = (*start, *(k for k in keep if not _in(k, start)))
    return StartKeep(start=_any(start), keep=Hold(of=_any(every), seconds=hold_s))


def _in(part: Expr, reports: tuple[Report, ...]) -> bool:
    return isinstance(part, Report) and any(part.sensor == r.sensor for r in reports)


def _quick_and_patient(project: Project, room: Room) -> Expr | None:
    t = _Tellers(project, room)
    keep = tuple(r for r in t.patient if not _in(r, t.quick))
    return _start_and_keep(t.quick, keep, t.hold_s) if t.quick and keep else None


def _contact_and_motion(project: Project, room: Room) -> Expr | None:
    t = _Tellers(project, room)
    contacts = t.which(lambda d: d.at_doors)
    if not contacts or not t.motion:
        return None
    infrared = t.which(lambda d: d.infrared and not d.emits_radio)
    return _start_and_keep((*contacts, *infrared), t.motion, t.hold_s)


def _latch(project: Project, room: Room) -> Expr | None:
    t = _Tellers(project, room)
    contacts = t.which(lambda d: d.at_doors)
    if len(contacts) != 1 or not t.motion:
        return None
    return DoorLatch(motion=_any(t.motion), door=contacts[0], hold_s=t.hold_s, settle_s=SETTLE_S)


def _filtered_mats(project: Project, room: Room) -> Expr | None:
    mats = _Tellers(project, room).which(lambda d: d.pressed)
    filtered = tuple(Hold(of=OnDelay(of=m, seconds=MAT_ON_S), seconds=MAT_OFF_S) for m in mats)
    return _any(filtered) if filtered else None


def _machine(project: Project, room: Room) -> Expr | None:
    t = _Tellers(project, room)
    runs = t.which(lambda d: d.watches == "host" and not d.pressed and not d.at_doors)
    return _start_and_keep(t.motion, (*t.motion, *runs), t.hold_s) if runs and t.motion else None


def _film(project: Project, room: Room) -> Expr | None:
    t = _Tellers(project, room)
    used = used_by_people(project)
    shows = any(s.room == room.id and s.activity == "film" and s.id in used for s in project.spots)
    if not (shows and t.motion):
        return None
    return _start_and_keep(t.quick or t.motion, (*t.motion, Fact(what="film", room=room.id)), t.hold_s)


def _stair(project: Project, room: Room) -> Expr | None:
    stairs = [f for f in project.furnishings if f.kind == "stair"]
    if not stairs or room.use not in ("stair", "passage", "corridor", "landing"):
        return None
    ends = [s for s in project.sensors if _motion(project, s) and _is_way(project, s)]
    levels = {s.level for s in ends}
    if len(levels) < 2:
        return None
    return Hold(of=_any(tuple(Report(sensor=s.id) for s in ends)), seconds=_Tellers(project, room).hold_s)


def _motion(project: Project, sensor: Sensor) -> bool:
    return find(project.devices, sensor.device).infrared


def _is_way(project: Project, sensor: Sensor) -> bool:
    room = room_of(project, sensor)
    return room is not None and room.use in ("stair", "passage", "corridor", "landing")


def _two_of_three(project: Project, room: Room) -> Expr | None:
    t = _Tellers(project, room)
    every = (*t.motion, *t.which(lambda d: d.watches == "host"))
    return Hold(of=AtLeast(k=2, of=every), seconds=t.hold_s) if len(every) >= 3 else None


def _belief(project: Project, room: Room) -> Expr | None:
    every = tuple(_Tellers(project, room).which(lambda d: d.watches == "area" or d.pressed))
    return Belief(of=every) if every else None


PATTERNS = (
    Pattern(
        "quick-patient", "Fast start, patient keep",
        "The fast sensor turns the light on, and the one that notices people at rest keeps it on.",
        "Anyone the fast sensor never sees gets no light, even where the other sensor sees them.",
        "a motion sensor, and one that notices people at rest", _quick_and_patient,
    ),
    Pattern(
        "contact-motion", "Contact and motion",
        "The door turns the light on before anybody is inside; motion keeps it on.",
        "A door left ajar reports nothing, and opening it without entering lights the room for the hold time.",
        "a contact on a door, and a motion sensor", _contact_and_motion,
    ),
    Pattern(
        "latch", "Door latch",
        "Movement with the door shut means occupied until the door opens, however still people are.",
        "Every door of the room needs a contact. With a door left open only motion counts, and when one of two "
        "people leaves, the other depends on motion.",
        "one contact on the room's door, and a motion sensor", _latch,
    ),
    Pattern(
        "mats", "Filtered mats",
        (f"On {MAT_ON_S:g} s after somebody sits or stands there, off {MAT_OFF_S:g} s after they leave: no "
        "flicker as they shift."),
        "A bag counts as somebody; on soft foam a light person does not; nobody beside the mat is noticed.",
        "a mat", _filtered_mats,
    ),
    Pattern(
        "machine", "Running machine keeps light on",
        ("Motion turns the light on, and a running machine keeps it on: nobody is left in the dark at a running "
        "machine."),
        "With a machine left running, the light stays on until somebody stops it.",
        "a plug with a meter or a vibration sensor, and a motion sensor", _machine,
    ),
    Pattern(
        "film", "Running screen keeps light on",
        "Motion turns the light on; while something plays, stillness does not count as absence.",
        "If somebody falls asleep in front of it or leaves it on, the light stays on.",
        "a place where films are watched, and a motion sensor", _film,
    ),
    Pattern(
        "stair", "Stair linked at both ends",
        "Entering at either end lights the whole stair.",
        "Passing one end lights both; on a stair the light must fail to ON.",
        "motion sensors at both ends of a stair", _stair,
    ),
    Pattern(
        "two-of-three", "Two out of three against false-ons",
        "One falsely triggered sensor does not turn the light on: two must agree.",
        "Where only one sensor sees somebody, nobody is noticed; it is as slow as the second fastest.",
        "three sensors that report on the room", _two_of_three,
    ),
    Pattern(
        "belief", "Occupancy probability",
        "How probable it is that somebody is there, from what every sensor reports and does not report.",
        "It is only as good as the known routines; it cannot tell two people from one.",
        "a sensor that reports people", _belief,
    ),
)  # fmt: skip
