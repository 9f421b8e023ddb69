"""Whether a need of a room is met, by how much, and what other weeks would bring.

What no hold time changes, or changes little, is looked at besides, at the one hold that is judged: how soon light
comes, how soon whoever comes in is noticed, how often it comes on for nobody, how long it burns over sleepers.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.weeks import Lived
from vastwatch.design.needs import RoomNeeds
from vastwatch.laws import student_quantile
from vastwatch.rehearsal.incidents import LATE_S
from vastwatch.rehearsal.scores import arrivals
from vastwatch.signals import Signal

Array = NDArray[np.float64]

# The confidence that other weeks meet a limit, and that they lie in the stated interval.
SURE, WITHIN = 0.95, 0.95
# Of first lights so many come within the notice time and what nobody complains of; of those who come in so many are
# noticed within the notice time and a step more, seconds. The walkers' share is that of the findings.
FIRST_LIGHTS, NOTICED, STEP_S = 0.95, 0.9, 1.0
# So often a day light may come on for nobody, and for so many minutes burn over sleepers with nobody awake: our choice.
FALSE_STARTS_A_DAY, ASLEEP_MIN = 6.0, 1.0
# What a limit of none counts when misses are compared.
LEAST_LIMIT = 0.01


@dataclass(frozen=True)
class Met:
    """One need of a room: what it came to, the most it may be, and what other weeks would bring, [low, high]."""

    need: str
    value: float
    limit: float
    low: float
    high: float

    @property
    def met(self) -> bool:
        """Whether other weeks meet it, with confidence SURE."""
        return self.high <= self.limit + 1e-9


# How each need is told; `{}` stands for its figure.
IN_WORDS = {
    "drops_per_week": "{:.1f} drops a week",
    "dark_min_per_day": "{:.1f} min a day in the dark",
    "hold_s": "a hold of {:.0f} s",
    "first_light_s": "first light after {:.1f} s",
    "notice_s": "noticed {:.1f} s after the door",
    "false_starts_per_day": "{:.1f} false starts a day",
    "asleep_min_per_day": "{:.1f} min a day over sleepers",
}


def in_words(it: Met) -> str:
    """A need, its figure, and the most that it may be: `3.2 drops a week, 1 allowed`. Where it is met in the weeks that
    were lived and yet not surely in others: `0.2 drops a week, in others perhaps 0.4, 0.25 allowed`."""
    said = IN_WORDS[it.need].format(it.value)
    if it.value <= it.limit < it.high:
        said += f", in others perhaps {it.high:.2g}"
    return f"{said}, {it.limit:.3g} allowed"


def misfit(needs: Iterable[Met]) -> float:
    """By how many times some needs are missed, all together; 0 where all are met."""
    return sum(max(m.high / max(m.limit, LEAST_LIMIT) - 1.0, 0.0) for m in needs if not m.met)


def beside(lives: Sequence[Lived], lights: Sequence[Signal], needs: RoomNeeds, by_hand: bool) -> tuple[Met, ...]:
    """The needs that are looked at besides drops, dark and the hold, over some lives with the light in each."""
    starts, over = [], []
    for weeks, light in zip(lives, lights):
        rows = light.intervals
        nobody = weeks.awake.measure(rows[:, 1]) - weeks.awake.measure(rows[:, 0]) <= 0
        starts.append(float(nobody.sum()) / weeks.days)
        over.append((light & weeks.asleep).total() / 60.0 / weeks.days)
    out = [
        _met("false_starts_per_day", np.array(starts), FALSE_STARTS_A_DAY),
        _met("asleep_min_per_day", np.array(over), ASLEEP_MIN),
    ]
    if not by_hand:
        waits = [arrivals(light, weeks.awake, weeks.dark)[1] for weeks, light in zip(lives, lights)]
        noticed = [weeks.noticed_s for weeks in lives]
        out = [
            _quantile("first_light_s", waits, FIRST_LIGHTS, needs.notice_s + LATE_S),
            _quantile("notice_s", noticed, NOTICED, needs.notice_s + STEP_S),
            *out,
        ]
    return tuple(out)


def aside(values: Array, sure: float = SURE) -> Array:
    """How far the means of as many other values may lie from those of these, (values, columns) or (values,), with a
    confidence, by default SURE."""
    n = len(values)
    if n < 2:
        return np.zeros(values.shape[1:])
    return student_quantile(sure, n - 1) * values.std(axis=0, ddof=1) * math.sqrt(2.0 / n)


def _met(need: str, values: Array, limit: float) -> Met:
    value, off = float(values.mean()), float(aside(values))
    return Met(need, value, limit, max(value - off, 0.0), value + off)


def _quantile(need: str, each: list[Array], share: float, limit: float) -> Met:
    """A quantile of all, and how far it varies between the seeds."""
    every = np.concatenate(each)
    if len(every) == 0:
        return Met(need, 0.0, limit, 0.0, 0.0)
    value = float(np.quantile(every, share))
    apart = float(aside(np.array([np.quantile(x, share) for x in each if len(x)])))
    return Met(need, value, limit, max(value - apart, 0.0), value + apart)
