"""Starting ladders by what a room is used for: a few rows that one begins from, each with why.

They follow what there is: a film row only where somebody watches one, a row for sleepers only where a mat tells of
them, a machine's row only where a plug tells that it runs.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from msgspec.structs import replace

from vastwatch.design.edits.ladders import with_ladder
from vastwatch.design.edits.sensors import readable_sensors
from vastwatch.design.expressions import AllOf, AnyOf, ClockTime, ConclusionRef, Dark, Expr, Fact, Hold, Report, same
from vastwatch.design.ladders import ladder_rows, lamps_for
from vastwatch.design.needs import HALF_OFF_USES, used_by_people
from vastwatch.design.project import Project, find, unique_name
from vastwatch.design.records import Lamp, Sensor
from vastwatch.design.relations import lamps_in, presence_of
from vastwatch.devices import DeviceType
from vastwatch.site.building import Room

NIGHT = ClockTime(begin="23:00", end="06:00")
# How far lamps are on: on a way at night, over a film, while it is paused, on half, for safety at a machine.
NIGHT_PATH, FILM, PAUSE, HALF, SAFE = 0.12, 0.1, 0.5, 0.5, 0.4
Rows = list[tuple[str, Expr, str, dict[str, float], float]]


class Need(NamedTuple):
    """Something that a room must have for a ladder: in words, whether it is there, the stage where it is added, and
    what is placed there to have it (empty where it is not one thing)."""

    words: str
    there: Callable[[Project, Room], bool]
    stage: str
    place: str = ""


class LadderTemplate(NamedTuple):
    """A ladder to begin from: what it is called, what it does, how its rows are made for a room (None where it lacks
    what it needs), and what that is besides lamps and presence."""

    name: str
    what: str
    make: Callable[[Project, Room], Rows | None]
    needs: tuple[Need, ...] = ()


def missing(project: Project, room: str, ladder: LadderTemplate, group: str | None = None) -> list[Need]:
    """What a room, or a group of its lamps, lacks for a starting ladder; nothing where it can have it."""
    alone = _alone(project, room, group)
    record = find(project.rooms, room)
    return [need for need in (*COMMON, *ladder.needs) if not need.there(alone, record)]


def template_rows(project: Project, room: str, ladder: LadderTemplate, group: str | None = None) -> Rows | None:
    """The rows of a starting ladder for a room, or for a group of its lamps; None where it has not what it needs."""
    return ladder.make(_alone(project, room, group), find(project.rooms, room))


def _alone(project: Project, room: str, group: str | None) -> Project:
    """The project with those lamps of a room alone that a group has."""
    mine = {lamp.id for lamp in lamps_for(project, room, group)}
    return replace(project, lamps=tuple(x for x in project.lamps if x.room != room or x.id in mine))


def apply_template(project: Project, room: str, ladder: LadderTemplate, group: str | None = None) -> Project:
    """A room, or a group of its lamps, with a starting ladder in place of its own. Raises ValueError with a sentence
    where it cannot have it."""
    rows = template_rows(project, room, ladder, group)
    if rows is None:
        raise ValueError(f"{find(project.rooms, room).name} lacks what “{ladder.name}” needs")
    return with_ladder(project, room, rows, group)


def _somebody(project: Project, room: Room) -> Expr | None:
    lighting = presence_of(project, room.id)
    return None if lighting is None or not lamps_in(project, room.id) else ConclusionRef(presence=lighting.id)


def _levels(project: Project, room: Room, level: float) -> dict[str, float]:
    return {lamp.id: level for lamp in lamps_in(project, room.id)}


def _lowest(project: Project, room: Room) -> Lamp:
    """The lamp that glares least: the lowest, and of equals the faintest."""
    return min(lamps_in(project, room.id), key=lambda x: (x.height_m is None, x.height_m or 0.0, x.lumens))


def _one(project: Project, room: Room, level: float) -> dict[str, float]:
    """The lowest lamp alone, at a level."""
    lowest = _lowest(project, room).id
    return {lamp.id: level if lamp.id == lowest else 0.0 for lamp in lamps_in(project, room.id)}


def _plain(project: Project, room: Room) -> Rows | None:
    here = _somebody(project, room)
    if here is None:
        return None
    return [("Occupied and dark", AllOf(of=(here, Dark(room=room.id))), "Full", _levels(project, room, 1.0), 1.0)]


def _night_path(project: Project, room: Room) -> Rows | None:
    rows, here = _plain(project, room), _somebody(project, room)
    if rows is None or here is None:
        return None
    night = AllOf(of=(here, Dark(room=room.id), NIGHT))
    return [("Occupied at night", night, "Night path", _one(project, room, NIGHT_PATH), 2.0), *rows]


def _watches_films(project: Project, room: Room) -> bool:
    used = used_by_people(project)
    return any(s.room == room.id and s.activity == "film" and s.id in used for s in project.spots)


def _film(project: Project, room: Room) -> Rows | None:
    if not _watches_films(project, room):
        return None
    rows = _plain(project, room)
    if rows is None:
        return None
    playing, paused = (AllOf(of=(Fact(what=what, room=room.id), Dark(room=room.id))) for what in ("film", "paused"))
    return [
        ("Film playing, and dark", playing, "Film", _one(project, room, FILM), 4.0),
        ("Film paused, and dark", paused, "Pause", _one(project, room, PAUSE), 2.0), *rows,
    ]  # fmt: skip


def _asleep(project: Project, room: Room) -> Rows | None:
    """No ceiling light over a sleeper: by the mats in the beds."""
    rows, here = _plain(project, room), _somebody(project, room)
    mats = [Report(sensor=s.id) for s in _tellers(project, room, lambda d: d.pressed)]
    if rows is None or here is None or not mats:
        return None
    bed: Expr = Hold(of=mats[0] if len(mats) == 1 else AnyOf(of=tuple(mats)), seconds=30.0)
    dimmed = AllOf(of=(bed, here, Dark(room=room.id)))
    return [
        ("Somebody up while somebody is in bed", dimmed, "By the bed", _one(project, room, NIGHT_PATH), 2.0), *rows,
    ]  # fmt: skip


def _machine(project: Project, room: Room) -> Rows | None:
    """Never below safe light while the machine's plug says that it runs."""
    rows = _plain(project, room)
    plugs = [Report(sensor=s.id) for s in _tellers(project, room, lambda d: d.metered)]
    if rows is None or not plugs:
        return None
    runs: Expr = plugs[0] if len(plugs) == 1 else AnyOf(of=tuple(plugs))
    held = AllOf(of=(Hold(of=runs, seconds=60.0), Dark(room=room.id)))
    return [*rows, ("Machine running, and dark", held, "Safe light", _levels(project, room, SAFE), 0.0)]


