"""The judge asked of every room that has a presence."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from vastwatch.advice.judging.judge import Judgement, judge
from vastwatch.design.asked import asked_by
from vastwatch.design.project import Project, find
from vastwatch.geometry import polygons

# Unasked the weeks of so many rooms are simulated, with so many sensors, on so many square metres: more takes too long.
ROOMS, SENSORS, LARGEST_M2 = 10, 60, 3000.0


def judged_by_default(project: Project) -> bool:
    """Whether a building is so small that all of its rooms are judged unasked."""
    small = sum(p.room is not None and p.lights for p in project.presences) <= ROOMS and len(project.sensors) <= SENSORS
    return small and sum(abs(polygons.area(room.outline)) for room in project.rooms) <= LARGEST_M2


def lit_rooms(project: Project) -> list[str]:
    """The rooms that a conclusion lights, which the judge can be asked of."""
    return list(dict.fromkeys(p.room for p in project.presences if p.room is not None and p.lights))


def longest_first(project: Project) -> list[str]:
    """The same, those first whose light asks radars that tell zones: their weeks take several times as long."""

    def tells_zones(room: str) -> bool:
        kinds = (find(project.devices, s.device) for s in asked_by(project, room).sensors)
        return any(getattr(kind, "zones", 0) for kind in kinds)

    return sorted(lit_rooms(project), key=tells_zones, reverse=True)


def judge_all(
    project: Project,
    first: str | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_partial: Callable[[Mapping[str, Judgement]], None] = lambda _: None,
) -> dict[str, Judgement]:
    """The judgement of every room that can be judged, one room before the others. `report_partial` hears of each what
    is known so far; what is judged when `should_continue` says no is returned."""
    out: dict[str, Judgement] = {}
    for room in sorted(lit_rooms(project), key=lambda r: r != first):
        if not should_continue():
            break
        try:
            judged = judge(project, room, should_continue=should_continue)
        except ValueError:
            continue
        if should_continue():
            out[room] = judged
            report_partial(dict(out))
    return out
