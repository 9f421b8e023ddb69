"""What lights a room: its ladders, where it has any, over what else the controller concludes; and how that depends on
whether somebody is concluded to be there.

A row hears of the conclusion that lights its own room all there is: what sensors say, of waves too, and what a hand
pressed. Of any other conclusion it hears what sensors say of people's days, and no reactions of people to lights: those
would follow from ladders in turn. So the light of a room is (P and `follows`) or `unconditional`, with P what lights
it, and the other two the same whatever its hold: the timing curve stays exact.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType
from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.control.evaluation import evaluate_expr
from vastwatch.control.ladder import Winners, levels_of, while_above, winners
from vastwatch.control.light.darkness import house_dark
from vastwatch.control.manual.manual_switching import manual_on
from vastwatch.control.manual.override import Override, apply_overrides
from vastwatch.control.outputs.handler import lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.conclusions import evaluation_order, references_in
from vastwatch.design.expressions import Belief, ConclusionRef, Expr, Not, Nothing, Report, rewritten, zone_part
from vastwatch.design.ladders import (
    Ladder,
    SceneLevels,
    dependent_conclusions,
    ladder_conclusions,
    ladder_lamps,
    ladders_in,
    rows_of,
    scene_levels,
    scenes_in,
)
from vastwatch.design.needs import needs_of
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import LadderRow, Lamp, Output, Scene
from vastwatch.design.relations import lamps_in, lighting_of
from vastwatch.memo import memoised
from vastwatch.signals import Signal, TimeSeries, any_of
from vastwatch.signals.memoised_ops import always, never

NOTHING: Mapping[str, Signal] = MappingProxyType({})


def row_signals(
    project: Project, room: str, ladders: Sequence[Ladder], recording: Recording, conclusion_signal: Signal
) -> tuple[tuple[Signal, ...], ...]:
    """While each row of some ladders of a room holds, from the top; `conclusion_signal`: while what lights the room is
    concluded, or would be, while nothing tells of it: so that light is due to anybody who is there and has none."""
    p = lighting_of(project, room)
    named = {} if p is None else {p.id: conclusion_signal}
    for ident in ladder_conclusions(project, room):
        if ident not in named:
            named[ident] = evaluate_expr(project, find(project.presences, ident).expr, recording, dependencies=named)
    return tuple(
        tuple(evaluate_expr(project, row.when, recording, dependencies=named) for row in ladder.rows)
        for ladder in ladders
    )


@dataclass(frozen=True, eq=False)
class LadderRun:
    """What one ladder did: while each row held, which won, and what each asks of the lamps, then none, then each thing
    that hands asked for."""

    ladder: Ladder
    row_signals: tuple[Signal, ...]
    winners: Winners
    scene_levels: SceneLevels

    @cached_property
    def levels(self) -> Mapping[str, TimeSeries]:
        """How far each lamp is on."""
        goals, fades = self.scene_levels.goals.T, self.scene_levels.fades.T
        return {x.id: levels_of(self.winners, goals[k], fades[k]) for k, x in enumerate(self.ladder.lamps)}

    @cached_property
    def wanted(self) -> Mapping[str, Signal]:
        """While each lamp is asked to be on; of those asked alike the same signal."""
        known: dict[bytes, Signal] = {}
        out = {}
        for lamp, wanted in zip(self.ladder.lamps, self.scene_levels.goals.T > 0):
            alike = wanted.tobytes()
            if alike not in known:
                known[alike] = self.winners.while_on(wanted)
            out[lamp.id] = known[alike]
        return out

    @property
    def group_name(self) -> str:
        """Of which group of lamps it is, in words; empty for a room's own."""
        return "" if self.ladder.group is None else self.ladder.group.name

    @property
    def rows(self) -> tuple[LadderRow, ...]:
        """Its rows, from the top."""
        return self.ladder.rows

    def share(self) -> NDArray[np.float64]:
        """Of the span, the share that each row wins, then none, then each thing that hands asked for, (at least rows +
        1,)."""
        return self.winners.share(max(len(self.rows), int(self.winners.row.max(initial=0))))

    def wins(self, row: int) -> Signal:
        """While the row of that number wins; the number of rows for none of them."""
        wanted = np.zeros(max(len(self.rows), int(self.winners.row.max(initial=0))) + 1, bool)
        wanted[row] = True
        return self.winners.while_on(wanted)