def _task(project: Project, room: Room) -> Rows | None:
    """The task light full at the desk, the ceiling at half."""
    rows, here = _plain(project, room), _somebody(project, room)
    if rows is None or here is None or len(lamps_in(project, room.id)) < 2:
        return None
    lowest = _lowest(project, room).id
    levels = {lamp.id: 1.0 if lamp.id == lowest else HALF for lamp in lamps_in(project, room.id)}
    return [("Somebody at work, and dark", AllOf(of=(here, Dark(room=room.id))), "Task", levels, 1.0)]


def _never_dark(project: Project, room: Room) -> Rows | None:
    """Stairs and exit routes: half light whenever it is dark, full for anybody who comes."""
    rows = _plain(project, room)
    if rows is None or room.use not in HALF_OFF_USES:
        return None
    return [*rows, ("Whenever dark", Dark(room=room.id), "Half", _levels(project, room, HALF), 4.0)]


def _guests(project: Project, room: Room) -> Rows | None:
    """Evenings with guests: on by the clock, no matter who sits still."""
    rows = _plain(project, room)
    if rows is None:
        return None
    evening = AllOf(of=(ClockTime(begin="sunset", end="23:30", days="free"), Dark(room=room.id)))
    return [*rows, ("Guests in the evening, and dark", evening, "Guests", _levels(project, room, HALF), 4.0)]


