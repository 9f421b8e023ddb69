"""People react: whoever is left in the dark waves, waves again, and after TRIES vain tries goes to the switch (M8).

What a wave does is what any movement does: a sensor that notices it reports, and the light comes on for the hold. So
one silence of a sensor brings several drops. Sensors and hands are all that is known here: who is where, and how
readily each sensor notices a wave there, comes as `Stretches`. `reaction_loops` walks through it.

Which waves are noticed is drawn by their anchor, the later of the instants at which the last report before the gap
ended and at which they came, and by the count of waves since: not by the hold. A longer hold then meets the same luck
in the same silence.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.draws import Keys, at_ms
from vastwatch.right_of_way import stand_aside
from vastwatch.signals import Signal

if TYPE_CHECKING:
    from vastwatch.control import reaction_loops

Array = NDArray[np.float64]

# Instants that are a hair before a whole millisecond by rounding alone count as that, seconds.
HAIR_S = 1e-6
# After so many waves that bring no light somebody goes to the switch.
TRIES = 3


class Waved(NamedTuple):
    """A sensor that a wave may set off: whether it starts the light or only keeps it, from a wave to its report, how
    long it reports after one, and the key of its draws."""

    starts: bool
    latency_s: float
    report_s: float
    key: int


class Luck(NamedTuple):
    """Whose luck decides in each stretch, where stretches of several lives stand on one line of time: the keys of each
    sensor's draws there, (sensors, n), and the instant that the life it belongs to begins at, seconds, (n,)."""

    keys: Keys
    begins: Array


@dataclass(frozen=True, eq=False)
class Stretches:
    """While somebody who would react is awake at one place in the dark: [begin, end), sorted and apart, (n,); how long
    they wait before they wave, (n,); the chance that each sensor notices a wave from there, (sensors, n). `luck`: by
    default one life's, with the sensors' own keys."""

    begin: Array
    end: Array
    after_s: Array
    chance: Array
    luck: Luck | None = None

    @staticmethod
    def none(sensors: int) -> Stretches:
        """Nobody ever."""
        return Stretches(np.empty(0), np.empty(0), np.empty(0), np.empty((sensors, 0)))


class Reaction(NamedTuple):
    """What people did, in order: instants of waves and of presses; what each sensor reported of the waves, [on, off)
    rows in order; the light that came of it, [on, off) rows in the gaps of the light without; and the instants at
    which that light, or the one without, went off."""

    waves: Array
    presses: Array
    reports: tuple[Array, ...]
    light: Array
    falls: Array


def react(start: Signal, keep: Signal, hold_s: float, who: Stretches, sensors: tuple[Waved, ...]) -> Reaction:
    """What people do about a light that `start` turns on and `keep`, held for `hold_s`, keeps. `start` within `keep`.

    A noticed wave counts as a report of the sensors that noticed it, a press as one of a sensor that starts the light.
    """
    # Loaded where somebody reacts: the compiler takes a moment.
    from vastwatch.control import reaction_loops as loops

    stand_aside()
    held = keep.hold(hold_s)
    lit = start.start_keep(held)
    events = loops.walked(
        lit.intervals, held.intervals, float(hold_s), lit.start, lit.end, present(who, sensors), eyes(sensors)
    )
    kind = events[:, 0]

    def rows(what: int) -> Array:
        found = events[kind == what, 1:]
        return found[np.argsort(found[:, 0], kind="stable")]

    return Reaction(
        rows(loops.WAVE)[:, 0], rows(loops.PRESS)[:, 0], tuple(rows(loops.REPORT + k) for k in range(len(sensors))),
        rows(loops.LIGHT), rows(loops.FALL)[:, 0],
    )  # fmt: skip


def present(who: Stretches, sensors: tuple[Waved, ...]) -> reaction_loops.Present:
    """Stretches as the loop reads them."""
    from vastwatch.control import reaction_loops as loops

    n = len(who.begin)
    if who.luck is None:
        keys = np.repeat(np.array([s.key for s in sensors], np.uint64)[:, None], n, axis=1)
        since = np.zeros(n, np.int64)
    else:
        keys, since = np.ascontiguousarray(who.luck.keys), at_ms(who.luck.begins + HAIR_S)
    begin, end, after_s, chance = (
        np.ascontiguousarray(x, float) for x in (who.begin, who.end, who.after_s, who.chance)
    )
    return loops.Present(begin, end, after_s, chance, keys.reshape(len(sensors), n), since)


def eyes(sensors: tuple[Waved, ...]) -> reaction_loops.Eyes:
    """Sensors as the loop reads them."""
    from vastwatch.control import reaction_loops as loops

    return loops.Eyes(
        np.array([s.starts for s in sensors], bool), np.array([s.latency_s for s in sensors], float),
        np.array([s.report_s for s in sensors], float),
    )  # fmt: skip
