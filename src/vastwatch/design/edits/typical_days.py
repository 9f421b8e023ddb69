"""Typical days to start from: people whose schedules use the spots a project has.

A template names roles ("sleep", "sit"), each with the spots that can fill it; what the building has no spot for is
left out, so that a one-room project works as well as a house.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from msgspec.structs import replace

from vastwatch.design.project import Project, find, fresh_id, unique_name
from vastwatch.geometry import polygons
from vastwatch.site.building import Spot
from vastwatch.site.people import Days, Errand, Person, Stay


class Line(NamedTuple):
    """From about `at` on, somewhere of these roles: the first that the building has."""

    at: str
    roles: tuple[str, ...]
    days: Days = "every"


class Trip(NamedTuple):
    """So many short visits a day to a role, between two times, for about so many minutes."""

    between: tuple[str, str]
    role: str
    per_day: float
    minutes: float


class Template(NamedTuple):
    """A kind of person."""

    name: str
    kind: str
    speed: float
    body_kg: float
    lines: tuple[Line, ...]
    trips: tuple[Trip, ...]
    many: int = 1


_TOILET_BY_DAY = Trip(("07:30", "22:30"), "toilet", 4.0, 4.0)
_WASH_BY_NIGHT = Trip(("00:30", "06:00"), "wash", 0.6, 3.0)

TEMPLATES: dict[str, Template] = {
    "out by day": Template(
        "Resident, out by day", "adult", 1.15, 70.0,
        (
            Line("06:50", ("wash", "cook")), Line("07:10", ("cook", "table", "sit")),
            Line("08:00", ("away",), "workday"),
            Line("17:30", ("cook", "table", "sit"), "workday"), Line("18:30", ("desk", "table", "sit")),
            Line("20:00", ("sit", "desk")), Line("23:00", ("sleep", "away")),
            Line("09:30", ("sit", "desk"), "free"), Line("11:00", ("away",), "free"),
            Line("14:00", ("sit", "desk"), "free"),
        ),
        (_TOILET_BY_DAY, _WASH_BY_NIGHT),
    ),
    "at home": Template(
        "Resident, at home", "adult", 1.05, 68.0,
        (
            Line("07:15", ("wash", "cook", "sit")), Line("07:35", ("cook", "table", "sit")),
            Line("09:00", ("desk", "work", "sit")),
            Line("12:30", ("cook", "table", "sit")), Line("13:30", ("work", "desk", "sit")),
            Line("18:00", ("cook", "table", "sit")),
            Line("19:15", ("sit", "desk")), Line("22:45", ("sleep", "away")),
        ),
        (_TOILET_BY_DAY, _WASH_BY_NIGHT, Trip(("10:00", "21:00"), "cook", 3.0, 5.0)),
    ),
    "visitor": Template(
        "Visitor, Sunday afternoons", "visitor", 1.1, 75.0,
        (Line("06:00", ("away",)), Line("14:30", ("sit", "table"), "sunday"), Line("17:30", ("away",), "sunday")),
        (Trip(("15:00", "17:00"), "toilet", 0.5, 4.0),),
    ),
    "class": Template(
        "Evening class", "visitor", 1.1, 72.0,
        (Line("06:00", ("away",)), Line("18:55", ("work", "desk", "sit"), "wednesday"),
         Line("21:05", ("away",), "wednesday")),
        (),
        6,
    ),
    "staff": Template(
        "Staff, works here", "adult", 1.2, 72.0,
        (
            Line("05:00", ("away",)), Line("08:30", ("staff", "desk", "work", "sit"), "workday"),
            Line("12:30", ("eat", "away"), "workday"), Line("13:15", ("staff", "desk", "work", "sit"), "workday"),
            Line("17:00", ("away",), "workday"),
        ),
        (
            Trip(("09:00", "16:30"), "toilet", 3.0, 4.0), Trip(("09:00", "16:30"), "eat", 2.0, 6.0),
            Trip(("09:00", "16:30"), "meet", 0.6, 40.0), Trip(("09:00", "16:30"), "fetch", 2.0, 3.0),
        ),
    ),
    "client": Template(
        "Client or patient", "visitor", 1.0, 74.0,
        (Line("05:00", ("away",)), Line("10:00", ("wait", "sit"), "workday"),
         Line("10:20", ("consult", "meet", "desk", "sit"), "workday"), Line("10:55", ("away",), "workday")),
        (Trip(("10:05", "10:50"), "toilet", 0.3, 4.0),),
    ),
    "cleaner": Template(
        "Cleaner, on a round", "adult", 1.1, 70.0,
        (Line("04:00", ("away",)), Line("18:00", ("fetch", "any"), "workday"), Line("20:30", ("away",), "workday")),
        (Trip(("18:05", "20:20"), "round", 10.0, 9.0),),
    ),
    "guest": Template(
        "Guest, stays the night", "visitor", 1.0, 73.0,
        (
            Line("10:00", ("away",)), Line("16:00", ("sit", "sleep"), "saturday"),
            Line("19:00", ("table", "sit"), "saturday"),
            Line("22:45", ("sleep", "sit"), "saturday"), Line("08:30", ("table", "sit"), "sunday"),
            Line("10:00", ("away",), "sunday"),
        ),
        (Trip(("16:30", "22:30"), "toilet", 2.0, 4.0), _WASH_BY_NIGHT),
    ),
    "child": Template(
        "Child, at school by day", "child", 1.0, 32.0,
        (
            Line("06:50", ("wash", "table", "sit")), Line("07:15", ("table", "sit")),
            Line("07:50", ("away",), "workday"),
            Line("15:00", ("desk", "table", "sit"), "workday"), Line("16:00", ("sit", "table")),
            Line("18:30", ("table", "sit")), Line("19:00", ("sit", "table")), Line("20:00", ("sleep", "away")),
            Line("09:30", ("sit", "table"), "free"),
        ),
        (_TOILET_BY_DAY, Trip(("15:30", "19:30"), "any", 6.0, 8.0)),
    ),
    "dog": Template(
        "Dog", "pet", 1.2, 22.0,
        (Line("07:00", ("sit", "table", "desk")), Line("22:30", ("sit", "desk"))),
        (Trip(("07:00", "22:00"), "any", 10.0, 8.0), Trip(("06:30", "22:00"), "away", 3.0, 25.0)),
    ),
    "cat": Template(
        "Cat", "pet", 0.6, 4.0,
        (Line("07:00", ("sit", "sleep", "desk")), Line("22:00", ("sit", "desk"))),
        (Trip(("05:00", "23:00"), "any", 14.0, 12.0),),
    ),
}  # fmt: skip


def _is(activity: str, use: str | None = None) -> Callable[[Spot, str], bool]:
    return lambda spot, room_use: spot.activity == activity and (use is None or room_use == use)


# Where somebody works who does not live there.
STAFFED = ("desk", "open office", "reception", "consulting", "workshop", "shop", "class", "kitchen", "gym", "laundry")

# Which spots can fill a role, by what is done there and what the room is for.
ROLES: dict[str, Callable[[Spot, str], bool]] = {
    "sleep": _is("sleeping"),
    "sit": lambda s, use: s.activity in ("reading", "film") and use not in ("toilet", "bathroom"),
    "desk": lambda s, use: s.activity == "desk" and use != "kitchen",
    "table": lambda s, use: s.activity == "desk" and use in ("kitchen", "dining"),
    "cook": lambda s, use: s.activity == "hands-on" and use == "kitchen",
    "work": lambda s, use: s.activity == "hands-on" and use != "kitchen",
    "wash": _is("washing"),
    "toilet": lambda s, use: s.posture == "seated" and use in ("toilet", "bathroom"),
    "away": _is("away"),
    "staff": lambda s, use: s.activity in ("desk", "hands-on") and use in STAFFED,
    "eat": lambda s, use: s.activity in ("desk", "hands-on", "reading") and use in ("kitchen", "dining"),
    "meet": lambda s, use: s.activity != "away" and use == "meeting",
    "wait": lambda s, use: s.activity != "away" and use in ("waiting", "reception"),
    "consult": lambda s, use: s.activity != "away" and use == "consulting",
    "fetch": lambda s, use: s.activity != "away" and use in ("store", "plant", "laundry"),
    "round": lambda s, use: s.activity != "away",
    "any": lambda s, _: s.activity != "away",
}


def add_person(project: Project, template: str) -> tuple[Project, Person]:
    """Add somebody of a template. Anybody who leaves the building does so at a spot of activity `away`; one is made
    where the project has none. Raises ValueError where the building has no place for them.
    """
    kind = TEMPLATES[template]
    if kind.many > 1:
        return _add_group(project, template)
    return _add_one(project, template, kind.name, len(project.people), "")


def _add_group(project: Project, template: str) -> tuple[Project, Person]:
    """So many of them, named 1, 2, ..., each at a place of their own while there are enough; the last one."""
    kind = TEMPLATES[template]
    group = unique_name(kind.name, (p.group for p in project.people))
    person = None
    for k in range(kind.many):
        project, person = _add_one(project, template, f"{group}, {k + 1}", k, group)
    assert person is not None
    return project, person


def _add_one(project: Project, template: str, name: str, taken: int, group: str) -> tuple[Project, Person]:
    kind = TEMPLATES[template]
    if not any(s.activity != "away" for s in project.spots):
        raise ValueError("there are no positions yet: place a chair or a bed in a room first")
    if any("away" in line.roles for line in kind.lines):
        project = _with_way_out(project)
    name = unique_name(name, (p.name for p in project.people))
    spots = {role: _spots(project, role) for role in ROLES}
    stays = []
    for line in kind.lines:
        options = next((spots[r] for r in line.roles if spots[r]), None)
        if options:
            # A second person sleeps on the other side, and sits on the other chair.
            spot = options[taken % len(options)]
            stays.append(Stay(days=line.days, at=line.at, spot=spot.id, jitter_min=10.0))
    errands = []
    for trip in kind.trips:
        # Who goes anywhere goes to a few places, and a round leads everywhere, a room at a time.
        found = spots[trip.role][:6] if trip.role == "any" else spots[trip.role]
        if trip.role == "round":
            found = list({s.room: s for s in reversed(found)}.values())[::-1]
        spread = trip.role in ("any", "round")
        for spot in found if spread else found[:1]:
            share = trip.per_day / max(len(found), 1) if spread else trip.per_day
            errands.append(Errand(between=trip.between, spot=spot.id, per_day=share, minutes=trip.minutes))
    if not stays:
        raise ValueError("there are no positions yet: place a chair or a bed in a room first")
    person = Person(
        id=fresh_id(project, template), name=name, kind=kind.kind, speed=kind.speed, body_kg=kind.body_kg,  # type: ignore[arg-type]
        stays=tuple(stays), errands=tuple(errands), group=group,
    )  # fmt: skip
    return replace(project, people=(*project.people, person)), person


def _spots(project: Project, role: str) -> list[Spot]:
    fits = ROLES[role]
    return [s for s in project.spots if fits(s, find(project.rooms, s.room).use)]


def _with_way_out(project: Project) -> Project:
    """A spot at which people leave, beside an outside door if there is one."""
    if any(s.activity == "away" for s in project.spots):
        return project
    room, at = project.rooms[0], polygons.centroid(project.rooms[0].outline)
    for opening in project.openings:
        if opening.kind != "door":
            continue
        wall = find(project.walls, opening.wall)
        length = ((wall.b[0] - wall.a[0]) ** 2 + (wall.b[1] - wall.a[1]) ** 2) ** 0.5
        ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
        k = opening.offset + opening.width / 2
        middle = (wall.a[0] + k * ux, wall.a[1] + k * uy)
        sides = []
        for way in (0.45, -0.45):
            p = (round(middle[0] - uy * way, 2), round(middle[1] + ux * way, 2))
            inside = [r for r in project.rooms if r.level == wall.level and polygons.contains_point(r.outline, *p)]
            sides.append((inside[0] if inside else None, p))
        (first, p), (second, q) = sides
        if (first is None) != (second is None):
            room, at = (first, p) if first is not None else (second, q)  # type: ignore[assignment]
            break
    spot = Spot(id=fresh_id(project, "way-out"), room=room.id, name="exit", at=at, activity="away")
    return replace(project, spots=(*project.spots, spot))