@dataclass(frozen=True, eq=False)
class RoomRun:
    """What the ladders of a room did, and what hands did that are above all of them."""

    ladders: tuple[LadderRun, ...]
    overrides: tuple[Override, ...] = ()

    @cached_property
    def levels(self) -> Mapping[str, TimeSeries]:
        """How far each lamp is on."""
        return {lamp: x for ladder in self.ladders for lamp, x in ladder.levels.items()}

    @cached_property
    def wanted(self) -> Mapping[str, Signal]:
        """While each lamp is asked to be on."""
        return {lamp: x for ladder in self.ladders for lamp, x in ladder.wanted.items()}

    def of(self, group: str | None) -> LadderRun | None:
        """What the ladder of a group did, or with None that of the room itself; None where it has no such."""
        return next((x for x in self.ladders if (x.ladder.group and x.ladder.group.id) == group), None)

    def over(self, lamps: tuple[Lamp, ...], share: float) -> Signal:
        """While its ladders ask for more than a share of all the light that `lamps` can give."""
        whole = max(sum(x.lumens for x in lamps), 1e-9)
        return while_above([(x.winners, _lumens(x.ladder) / whole) for x in self.ladders], share)


def _lumens(ladder: Ladder) -> NDArray[np.float64]:
    """What each row of a ladder asks for, lumens, and last what none does, (rows + 1,)."""
    return np.asarray(scene_levels(ladder.lamps, ladder.scenes).goals @ np.array([x.lumens for x in ladder.lamps]))


def run_ladders(
    project: Project, room: str, recording: Recording, conclusion_signal: Signal, overrides: tuple[Override, ...] = ()
) -> RoomRun | None:
    """A room's ladders over a recording, `conclusion_signal` while what lights the room is concluded, `overrides` what
    is pressed above them; None where it has none."""
    ladders = ladders_in(project, room)
    if not ladders:
        return None
    said = row_signals(project, room, ladders, recording, conclusion_signal)
    return _run(ladders, said, recording.end, overrides, scenes_in(project, room))


def brightest(lamps: tuple[Lamp, ...], scenes: tuple[Scene, ...]) -> Scene | None:
    """The scene that gives the most light of some lamps; the first of equals, None for none."""
    if not scenes:
        return None
    lumens = scene_levels(lamps, scenes).goals[:-1] @ np.array([x.lumens for x in lamps])
    return scenes[int(np.argmax(lumens))]


def scene_for(ladder: Ladder, scenes: tuple[Scene, ...], ident: str | None) -> Scene | None:
    """What a press that asks for a scene of a room, None for the brightest, asks of a ladder; None where it names none
    of its lamps: then the ladder goes on."""
    if ident is None:
        return brightest(ladder.lamps, scenes)
    scene = next((s for s in scenes if s.id == ident), None)
    mine = {lamp.id for lamp in ladder.lamps}
    return scene if scene is not None and any(x.lamp in mine for x in scene.levels) else None


def lit_by_press(run: RoomRun, scenes: tuple[Scene, ...]) -> Mapping[str | None, Signal]:
    """By scene that a press may ask for, None for the brightest, while a room is lit then: always where it lights a
    lamp, else while a ladder that it does not reach lights one. `run`: what the ladders did without hands."""
    out: dict[str | None, Signal] = {}
    end = float(run.ladders[0].winners.edges[-1])
    for ident in (None, *(s.id for s in scenes)):
        asks = [(did, scene_for(did.ladder, scenes, ident)) for did in run.ladders]
        lights = any(s is not None and scene_levels(did.ladder.lamps, (s,)).goals[0].any() for did, s in asks)
        others = [w for did, s in asks if s is None for w in did.wanted.values()]
        out[ident] = always(end) if lights else any_of(others) if others else never(end)
    return out


