"""Which of the places of somebody's schedule they can get to: those that a way joins with most of the others.

Where no way leads, nobody can be; anybody who means to be there is left out of everything for that time, and that is
said.
"""

from __future__ import annotations

from collections.abc import Callable

from vastwatch.design.project import Project, find
from vastwatch.memo import memoised
from vastwatch.people.routes import route
from vastwatch.site.building import Furnishing, Level, Opening, Room, Spot, Wall
from vastwatch.site.people import Person


def unreachable_spots(project: Project, person: Person) -> tuple[Spot, ...]:
    """The spots of a person's schedule that no way joins with the rest of it, in the order of the sheet.

    The rest is where they come in, or else where most lines of the sheet are. None where all are connected.
    """
    return _lost(
        project.levels, project.walls, project.openings, project.rooms, project.furnishings, project.spots, person
    )


@memoised
def _lost(
    levels: tuple[Level, ...],
    walls: tuple[Wall, ...],
    openings: tuple[Opening, ...],
    rooms: tuple[Room, ...],
    furnishings: tuple[Furnishing, ...],
    spots: tuple[Spot, ...],
    person: Person,
) -> tuple[Spot, ...]:
    building = Project(
        name="", levels=levels, walls=walls, openings=openings, rooms=rooms, furnishings=furnishings, spots=spots
    )
    named = dict.fromkeys([s.spot for s in person.stays] + [e.spot for e in person.errands])
    wanted = [find(spots, ident) for ident in named]
    groups = _groups(wanted, lambda a, b: a is b or route(building, a, b) is not None)
    if len(groups) < 2:
        return ()
    lines = {s.id: sum(line.spot == s.id for line in person.stays) for s in wanted}

    def weight(group: list[Spot]) -> tuple[bool, bool, int]:
        stays = sum(lines[s.id] for s in group)
        return stays > 0, any(s.activity == "away" for s in group), stays

    home = max(groups, key=weight)
    return tuple(s for s in wanted if s not in home)


def _groups(spots: list[Spot], joined: Callable[[Spot, Spot], bool]) -> list[list[Spot]]:
    """Spots in groups that ways join; ways lead back too, so that one member answers for its group."""
    groups: list[list[Spot]] = []
    for spot in spots:
        home = next((g for g in groups if joined(g[0], spot)), None)
        if home is None:
            groups.append([spot])
        else:
            home.append(spot)
    return groups
