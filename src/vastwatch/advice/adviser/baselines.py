"""Four schools: what people swear by for a room, side by side on the same weeks.

A motion sensor with a long hold; a radar alone; a motion sensor that starts and a radar that keeps; something to sit or
stand on. Each is the adviser's best of its kind in the room as if nothing were mounted there yet, at the hold the judge
recommends for it, and judged as everything else is.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from vastwatch.advice.adviser.shortlist import Option, shortlist
from vastwatch.advice.hardware.bill_of_materials import NO_BILL, BillOfMaterials, bill_of_materials, with_modules
from vastwatch.advice.judging import judge as judging
from vastwatch.advice.judging.judge import Judgement
from vastwatch.advice.judging.requirements import RequirementCheck
from vastwatch.advice.judging.settings import settings
from vastwatch.design.edits.sensors import try_set_hold
from vastwatch.design.edits.telling import without_what_tells
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.devices import DeviceType, catalogue
from vastwatch.words import one_line

Which = Callable[[DeviceType], bool]


def _motion(device: DeviceType) -> bool:
    return device.infrared and not device.emits_radio


def _radar(device: DeviceType) -> bool:
    return device.emits_radio and not device.infrared


def _mat(device: DeviceType) -> bool:
    return device.pressed


# What each school mounts, one after the other: each next is chosen on top of those before.
SCHOOLS: tuple[tuple[str, tuple[Which, ...]], ...] = (
    ("motion, long hold time", (_motion,)),
    ("radar alone", (_radar,)),
    ("motion turns on, radar keeps on", (_motion, _radar)),
    ("mats at the positions", (_mat,)),
)

# Of the judge's seeds so many: what they differ in is large, and somebody waits.
SEEDS = 6


@dataclass(frozen=True, eq=False)
class Baseline:
    """One way to serve a room: what is mounted there, the project with it at its best hold, and how it was judged;
    `why_not` in words where it cannot be had, and nothing else then."""

    name: str
    devices: tuple[DeviceType, ...] = ()
    bill: BillOfMaterials = NO_BILL
    project: Project | None = None
    judged: Judgement | None = None
    why_not: str = ""

    @property
    def price(self) -> float:
        """What it costs in all."""
        return self.bill.total

    @property
    def unmet(self) -> tuple[RequirementCheck, ...]:
        """The needs it misses at its hold."""
        j = self.judged
        return () if j is None else tuple(m for m in j.needs_at(j.recommended_s) if not m.passed)

    @property
    def meets(self) -> bool:
        """Whether other weeks meet the room's needs with it."""
        return self.judged is not None and self.judged.meets


def baselines(
    project: Project,
    room: str,
    types: Sequence[DeviceType] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> list[Baseline]:
    """The four schools for a room, in order. What is judged when `should_continue` says no is returned.

    Raises KeyError for a room that is not there, ValueError for one without a lamp.
    """
    record = find(project.rooms, room)
    if all(lamp.room != room for lamp in project.lamps):
        raise ValueError(f"{record.name} has no lamp that presence could switch on")
    bare = without_what_tells(project, room)
    every = list(catalogue() if types is None else types)
    out: list[Baseline] = []
    for k, (name, hung) in enumerate(SCHOOLS):
        if not should_continue():
            break

        def told(share: float, k: int = k) -> None:
            report_progress((k + share) / len(SCHOOLS))

        out.append(_school(bare, room, name, hung, every, should_continue, told))
    report_progress(1.0)
    return out


def options_of(
    project: Project, room: str, hung: tuple[Which, ...], types: Sequence[DeviceType]
) -> tuple[Option, ...] | str:
    """What a way mounts in a room, one after the other, each where it serves best beside those before; or why it
    cannot be had."""
    out: list[Option] = []
    for which in hung:
        options = shortlist(project, room, [d for d in types if which(d)])
        best = _first(options)
        if best is None:
            nothing = "nothing to put a mat on or under" if which is _mat else "none fits"
            return one_line(options[0].shortfalls[0]) if options else nothing
        project, _ = best.placed
        out.append(best)
    return tuple(out)


def _school(
    project: Project, room: str, name: str, hung: tuple[Which, ...], types: list[DeviceType],
    should_continue: Callable[[], bool], report_progress: Callable[[float], None],
) -> Baseline:  # fmt: skip
    options = options_of(project, room, hung, types)
    if isinstance(options, str):
        return Baseline(name, why_not=options)
    project = options[-1].placed[0]
    devices, sensors = tuple(o.device for o in options), [o.sensor for o in options]
    # The whole bill, as the adviser reckons it.
    bill, project = bill_of_materials(project, room, sensors), with_modules(project, room)
    presence = presence_of(project, room)
    if presence is None:
        return Baseline(name, devices, bill, why_not="does not detect presence itself")
    every = settings().chosen_on
    try:
        judged = judging.judge(project, room, settings().days, every[:SEEDS], should_continue, report_progress)
        if any(all(m.low <= m.limit for m in judged.needs_at(h)) for h in judged.legal_s):
            # Whether it meets the needs is for all the judge's weeks to say.
            judged = judging.judge(project, room, settings().days, every, should_continue, report_progress)
    except ValueError as e:
        return Baseline(name, devices, bill, why_not=str(e))
    return Baseline(name, devices, bill, try_set_hold(project, presence.id, judged.recommended_s), judged)


def _first(options: list[Option]) -> Option | None:
    """The best of a kind that says who is there: also one that misses a need, since that is what is to be seen."""
    return next((o for o in options if o.device.presence), None)
