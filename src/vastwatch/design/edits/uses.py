"""What rooms are used as, and uses of the project's own: each like one that is known, with needs of its own."""

from __future__ import annotations

from msgspec.structs import replace

from vastwatch.design.edits.building import fresh_name_id
from vastwatch.design.project import Project, clean_name, find, put, unique_name
from vastwatch.site.building import Needs, OwnUse, Room
from vastwatch.site.use_guess import USES


def use_key(room: Room) -> str:
    """What a room's use is chosen by: the id of a use of the project's own, or one of those that are known."""
    return room.own_use or room.use


def use_choices(project: Project) -> list[tuple[str, str]]:
    """Every use there is to choose, those of the project's own first: key and words."""
    return [(u.id, u.name.lower()) for u in project.uses] + [(u, u) for u in USES]


def with_use(project: Project, room: Room, key: str) -> Room:
    """The room with another use. Raises ValueError for one that there is not."""
    own = next((u for u in project.uses if u.id == key), None)
    if own is not None:
        return replace(room, use=own.like, own_use=own.id)
    if key not in USES:
        raise ValueError(f"unknown use '{key}'")
    return replace(room, use=key, own_use=None)


def make_use(project: Project, room_id: str, name: str) -> tuple[Project, OwnUse]:
    """A use of the project's own of what a room is used as and asks for; the room has it from then on. Raises
    ValueError without a name."""
    name = clean_name(name, 40)
    if not name:
        raise ValueError("a use needs a name")
    room = find(project.rooms, room_id)
    before = next((u for u in project.uses if u.id == room.own_use), None)
    needs = _over(before.needs if before else Needs(), room.needs)
    use = OwnUse(
        id=fresh_name_id(project, f"use {name}"), name=unique_name(name, (u.name for u in project.uses)), like=room.use,
        needs=needs,
    )  # fmt: skip
    project = replace(project, uses=(*project.uses, use))
    return put(project, replace(room, own_use=use.id, needs=Needs())), use


def give_to_use(project: Project, room_id: str) -> Project:
    """What a room asks for differently, for all rooms of its own use. Raises ValueError for a room without one."""
    room = find(project.rooms, room_id)
    use = next((u for u in project.uses if u.id == room.own_use), None)
    if use is None:
        raise ValueError(f"{room.name.lower()} has no custom use")
    project = put(project, replace(use, needs=_over(use.needs, room.needs)))
    return put(project, replace(room, needs=Needs()))


def _over(below: Needs, above: Needs) -> Needs:
    """Needs, and over them those that are set in others."""
    said = {name: value for name in above.__struct_fields__ if (value := getattr(above, name)) is not None}
    return replace(below, **said)
