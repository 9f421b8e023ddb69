"""Edits of people and their schedules, and the week a sheet amounts to.

Those of a group share their times: what is changed of one's line is changed of all, except the place.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from msgspec.structs import replace

from vastwatch.design.project import Project, find, put
from vastwatch.signals import DAY as DAY_S
from vastwatch.site.people import Errand, Person, Stay, applies_on
from vastwatch.site.record import seconds_of


class Block(NamedTuple):
    """Where somebody is meant to be: from and to in seconds of a day, and the spot's id."""

    begin: float
    end: float
    spot: str


def week_of(person: Person) -> list[list[Block]]:
    """For each day from Monday on the blocks of the schedule, without jitter and short visits; [] where nobody is said.

    What a day begins with is what the day before ended with; the week runs in a ring.
    """
    lines: list[tuple[float, str]] = []
    for day in range(7):
        lines += [(day * DAY_S + seconds_of(s.at), s.spot) for s in person.stays if applies_on(s.days, day)]
    if not lines:
        return [[] for _ in range(7)]
    lines.sort()
    last = lines[-1][1]
    out: list[list[Block]] = []
    for day in range(7):
        lo, hi = day * DAY_S, (day + 1) * DAY_S
        today = [(t, s) for t, s in lines if lo <= t < hi]
        marks = [(lo, last), *today]
        ends = [t for t, _ in marks[1:]] + [hi]
        out.append([Block(t - lo, e - lo, s) for (t, s), e in zip(marks, ends) if e > t])
        last = marks[-1][1]
    return out


def group_members(project: Project, person: Person) -> list[Person]:
    """Everybody of the person's group, or the person alone."""
    return [p for p in project.people if p.group == person.group] if person.group else [person]


def set_stay(project: Project, person_id: str, index: int, **fields: Any) -> Project:
    """Change a line of a schedule. Raises IndexError for a line that is not there."""
    return _changed(project, person_id, "stays", index, fields)


def set_errand(project: Project, person_id: str, index: int, **fields: Any) -> Project:
    """Change a short visit. Raises IndexError for one that is not there."""
    return _changed(project, person_id, "errands", index, fields)


def _changed(project: Project, person_id: str, name: str, index: int, fields: dict[str, Any]) -> Project:
    me = find(project.people, person_id)
    for person in group_members(project, me):
        lines = list(getattr(person, name))
        if index >= len(lines) and person is not me:
            continue
        mine = fields if person is me else {k: v for k, v in fields.items() if k != "spot"}
        lines[index] = replace(lines[index], **mine)
        project = put(project, replace(person, **{name: tuple(lines)}))
    return project


def add_stay(project: Project, person_id: str, stay: Stay) -> Project:
    """Add a line to somebody's sheet, and to those of their group."""
    for person in group_members(project, find(project.people, person_id)):
        project = put(project, replace(person, stays=(*person.stays, stay)))
    return project


def add_errand(project: Project, person_id: str, errand: Errand) -> Project:
    """Add a short visit, for the whole group."""
    for person in group_members(project, find(project.people, person_id)):
        project = put(project, replace(person, errands=(*person.errands, errand)))
    return project


def remove_stay(project: Project, person_id: str, index: int) -> Project:
    """Take a line away, for the whole group. Raises ValueError for the last one: everybody is somewhere."""
    for person in group_members(project, find(project.people, person_id)):
        if len(person.stays) < 2:
            raise ValueError("the last line cannot be deleted; remove the person instead")
        if index < len(person.stays):
            stays = person.stays[:index] + person.stays[index + 1 :]
            project = put(project, replace(person, stays=stays))
    return project


def remove_errand(project: Project, person_id: str, index: int) -> Project:
    """Take a short visit away, for the whole group."""
    for person in group_members(project, find(project.people, person_id)):
        if index < len(person.errands):
            errands = person.errands[:index] + person.errands[index + 1 :]
            project = put(project, replace(person, errands=errands))
    return project


def sleeps_at(project: Project, person: Person) -> str | None:
    """The spot where somebody sleeps by their sheet: a side of a bed."""
    return next((s.spot for s in person.stays if find(project.spots, s.spot).activity == "sleeping"), None)


def set_sleeps_at(project: Project, person_id: str, spot: str) -> Project:
    """Let somebody sleep on another side: every line that has them sleep names it."""
    person = find(project.people, person_id)
    stays = tuple(
        replace(s, spot=spot) if find(project.spots, s.spot).activity == "sleeping" else s for s in person.stays
    )
    if all(a is b for a, b in zip(stays, person.stays)):
        raise ValueError(f"{person.name} has no bed yet: add a line at a bed")
    return put(project, replace(person, stays=stays))
