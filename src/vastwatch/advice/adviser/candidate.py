"""Something that could serve a room: mounted where the maps put it, with its whole bill, and judged as the room is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from vastwatch.advice.adviser.shortlist import Option, weighted_cost
from vastwatch.advice.hardware.bill_of_materials import BillOfMaterials, bill_of_materials, with_modules
from vastwatch.advice.judging import judge as judging
from vastwatch.advice.judging.judge import Judgement
from vastwatch.advice.judging.requirements import RequirementCheck, in_words
from vastwatch.advice.judging.settings import settings
from vastwatch.design.edits.sensors import try_set_hold
from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of, sensors_of
from vastwatch.devices import DeviceType
from vastwatch.words import duration_words, figure


@dataclass(frozen=True, eq=False)
class Candidate:
    """Something that could serve a room: what is added, the project with it at the hold the judge recommends, its
    bill, and the judgement; `fully_judged` once all of the judge's seeds were simulated. `replaces`: whether it
    replaces what is mounted there; `options`: what was mounted, one after the other."""

    devices: tuple[DeviceType, ...]
    sensors: tuple[Sensor, ...]
    project: Project
    bill: BillOfMaterials
    judged: Judgement
    rank_cost: float
    fully_judged: bool
    replaces: bool = False
    options: tuple[Option, ...] = ()

    @property
    def meets(self) -> bool:
        """Whether every need is met with it."""
        return self.judged.meets

    @property
    def price(self) -> float:
        """What it costs in all."""
        return self.bill.total

    @property
    def unmet(self) -> tuple[RequirementCheck, ...]:
        """The needs it misses."""
        return tuple(m for m in self.judged.needs_at(self.judged.recommended_s) if not m.passed)

    @property
    def judged_as_hung(self) -> Judgement:
        """The judgement of the room once this is mounted there, held as recommended."""
        return replace(self.judged, current_s=self.judged.recommended_s)

    @property
    def name(self) -> str:
        """The types, in words; two of a kind as such."""
        if len(self.devices) == 2 and self.devices[0].id == self.devices[1].id:
            return f"Two {self.devices[0].name}"
        return " and ".join(d.name for d in self.devices)

    @property
    def where(self) -> str:
        """Whether it is mounted beside what is there or instead of that, and where: x, y and height, metres."""
        at = " and ".join(f"({s.at[0]:.1f}, {s.at[1]:.1f}) {s.at[2]:.1f} m up" for s in self.sensors)
        mine = {s.id for s in self.sensors}
        presence = presence_of(self.project, self.judged.room)
        others = presence is not None and any(s not in mine for s in sensors_of(presence))
        how = (
            "instead of the sensors already there, "
            if self.replaces
            else "in addition to the sensors already there, "
            if others
            else ""
        )
        return f"{how}at {at}"

    @property
    def reason(self) -> str:
        """Why, in figures."""
        j = self.judged
        drops, dark, idle = j.metrics_at(j.recommended_s)
        first = next((m.value for m in j.needs_at(j.recommended_s) if m.need == "first_light_s"), None)
        said = (
            f"With a hold time of {duration_words(j.recommended_s)}: {figure(drops)} false-offs a week, "
            f"{figure(dark)} min a day in the dark, "
        )
        said += f"{figure(idle)} h lit while empty"
        if first is not None:
            said += f"; light within {first:.1f} s"
        if self.unmet:
            said += ". Fails on: " + "; ".join(in_words(m) for m in self.unmet)
        return said + "."

    @property
    def may_meet(self) -> bool:
        """Whether more weeks could show that every need is met, at any legal hold."""
        return any(all(m.low <= m.limit for m in self.judged.needs_at(h)) for h in self.judged.legal_s)

    @property
    def likely_meets(self) -> bool:
        """Whether every need would be met, were all weeks like those so far: other weeks take room besides."""
        return any(all(m.value <= m.limit for m in self.judged.needs_at(h)) for h in self.judged.legal_s)


def judge_candidate(
    base: Project, room: str, added: tuple[Option, ...], seeds: int,
    should_continue: Callable[[], bool] = lambda: True, instead: bool = False,
) -> Candidate | None:  # fmt: skip
    """Some options mounted in a room, judged on so many of the judge's seeds; None where nothing can be judged by."""
    project, sensors = base, []
    for option in added:
        project, sensor = option.on(project)
        sensors.append(sensor)
    try:
        judged = judging.judge(project, room, settings().days, settings().chosen_on[:seeds], should_continue)
    except ValueError:
        return None
    bill, project = bill_of_materials(project, room, sensors), with_modules(project, room)
    whole = len(judged.seeds) == len(settings().chosen_on)
    devices = tuple(o.device for o in added)
    made = Candidate(devices, tuple(sensors), project, bill, judged, 0.0, whole, instead, added)
    return _held(made, room)


def _held(offer: Candidate, room: str) -> Candidate:
    """With the hold that the judge recommends, and what it is put in order by."""
    presence = presence_of(offer.project, room)
    assert presence is not None
    hold = offer.judged.recommended_s
    cost = weighted_cost(offer.project.brief.weights, offer.price, hold, offer.devices)
    return replace(offer, project=try_set_hold(offer.project, presence.id, hold), rank_cost=cost)


def rejudge(offer: Candidate, room: str, seeds: int, should_continue: Callable[[], bool] = lambda: True) -> Candidate:
    """The same offer, judged on at least so many seeds."""
    if len(offer.judged.seeds) >= seeds:
        return offer
    judged = judging.judge(offer.project, room, settings().days, settings().chosen_on[:seeds], should_continue)
    whole = len(judged.seeds) == len(settings().chosen_on)
    return _held(replace(offer, judged=judged, fully_judged=whole), room)
