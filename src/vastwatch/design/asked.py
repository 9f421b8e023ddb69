"""What the light of one room asks: the least of a project that it is lit by as it does in the whole."""

from __future__ import annotations

from msgspec.structs import replace

from vastwatch.design.conclusions import with_dependencies
from vastwatch.design.expressions import ConclusionRef, Dark, Expr, Report, every_part
from vastwatch.design.ladders import rows_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import GuardedOutput
from vastwatch.design.relations import lamps_in, presence_of
from vastwatch.memo import memoised


@memoised
def asked_by(project: Project, room: str) -> Project:
    """The project with those conclusions, rows and sensors alone that the light of a room asks: what it follows and
    what that names, its rows, the zones of its lamps, what tells its dark; and of a room whose dark a light sensor
    tells, the same again, since that sensor sees the room's own lamps."""
    conclusions, rooms, waiting = set[str](), set[str](), [room]
    sensors = set[str]()
    while waiting:
        of = waiting.pop()
        if of in rooms:
            continue
        rooms.add(of)
        lighting = presence_of(project, of)
        mine = () if lighting is None else with_dependencies(project, lighting)
        asking: list[Expr] = [row.when for row in rows_of(project, of)]
        named = {part.presence for expr in asking for part in every_part(expr) if isinstance(part, ConclusionRef)}
        mine = (
            *mine,
            *(p for ident in sorted(named) for p in with_dependencies(project, find(project.presences, ident))),
        )
        conclusions |= {p.id for p in mine}
        # What people do about the light of another room is heard by what is concluded of it.
        waiting += [p.room for p in mine if p.lights and p.room is not None]
        asking += [p.expr for p in mine]
        parts = [part for expr in asking for part in every_part(expr)]
        sensors |= {part.sensor for part in parts if isinstance(part, Report)}
        sensors |= {find(project.zones, x.zone).sensor for x in lamps_in(project, of) if x.zone is not None}
        for dark in (of, *(part.room for part in parts if isinstance(part, Dark))):
            source = find(project.rooms, dark).darkness
            if source is not None and source.sensor is not None:
                sensors.add(source.sensor)
                waiting.append(dark)
    plain = (o for o in project.outputs if not isinstance(o, GuardedOutput) or not (o.rows or o.locks))
    return replace(
        project,
        outputs=tuple(plain),
        presences=tuple(p for p in project.presences if p.id in conclusions),
        sensors=tuple(s for s in project.sensors if s.id in sensors),
        rules=tuple(row for row in project.rules if row.room in rooms),
    )