@memoised
def _run(
    ladders: tuple[Ladder, ...], said: tuple[tuple[Signal, ...], ...], end: float, overrides: tuple[Override, ...],
    every: tuple[Scene, ...],
) -> RoomRun:  # fmt: skip
    return RoomRun(tuple(_run_one(x, s, end, overrides, every) for x, s in zip(ladders, said)), overrides)


@memoised
def _run_one(
    ladder: Ladder, said: tuple[Signal, ...], end: float, overrides: tuple[Override, ...], every: tuple[Scene, ...]
) -> LadderRun:
    lamps = ladder.lamps
    table = scene_levels(lamps, ladder.scenes)

    def reached(ident: str | None) -> bool:
        return scene_for(ladder, every, ident) is not None

    won, pressed = apply_overrides(winners(said, 0.0, end), len(said), overrides, reached)
    if pressed:
        found = tuple(s for ident in pressed if (s := scene_for(ladder, every, ident)) is not None)
        more = scene_levels(lamps, found)
        table = SceneLevels(np.vstack([table.goals, more.goals[:-1]]), np.vstack([table.fades, more.fades[:-1]]))
    return LadderRun(ladder, said, won, table)


@memoised
def manual_on_light(presence: Signal, pressed: Signal, hold_s: float) -> Signal:
    """While a room is lit by its conclusion where a hand switches on."""
    return manual_on(presence, pressed, hold_s)


class LightRule(NamedTuple):
    """How the light of a room depends on P, that somebody is concluded to be there: it is lit while (P and `follows`)
    or `unconditional`. `demand`: while it would be lit for somebody whom all its sensors notice, were every lamp
    supplied; `too_bright`: while what is on then is more than sleepers bear. `unconditional` and `too_bright` are None
    for never and always."""

    demand: Signal
    follows: Signal
    unconditional: Signal | None = None
    too_bright: Signal | None = None


def light_rule(
    project: Project, room: str, recording: Recording, supplied: Mapping[str, Signal] = NOTHING
) -> LightRule:  # fmt: skip
    """How the light of a room depends on what lights it; `supplied`: by lamp, while it has its supply, where not
    always.

    Of a room that `delayed_rows` names any row of, this is not the whole truth.
    """
    dark, end = house_dark(project, room, recording), recording.end
    lights = lights_in(project, room)
    zones = [zone_followed(project, light, recording) for light in lights]
    if zones and None not in zones:
        # Whatever is concluded of the room: somebody there in the dark is due light, and has it where a zone says so.
        said = [z & dark & supplied.get(x.id, always(end)) for x, z in zip(lights, zones) if z is not None]
        return LightRule(dark, never(end), any_of(said))
    lamps = ladder_lamps(project, room)
    if not lamps:
        ids = [light.id for light in lights]
        if not lights or any(ident not in supplied for ident in ids):
            return LightRule(dark, dark)
        return _plainly(dark, tuple(supplied[ident] for ident in ids))
    present, absent = (run_ladders(project, room, recording, own) for own in (always(end), never(end)))
    assert present is not None and absent is not None
    # Lamps that no scene names follow as they would without a ladder.
    free = tuple(x.id for x in lights if x.id not in present.wanted)
    ids = [*present.wanted, *free]
    most = _asleep_most(project, room)
    return _given(
        (*present.wanted.values(), *(dark for _ in free)), tuple(absent.wanted.values()),
        tuple(supplied.get(ident) for ident in ids), end,
        None if most is None else _brighter(lamps_in(project, room), present, absent, most),
        _for_whom_all_notice(project, room, recording) if made_by(project, room) == "rows" else (),
    )  # fmt: skip


def _for_whom_all_notice(project: Project, room: str, recording: Recording) -> tuple[Signal, ...]:
    """While each lamp of a room would be lit for somebody whom every sensor there notices: light is due to anybody who
    is in a room whose rows ask its sensors and nothing that is concluded of it, noticed or not."""
    run = run_ladders(_all_noticing(project, room), room, recording, never(recording.end))
    return () if run is None else tuple(run.wanted.values())


