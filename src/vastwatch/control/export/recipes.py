"""Recipes: a ladder, and the conclusions it follows, as trigger, condition and action lists, for controllers that work
that way.

Every operator becomes a stored state, a fact that is on or off, with recipes that set it and timers that they start and
stop. Facts from outside (what a sensor says, the clock, daylight, a player) are inputs. A ladder becomes one recipe for
each row: when anything that a row follows changes, and that row holds and none above it does, its lamps are set.
Buttons are recipes too: a press sets what the hand wants of all the room's ladders, and its end clears it. Played event
by event, at every instant until nothing changes any more, they come to what the ladder comes to.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, Literal, NamedTuple

from vastwatch.control.export.recipe_parts import (
    Action,
    AtLeastOf,
    Condition,
    FactChanges,
    FactIs,
    Input,
    Lit,
    NotOf,
    Presses,
    Recipe,
    RecipeBook,
    SetFact,
    SetLamp,
    StartTimer,
    StartUntil,
    StopTimer,
    TimerEnds,
    TimerRuns,
)
from vastwatch.control.lighting import scene_for
from vastwatch.design.conclusions import evaluation_order, with_dependencies
from vastwatch.design.expressions import (
    AllOf,
    AnyOf,
    AtLeast,
    Belief,
    ConclusionRef,
    DoorLatch,
    Expr,
    Hold,
    MinimumOn,
    Not,
    Nothing,
    OnDelay,
    StartKeep,
    every_part,
    parts_of,
)
from vastwatch.design.ladders import Ladder, ladder_conclusions, ladders_in, scene_levels, scenes_in
from vastwatch.design.presence import press_hold
from vastwatch.design.project import Convention, Project, find
from vastwatch.design.records import Conclusion, GuardedOutput, Scene
from vastwatch.design.relations import buttons_in, presence_of
from vastwatch.design.sentence import leaf_words
from vastwatch.words import duration_words

# -- names ---------------------------------------------------------------------------------------------------------


def conventional_name(words: str, ident: str, convention: Convention) -> str:
    """A name by the one convention that a project's recipes keep to (`Brief.naming`)."""
    if convention == "ids":
        return ident
    parts = re.findall(r"[A-Za-z0-9]+", words) or [ident]
    if convention == "words_with_underscores":
        return "_".join(p.lower() for p in parts)
    if convention == "WordsTogether":
        return "".join(p[:1].upper() + p[1:] for p in parts)
    return " ".join(parts)


class _Names:
    """Names that are all different."""

    def __init__(self, convention: Convention) -> None:
        self._convention = convention
        self._taken: dict[str, int] = {}

    def of(self, words: str, ident: str) -> str:
        name = conventional_name(words, ident, self._convention)
        n = self._taken[name] = self._taken.get(name, 0) + 1
        joint = {"words with spaces": " ", "WordsTogether": "", "ids": "."}.get(self._convention, "_")
        return name if n == 1 else f"{name}{joint}{n}"


# -- writing them --------------------------------------------------------------------------------------------------


