"""What each room's use asks of its light: needs in figures, each with the words and the reason, each changeable.

A room's own `needs` go before what its use makes of it. Everything that judges a design, from findings to the
adviser, takes its limits from here.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from vastwatch.design.project import Project
from vastwatch.site.building import Room, RoomUse, Spot
from vastwatch.words import duration_words, false_off_limit_words


class UseNeeds(NamedTuple):
    """What is usual for a use: task lux, seconds until a walker is noticed, whether people stay, the longest hold in
    seconds, false-offs a week at most (None: the project's own limit), the most light while somebody sleeps, and hours
    a day that light may be on while empty (None: as long as visits explain)."""

    lux: float
    notice_s: float
    stays: bool
    hold_max_s: float
    drops_per_week: float | None
    asleep_share: float | None
    why: str
    idle_h: float | None = None


# Task lux is common lighting practice; the times are our choice, by how people use such rooms: on the way through
# nobody waits, a hand full of wet things cannot wave, and a machine never runs in the dark.
USUAL: dict[RoomUse, UseNeeds] = {
    "passage": UseNeeds(100, 1, False, 300, None, None, "people walk through without stopping"),
    "stair": UseNeeds(100, 1, False, 300, 0.25, None, "missing a step in the dark can mean a fall"),
    "store": UseNeeds(100, 2, False, 300, None, None, "hands are full, visits are short"),
    "toilet": UseNeeds(150, 2, True, 900, None, None, "people sit still out of view, with nobody to wave for them"),
    "bathroom": UseNeeds(150, 2, True, 900, 0.5, 0.15, "wet floor, people still behind a screen; night visits"),
    "kitchen": UseNeeds(250, 2, True, 900, None, None, "knives and hot pans; a lot of movement"),
    "dining": UseNeeds(150, 5, True, 900, None, None, "people sit and talk"),
    "sitting": UseNeeds(150, 5, True, 1200, None, None, "people sit still for hours"),
    "bedroom": UseNeeds(100, 5, True, 900, None, 0.15, "somebody may be asleep"),
    "nursery": UseNeeds(100, 5, True, 900, None, 0.05, "a child wakes from any light"),
    "desk": UseNeeds(400, 5, True, 1200, None, None, "screen work is nearly still"),
    "workshop": UseNeeds(300, 2, True, 900, 0.25, None, "a machine must never run in the dark"),
    "shop": UseNeeds(300, 2, True, 900, None, None, "customers walk in at any moment"),
    "class": UseNeeds(300, 5, True, 1200, 0.5, None, "everybody in a full room notices every false-off"),
    "plant": UseNeeds(150, 1, True, 600, 0.25, None, "heat and moving parts"),
    "open office": UseNeeds(
        400, 5, True, 1200, 0.5, None, "screen work is nearly still, and everybody notices a false-off"
    ),
    "meeting": UseNeeds(300, 5, True, 1200, 0.5, None, "people sit and listen; a false-off interrupts the talk"),
    "reception": UseNeeds(300, 2, True, 900, 0.5, None, "visitors walk in, and somebody is always at the desk"),
    "waiting": UseNeeds(150, 2, True, 1200, 0.5, None, "people sit still, and do not know where the switch is"),
    "consulting": UseNeeds(400, 2, True, 1200, 0.25, None, "close work with hands and eyes; some people lie still"),
    "gym": UseNeeds(200, 2, True, 900, 0.5, None, "weights overhead; people lie still on the mat"),
    "laundry": UseNeeds(150, 2, True, 600, None, None, "hands are full, the floor is wet"),
    "garage": UseNeeds(75, 1, False, 300, None, None, "a car moves while somebody walks behind it"),
    "corridor": UseNeeds(100, 1, False, 300, 0.5, None, "visitors need to find their way, and it is the exit route"),
    "outside": UseNeeds(10, 1, False, 300, None, None, "light is needed before the hand reaches the lock"),
}
# What is said of a limit that comes of a code: it is the reader's to check, here is no advice on law.
CHECK_CODE = "your local code may require it: check it"
# Uses in which many energy codes ask that a hand switches on, or that half comes on by itself.
MANUAL_ON_USES: tuple[RoomUse, ...] = ("desk", "open office", "meeting", "class", "consulting", "store")
# Where a code that asks for half light in place of none means it: ways that people may be on unseen.
HALF_OFF_USES: tuple[RoomUse, ...] = ("corridor", "passage", "stair", "store")
DOING = {
    "reading": "somebody reading", "film": "somebody watching", "desk": "somebody at work", "hands-on":
    "somebody at work", "washing": "somebody washing", "passing": "somebody standing", "sleeping": "somebody resting",
}  # fmt: skip


# The figure of a need that is not said, and comes of something else.
OPEN = -1.0


@dataclass(frozen=True)
class Need:
    """One need: the `field` of `Needs` it is set by, its figure (OPEN where none is said), the sentence, why, and
    whether it is the room's own rather than its use's."""

    field: str
    value: float
    words: str
    why: str
    own: bool


class RoomNeeds(NamedTuple):
    """The limits that count for a room, whether they are its own or its use's. `idle_h`: None where the visits of its
    weeks make the limit."""

    lux: float
    notice_s: float
    stays: bool
    hold_max_s: float
    drops_per_week: float
    asleep_share: float | None
    idle_h: float | None


def default_needs(project: Project, room: Room) -> UseNeeds:
    """What is usual for a room's use; of a use of the project's own, what that asks for, and else what it is like."""
    usual = USUAL[room.use]
    mine = None if room.own_use is None else next((u for u in project.uses if u.id == room.own_use), None)
    if mine is None:
        return usual
    said = {name: value for name in mine.needs.__struct_fields__ if (value := getattr(mine.needs, name)) is not None}
    return usual._replace(**said, why=f"it is the default for {mine.name.lower()}")


def use_words(project: Project, room: Room) -> str:
    """What a room is used as, in the project's words."""
    mine = None if room.own_use is None else next((u for u in project.uses if u.id == room.own_use), None)
    return room.use if mine is None else mine.name.lower()


def needs_of(project: Project, room: Room) -> RoomNeeds:
    """The limits that count for a room."""
    usual, own = default_needs(project, room), room.needs

    def either(mine: float | None, usually: float) -> float:
        return usually if mine is None else mine

    drops = project.brief.drops_per_week
    if usual.drops_per_week is not None:
        drops = min(drops, usual.drops_per_week)
    hold_max_s = either(own.hold_max_s, usual.hold_max_s)
    if project.brief.code_hold_max_s is not None:
        hold_max_s = min(hold_max_s, project.brief.code_hold_max_s)
    return RoomNeeds(
        either(own.lux, usual.lux), either(own.notice_s, usual.notice_s),
        usual.stays if own.stays is None else own.stays, hold_max_s,
        either(own.drops_per_week, drops), usual.asleep_share if own.asleep_share is None else own.asleep_share,
        usual.idle_h if own.idle_h is None else own.idle_h,
    )  # fmt: skip


def needs_in_words(project: Project, room: Room) -> list[Need]:
    """The needs of a room in sentences, in the order people ask for them."""
    it, usual, own = needs_of(project, room), default_needs(project, room), room.needs
    out: list[Need] = []

    def add(field: str, words: str, why: str) -> None:
        value = getattr(it, field)
        out.append(Need(field, OPEN if value is None else float(value), words, why, getattr(own, field) is not None))

    where = "anywhere in the room" if usual.stays else "on every path"
    add("notice_s", f"notice people walking within {duration_words(it.notice_s)} {where}", usual.why)
    add("lux", f"light on below {it.lux:g} lux on the task", "it is the default for this use")
    add(
        "stays",
        _staying_words(project, room, it.stays),
        "a light that goes off on somebody is the most common complaint",
    )
    stricter = usual.drops_per_week is not None and usual.drops_per_week < project.brief.drops_per_week
    why = usual.why if stricter else "it is the limit of the whole project"
    add("drops_per_week", f"{false_off_limit_words(it.drops_per_week)} at most", why)
    burn = f"stay on in an empty room for {duration_words(it.hold_max_s)} at most"
    capped = project.brief.code_hold_max_s is not None and it.hold_max_s == project.brief.code_hold_max_s
    add("hold_max_s", burn, CHECK_CODE if capped else "a longer hold time adds energy use but no comfort")
    in_all = "longer than its visits explain" if it.idle_h is None else f"more than {it.idle_h:g} h a day"
    add(
        "idle_h",
        f"lit while empty no {in_all}",
        "the longest hold time after each visit, and a few false-ons; more is a fault",
    )
    if it.asleep_share is not None:
        asleep = f"{100 * it.asleep_share:.0f} % light at most while somebody sleeps"
        add("asleep_share", asleep, "a ceiling light wakes sleepers")
    return out


def _staying_words(project: Project, room: Room, stays: bool) -> str:
    if not stays:
        return "nobody stays here"
    spots = light_spots(project, room.id)
    stillest = [s for s in spots if s.activity in ("reading", "film", "desk")] or spots
    if not stillest:
        return "keep the light on for anybody who stays"
    names = " and ".join(f"{DOING.get(s.activity, 'somebody')} at the {s.name}" for s in stillest[:2])
    return f"keep the light on for {names}" + (f", and {len(stillest) - 2} more" if len(stillest) > 2 else "")


def used_by_people(project: Project) -> set[str]:
    """Ids of the spots some human's schedule names."""
    people = [person for person in project.people if person.kind != "pet"]
    return {s.spot for p in people for s in p.stays} | {e.spot for p in people for e in p.errands}


def light_spots(project: Project, room: str) -> list[Spot]:
    """Spots of a room where people stay and want light; all but pets' places, beds and the way out."""
    used = used_by_people(project)
    return [
        s
        for s in project.spots
        if s.room == room and s.activity not in ("away", "sleeping") and (s.id in used or not project.people)
    ]
