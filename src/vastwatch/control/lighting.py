"""What lights a room: its ladder, where it has one, over what else the house concludes; and how that depends on whether
somebody is concluded to be there.

A row hears of the conclusion that lights its own room all there is: what sensors say, of waves too, and what a hand
pressed. Of any other conclusion it hears what sensors say of people's days, and no reactions of people to lights: those
would follow from ladders in turn. So the light of a room is (P and `follows`) or `anyway`, with P what lights it, and
the other two the same whatever its hold: the timing curve stays exact.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import NamedTuple

import numpy as np

from vastwatch.control.by_hand import on_by_hand
from vastwatch.control.concluding import always, concluded, never
from vastwatch.control.darkness import house_dark
from vastwatch.control.hand import Override, overlaid
from vastwatch.control.ladder import Winners, levels_of, winners
from vastwatch.control.outputs.handler import lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.ladders import (
    Asked,
    asked,
    behind_ladder,
    governed,
    light_shares,
    rows_of,
    scenes_in,
    scenes_of_rows,
)
from vastwatch.design.needs import needs_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Lamp, Rule, Scene
from vastwatch.design.relations import lamps_in, presence_of
from vastwatch.memo import kept
from vastwatch.signals import Levels, Signal, any_of

NOTHING: Mapping[str, Signal] = MappingProxyType({})


def rows_said(project: Project, room: str, recording: Recording, own: Signal) -> tuple[Signal, ...]:
    """While each row of a room's ladder holds, from the top; `own`: while what lights the room is concluded."""
    p = presence_of(project, room)
    named = {} if p is None else {p.id: own}
    for ident in behind_ladder(project, room):
        if ident not in named:
            named[ident] = concluded(project, find(project.presences, ident).expr, recording, named=named)
    return tuple(concluded(project, row.when, recording, named=named) for row in rows_of(project, room))


@dataclass(frozen=True, eq=False)
class LadderRun:
    """What a room's ladder did: while each row held, which won, and by lamp how far it burns, and while it is asked
    to."""

    rows: tuple[Rule, ...]
    said: tuple[Signal, ...]
    won: Winners
    levels: Mapping[str, Levels]
    wanted: Mapping[str, Signal]
    hands: tuple[Override, ...] = ()


def run_ladder(
    project: Project, room: str, recording: Recording, own: Signal, hands: tuple[Override, ...] = ()
) -> LadderRun | None:
    """A room's ladder over a recording, `own` while what lights the room is concluded, `hands` what is pressed above
    it; None where it has none."""
    lamps = governed(project, room)
    if not lamps:
        return None
    said = rows_said(project, room, recording, own)
    every = scenes_in(project, room)
    return _run(rows_of(project, room), scenes_of_rows(project, room), lamps, said, recording.end, hands, every)


def brightest(lamps: tuple[Lamp, ...], scenes: tuple[Scene, ...]) -> Scene | None:
    """The scene that gives the most light of some lamps; the first of equals, None for none."""
    if not scenes:
        return None
    lumens = asked(lamps, scenes).goals[:-1] @ np.array([x.lumens for x in lamps])
    return scenes[int(np.argmax(lumens))]


def unlit_scenes(lamps: tuple[Lamp, ...], scenes: tuple[Scene, ...]) -> frozenset[str | None]:
    """The scenes that light none of some lamps; None among them where not even the brightest does."""
    lit = [bool((row > 0).any()) for row in asked(lamps, scenes).goals[:-1]]
    most = brightest(lamps, scenes)
    dark: set[str | None] = {s.id for s, on in zip(scenes, lit) if not on}
    return frozenset(dark | ({None} if most is None or most.id in dark else set()))


@kept
def _run(
    rows: tuple[Rule, ...], scenes: tuple[Scene, ...], lamps: tuple[Lamp, ...], said: tuple[Signal, ...], end: float,
    hands: tuple[Override, ...], every: tuple[Scene, ...],
) -> LadderRun:  # fmt: skip
    table = asked(lamps, scenes)
    won, pressed = overlaid(winners(said, 0.0, end), len(rows), hands)
    if pressed:
        by_id = {s.id: s for s in every}
        most = brightest(lamps, every)
        found = tuple(s for x in pressed if (s := by_id.get(x or "", most)) is not None)
        more = asked(lamps, found)
        table = Asked(np.vstack([table.goals, more.goals[:-1]]), np.vstack([table.fades, more.fades[:-1]]))
    levels = {lamp.id: levels_of(won, table.goals[:, k], table.fades[:, k]) for k, lamp in enumerate(lamps)}
    wanted = {lamp.id: won.while_on(table.goals[:, k] > 0) for k, lamp in enumerate(lamps)}
    return LadderRun(rows, said, won, levels, wanted, hands)


