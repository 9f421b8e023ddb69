"""The judge asked of every room that has a presence."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from vastwatch.advice.judging.judge import Judgement, judge
from vastwatch.design.project import Project
from vastwatch.geometry import polygons

# Unasked the weeks of so many rooms are lived, with so many sensors, on so many square metres: more takes too long.
ROOMS, SENSORS, LARGEST_M2 = 10, 60, 3000.0


def affordable(project: Project) -> bool:
    """Whether a building is so small that all of its rooms are judged unasked."""
    small = sum(p.room is not None and p.lights for p in project.presences) <= ROOMS and len(project.sensors) <= SENSORS
    return small and sum(abs(polygons.area(room.outline)) for room in project.rooms) <= LARGEST_M2


def judge_all(
    project: Project,
    first: str | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    told: Callable[[Mapping[str, Judgement]], None] = lambda _: None,
) -> dict[str, Judgement]:
    """The judgement of every room that can be judged, one room before the others. `told` hears of each what is known so
    far; what is judged when `should_continue` says no is returned."""
    rooms = dict.fromkeys(p.room for p in project.presences if p.room is not None and p.lights)
    out: dict[str, Judgement] = {}
    for room in sorted(rooms, key=lambda r: r != first):
        if not should_continue():
            break
        try:
            judged = judge(project, room, should_continue=should_continue)
        except ValueError:
            continue
        if should_continue():
            out[room] = judged
            told(dict(out))
    return out
