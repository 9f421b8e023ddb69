"""Two designs of one building on the same people and draws: room by room what each comes to, and how sure the
difference is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.judging.frontier import evaluate_room
from vastwatch.advice.judging.settings import settings
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.distributions import student_quantile

Array = NDArray[np.float64]

# A difference lies where it is said to with this confidence.
SURE = 0.95
# Seeds that a comparison is simulated under: the same for both, so that what differs is the design.
SEEDS = 8


# In place of a room: all rooms together.
ALL = ""


class PairedDifference(NamedTuple):
    """One figure of a room in the two designs, on average over the seeds; the mean difference (second less first), and
    where it lies with confidence SURE (paired by seed, Student 1908)."""

    first: float
    second: float
    difference: float
    low: float
    high: float

    @property
    def significant(self) -> bool:
        """Whether the two surely differ."""
        return self.low > 0 or self.high < 0


class RoomComparison(NamedTuple):
    """A room in two designs, or with `room` ALL of them that both light; no figures where one of the designs lights
    nothing there by itself."""

    room: str
    drops_per_week: PairedDifference | None
    dark_min: PairedDifference | None
    idle_h: PairedDifference | None


def compare(
    first: Project,
    second: Project,
    seeds: Sequence[int] | None = None,
    days: int | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
    show: Callable[[list[RoomComparison]], None] = lambda _: None,
) -> list[RoomComparison]:
    """Every room that both designs have and one of them lights by itself, in the order of the first, and last all of
    them together; `show` is given those known so far."""
    days = settings().days if days is None else days
    seeds = tuple(settings().chosen_on[:SEEDS] if seeds is None else seeds)
    both = {r.id for r in first.rooms} & {r.id for r in second.rooms}
    rooms = [r.id for r in first.rooms if r.id in both and (_lit(first, r.id) or _lit(second, r.id))]
    out: list[RoomComparison] = []
    whole: tuple[Array, Array] | None = None
    for k, room in enumerate(rooms):
        if not should_continue():
            break
        if _lit(first, room) and _lit(second, room):
            a, b = (evaluate_room(p, room, seeds, days)[0] for p in (first, second))
            one, other = np.stack(a[:3]), np.stack(b[:3])
            out.append(RoomComparison(room, *_differences(one, other, days)))
            whole = (one, other) if whole is None else (whole[0] + one, whole[1] + other)
        else:
            out.append(RoomComparison(room, None, None, None))
        show(list(out))
        report_progress((k + 1) / len(rooms))
    if whole is not None and len(out) > 1:
        out.append(RoomComparison(ALL, *_differences(*whole, days)))
    return out


def _lit(project: Project, room: str) -> bool:
    return presence_of(project, room) is not None and bool(lights_in(project, room))


def _differences(a: Array, b: Array, days: int) -> tuple[PairedDifference, PairedDifference, PairedDifference]:
    """Of false-offs, seconds of dark and seconds lit while empty, (3, seeds) each, over so many days."""
    drops, dark, idle = (_difference(x / u, y / u) for x, y, u in zip(a, b, (days / 7.0, 60.0 * days, 3600.0 * days)))
    return drops, dark, idle


def _difference(a: Array, b: Array) -> PairedDifference:
    d = b - a
    mean, n = float(d.mean()), len(d)
    off = float(student_quantile((1 + SURE) / 2, n - 1) * d.std(ddof=1) / np.sqrt(n)) if n > 1 else float("inf")
    return PairedDifference(float(a.mean()), float(b.mean()), mean, mean - off, mean + off)


def hardware_price(project: Project) -> float:
    """What everything that is mounted costs, and the modules of its circuits; what the house has already costs
    nothing."""
    owned = {o.device: o.count for o in project.brief.owned}
    wanted = [s.device for s in project.sensors] + [c.module for c in project.circuits if c.module is not None]
    out = 0.0
    for ident in wanted:
        if owned.get(ident, 0) > 0:
            owned[ident] -= 1
            continue
        out += find(project.devices, ident).price if any(d.id == ident for d in project.devices) else 0.0
    return out