def _tellers(project: Project, room: Room, are: Callable[[DeviceType], bool]) -> list[Sensor]:
    return [s for s in readable_sensors(project, room.id) if are(find(project.devices, s.device))]


# What every ladder needs.
COMMON = (
    Need("a lamp", lambda p, r: bool(lamps_in(p, r.id)), "Plan", "lamp:"),
    Need("a sensor", lambda p, r: presence_of(p, r.id) is not None, "Sensors"),
)
FILM_SEAT = Need("a film seat in a schedule", _watches_films, "Plan")
MAT = Need("a mat", lambda p, r: bool(_tellers(p, r, lambda d: d.pressed)), "Sensors", "mat-bed-strip")
PLUG = Need("a plug with meter", lambda p, r: bool(_tellers(p, r, lambda d: d.metered)), "Sensors", "plug-meter")
TWO_LAMPS = Need("a second lamp", lambda p, r: len(lamps_in(p, r.id)) != 1, "Plan", "lamp:")
ON_THE_WAY = Need("a use such as stair or corridor", lambda _, r: r.use in HALF_OFF_USES, "Brief")

STARTING: tuple[LadderTemplate, ...] = (
    LadderTemplate("Occupied and dark", "All lamps fully on while the room is occupied and dark.", _plain),
    LadderTemplate("Night path", "At night the lowest lamp at 12 %, otherwise all lamps fully on.", _night_path),
    LadderTemplate(
        "Film evenings", "The lowest lamp at 10 % while a film plays, at 50 % while it is paused.", _film, (FILM_SEAT,)
    ),
    LadderTemplate(
        "No ceiling light over sleepers", "While a mat reports somebody in bed, 12 % by the bed.", _asleep, (MAT,)
    ),
    LadderTemplate(
        "Never dark at a machine", "While a plug reports a running machine, 40 % stays on.", _machine, (PLUG,)
    ),
    LadderTemplate("Desk with a task light", "The lowest lamp fully on, the others at 50 %.", _task, (TWO_LAMPS,)),
    LadderTemplate(
        "Stairs that never go dark", "50 % whenever it is dark, full light for anybody coming.", _never_dark,
        (ON_THE_WAY,),
    ),
    LadderTemplate("Guests", "On evenings before days off 50 % stays on, however still people sit.", _guests),
)  # fmt: skip


class NewRow(NamedTuple):
    """A row that is added: its name, condition and scene, the levels of that, and its place from the top."""

    name: str
    when: Expr
    scene: str
    levels: dict[str, float]
    at: int


def row_to_add(project: Project, room: str, group: str | None = None) -> NewRow:
    """What a ladder has not yet, the usual first: occupied and dark, then occupied at night above that, then whenever
    dark; else another row for the night on top. Raises ValueError for a room without a lamp."""
    if not lamps_for(project, room, group):
        raise ValueError("A ladder needs a lamp: add one to this room first.")
    alone, record = _alone(project, room, group), find(project.rooms, room)
    mine = ladder_rows(project, room, group)
    here, dark = _somebody(alone, record), Dark(room=room)
    plain: Expr = dark if here is None else AllOf(of=(here, dark))
    night = AllOf(of=(dark, NIGHT) if here is None else (here, dark, NIGHT))
    above = next((k for k, r in enumerate(mine) if same(r.when, plain)), 0)
    low, full, half = _one(alone, record, NIGHT_PATH), _levels(alone, record, 1.0), _levels(alone, record, HALF)
    usual = (
        NewRow("Whenever dark" if here is None else "Occupied and dark", plain, "Full", full, len(mine)),
        NewRow("Dark at night" if here is None else "Occupied at night", night, "Night path", low, above),
        NewRow("Whenever dark", dark, "Half", half, len(mine)),
    )
    new = (row for row in usual if not any(same(row.when, r.when) for r in mine))
    chosen = next(new, usual[1]._replace(at=0))
    return chosen._replace(name=unique_name(chosen.name, (r.name for r in mine)))
