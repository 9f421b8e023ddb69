"""How bad the incidents of one kind were, under any light that the same days could have had.

Each incident is looked at over an episode of its own. That of a false-off lasts until something would have noticed
somebody anyway: a light that only goes off a little later in the same silence has cured nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.evaluation import evaluate_expr
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.reaction_inputs import start_and_keep
from vastwatch.rehearsal.scoring.incidents import Incident, Kind
from vastwatch.signals import Signal

Array = NDArray[np.float64]

# A false-off counts like so much dark, seconds: who is left in the dark waves, and is startled besides.
DROP_S = 30.0
# An episode begins so long before its incident, that what happens at that very instant lies within, seconds.
BEFORE_S = 1e-3


@dataclass(frozen=True, eq=False)
class Episodes:
    """The incidents of one kind in a room, each over [begin, end). `keep_ended_at`: when what keeps the light last fell
    silent before each. `wrong`: while light is missing (or is lit, while empty)."""

    kind: Kind
    incidents: tuple[Incident, ...]
    begin: Array
    end: Array
    keep_ended_at: Array
    wrong: Signal

    @property
    def dark(self) -> bool:
        """Whether somebody was left in the dark, as against light that was on while empty."""
        return self.kind in ("dropped", "late")

    def harm(self, light: Signal) -> Array:
        """Seconds of harm under a light in each episode; (n,)."""
        return self._harm(light, self.begin, self.end)

    def harm_in_all(self, light: Signal) -> float:
        """Seconds of harm under a light in all episodes, each instant once."""
        rows = Signal.from_intervals(np.column_stack([self.begin, self.end]), self.wrong.start, self.wrong.end)
        return float(self._harm(light, rows.intervals[:, 0], rows.intervals[:, 1]).sum())

    def _harm(self, light: Signal, begin: Array, end: Array) -> Array:
        bad = self.wrong - light if self.dark else self.wrong & light
        out = bad.cumulative(end) - bad.cumulative(begin)
        if self.kind == "dropped":
            falls = light.falls
            falls = falls[self.wrong.at(falls)]
            out += DROP_S * (np.searchsorted(falls, end) - np.searchsorted(falls, begin))
        return np.asarray(out, float)


def episodes(r: Rehearsal, room: str, kind: Kind, incidents: Sequence[Incident]) -> Episodes:
    """The episodes of the incidents of one kind in a room."""
    at = np.array([i.at for i in incidents], float)
    lasted = np.array([i.duration_s for i in incidents], float)
    begin, end = at - BEFORE_S, at + lasted
    need, awake = r.needs_light(room), r.awake(room)
    start, keep = _starting_and_keeping(r, room)
    silent_from = _last(keep.falls, end if kind in ("idle", "false start") else at)
    if kind == "dropped":
        by_hand = find(r.project.rooms, room).control == "absence"
        again = _next(keep.rises if by_hand else start.rises, at)
        end = np.maximum(np.minimum(again, _until(need, at)), end)
    wrong = need if kind in ("dropped", "late") else ~awake
    return Episodes(kind, tuple(incidents), begin, end, silent_from, wrong)


def _starting_and_keeping(r: Rehearsal, room: str) -> tuple[Signal, Signal]:
    """What starts and what keeps a room's light, of itself, no wave among it."""
    presence = presence_of(r.project, room)
    if presence is None:
        never = Signal.constant(False, 0.0, r.truth.end)
        return never, never
    start, keep = start_and_keep(presence.expr) or (presence.expr, presence.expr)
    named = r.house.conclusions.presences
    said = [evaluate_expr(r.project, part, r.recording, dependencies=named) for part in (start, keep)]
    return said[0], said[1]


def _last(instants: Array, before: Array) -> Array:
    """The last of the instants at or before each, 0 where there is none."""
    padded = np.concatenate([[0.0], instants])
    return np.asarray(padded[np.searchsorted(instants, before + BEFORE_S, side="right")])


def _next(instants: Array, after: Array) -> Array:
    """The first of the instants after each, inf where there is none."""
    padded = np.append(instants, np.inf)
    return np.asarray(padded[np.searchsorted(instants, after + BEFORE_S, side="right")])


def _until(signal: Signal, at: Array) -> Array:
    """The end of the stretch of a signal that holds at each instant, or that instant."""
    rows = signal.intervals
    if len(rows) == 0:
        return at
    i = np.searchsorted(rows[:, 0], at, side="right") - 1
    return np.where(i >= 0, np.maximum(rows[np.maximum(i, 0), 1], at), at)
