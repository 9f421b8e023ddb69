"""Stepping through what there is: levels, rooms, sensors, things of a room, figures."""

from __future__ import annotations

from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find, find_any
from vastwatch.design.relations import levels_in_order, presence_of, rooms_on
from vastwatch.desk.shell.focus import SPANS, Focus
from vastwatch.sensing import SUBJECTS
from vastwatch.site.building import Room


def level_of(project: Project, ident: str) -> str | None:
    """The level a record stands on, itself or by its room, wall or sensor; None for what stands nowhere."""
    found = find_any(project, ident)
    if found is None:
        return None
    record = found[1]
    if hasattr(record, "room"):
        record = find(project.rooms, record.room)
    elif hasattr(record, "wall"):
        record = find(project.walls, record.wall)
    elif hasattr(record, "sensor"):
        record = find(project.sensors, record.sensor)
    return getattr(record, "level", None)


def home_of(project: Project, ident: str) -> Room | None:
    """The room that a record is, is in, or is mounted in; of a zone, of its sensor. None for what has none."""
    found = find_any(project, ident)
    if found is None:
        return None
    collection, record = found
    if collection == "rooms":
        return find(project.rooms, ident)
    if getattr(record, "room", None):
        return find(project.rooms, record.room)
    if collection in ("sensors", "zones"):
        return room_of(project, record if collection == "sensors" else find(project.sensors, record.sensor))
    return None


# What an edit may have changed, what is selected for it first.
_EDITED = (
    "rooms", "sensors", "zones", "lamps", "outputs", "buttons", "spots", "furnishings", "switches", "sockets",
    "hazards", "openings", "walls", "presences", "rules", "scenes",
)  # fmt: skip


def what_changed(old: Project, new: Project) -> str | None:
    """The id of what an edit was about: of what is new or different, or else the room of what is gone; None where that
    has no place."""
    gone: str | None = None
    for collection in _EDITED:
        before = {r.id: r for r in getattr(old, collection)}
        after = {r.id: r for r in getattr(new, collection)}
        if before == after:
            continue
        found = next((r for i, r in after.items() if before.get(i) != r), None)
        if found is not None:
            return found.id if collection not in ("presences", "rules", "scenes") else getattr(found, "room", None)
        lost = next(r for i, r in before.items() if i not in after)
        if gone is None:
            home = room_of(old, lost) if collection == "sensors" else None
            gone = home.id if home is not None else getattr(lost, "room", None)
    return gone if gone in {r.id for r in new.rooms} else None


def show_level(focus: Focus, project: Project, level: str) -> None:
    """Show a level, and a room of it: one with presence, if there is one."""
    if level == focus.level:
        return
    rooms = [r.id for r in rooms_on(project, level)]
    lit = [r for r in rooms if presence_of(project, r) is not None]
    room = next(iter(lit or rooms), None)
    focus.set(level=level, room=room, selected=room, incident=-1)


def step_level(focus: Focus, project: Project, way: int) -> None:
    """The level above (1) or below (-1), where there is one."""
    order = [level.id for level in levels_in_order(project)]
    if focus.level in order:
        k = order.index(focus.level) + way
        if 0 <= k < len(order):
            show_level(focus, project, order[k])


def step_room(focus: Focus, project: Project, way: int) -> None:
    """The next or previous room of the level, all round."""
    rooms = [r.id for r in rooms_on(project, focus.level)]
    if rooms:
        room = rooms[((rooms.index(focus.room) if focus.room in rooms else -1) + way) % len(rooms)]
        focus.set(room=room, selected=room, incident=-1)


def step_sensor(focus: Focus, project: Project, way: int) -> bool:
    """The next or previous sensor of the level, all round, with its room; whether there is one."""
    sensors = [s for s in project.sensors if s.level == focus.level]
    if not sensors:
        return False
    k = next((i for i, s in enumerate(sensors) if s.id == focus.selected), -1 if way > 0 else 0)
    sensor = sensors[(k + way) % len(sensors)]
    room = room_of(project, sensor)
    focus.set(selected=sensor.id, room=room.id if room else focus.room)
    return True


def step_thing(focus: Focus, things: list[str], way: int) -> bool:
    """The next or previous of some things by id, all round; whether there is one."""
    if not things:
        return False
    k = next((i for i, t in enumerate(things) if t == focus.selected), -1 if way > 0 else 0)
    # Stepping on keeps what was marked, so that many can be gathered by keys.
    focus.set(selected=things[(k + way) % len(things)], marked=focus.marked)
    return True


def next_span(focus: Focus) -> None:
    """A day, a week, a month on the ribbon, all round."""
    focus.set(span=SPANS[(SPANS.index(focus.span) + 1) % len(SPANS)])


def next_figure(focus: Focus) -> None:
    """Contours for the next figure, all round."""
    focus.set(figure=SUBJECTS[(SUBJECTS.index(focus.figure) + 1) % len(SUBJECTS)])
