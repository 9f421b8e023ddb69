"""A trial: somebody comes to a spot and stays there, a hundred times over; what does the light do?

It needs no schedule and no household, only the design: it is the first answer there is. Somebody walks in and is
noticed; from then on they move as anybody who does this moves (M6), sensors notice it with the chances they have there
(M2, M3), the presence is held, and who is left in the dark waves and goes to the switch as everybody does.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.simulation.room_simulation import tunable_conclusion
from vastwatch.control.belief.fusion import beliefs, leaves
from vastwatch.control.belief.rates import markov_chains
from vastwatch.control.evaluation import evaluate_with
from vastwatch.control.manual.general_reactions import react_to_conclusion
from vastwatch.control.manual.reactions import OccupancyIntervals, react
from vastwatch.design.expressions import Report
from vastwatch.design.placed import at_hour
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.rehearsal.noticing.at_rest import seen_at_rest, seen_fading
from vastwatch.rehearsal.noticing.notices import SURE_HOLD_S
from vastwatch.rehearsal.reaction_inputs import (
    LeafInputs,
    WavedConclusion,
    is_single_hold,
    sensors_read,
    start_and_keep,
    wave_sensors,
)
from vastwatch.rehearsal.reports import mounted_hold_s
from vastwatch.rng import key_of, normal, sub_keys, uniform
from vastwatch.sensing.bodies import LARGE_SHARE, MINOR_MOTION, SETTLING, SETTLING_S, Stayer
from vastwatch.sensing.coverage import spot_body
from vastwatch.sensing.model import MountedSensor, StayDetection, each_part, latency_s, stay_detection
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.reporting import report_intervals
from vastwatch.signals import Signal, any_of
from vastwatch.site.building import Spot
from vastwatch.site.people import WAVE_AFTER_S
from vastwatch.words import duration_words, figure, rough_duration_words

Array = NDArray[np.float64]

# How long somebody stays, and how often it is tried, when not told otherwise.
STAY_S, DRAWS = 7200.0, 100
# Between two trials nothing happens, so that no hold reaches from one to the next, seconds.
BETWEEN_S = 3 * 3600.0
# The light is told at so many instants of the stay.
TOLD = 121


@dataclass(frozen=True, eq=False)
class StayTrial:
    """A stay of `stay_s` seconds, tried `draws` times. `asked`: whether light is asked for there
    (`Spot.asks_for_light`). `first_dark_s`: after how long it went dark first, inf where it never did, (draws,). Per
    stay: `drops`, `dark_s`, `waves`, and `trips` to the switch, none of them where light is not asked for. `lit_share`:
    in how many of the trials it was lit, at instants `t`, both (TOLD,)."""

    spot: str
    stay_s: float
    draws: int
    hold_s: float
    asked: bool
    first_dark_s: Array
    drops: float
    dark_s: float
    waves: float
    trips: float
    t: Array
    lit_share: Array

    @property
    def share_never_dark(self) -> float:
        """The share of the trials in which it never went dark."""
        return float(np.isinf(self.first_dark_s).mean())

    def dark_within(self, share: float) -> float:
        """The time within which it went dark in a share of the trials, seconds; inf where in fewer."""
        return float(np.quantile(self.first_dark_s, share, method="higher"))


def run_stay_trial(
    project: Project, spot_id: str, stay_s: float = STAY_S, draws: int = DRAWS, seed: int = 1
) -> StayTrial:
    """Try a stay at a spot. Raises ValueError with a sentence where no hold keeps the light of its room, or where more
    than the room's sensors decides on it."""
    spot = find(project.spots, spot_id)
    presence = tunable_conclusion(project, spot.room)
    every = leaves(presence.expr)
    if not all(isinstance(leaf, Report) for leaf in every):
        raise ValueError(f"{presence.name} depends on more than its sensors; see the rehearsal instead")
    begins: Array = np.arange(draws, dtype=np.float64) * (stay_s + BETWEEN_S)
    end = float(begins[-1] + stay_s + BETWEEN_S)
    movements, large = _movements(spot, begins, stay_s, seed)
    said: dict[str, Signal] = {}
    chance = np.zeros((len(sensors_read(presence)), draws))
    for k, ident in enumerate(sensors_read(presence)):
        mounted = mount(project, at_hour(find(project.sensors, ident)))
        there = mounted.sensor.level == find(project.rooms, spot.room).level
        at = np.array([spot.at], float)
        seen = stay_detection(mounted, at, Stayer(spot_body(spot), spot.facing))
        key = key_of(seed, "trial", spot.id, ident)
        if there:
            chance[k] = seen.large[0]
        p = np.where(large, seen.large[0], seen.small[0]) * there
        noticed = movements[uniform(key, np.arange(len(movements))) < p]
        rest = _at_rest(seen, mounted_hold_s(mounted), begins, stay_s, key) if there else []
        # Somebody who comes walks past: they are noticed as they come.
        rows = [*rest, np.column_stack([begins, begins])] if there else rest
        said[ident] = _reported(mounted, noticed, rows, end)
    hold = hold_of(presence.expr) or 0.0
    sensors = wave_sensors(project, presence, seed)
    who = OccupancyIntervals.none(len(sensors))
    if spot.asks_for_light:
        who = OccupancyIntervals(begins, begins + stay_s, np.full(draws, WAVE_AFTER_S), chance)
    heard = [said[leaf.sensor] for leaf in every if isinstance(leaf, Report)]
    chains = markov_chains(project, beliefs(presence.expr))
    plain = evaluate_with(presence.expr, heard, chains)
    if is_single_hold(presence.expr):
        first_part, kept_by = start_and_keep(presence.expr) or (presence.expr, presence.expr)
        start = evaluate_with(first_part, heard)
        keep = evaluate_with(kept_by, heard[len(every) - len(leaves(kept_by)) :])
        did = react(start, start | keep, hold, who, sensors)
    else:
        did = react_to_conclusion(
            WavedConclusion(presence.expr, LeafInputs(tuple(heard), chains, sensors_read(presence))), who, sensors
        )
    lit = plain | Signal.from_intervals(did.light, 0.0, end)
    next_fall, after = did.falls.searchsorted(begins), did.falls.searchsorted(begins + stay_s)
    drops = after - next_fall
    first = np.where(drops > 0, np.append(did.falls, np.inf)[next_fall] - begins, np.inf)
    t = np.linspace(0.0, stay_s, TOLD)
    dark = stay_s - (lit.cumulative(begins + stay_s) - lit.cumulative(begins))
    asked = spot.asks_for_light
    return StayTrial(
        spot.id, stay_s, draws, hold, asked, first, asked * float(drops.mean()), asked * float(dark.mean()),
        len(did.waves) / draws, len(did.presses) / draws, t,
        np.array([lit.at(begins + x).mean() for x in np.minimum(t, stay_s - 1e-6)]),
    )  # fmt: skip