@kept
def handed(presence: Signal, pressed: Signal, hold_s: float) -> Signal:
    """While a room is lit by its conclusion where a hand switches on."""
    return on_by_hand(presence, pressed, hold_s)


class Given(NamedTuple):
    """How the light of a room hangs on P, that somebody is concluded to be there: it is lit while (P and `follows`) or
    `anyway`. `due`: while it would be lit for somebody who is noticed, were every lamp supplied; `bright`: while what
    burns then is more than sleepers bear. `anyway` and `bright` are None for never and always."""

    due: Signal
    follows: Signal
    anyway: Signal | None = None
    bright: Signal | None = None


def given(
    project: Project, room: str, recording: Recording, supplied: Mapping[str, Signal] = NOTHING
) -> Given:  # fmt: skip
    """How the light of a room hangs on what lights it; `supplied`: by lamp, while it has its supply, where not always.

    Of a ladder that `told_apart` says cannot be, this is not the whole truth.
    """
    dark = house_dark(project, room, recording)
    lamps = governed(project, room)
    if not lamps:
        lights = [light.id for light in lights_in(project, room)]
        if not lights or any(ident not in supplied for ident in lights):
            return Given(dark, dark)
        return _plainly(dark, tuple(supplied[ident] for ident in lights))
    end = recording.end
    present, absent = (run_ladder(project, room, recording, own) for own in (always(end), never(end)))
    assert present is not None and absent is not None
    # Lamps that no scene names follow as they would without a ladder.
    free = tuple(x.id for x in lights_in(project, room) if x.id not in present.wanted)
    ids = (*present.wanted, *free)
    most = _asleep_most(project, room)
    return _given(
        (*present.wanted.values(), *(dark for _ in free)), tuple(absent.wanted.values()),
        tuple(supplied.get(ident) for ident in ids), end,
        None if most is None else _bright(project, room, present, absent, most),
    )  # fmt: skip


@kept
def _plainly(dark: Signal, supplied: tuple[Signal, ...]) -> Given:
    return Given(dark, dark & any_of(supplied))


@kept
def _given(
    present: tuple[Signal, ...], absent: tuple[Signal, ...], supplied: tuple[Signal | None, ...], end: float,
    bright: Signal | None,
) -> Given:  # fmt: skip
    def lit(wanted: tuple[Signal, ...]) -> Signal:
        return any_of([w if s is None else w & s for w, s in zip(wanted, supplied)]) if wanted else never(end)

    due = any_of([*present, *absent])
    anyway = lit(absent)
    if anyway.total() == 0:
        return Given(due, lit(present), None, bright)
    return Given(due, lit(present) - anyway, anyway, bright)


def _asleep_most(project: Project, room: str) -> float | None:
    return needs_of(project, find(project.rooms, room)).asleep_share


def _bright(project: Project, room: str, present: LadderRun, absent: LadderRun, most: float) -> Signal:
    """While either way more burns, of all the room's light, than sleepers bear."""
    lamps = lamps_in(project, room)
    return _brighter(
        scenes_of_rows(project, room), tuple(x for x in lamps if x.id in present.wanted), lamps, present.won,
        absent.won, most,
    )  # fmt: skip


@kept
def _brighter(
    scenes: tuple[Scene, ...],
    mine: tuple[Lamp, ...],
    lamps: tuple[Lamp, ...],
    present: Winners,
    absent: Winners,
    most: float,
) -> Signal:
    share = light_shares(mine, lamps, scenes)
    return present.while_on(share > most + 1e-9) | absent.while_on(share > most + 1e-9)


def delays_words(project: Project, room: str, late: Sequence[Rule]) -> str:
    """Why a room with rows that delay what lights it is not judged."""
    return (
        f"the row “{late[0].name or 'without a name'}” of {find(project.rooms, room).name} delays what lights the "
        "room: put the delay into the conclusion itself"
    )


def takes_away(project: Project, room: str, recording: Recording) -> Signal:
    """While a ladder would light a room for nobody and not for somebody who is noticed: rows in an odd order."""
    how = given(project, room, recording)
    return never(recording.end) if how.anyway is None else how.anyway - present_light(project, room, recording)


def present_light(project: Project, room: str, recording: Recording) -> Signal:
    """While a room would be lit for somebody who is noticed, every lamp supplied."""
    did = run_ladder(project, room, recording, always(recording.end))
    dark = house_dark(project, room, recording)
    if did is None:
        return dark
    free = [dark for x in lights_in(project, room) if x.id not in did.wanted]
    return any_of([*did.wanted.values(), *free])
