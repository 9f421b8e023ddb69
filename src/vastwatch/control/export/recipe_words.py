"""Recipes told: in plain words for anybody who types them in, as plain values for JSON, as rows for a table."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from vastwatch.control.export.recipe_parts import (
    Action,
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
    Trigger,
)
from vastwatch.control.manual.override import ends_words
from vastwatch.design.project import Project
from vastwatch.design.relations import buttons_in
from vastwatch.words import duration_words


def in_words(book: RecipeBook) -> list[str]:
    """The recipes as lines for anybody who types them in."""
    out = ["Inputs:"]
    out += [f"  {i.name}: {i.words}" for i in book.inputs] or ["  none"]
    out += [f"  {name}: a button" for name in book.buttons]
    if book.helpers:
        out.append("Stored states, on or off:")
        out += [f"  {name}" for name in book.helpers]
    out.append("Recipes, in this order:")
    for n, r in enumerate(book.recipes, 1):
        out.append(f"  {n}. {r.name}")
        again = n > 1 and r.choice is not None and book.recipes[n - 2].choice == r.choice
        out.append(f"     {'else ' if again else ''}when {', or '.join(_trigger(t) for t in r.when)}")
        if r.only_if is not None:
            out.append(f"     only if {condition_in_words(r.only_if)}")
        out.append(f"     then {'; '.join(_action(a) for a in r.then)}")
    return out + [f"Add a note: {words}" for words in book.notes]


def _trigger(t: Trigger) -> str:
    if isinstance(t, FactChanges):
        return f"{t.fact} {'changes' if t.on is None else 'turns on' if t.on else 'turns off'}"
    return f"{t.timer} runs out" if isinstance(t, TimerEnds) else f"{t.button} is pressed"


def condition_in_words(c: Condition, inner: bool = False) -> str:
    """A condition in plain words; in brackets where it stands within another."""
    if isinstance(c, FactIs):
        return f"{c.fact} is {'on' if c.on else 'off'}"
    if isinstance(c, TimerRuns):
        return f"{c.timer} {'runs' if c.on else 'does not run'}"
    if isinstance(c, Lit):
        return f"{c.lamp} is lit"
    if isinstance(c, NotOf):
        return f"not ({condition_in_words(c.of)})"
    if not c.of:
        return "never"
    if len(c.of) == 1:
        return condition_in_words(c.of[0], inner)
    parts = [condition_in_words(x, True) for x in c.of]
    if c.k == len(parts):
        said = " and ".join(parts)
    elif c.k == 1:
        said = " or ".join(parts)
    else:
        said = f"at least {c.k} of: {', '.join(parts)}"
    return f"({said})" if inner else said


def _action(a: Action) -> str:
    if isinstance(a, SetFact):
        return f"{a.fact} {'on' if a.on else 'off'}"
    if isinstance(a, StartTimer):
        return f"start {a.timer} for {duration_words(a.seconds)}"
    if isinstance(a, StartUntil):
        return f"start {a.timer} until {a.clock}"
    if isinstance(a, StopTimer):
        return f"stop {a.timer}"
    return f"{a.lamp} to {100 * a.level:.0f} %" + (f" within {a.fade_s:g} s" if a.fade_s else "")


def as_plain(book: RecipeBook) -> dict[str, Any]:
    """The recipes as plain values for JSON."""
    return {
        "inputs": [{"name": i.name, "what": i.words} for i in book.inputs],
        "buttons": [{"name": name, "id": ident} for name, ident in book.buttons.items()],
        "helpers": list(book.helpers),
        "lamps": [{"name": name, "id": ident} for name, ident in book.lamps.items()],
        "recipes": [
            {
                "name": r.name,
                "when": [_plain(t) for t in r.when],
                "only_if": None if r.only_if is None else _plain(r.only_if),
                "then": [_plain(a) for a in r.then],
                "choice": r.choice,
            }
            for r in book.recipes
        ],
        "notes": list(book.notes),
    }


# How each part of a recipe is called in JSON.
_KINDS: dict[type, str] = {
    FactChanges: "becomes", TimerEnds: "timer ends", Presses: "pressed", FactIs: "is", TimerRuns: "timer runs",
    Lit: "lit",
    AtLeastOf: "at least", NotOf: "not", SetFact: "set", StartTimer: "start timer", StartUntil: "start timer until",
    StopTimer: "stop timer", SetLamp: "light",
}  # fmt: skip


def _plain(part: Any) -> dict[str, Any]:
    out: dict[str, Any] = {"kind": _KINDS[type(part)]}
    for name in part.__dataclass_fields__:
        value = getattr(part, name)
        if isinstance(value, tuple):
            value = [_plain(x) for x in value]
        elif type(value) in _KINDS:
            value = _plain(value)
        out[name] = value
    return out


def as_rows(book: RecipeBook) -> Iterator[list[str]]:
    """The recipes as rows for a table: number, name, when, only if, then."""
    yield ["number", "recipe", "when", "only if", "then"]
    for n, r in enumerate(book.recipes, 1):
        only = "" if r.only_if is None else condition_in_words(r.only_if)
        yield [str(n), r.name, ", or ".join(map(_trigger, r.when)), only, "; ".join(map(_action, r.then))]


def book_rows(books: Mapping[str, RecipeBook]) -> list[list[str]]:
    """The recipes of several books, by the id of what each is of, as rows of one table."""
    out: list[list[str]] = []
    for of, book in books.items():
        heading, *rows = as_rows(book)
        out += [*([] if out else [["of", *heading]]), *([of, *row] for row in rows)]
    return out


def button_words(project: Project, room: str) -> list[str]:
    """What each button of a room does, and until when."""
    does = {"toggle": "off or on", "off": "off", "scene": "its scene", "leave": "keeps the current light"}
    return [f"{b.name}: {does[b.does]}, {ends_words(b)}" for b in buttons_in(project, room)]
