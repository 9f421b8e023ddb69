"""Incidents of a room that have one cause in one place, told together, those first whose cure would save most."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from vastwatch.causes.chain import CALLED
from vastwatch.causes.counterfactual import Factor
from vastwatch.causes.episodes import DROP_S
from vastwatch.causes.investigation import CURES, Investigation
from vastwatch.design.project import find_any
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.scoring.incidents import Incident, Kind
from vastwatch.words import capital

# What the cause of a group is called; `name` is that of its record.
PHRASES: dict[Factor, str] = {
    "obstacle": "behind the {name}", "aim": "{Name} aims past them", "settings": "{Name} is set too low",
    "warmth": "too warm for infrared", "hold": "hold time too short",
    "latch": "latched until a door opened", "starter": "{Name} is not used",
    "latency": "{Name} is slow", "hazard": "the {name}", "person": "{Name} noticed",
    "zone": "not counted in {name}",
    "supply": "turned off at the wall", "cells": "{Name} has flat batteries", "radio": "{Name} has poor reception",
    "doubt": "{Name} gets too little pressure", "bounce": "{Name} bounces",
    "own hold": "{Name} keeps reporting", "keeper": "no sensor notices them soon enough",
}  # fmt: skip

# These are wrong with a whole room, wherever somebody is in it; then so many places are named.
OF_THE_ROOM: tuple[Factor, ...] = (
    "hold", "latch", "warmth", "settings", "hazard", "latency", "supply", "cells", "radio", "bounce",
)  # fmt: skip
MOST_PLACES = 2


@dataclass(frozen=True)
class Group:
    """Some incidents of one kind in a room: `words` say where and why, `record` is what one would change, and `saves_s`
    by how many seconds a day the room's score of dark (or of light while empty) is less when the days are rehearsed
    with the cure, None where there is none to rehearse; `episodes` so many of the kind. `weight`: by what they are put
    in order, seconds a day with a price on each false-off."""

    kind: Kind
    lever: Factor
    record: str
    words: str
    incidents: tuple[Incident, ...]
    of: int
    saves_s: float | None
    weight: float

    @property
    def heading(self) -> str:
        """`31 of 44 drops: reading at the window seat, behind the shelf`."""
        one, many = CALLED[self.kind]
        count = f"{len(self.incidents)} of {self.of} {many}" if self.of > 1 else f"One {one}"
        return f"{count}: {self.words}"


def groups(r: Rehearsal, inquiries: Iterable[Investigation]) -> list[Group]:
    """The groups of all kinds in a room; dark before light while empty, and within each those that save most first."""
    out: list[Group] = []
    for inquiry in inquiries:
        found: dict[tuple[Factor, str, str], list[tuple[Incident, float]]] = {}
        places: dict[tuple[Factor, str, str], Counter[str]] = {}
        cure: dict[tuple[Factor, str], float | None] = {}
        of = inquiry.episodes
        for k, incident in enumerate(of.incidents):
            causes = inquiry.causes(k)
            share, lever, record = 1.0, _unnoticed(inquiry, k), ""
            if causes and (not of.dark or causes[0].share[k] >= CURES):
                first = causes[0]
                share, lever, record = float(first.share[k]), first.counterfactual.factor, first.counterfactual.record
                cure[lever, record] = first.saves_s
            elif of.dark and inquiry.present[k] and inquiry.present[k][0].sights:
                record = inquiry.present[k][0].sights[0].sensor
            weight = incident.duration_s + (DROP_S if of.kind == "dropped" else 0.0)
            # What is wrong with the whole room is told once, no matter who sat where.
            where = "" if lever in OF_THE_ROOM else _place(inquiry, k)
            found.setdefault((lever, record, where), []).append((incident, share * weight))
            places.setdefault((lever, record, where), Counter())[_place(inquiry, k)] += 1
        for (lever, record, where), some in found.items():
            place = _places(places[lever, record, where])
            words = f"{place}, {_phrase(r, lever, record)}" if place else capital(_phrase(r, lever, record))
            if lever == "hold" and not of.dark:
                words = "stayed on after they had left"
            out.append(
                Group(
                    of.kind, lever, record, words, tuple(i for i, _ in some), len(of.incidents),
                    _saved(r, cure.get((lever, record)), lever, some), sum(s for _, s in some) / r.days,
                )
            )  # fmt: skip
    return sorted(out, key=lambda g: (g.kind not in ("dropped", "late"), -g.weight))


def _saved(
    r: Rehearsal, saves_s: float | None, lever: Factor, some: list[tuple[Incident, float]]
) -> float | None:  # fmt: skip
    """Seconds a day by which the score is less with the cure: as it was rehearsed; of people whom nothing notices soon
    enough, all the dark of theirs, which light in time would remove."""
    if saves_s is None and lever == "keeper":
        saves_s = sum(i.duration_s for i, _ in some)
    return None if saves_s is None else max(saves_s, 0.0) / r.days


def _unnoticed(inquiry: Investigation, k: int) -> Factor:
    return "keeper" if inquiry.episodes.dark else "own hold"


def _places(count: Counter[str]) -> str:
    named = [place for place, _ in count.most_common() if place]
    if len(named) <= MOST_PLACES:
        return " and ".join(named)
    return f"{', '.join(named[:MOST_PLACES])} and {len(named) - MOST_PLACES} more"


def _place(inquiry: Investigation, k: int) -> str:
    if not inquiry.present[k]:
        return ""
    spot = inquiry.present[k][0].where.spot
    return "walking" if spot is None else f"{spot.activity} at the {spot.name}"


def _phrase(r: Rehearsal, lever: Factor, record: str) -> str:
    found = find_any(r.project, record)
    name = "sensor" if found is None else str(getattr(found[1], "name", getattr(found[1], "kind", "wall")))
    return PHRASES[lever].format(name=name[:1].lower() + name[1:], Name=name)