class _Writer:
    """Writes the stored states and recipes of one room."""

    def __init__(self, project: Project, convention: Convention) -> None:
        self.project, self.names = project, _Names(convention)
        self.inputs: dict[Any, Input] = {}
        self.helpers: dict[str, str] = {}
        self.recipes: list[Recipe] = []
        self.notes: list[str] = []
        self.concluded: dict[str, str] = {}

    def fact(self, expr: Expr, words: str) -> str:
        """The fact that stands for an expression; made with all that it needs where it is not there yet."""
        if isinstance(expr, ConclusionRef):
            return self.concluded[expr.presence] if expr.presence in self.concluded else self._input(expr)
        if isinstance(expr, Belief):
            self.notes.append("Occupancy probability is computed, not written as recipes: it is an input.")
            return self._input(expr)
        if isinstance(expr, Nothing):
            self.notes.append(f"No sensor feeds “{words}” yet: it is never on.")
            return self.helper(f"{words} (no sensor feeds it yet)", "nothing")
        if not parts_of(expr):
            return self._input(expr)
        return self._operator(expr, words)

    def _input(self, expr: Expr) -> str:
        key = repr(expr)
        if key not in self.inputs:
            words = "an occupancy probability" if isinstance(expr, Belief) else leaf_words(self.project, expr)
            self.inputs[key] = Input(self.names.of(words, _ident(expr)), words, expr)
        return self.inputs[key].name

    def helper(self, words: str, ident: str) -> str:
        name = self.names.of(words, ident)
        self.helpers[name] = words
        return name

    def _operator(self, expr: Expr, words: str) -> str:
        if isinstance(expr, DoorLatch):
            return self._latch(expr, words)
        parts = [self.fact(part, f"{words}, part {k}") for k, part in enumerate(parts_of(expr), 1)]
        me = self.helper(words, "helper")
        if isinstance(expr, AnyOf | AllOf | AtLeast):
            k = 1 if isinstance(expr, AnyOf) else len(parts) if isinstance(expr, AllOf) else expr.k
            self._follows(me, parts, AtLeastOf(k, tuple(FactIs(p) for p in parts)))
        elif isinstance(expr, Not):
            self._follows(me, parts, NotOf(FactIs(parts[0])))
        elif isinstance(expr, Hold):
            self.hold(me, parts[0], expr.seconds)
        elif isinstance(expr, OnDelay):
            self.on_delay(me, parts[0], expr.seconds)
        elif isinstance(expr, MinimumOn) and expr.seconds == 0:
            self._follows(me, parts, FactIs(parts[0]))
        elif isinstance(expr, MinimumOn):
            timer = f"{me} timer"
            self._add(
                f"{me} starts",
                [FactChanges(parts[0], True)],
                FactIs(me, False),
                SetFact(me, True),
                StartTimer(timer, expr.seconds),
            )
            self._add(f"{me} may end", [FactChanges(parts[0], False)], TimerRuns(timer, False), SetFact(me, False))
            self._add(f"{me} ends", [TimerEnds(timer)], FactIs(parts[0], False), SetFact(me, False))
        elif isinstance(expr, StartKeep):
            self.start_keep(me, parts[0], parts[1])
        return me

    def _follows(self, me: str, parts: list[str], condition: Condition) -> None:
        """A stored state that is what a condition is, whenever any part of it changes."""
        when = [FactChanges(p) for p in parts]
        self._add(f"{me} on", when, condition, SetFact(me, True))
        self._add(f"{me} off", when, NotOf(condition), SetFact(me, False))

    def hold(self, me: str, part: str, seconds: float) -> None:
        """A stored state that lasts longer than its part."""
        if seconds == 0:
            self._follows(me, [part], FactIs(part))
            return
        timer = f"{me} timer"
        self._add(f"{me} on", [FactChanges(part, True)], None, StopTimer(timer), SetFact(me, True))
        self._add(f"{me} waits", [FactChanges(part, False)], None, StartTimer(timer, seconds))
        self._add(f"{me} off", [TimerEnds(timer)], FactIs(part, False), SetFact(me, False))

    def on_delay(self, me: str, part: str, seconds: float) -> None:
        """A stored state that begins later than its part."""
        if seconds == 0:
            self._follows(me, [part], FactIs(part))
            return
        timer = f"{me} timer"
        self._add(f"{me} waits", [FactChanges(part, True)], None, StartTimer(timer, seconds))
        self._add(f"{me} on", [TimerEnds(timer)], FactIs(part), SetFact(me, True))
        self._add(f"{me} off", [FactChanges(part, False)], None, StopTimer(timer), SetFact(me, False))

    def start_keep(self, me: str, start: str, keep: str) -> None:
        """A stored state that one fact starts and another keeps."""
        self._add(f"{me} on", [FactChanges(start, True)], None, SetFact(me, True))
        neither = AtLeastOf(2, (FactIs(start, False), FactIs(keep, False)))
        self._add(f"{me} off", [FactChanges(start, False), FactChanges(keep, False)], neither, SetFact(me, False))

    def _latch(self, expr: DoorLatch, words: str) -> str:
        motion, door = self.fact(expr.motion, f"{words}, motion"), self.fact(expr.door, f"{words}, door")
        shut = self.helper(f"{words}, shut", "shut")
        self._follows(shut, [door], NotOf(FactIs(door)))
        settled = self.helper(f"{words}, settled", "settled")
        self.on_delay(settled, shut, expr.settle_s)
        seen = self.helper(f"{words}, seen inside", "seen")
        self._follows(seen, [motion, settled], AtLeastOf(2, (FactIs(motion), FactIs(settled))))
        inside = self.helper(f"{words}, inside", "inside")
        self.start_keep(inside, seen, shut)
        either = self.helper(f"{words}, motion or inside", "either")
        self._follows(either, [motion, inside], AtLeastOf(1, (FactIs(motion), FactIs(inside))))
        me = self.helper(words, "latched")
        self.hold(me, either, expr.hold_s)
        return me

    def _add(self, name: str, when: list[Any], only_if: Condition | None, *then: Action) -> None:
        self.recipes.append(Recipe(name, tuple(when), only_if, then))