@memoised
def _all_noticing(project: Project, room: str) -> Project:
    """A project whose rows of a room read every motion or presence sensor there as one that notices somebody."""
    mine = {
        s.id
        for s in project.sensors
        if (device := find(project.devices, s.device)).presence and not device.pressed
        and (where := room_of(project, s)) is not None and where.id == room
    }  # fmt: skip
    sound = {p.id for p in evaluation_order(project).sound if p.room == room}

    def noticing(expr: Expr) -> Expr:
        if isinstance(expr, Report) and expr.sensor in mine:
            return Not(of=Nothing())
        if isinstance(expr, Belief) and any(r.sensor in mine for r in expr.of):
            return Not(of=Nothing())
        if isinstance(expr, ConclusionRef) and expr.presence in sound:
            return rewritten(find(project.presences, expr.presence).expr, noticing)
        return expr

    rules = tuple(
        replace(row, when=rewritten(row.when, noticing)) if row.room == room else row for row in project.rules
    )
    return replace(project, rules=rules)


Makes = Literal["presence", "zones", "rows"]


def made_by(project: Project, room: str) -> Makes:
    """What makes the light of a room: what is concluded of it; the zones that all its lamps follow; or rows that ask
    nothing of what is concluded of it, and no lamp besides follows that."""
    lights = lights_in(project, room)
    ruled = {lamp.id for lamp in ladder_lamps(project, room)}
    if lights and all(isinstance(x, Lamp) and x.zone is not None and x.id not in ruled for x in lights):
        return "zones"
    if not lights or any(x.id not in ruled for x in lights):
        return "presence"
    mine = set(dependent_conclusions(project, room))
    return "presence" if mine & {i for row in rows_of(project, room) for i in references_in(row.when)} else "rows"


def zone_followed(project: Project, light: Output, recording: Recording) -> Signal | None:
    """While somebody is in the zone that a lamp follows; None for what follows none, or the ladder of its room."""
    if not isinstance(light, Lamp) or light.zone is None:
        return None
    zone = find(project.zones, light.zone)
    return recording.reports.get((zone.sensor, zone_part(zone.id)), never(recording.end))


@memoised
def _plainly(dark: Signal, supplied: tuple[Signal, ...]) -> LightRule:
    return LightRule(dark, dark & any_of(supplied))


@memoised
def _given(
    present: tuple[Signal, ...], absent: tuple[Signal, ...], supplied: tuple[Signal | None, ...], end: float,
    bright: Signal | None, noticed: tuple[Signal, ...] = (),
) -> LightRule:  # fmt: skip
    def lit(wanted: tuple[Signal, ...]) -> Signal:
        return any_of([w if s is None else w & s for w, s in zip(wanted, supplied)]) if wanted else never(end)

    due = any_of([*present, *absent, *noticed])
    anyway = lit(absent)
    if anyway.total() == 0:
        return LightRule(due, lit(present), None, bright)
    return LightRule(due, lit(present) - anyway, anyway, bright)


def _asleep_most(project: Project, room: str) -> float | None:
    return needs_of(project, find(project.rooms, room)).asleep_share


@memoised
def _brighter(lamps: tuple[Lamp, ...], present: RoomRun, absent: RoomRun, most: float) -> Signal:
    """While either way more is on, of all the room's light, than sleepers bear."""
    return present.over(lamps, most) | absent.over(lamps, most)


def delays_words(project: Project, room: str, late: Sequence[LadderRow]) -> str:
    """Why a room with rows that delay what lights it is not judged."""
    return (
        f"the row “{late[0].name or 'unnamed'}” of {find(project.rooms, room).name} delays the light: "
        "put the delay into the conclusion instead"
    )


def lit_only_when_empty(project: Project, room: str, recording: Recording) -> Signal:
    """While a ladder would light a room while empty and not for somebody who is noticed: rows in an odd order."""
    how = light_rule(project, room, recording)
    return (
        never(recording.end)
        if how.unconditional is None
        else how.unconditional - demanded_light(project, room, recording)
    )


def demanded_light(project: Project, room: str, recording: Recording) -> Signal:
    """While a room would be lit for somebody who is noticed, every lamp supplied."""
    did = run_ladders(project, room, recording, always(recording.end))
    dark = house_dark(project, room, recording)
    if did is None:
        return dark
    free = [dark for x in lights_in(project, room) if x.id not in did.wanted]
    return any_of([*did.wanted.values(), *free])