def in_words(trial: StayTrial) -> str:
    """What came of a trial, for anybody who would have to stay there."""
    hold = duration_words(trial.hold_s)
    if trial.share_never_dark == 1.0:
        return f"With a hold time of {hold} the light never went off in {trial.draws} trials."
    half, tenth = trial.dark_within(0.5), trial.dark_within(0.1)
    if not trial.asked:
        when = (
            f"in half of the trials within {rough_duration_words(half)}"
            if math.isfinite(half)
            else (f"in {100 * (1 - trial.share_never_dark):.0f} % of trials")
        )
        return f"This position needs no light, so nobody is left in the dark. The light goes off {when}."
    if math.isfinite(half):
        first = (
            f"The light goes off in half of the trials within {rough_duration_words(half)}, in one in ten within "
            f"{rough_duration_words(tenth)}."
        )
    elif math.isfinite(tenth):
        first = (
            f"The light goes off in one in ten trials within {rough_duration_words(tenth)}; in "
            f"{100 * trial.share_never_dark:.0f} % it never does."
        )
    else:
        first = f"The light goes off in {100 * (1 - trial.share_never_dark):.0f} % of trials."
    parts = [f"{figure(trial.drops)} false-offs", f"{figure(trial.waves)} waves"]
    if trial.trips >= 0.05:
        parts.append(f"{figure(trial.trips)} trips to the switch")
    return f"{first} Per stay: {', '.join(parts)} and {rough_duration_words(trial.dark_s)} in the dark."


def _movements(spot: Spot, begins: Array, stay_s: float, seed: int) -> tuple[Array, NDArray[np.bool_]]:
    """The small movements of all trials, in order: when, and whether large."""
    moves = MINOR_MOTION[spot.activity]
    # Four times as many as come on average, and then some: the gaps of all would have to be short.
    many = int(4 * stay_s * moves.rate) + 200
    key = key_of(seed, "trial", spot.id, spot.activity)
    index = np.arange(len(begins) * many)
    gaps = moves.median_s * np.exp(moves.sigma * normal(sub_keys(key, 1), index)).reshape(len(begins), many)
    after = np.cumsum(gaps, axis=1)
    inside = after < stay_s
    large = (uniform(sub_keys(key, 2), index) < LARGE_SHARE).reshape(len(begins), many)
    t, big = (begins[:, None] + after)[inside], large[inside]
    if spot.posture in ("seated", "lying"):
        # They settle, and rise again.
        drawn = SETTLING_S * uniform(sub_keys(key, 3), np.arange(2 * SETTLING * len(begins)))
        drawn = np.minimum(drawn, stay_s / 2).reshape(2, len(begins), SETTLING)
        settled = np.concatenate([begins[:, None] + drawn[0], begins[:, None] + stay_s - drawn[1]], axis=1).ravel()
        t, big = np.append(t, settled), np.append(big, np.ones(len(settled), bool))
    order = np.argsort(t, kind="stable")
    return t[order], big[order]


def _at_rest(seen: StayDetection, hold: float, begins: Array, stay_s: float, key: int) -> list[Array]:
    """[start, end) stretches in which somebody at rest is seen."""
    rate = float(seen.still_per_s[0])
    if rate <= 0:
        return []
    keys, a, b = sub_keys(sub_keys(key, 7), np.arange(len(begins))), begins, begins + stay_s
    hold = max(hold, SURE_HOLD_S)
    if seen.fading is None or seen.range_ratio is None:
        found = seen_at_rest(keys, np.full(len(begins), rate), a, b, hold)
    else:
        found = seen_fading(keys, seen.fading, np.full(len(begins), seen.range_ratio[0]), a, b, hold)
    return [np.column_stack([found.start, found.end])]


def _reported(mounted: MountedSensor, noticed: Array, rows: list[Array], end: float) -> Signal:
    """What a sensor makes of what it noticed, late by its typical latency."""
    every = (
        np.concatenate([np.column_stack([noticed, noticed]), *rows]) if rows else np.column_stack([noticed, noticed])
    )
    every = every[np.argsort(every[:, 0], kind="stable")]
    hold = mounted_hold_s(mounted)
    out = []
    for part in each_part(mounted):
        on = report_intervals(part, every[:, 0], every[:, 1], hold)
        out.append(Signal.from_intervals(on + latency_s(mounted.device), 0.0, end))
    return any_of(out) if out else Signal.constant(False, 0.0, end)