# Names typed into a controller: they stay as they are whatever a class is called here.
_IDENTS: dict[type, str] = {ConclusionRef: "named"}


def _ident(expr: Expr) -> str:
    kind = _IDENTS.get(type(expr), type(expr).__name__.lower())
    for name in ("zone", "sensor", "presence", "room"):
        value = getattr(expr, name, None)
        if value:
            return f"{value}.{kind}"
    return kind


def recipes_of(project: Project, room: str, convention: Convention | None = None) -> RecipeBook | None:
    """The recipes of a room's ladders with all that they follow; None where it has none."""
    ladders = ladders_in(project, room)
    if not ladders:
        return None
    w = _Writer(project, convention or project.brief.naming)
    lighting = presence_of(project, room)
    by_hand = lighting is not None and find(project.rooms, room).control == "absence"
    for p in _needed(project, room):
        w.concluded[p.id] = _conclusion(w, p)
    own = None if lighting is None else w.concluded[lighting.id]
    pressed = None
    if by_hand and lighting is not None and own is not None:
        pressed, own = _switched(w, own, press_hold(lighting.expr))
        w.concluded[lighting.id] = own
        # What depends on it hears of the hand too.
        for p in _needed(project, room):
            if p.id != lighting.id and lighting.id in {x.id for x in with_dependencies(project, p)}:
                w.concluded[p.id] = _conclusion(w, p)
    # A controller has one list of names for the whole house: rows of two rooms may be called alike.
    rows = [
        _Rows(x, tuple(w.fact(row.when, f"{_place(project, room, x)} {_called(x, k)}") for k, row in enumerate(x.rows)))
        for x in ladders
    ]
    names = {lamp.id: w.names.of(lamp.name, lamp.id) for x in ladders for lamp in x.lamps}
    buttons = _hands(w, project, room, rows, names, own)
    if pressed is not None:
        buttons[pressed] = "the wall switch"
    return RecipeBook(
        room, tuple(w.inputs.values()), buttons, dict(w.helpers), {v: k for k, v in names.items()},
        tuple(w.recipes), tuple(f for x in rows for f in x.facts), own, tuple(dict.fromkeys(w.notes)),
    )  # fmt: skip


class _Rows(NamedTuple):
    """A ladder, and the fact that stands for each of its rows."""

    ladder: Ladder
    facts: tuple[str, ...]


def _place(project: Project, room: str, ladder: Ladder) -> str:
    """What a ladder is of."""
    name = find(project.rooms, room).name
    return name if ladder.group is None else f"{name} {ladder.group.name}"


def _called(ladder: Ladder, k: int) -> str:
    return ladder.rows[k].name or f"row {k + 1}"


def output_recipes(project: Project, output: GuardedOutput, convention: Convention | None = None) -> RecipeBook | None:
    """The recipes of an output's own small ladder, its locks above its rows; None where it has no rows. What it keeps
    to besides (least run and rest, starts a day) is noted, to be set on what switches it."""
    if not output.rows:
        return None
    w = _Writer(project, convention or project.brief.naming)
    wanted = {p.id for row in (*(r.when for r in output.rows), *output.locks) for p in _named_by(project, row)}
    for p in evaluation_order(project).sound:
        if p.id in wanted:
            w.concluded[p.id] = _conclusion(w, p)
    mine = output.name
    locks = tuple(w.fact(lock, f"{mine} lock {k}") for k, lock in enumerate(output.locks, 1))
    rows = tuple(w.fact(row.when, f"{mine} {row.name or f'row {k}'}") for k, row in enumerate(output.rows, 1))
    name = w.names.of(output.name, output.id)
    changes = [FactChanges(f) for f in (*locks, *rows)]
    above: list[Condition] = []
    words = [
        *(f"{mine}: {x} locks it off" for x in locks),
        *(f"{mine}: {r.name or f'row {k}'} wins" for k, r in enumerate(output.rows, 1)),
    ]
    levels = [*(0.0 for _ in locks), *(r.level for r in output.rows)]
    for fact, called, level in zip((*locks, *rows), words, levels):
        w._add(called, changes, _only(FactIs(fact), above), SetLamp(name, level, 0.0))
        above.append(FactIs(fact, False))
    w._add(f"{mine}: no row applies", changes, _only(None, above), SetLamp(name, 0.0, 0.0))
    guards = [
        f"once on, it stays on for at least {duration_words(output.least_run_s)}" if output.least_run_s else "",
        f"once off, it stays off for at least {duration_words(output.least_rest_s)}" if output.least_rest_s else "",
        f"it starts at most {output.moves_a_day} times a day" if output.moves_a_day is not None else "",
    ]
    said = [g for g in guards if g]
    if said:
        w.notes.append(f"Set on the device that switches {output.name}: {'; '.join(said)}.")
    return RecipeBook(
        output.id, tuple(w.inputs.values()), {}, dict(w.helpers), {name: output.id}, tuple(w.recipes), rows, None,
        tuple(dict.fromkeys(w.notes)),
    )  # fmt: skip


