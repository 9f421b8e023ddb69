"""What matters of a room's settings and what does not, and how the same setting does when things are otherwise: other
habits, a hot week, summer and winter, one sensor dead."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from vastwatch.advice.judging.frontier import Metrics, evaluate_room
from vastwatch.advice.judging.parameters import Parameter, parameters
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.simulation.room_simulation import lighting_conclusion
from vastwatch.design.edits.expressions import paths, replaced
from vastwatch.design.expressions import AllOf, Expr, Not, Report
from vastwatch.design.project import Project, find, put
from vastwatch.rehearsal.reaction_inputs import sensors_read

# Seeds that an effect is simulated under: it is the same people and draws before and after.
SEEDS = 4
# A hot week is so much warmer; habits are so many times as irregular; the longest and the shortest day are around here.
HOT_C, IRREGULAR = 7.0, 3.0
SUMMER, WINTER = "06-15", "12-15"
# A change of less than this is ignored: minutes of dark, hours of light while empty a day.
OF_NO_ACCOUNT = 0.05, 0.02


class Effect(NamedTuple):
    """What one step of a parameter down and up would change, dark minutes and hours lit while empty a day; None at an
    end."""

    name: str
    now: str
    less: tuple[str, float, float] | None
    more: tuple[str, float, float] | None

    @property
    def matters(self) -> bool:
        """Whether either step changes anything of account."""
        return any(
            abs(step[1]) > OF_NO_ACCOUNT[0] or abs(step[2]) > OF_NO_ACCOUNT[1]
            for step in (self.less, self.more)
            if step is not None
        )

    def in_words(self) -> str:
        """`hold of PIR shop, now 5 min: 4 min +0.4 min dark, -0.1 h burning; ...`, or that it does not matter."""
        if not self.matters:
            return f"{self.name}, now {self.now}: one step either way makes no significant difference."
        taken = [s for s in (self.less, self.more) if s is not None]
        steps = [
            f"{value}: {signed_change(dark)} min dark, {signed_change(idle)} h lit while empty"
            for value, dark, idle in taken
        ]
        return f"{self.name}, now {self.now}: {'; '.join(steps)}."


def signed_change(x: float) -> str:
    """By how much, with its sign; zero for what rounds to it."""
    return f"{x:+.2f}" if abs(x) >= 0.005 else "0"


class StressScenario(NamedTuple):
    """The same setting when things are otherwise: what is, and what it then comes to."""

    name: str
    figures: Metrics


def effects(
    project: Project,
    room: str,
    seeds: Sequence[int] | None = None,
    days: int | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> list[Effect]:
    """What a step of each parameter changes, those first that change most. Raises ValueError as
    `lighting_conclusion`."""
    days = settings().days if days is None else days
    seeds = tuple(settings().chosen_on[:SEEDS] if seeds is None else seeds)
    now = evaluate_room(project, room, seeds, days)[1]
    found = []
    every = parameters(project, room)
    for n, p in enumerate(every):
        if not should_continue():
            break
        steps = [_step(project, room, p, p.index + way, now, seeds, days) for way in (-1, 1)]
        found.append(Effect(p.name, p.words(p.values[p.index]), *steps))
        report_progress((n + 1) / len(every))
    return sorted(found, key=_weight, reverse=True)


def _weight(e: Effect) -> float:
    """How much an effect changes: an hour of light while empty counts as ten minutes of dark, as in causes."""
    return max((abs(dark) + 10.0 * abs(idle) for _, dark, idle in filter(None, (e.less, e.more))), default=0.0)


def _step(
    project: Project, room: str, p: Parameter, place: int, now: Metrics, seeds: tuple[int, ...], days: int
) -> tuple[str, float, float] | None:
    if not 0 <= place < len(p.values):
        return None
    f = evaluate_room(p.set(project, p.values[place]), room, seeds, days)[1]
    return p.words(p.values[place]), f.dark_min - now.dark_min, f.idle_h - now.idle_h


def stress_scenarios(
    project: Project,
    room: str,
    seeds: Sequence[int] | None = None,
    days: int | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> list[StressScenario]:
    """The same setting as things are, and when they are otherwise. Raises ValueError as `lighting_conclusion`."""
    days = settings().days if days is None else days
    seeds = tuple(settings().chosen_on[:SEEDS] if seeds is None else seeds)
    out = []
    every = list(_otherwise(project, room))
    for n, (name, other) in enumerate(every):
        if not should_continue():
            break
        out.append(StressScenario(name, evaluate_room(other, room, seeds, days)[1]))
        report_progress((n + 1) / len(every))
    return out


def _otherwise(project: Project, room: str) -> Iterator[tuple[str, Project]]:
    yield "present conditions", project
    yield f"routines {IRREGULAR:g} times as irregular", _irregular(project)
    yield f"a week {HOT_C:g} °C warmer", _warmer(project)
    year = project.brief.rehearse_from[:4]
    for name, day in (("longest day of the year", SUMMER), ("shortest day of the year", WINTER)):
        if project.place.latitude < 0:
            day = WINTER if day == SUMMER else SUMMER
        yield name, replace(project, brief=replace(project.brief, rehearse_from=f"{year}-{day}"))
    presence = lighting_conclusion(project, room)
    for ident in sensors_read(presence):
        dead = put(project, replace(presence, expr=without_reports(presence.expr, ident)))
        yield f"{find(project.sensors, ident).name} fails", dead


def _irregular(project: Project) -> Project:
    people = []
    for p in project.people:
        stays = tuple(replace(stay, jitter_min=IRREGULAR * stay.jitter_min) for stay in p.stays)
        people.append(replace(p, stays=stays))
    return replace(project, people=tuple(people))


def _warmer(project: Project) -> Project:
    return replace(project, rooms=tuple(replace(r, ambient_c=r.ambient_c + HOT_C) for r in project.rooms))


def without_reports(expr: Expr, sensor: str) -> Expr:
    """The same expression where a sensor never says anything: it is still asked, as a dead one is."""
    for path, part in list(paths(expr)):
        if isinstance(part, Report) and part.sensor == sensor:
            # On and not on at once: never.
            expr = replaced(expr, path, AllOf(of=(part, Not(of=part))))
    return expr
