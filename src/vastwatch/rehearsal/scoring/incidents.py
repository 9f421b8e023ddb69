"""Incidents: the single moments at which the light did the wrong thing, found in the signals of a room."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from vastwatch.memo import memoised
from vastwatch.people.truth import There
from vastwatch.rehearsal.scoring.scores import arrivals, false_offs
from vastwatch.signals import Signal

Kind = Literal["dropped", "late", "idle", "false start"]

# Somebody who waits longer than this for the first light tells of it, seconds.
LATE_S = 2.0
# Light while empty becomes an incident from this stretch on, seconds.
IDLE_S = 300.0


@dataclass(frozen=True)
class Incident:
    """`dropped`, a false-off: the light went off on somebody. `late`: no light LATE_S after somebody came. `idle`: it
    was on while empty for IDLE_S or more after they had left. `false start`, a false-on: it came on and nobody was
    there at all. `at` and `duration_s` in seconds; `at` is when it began."""

    kind: Kind
    room: str
    at: float
    duration_s: float

    @property
    def dark(self) -> bool:
        """Somebody was left in the dark, as against light that was on while empty."""
        return self.kind in ("dropped", "late")


@memoised
def find_incidents(room: str, lamp: Signal, there: There, dark: Signal) -> tuple[Incident, ...]:
    """All incidents of a room."""
    awake, need = there.awake, there.asking & dark
    unlit = need - lamp
    found: list[Incident] = []
    rows = unlit.intervals
    for t in false_offs(lamp, need).tolist():
        i = int(np.searchsorted(rows[:, 0], t, side="right")) - 1
        lasted = float(rows[i, 1] - t) if i >= 0 and rows[i, 1] > t else 0.0
        found.append(Incident("dropped", room, t, lasted))
    came, waits = arrivals(lamp, there, dark)
    for t, wait in zip(came.tolist(), waits.tolist()):
        if wait > LATE_S:
            found.append(Incident("late", room, t, wait))
    lit = lamp.intervals
    served = awake.cumulative(lit[:, 1]) - awake.cumulative(lit[:, 0])
    for (a, b), seconds in zip(lit.tolist(), served.tolist()):
        if seconds <= 0:
            found.append(Incident("false start", room, a, b - a))
    for a, b in (lamp - awake).intervals.tolist():
        if b - a >= IDLE_S and awake.at(a - 1e-3):
            found.append(Incident("idle", room, a, b - a))
    return tuple(found)
