"""Which delays to set where the hold of a room has no effect, because its light follows zones, or rows that ask nothing
of what is concluded there: off-delays of the zones, holds and delays of the rows.

Each is judged as a hold is, by the same needs on the same weeks: its values stand where a judgement has its holds.
Several are taken one after the other, each with the others as they were found best (coordinate descent).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from vastwatch.advice.judging.judge import HeldOut, Judgement, held_out, judge, legal_holds
from vastwatch.advice.judging.parameters import Parameter, makers
from vastwatch.advice.judging.requirements import violation
from vastwatch.advice.judging.settings import settings
from vastwatch.control.lighting import made_by
from vastwatch.design.project import Project

# A first look at every value takes so many seeds; of what else there is to set, no more than this is tried.
LOOKED_AT, MOST_TRIED = 4, 6


class Change(NamedTuple):
    """One delay set: the `key` of its parameter, the `name` of what it is of, and what it is and was, seconds."""

    key: str
    name: str
    seconds: float
    before_s: float


@dataclass(frozen=True, eq=False)
class Delays:
    """The delays to set for a room: the changes (none where today's are best), the project with them, how it is judged
    with them, and what weeks that were not used to choose give."""

    changes: tuple[Change, ...]
    project: Project
    judged: Judgement
    held: HeldOut

    def set_in(self, project: Project) -> Project:
        """A project with these delays, and all else as it is there."""
        for change in self.changes:
            for p in makers(project, self.judged.room):
                if p.key == change.key:
                    project = p.set(project, change.seconds)
        return project


def delays(
    project: Project,
    room: str,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> Delays | None:
    """What to set in place of a hold; None where the hold decides, or nothing else can be set. What is found when
    `should_continue` says no is returned. Raises ValueError as `judge`."""
    if made_by(project, room) == "presence":
        return None
    # What can last longest decides most, and comes first.
    every = sorted((p for p in makers(project, room) if p.is_time), key=lambda p: -p.values[-1])
    tried = every[:MOST_TRIED]
    if not tried:
        return None
    best, now = project, {p.key: p.index for p in tried}
    for k, parameter in enumerate(tried):
        if not should_continue():
            break
        # Set again among those found so far: a row's expression is another once its sibling has been set.
        here = next(p for p in makers(best, room) if p.key == parameter.key)
        seconds = _best_of(best, room, here, should_continue)
        if seconds != here.values[here.index]:
            best = here.set(best, seconds)
        report_progress((k + 1) / (len(tried) + 1))
    after = {p.key: p for p in makers(best, room)}
    changes = tuple(
        Change(p.key, p.name, value, p.values[now[p.key]])
        for p in tried
        if (value := after[p.key].values[after[p.key].index]) != p.values[now[p.key]]
    )
    judged = judge(best, room)
    held = held_out(best, room, judged.current_s, should_continue=should_continue)
    report_progress(1.0)
    return Delays(changes, best, judged, held)


def _best_of(project: Project, room: str, p: Parameter, should_continue: Callable[[], bool]) -> float:
    """The best of its values: of all in a first look, then on all seeds, with the values beside it until neither
    neighbour is better."""
    longest, now = legal_holds(project, room)[-1], p.values[p.index]
    # What is set today stands among the values even where it is shorter than any that should be.
    least = min((v for v in p.values if v != now), default=now)
    legal = [v for v in p.values if least <= v <= longest] or [least]
    seen: list[float] = []
    at = _chosen(_over(project, room, p, legal, settings().chosen_on[:LOOKED_AT]))
    while should_continue():
        k = legal.index(at)
        seen = sorted({*seen, *legal[max(k - 1, 0) : k + 2]})
        best = _chosen(_over(project, room, p, seen, settings().chosen_on))
        if best == at:
            break
        at = best
    return at


def _chosen(j: Judgement) -> float:
    """The shortest that meets every need; else the one that misses them least, all together. Not the one with the
    fewest false-offs, as of holds: behind a long delay before it a light never comes on, and so never goes off on
    anybody.
    """
    if j.best_s is not None:
        return j.best_s
    return min(j.legal_s, key=lambda v: (round(violation(j.needs_at(v)), 2), round(j.metrics_at(v)[2], 3), v))


def _over(project: Project, room: str, p: Parameter, values: Sequence[float], seeds: Sequence[int]) -> Judgement:
    """A room judged at some values of a parameter in place of holds."""
    now = p.values[p.index]
    each = []
    for value in values:
        judged = judge(project if value == now else p.set(project, value), room, seeds=seeds)
        each.append((judged, judged.place(judged.current_s)))

    def columns(name: str) -> np.ndarray:
        return np.stack([getattr(j, name)[:, k] for j, k in each], axis=1)

    return replace(
        each[0][0], holds=np.array(values), false_offs=columns("false_offs"), dark_min=columns("dark_min"),
        wasted_h=columns("wasted_h"), waves=columns("waves"), switch_trips=columns("switch_trips"),
        legal_s=tuple(values), current_s=now, skipped_s=frozenset(),
        secondary={v: j.secondary[j.current_s] for v, (j, _) in zip(values, each)},
    ).with_best_hold()  # fmt: skip