def _named_by(project: Project, expr: Expr) -> Iterator[Conclusion]:
    """The conclusions that an expression names, themselves and through others."""
    for part in every_part(expr):
        if isinstance(part, ConclusionRef):
            yield from with_dependencies(project, find(project.presences, part.presence))


def _needed(project: Project, room: str) -> list[Conclusion]:
    """The conclusions that a room's rows follow, in order, and what lights it."""
    lighting = presence_of(project, room)
    wanted = set(ladder_conclusions(project, room))
    if lighting is not None:
        wanted |= {p.id for p in with_dependencies(project, lighting)}
    return [p for p in evaluation_order(project).sound if p.id in wanted]


def _conclusion(w: _Writer, p: Conclusion) -> str:
    """The fact of a conclusion, by its own name."""
    inner = w.fact(p.expr, p.name)
    if inner in w.helpers:
        return inner
    me = w.helper(p.name, p.id)
    w._follows(me, [inner], FactIs(inner))
    return me


def _switched(w: _Writer, own: str, hold_s: float) -> tuple[str, str]:
    """A press of the wall switch lights, until neither its device hold time nor presence lasts: the input that is on
    while it is pressed, and the fact."""
    pressed = w.names.of("wall switch pressed", "switch")
    held = w.helper("wall switch held", "switch-held")
    w.hold(held, pressed, hold_s)
    keep = w.helper("wall switch held or somebody there", "switch-keep")
    w._follows(keep, [own, held], AtLeastOf(1, (FactIs(own), FactIs(held))))
    lit = w.helper("manual on", "by-hand")
    w.start_keep(lit, pressed, keep)
    return pressed, lit


class _Hand(NamedTuple):
    """What a hand wants: everything off, what is just then, or a scene by its id, None for the brightest."""

    does: Literal["off", "leave", "scene"]
    scene: str | None = None


def _hands(
    w: _Writer, project: Project, room: str, rows: list[_Rows], lamps: dict[str, str], own: str | None
) -> dict[str, str]:
    """The rows of a room's ladders, with hands above all of them; the buttons by name."""
    buttons = {w.names.of(b.name, b.id): b for b in buttons_in(project, room)}
    hands: dict[str, _Hand] = {}
    clear: list[tuple[str, str]] = []
    for name, b in buttons.items():
        kinds = {"keeps it": _Hand("leave")} if b.does == "leave" else {}
        if b.does in ("toggle", "off"):
            kinds["off"] = _Hand("off")
        if b.does in ("toggle", "scene"):
            kinds["on" if b.does == "toggle" else "scene"] = _Hand("scene", b.scene)
        for kind, wanted in kinds.items():
            me = w.helper(f"{b.name} {kind}", f"{b.id}.{kind}")
            clear.append((me, name))
            hands[me] = wanted
    _presses(w, buttons, list(hands), clear, rows, lamps, own, project, room)
    for each in rows:
        _rows(w, _place(project, room, each.ladder), each, hands, lamps, scenes_in(project, room))
    return {name: b.id for name, b in buttons.items()}


def _rows(
    w: _Writer, place: str, rows: _Rows, hands: dict[str, _Hand], lamps: dict[str, str], scenes: tuple[Scene, ...]
) -> None:
    """What sets the lamps of one ladder: the hands above it, its rows, and that none of them holds."""
    ladder = rows.ladder
    table = scene_levels(ladder.lamps, ladder.scenes)

    def lights(goals: Any, fades: Any) -> tuple[Action, ...]:
        return tuple(SetLamp(lamps[x.id], float(g), float(f)) for x, g, f in zip(ladder.lamps, goals, fades))

    reach = {me: None if hand.does != "scene" else scene_for(ladder, scenes, hand.scene) for me, hand in hands.items()}
    # A scene that names none of its lamps is nothing to this ladder.
    mine = [me for me, hand in hands.items() if hand.does != "scene" or reach[me] is not None]
    changes = [FactChanges(h) for h in mine] + [FactChanges(f) for f in rows.facts]
    of = "" if ladder.group is None else f" in {ladder.group.name}"
    above: list[Condition] = []
    for me in mine:
        if hands[me].does != "leave":
            scene = reach[me]
            t = scene_levels(ladder.lamps, () if scene is None else (scene,))
            w._add(f"{me}: override wins{of}", changes, _only(FactIs(me), above), *lights(t.goals[0], t.fades[0]))
        above.append(FactIs(me, False))
    for k, fact in enumerate(rows.facts):
        words = f"{place}: {_called(ladder, k)} wins"
        w._add(words, changes, _only(FactIs(fact), above), *lights(table.goals[k], table.fades[k]))
        above.append(FactIs(fact, False))
    w._add(f"{place}: no row applies", changes, _only(None, above), *lights(table.goals[-1], table.fades[-1]))


