"""How people use a room, in a few rates: how often somebody comes while nobody is there, how long they stay, where."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vastwatch.design.project import Project
from vastwatch.memo import memoised
from vastwatch.people.truth import Truth, simulate_days

# Habits are those of so many days of the brief's schedules, under a seed that nothing is judged on.
DAYS, SEED = 14, 0
# A room that nobody came into in these days is come into once in so many, and for so long: nothing is impossible.
RARE_DAYS, RARE_STAY_S = 14.0, 300.0


class Habits(NamedTuple):
    """Of those who are awake. `arrival_rate`: arrivals while nobody is there, per second of that. `leave_share`: the
    share of walks in the room that lead out of it. By spot: the share of the stays that are there, and their mean
    seconds."""

    arrival_rate: float
    leave_share: float
    share: dict[str, float]
    stay_s: dict[str, float]

    @property
    def visit_s(self) -> float:
        """How long somebody who has come stays in all, on average, seconds, standing or sitting."""
        stays = sum(self.share[s] * self.stay_s[s] for s in self.share)
        return stays * (1.0 / max(self.leave_share, 1e-6) - 1.0)


def habits(project: Project, room: str) -> Habits:
    """The habits that the brief's schedules make of a room."""
    return _habits(simulate_days(project, DAYS, SEED), room)


@memoised
def _habits(truth: Truth, room: str) -> Habits:
    occupied = truth.occupied(room, True)
    empty = occupied.end - occupied.total()
    counts: dict[str, int] = {}
    seconds: dict[str, float] = {}
    visits = 0
    for track in truth.tracks:
        if track.person.kind == "pet":
            continue
        visits += len(truth.person_in(track.person.id, room, awake_only=True).rises)
        for k, spot in enumerate(truth.spots):
            at = track.spot == k
            if spot.room != room or spot.activity in ("sleeping", "away") or not at.any():
                continue
            stays = np.diff(truth.stays(track, at), axis=1)
            counts[spot.id] = counts.get(spot.id, 0) + int(at.sum())
            seconds[spot.id] = seconds.get(spot.id, 0.0) + float(stays.sum())
    n = sum(counts.values())
    come = max(len(occupied.rises), truth.end / (RARE_DAYS * 86_400.0)) / max(empty, 1.0)
    if n == 0:
        # Passed through alone, or never used: every walk leads out.
        return Habits(come, 1.0, {}, {})
    share = {s: c / n for s, c in counts.items()}
    return Habits(come, max(visits, 1) / (n + max(visits, 1)), share, {s: seconds[s] / counts[s] for s in counts})
