"""Plays recipes event by event, as a controller would that knows nothing but them: facts, timers, and lamps.

Written from what each part of a recipe says, and from nothing that knows of ladders.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from vastwatch.control.export.recipe_parts import (
    AtLeastOf,
    Condition,
    FactChanges,
    FactIs,
    Lit,
    NotOf,
    Presses,
    RecipeBook,
    SetFact,
    SetLamp,
    StartTimer,
    StartUntil,
    StopTimer,
    TimerEnds,
    TimerRuns,
)
from vastwatch.signals import Signal

Step = tuple[float, float, float]


def play(
    book: RecipeBook, inputs: Mapping[str, Signal], presses: Sequence[tuple[float, str]], end: float,
    next_clock: Callable[[str, float], float] = lambda clock, t: math.inf,
) -> dict[str, list[Step]]:  # fmt: skip
    """By lamp, (instant, level, fade) whenever it is sent to another level than before; it begins off at zero, and
    what is settled at the start counts as there at once."""
    facts = dict.fromkeys((*inputs, *book.helpers), False)
    levels = dict.fromkeys(book.lamps, (0.0, 0.0))
    out: dict[str, list[Step]] = {name: [] for name in book.lamps}
    timers: dict[str, float] = {}
    changes = sorted((t, name) for name, s in inputs.items() for t in s.switches.tolist())
    hands = sorted(presses)
    k, h, t = 0, 0, 0.0

    def holds(c: Condition) -> bool:
        if isinstance(c, FactIs):
            return facts[c.fact] == c.on
        if isinstance(c, TimerRuns):
            return (c.timer in timers) == c.on
        if isinstance(c, Lit):
            return levels[c.lamp][0] > 0
        if isinstance(c, NotOf):
            return not holds(c.of)
        assert isinstance(c, AtLeastOf)
        return sum(holds(x) for x in c.of) >= c.k

    def settle(before: dict[str, bool], ended: set[str], pressed: set[str], first: bool) -> None:
        """Once through all recipes, in order: what each changes, those after it hear of."""
        chosen: set[str] = set()
        for r in book.recipes:
            hit = False
            if r.choice in chosen:
                continue
            for trigger in r.when:
                if isinstance(trigger, FactChanges):
                    changed = facts[trigger.fact] != before[trigger.fact] or (first and not facts[trigger.fact])
                    hit |= changed and (trigger.on is None or facts[trigger.fact] == trigger.on)
                elif isinstance(trigger, TimerEnds):
                    hit |= trigger.timer in ended
                else:
                    assert isinstance(trigger, Presses)
                    hit |= trigger.button in pressed
            if not hit or (r.only_if is not None and not holds(r.only_if)):
                continue
            if r.choice is not None:
                chosen.add(r.choice)
            for a in r.then:
                if isinstance(a, SetFact):
                    facts[a.fact] = a.on
                elif isinstance(a, StartTimer):
                    timers[a.timer] = t + a.seconds
                    ended.discard(a.timer)
                elif isinstance(a, StartUntil):
                    timers[a.timer] = next_clock(a.clock, t)
                    ended.discard(a.timer)
                elif isinstance(a, StopTimer):
                    timers.pop(a.timer, None)
                    ended.discard(a.timer)
                else:
                    assert isinstance(a, SetLamp)
                    levels[a.lamp] = (a.level, a.fade_s)

    first = True
    while True:
        before = dict(facts)
        pressed: set[str] = set()
        if first:
            for name, s in inputs.items():
                facts[name] = bool(s.first)
        else:
            while k < len(changes) and changes[k][0] <= t:
                facts[changes[k][1]] = not facts[changes[k][1]]
                k += 1
            while h < len(hands) and hands[h][0] <= t:
                pressed.add(hands[h][1])
                h += 1
        ended = {name for name, at in timers.items() if at <= t}
        for name in ended:
            del timers[name]
        was = dict(levels)
        settle(before, ended, pressed, first)
        while any(at <= t for at in timers.values()):
            # A timer of no length runs out at once.
            due = {name for name, at in timers.items() if at <= t}
            for name in due:
                del timers[name]
            settle(dict(facts), due, set(), False)
        for lamp, (level, fade) in levels.items():
            if first or level != was[lamp][0]:
                out[lamp].append((t, level, fade))
            else:
                levels[lamp] = was[lamp]
        first = False
        coming = [*timers.values(), changes[k][0] if k < len(changes) else math.inf]
        coming.append(hands[h][0] if h < len(hands) else math.inf)
        t = min(coming)
        if t >= end:
            return out