def _only(mine: Condition | None, above: list[Condition]) -> Condition:
    """A condition, and that none above it holds."""
    every = (*above, mine) if mine is not None else tuple(above)
    return every[0] if len(every) == 1 else AtLeastOf(len(every), tuple(every))


def _presses(
    w: _Writer, buttons: dict[str, Any], every: list[str], clear: list[tuple[str, str]], rows: list[_Rows],
    lamps: dict[str, str], own: str | None, project: Project, room: str,
) -> None:  # fmt: skip
    """What a press sets and clears, and when that ends."""
    lighting = presence_of(project, room)
    hold_s = 0.0 if lighting is None else press_hold(lighting.expr)
    for name, b in buttons.items():
        my = [h for h, of in clear if of == name]
        timer = f"{name} timer"

        def press(words: str, only_if: Condition | None, wanted: str | None, n: str = name, b: Any = b) -> None:
            """One way a press may go: everything else is cleared first."""
            then: list[Action] = [SetFact(h, False) for h in every if h != wanted]
            then += [StopTimer(f"{other} timer") for other in buttons]
            if wanted is not None:
                then.append(SetFact(wanted, True))
                then += _until(n, b, hold_s)
            w.recipes.append(Recipe(f"{n}: {words}", (Presses(n),), only_if, tuple(then), n))

        active = [FactIs(h, False) for h in every]
        lit = AtLeastOf(1, tuple(Lit(name) for name in lamps.values()))
        if b.does == "toggle":
            off, on = my
            nothing = AtLeastOf(len(active), tuple(active)) if len(active) > 1 else active[0]
            by_ladder = AtLeastOf(1, tuple(way for x in rows for way in _rows_light(x)))
            press("switches off", lit, off)
            # In the dark a press ends what another pressed, where the ladder then lights; else it lights itself.
            press("releases it", AtLeastOf(3, (NotOf(lit), NotOf(nothing), by_ladder)), None)
            press("switches on", AtLeastOf(2, (NotOf(lit), NotOf(AtLeastOf(2, (NotOf(nothing), by_ladder))))), on)
        elif b.does == "leave":
            w.notes.append(f"{b.name} keeps the present light: the controller must hold its lamps at their levels.")
            press("releases it", FactIs(my[0]), None)
            press("keeps it", FactIs(my[0], False), my[0])
        else:
            press("recalls it", None, my[0])
        for h in my:
            if b.ends in ("minutes", "clock", "vacancy"):
                w._add(f"{h} ends", [TimerEnds(timer)], _vacant(b, own), SetFact(h, False))
        if b.ends == "vacancy" and own is not None:
            for h in my:
                w._add(
                    f"{h} ends when the room is empty", [FactChanges(own, False)],
                    AtLeastOf(2, (FactIs(h), TimerRuns(timer, False))), SetFact(h, False),
                )  # fmt: skip


def _until(name: str, b: Any, hold_s: float) -> list[Action]:
    timer = f"{name} timer"
    if b.ends == "minutes":
        return [StartTimer(timer, 60.0 * b.minutes)]
    if b.ends == "clock":
        return [StartUntil(timer, b.clock)]
    return [StartTimer(timer, hold_s)] if b.ends == "vacancy" else []


def _vacant(b: Any, own: str | None) -> Condition | None:
    return FactIs(own, False) if b.ends == "vacancy" and own is not None else None


def _rows_light(rows: _Rows) -> list[Condition]:
    """The ways in which a row of a ladder wins that gives any light."""
    bright = scene_levels(rows.ladder.lamps, rows.ladder.scenes).goals.max(axis=1) > 0
    return [
        _only(FactIs(fact), [FactIs(f, False) for f in rows.facts[:k]])
        for k, fact in enumerate(rows.facts)
        if bright[k]
    ]
