"""The states of a ladder: every combination of its rows and of a hand above them, which row wins in each, how
often it came to that in a rehearsal, and whether any of them could last for ever."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from typing import NamedTuple

import numpy as np

from vastwatch.control.lighting import LadderRun
from vastwatch.control.manual.override import ends_words
from vastwatch.design.ladders import ladders_in
from vastwatch.design.project import Project, find
from vastwatch.design.relations import buttons_in, presence_of
from vastwatch.memo import memoised
from vastwatch.rehearsal import Rehearsal

# With more rows than this only the combinations that were simulated are listed.
MOST_ROWS = 8


class LadderState(NamedTuple):
    """Which rows hold, the row that wins (the number of rows for none), and its share of the rehearsed time; zero
    where it was not simulated."""

    holds: tuple[bool, ...]
    wins: int
    share: float

    @property
    def occurred(self) -> bool:
        """Whether the rehearsal came to it."""
        return self.share > 0


@memoised
def states(run: LadderRun) -> list[LadderState]:
    """Every combination of a ladder's rows, the most frequent first; of those that were not simulated the fewest rows
    first."""
    n, end = len(run.rows), float(run.winners.edges[-1])
    edges = np.unique(np.concatenate([[0.0], *(s.switches for s in run.row_signals)]))
    holds = np.array([s.at(edges) for s in run.row_signals]).reshape(n, -1).T
    spent = np.diff(np.append(edges, end))
    seconds_of: dict[tuple[bool, ...], float] = {}
    for row, seconds in zip(map(tuple, holds.tolist()), spent.tolist()):
        seconds_of[row] = seconds_of.get(row, 0.0) + seconds
    every = set(seconds_of)
    if n <= MOST_ROWS:
        every |= set(product((False, True), repeat=n))
    found = [LadderState(h, next((k for k, on in enumerate(h) if on), n), seconds_of.get(h, 0.0) / end) for h in every]
    return sorted(found, key=lambda s: (-s.share, sum(s.holds), s.holds))


def stuck(project: Project, room: str, r: Rehearsal | None = None) -> list[str]:
    """What could last for ever in a room, each as a sentence: presses that nothing but another press ends, and such as
    wait for a room to be left of which nobody says whether it is."""
    out = []
    lighting = presence_of(project, room)
    for b in buttons_in(project, room):
        if b.ends == "never":
            out.append(f"The override by {b.name} lasts {ends_words(b)}: give it an end.")
        elif b.ends == "vacancy" and lighting is None:
            out.append(f"The override by {b.name} ends when the room is empty, but nothing detects whether it is.")
        elif b.ends == "vacancy" and r is not None and lighting is not None:
            held = r.house.conclusions.presences[lighting.id]
            if held.total() >= held.end - held.start:
                out.append(
                    f"The override by {b.name} ends when the room is empty, and “{lighting.name}” never turned off."
                )
    return out


def never_wins(r: Rehearsal) -> Iterator[tuple[str, LadderRun, int]]:
    """The rows that did not win for a moment of a rehearsal: the room, what the ladder did, and which of its rows."""
    for room, run in r.house.ladders.items():
        for did in run.ladders:
            share = did.share()
            yield from ((room, did, k) for k in range(len(did.rows)) if share[k] <= 0)


def shadowing(run: LadderRun, row: int) -> list[int]:
    """The rows above one that never wins which held whenever it did; none where it never held."""
    mine = run.row_signals[row]
    if mine.total() == 0:
        return []
    return [k for k in range(row) if (mine - run.row_signals[k]).total() <= 1e-9]


def why_not(run: LadderRun, t: float) -> list[tuple[int, bool]]:
    """The rows above the one that wins at an instant, and whether each holds; all of them where none wins."""
    won = min(run.winners.at(t), len(run.rows))
    return [(k, bool(run.row_signals[k].at(t))) for k in range(won)]


def scene_of_row(project: Project, run: LadderRun, row: int) -> str:
    """What the row of that number asks for, in words."""
    if row < len(run.rows):
        return str(find(project.scenes, run.rows[row].scene).name)
    return "manual" if row > len(run.rows) else "all off"


def has_ladder(project: Project, room: str) -> bool:
    """Whether a room, or a group of its lamps, has a ladder that lights anything."""
    return bool(ladders_in(project, room))
