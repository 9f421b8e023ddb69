"""Whether a need of a room is met, by how much, and what other weeks would bring.

What no hold time changes, or changes little, is looked at besides, at every hold: how soon light comes, how soon
anybody who comes in is noticed, how often it comes on while empty, how long it is on over sleepers.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.simulation.curve_batch import CurveBatch, concatenate, laid_there, replicate_of, replicate_step_s
from vastwatch.advice.simulation.room_simulation import RoomReplicate
from vastwatch.design.needs import RoomNeeds
from vastwatch.distributions import student_quantile
from vastwatch.memo import memoised
from vastwatch.rehearsal.scoring.incidents import LATE_S
from vastwatch.rehearsal.scoring.scores import comers
from vastwatch.words import figure

Array = NDArray[np.float64]

# The confidence that other weeks meet a limit, and that they lie in the stated interval.
SURE, WITHIN = 0.95, 0.95
# Of first lights so many come within the notice time and what nobody complains of; of those who come in so many are
# noticed within the notice time and a step more, seconds. The walkers' share is that of the findings.
FIRST_LIGHTS, NOTICED, STEP_S = 0.95, 0.9, 1.0
# So often a day light may come on while empty, and for so many minutes be on over sleepers with nobody awake: our
# choice.
FALSE_STARTS_A_DAY, ASLEEP_MIN = 6.0, 1.0
# What a limit of none counts when misses are compared.
LEAST_LIMIT = 0.01


@dataclass(frozen=True)
class RequirementCheck:
    """One need of a room: what it came to, the most it may be, and what other weeks would bring, [low, high]."""

    need: str
    value: float
    limit: float
    low: float
    high: float

    @property
    def passed(self) -> bool:
        """Whether other weeks meet it, with confidence SURE."""
        return self.high <= self.limit + 1e-9


# How each need is told; `{}` stands for its figure.
IN_WORDS = {
    "drops_per_week": "{} false-offs a week",
    "dark_min_per_day": "{} min a day in the dark",
    "hold_s": "a hold time of {} s",
    "first_light_s": "first light after {} s",
    "notice_s": "noticed {} s after entering",
    "idle_h_per_day": "{} h a day lit while empty",
    "false_starts_per_day": "{} false-ons a day",
    "asleep_min_per_day": "{} min a day disturbing sleepers",
}


# Who waits so long, seconds, is not late but missed: most of them leave before. How that is told.
LONG_S = 120.0
NOT_AT_ALL = {
    "first_light_s": "one in twenty or more without light for 2 min and longer",
    "notice_s": "one in ten or more not noticed within 2 min of entering",
}


def in_words(it: RequirementCheck) -> str:
    """A need, its figure, and the most that it may be: `3.2 drops a week, 1 allowed`. Where it is met in the weeks that
    were simulated and yet not surely in others: `0.2 drops a week, in others perhaps 0.4, 0.25 allowed`."""
    said = IN_WORDS[it.need].format(figure(it.value) if it.need != "hold_s" else f"{it.value:.0f}")
    if it.need in NOT_AT_ALL and it.value > LONG_S:
        return f"{NOT_AT_ALL[it.need]}, {it.limit:.3g} s allowed"
    if it.value <= it.limit < it.high:
        said += f", up to {it.high:.2g} in other weeks"
    return f"{said}, limit {it.limit:.3g}"


def violation(needs: Iterable[RequirementCheck]) -> float:
    """By how many times some needs are missed, all together; 0 where all are met."""
    return sum(max(m.high / max(m.limit, LEAST_LIMIT) - 1.0, 0.0) for m in needs if not m.passed)


@dataclass(frozen=True, eq=False)
class Waits:
    """Seconds that people waited for something, of all replicates, and the quantile that counts in each that has
    any."""

    every: Array
    by_life: Array


class SecondaryOutcomes(NamedTuple):
    """Secondary outcomes by replicate: false-ons a day, minutes a day lit over sleepers, and waits (seconds) for light
    and for a notice."""

    starts: Array
    over_min: Array
    light: Waits
    noticed: Waits


class _Laid(NamedTuple):
    """Some replicates on one line of time, in what no hold changes: rows of who was awake and who slept there alone;
    who came into the dark, when, and until when they asked for light; how long anybody who came in waited to be
    noticed."""

    awake: Array
    asleep: Array
    came: Array
    until: Array
    noticed: Waits


@memoised
def _laid(replicates: tuple[RoomReplicate, ...]) -> _Laid:
    step = replicate_step_s(replicates[0].dark)
    begins = np.repeat(step * np.arange(len(replicates)), [len(x.visits.came) for x in replicates])
    since = np.concatenate([x.visits.came for x in replicates]) + begins
    until = np.concatenate([x.visits.left for x in replicates]) + begins
    start = concatenate(tuple(x.start for x in replicates))
    rises = np.append(start.rises, np.inf)
    noticed = np.where(start.at(since), since, rises[start.rises.searchsorted(since)])
    waits = _waits(np.minimum(noticed, until) - since, replicate_of(since, step), NOTICED)
    people = laid_there(tuple(x.there for x in replicates))
    asleep, dark = (concatenate(column) for column in zip(*((x.asleep, x.dark) for x in replicates)))
    came, asked_until = comers(people, dark)
    # Anybody who is there from the beginning of a replicate has not come.
    later = came > step * replicate_of(came, step)
    return _Laid(people.awake.intervals, asleep.intervals, came[later], asked_until[later], waits)


@memoised
def secondary_outcomes(replicates: tuple[RoomReplicate, ...], together: CurveBatch, hold_s: float) -> SecondaryOutcomes:
    """Measure the secondary outcomes of a batch at one hold: false-ons, light over sleepers, waits for light and for a
    notice. `together`: the concatenated curves."""
    # Loaded where replicates are looked at: the compiler takes a moment.
    from vastwatch.loops.outcomes import besides

    days, laid, step = replicates[0].days, _laid(replicates), replicate_step_s(replicates[0].dark)
    rows = together.light(hold_s).intervals
    by_life, waited, of = besides(rows, laid.awake, laid.asleep, laid.came, laid.until, step, len(replicates))
    return SecondaryOutcomes(
        by_life[:, 0] / days, by_life[:, 1] / 60.0 / days, _waits(waited, of, FIRST_LIGHTS), laid.noticed
    )


def _waits(values: Array, life: NDArray[np.int64], share: float) -> Waits:
    """Of what was waited, one replicate after the other, with the quantile of each."""
    from vastwatch.loops.outcomes import quantiles

    return Waits(values, quantiles(values, life, share))


def secondary_checks(
    found: Sequence[SecondaryOutcomes], needs: RoomNeeds, by_hand: bool
) -> tuple[RequirementCheck, ...]:
    """Check the needs other than false-offs, dark time and the hold, from secondary outcomes."""
    out = [
        _met("false_starts_per_day", np.concatenate([x.starts for x in found]), FALSE_STARTS_A_DAY),
        _met("asleep_min_per_day", np.concatenate([x.over_min for x in found]), ASLEEP_MIN),
    ]
    if not by_hand:
        out = [
            _quantile("first_light_s", [x.light for x in found], FIRST_LIGHTS, needs.notice_s + LATE_S),
            # At every hold the same.
            _notice(tuple(x.noticed for x in found), needs.notice_s),
            *out,
        ]
    return tuple(out)


def mean_margin(values: Array, sure: float = SURE) -> Array:
    """Half-width of the prediction interval for the mean of as many new values (Student's t); (columns,) or scalar."""
    n = len(values)
    if n < 2:
        return np.zeros(values.shape[1:])
    return student_quantile(sure, n - 1) * values.std(axis=0, ddof=1) * math.sqrt(2.0 / n)


def _met(need: str, values: Array, limit: float) -> RequirementCheck:
    value, off = float(values.mean()), float(mean_margin(values))
    return RequirementCheck(need, value, limit, max(value - off, 0.0), value + off)


@memoised
def _notice(found: tuple[Waits, ...], notice_s: float) -> RequirementCheck:
    return _quantile("notice_s", found, NOTICED, notice_s + STEP_S)


def _quantile(need: str, found: Sequence[Waits], share: float, limit: float) -> RequirementCheck:
    """A quantile of all, and how far it varies between the seeds."""
    every = np.concatenate([x.every for x in found])
    if len(every) == 0:
        return RequirementCheck(need, 0.0, limit, 0.0, 0.0)
    value = float(np.quantile(every, share))
    apart = float(mean_margin(np.concatenate([x.by_life for x in found])))
    return RequirementCheck(need, value, limit, max(value - apart, 0.0), value + apart)
