"""A conclusion as the sentence it is read as: words, parts and figures, each with its path."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

from vastwatch.design.day_time import day_time_words
from vastwatch.design.edits.expressions import Path, part_at
from vastwatch.design.expressions import (
    AllOf,
    AnyOf,
    AtLeast,
    Belief,
    ClockTime,
    ConclusionRef,
    Dark,
    DoorLatch,
    Expr,
    Fact,
    Hold,
    MinimumOn,
    Not,
    Nothing,
    OnDelay,
    Report,
    StartKeep,
)
from vastwatch.design.project import Project, find, find_any
from vastwatch.words import duration_words

# How what the controller knows besides is said.
FACTS = {"film": "film playing", "paused": "film paused", "call": "somebody on a call"}
# How days are said.
DAYS = {"every": "", "workday": " on workdays", "free": " on days off"}


class Piece(NamedTuple):
    """Some words of the sentence; a part that stands at a path; or a figure of the part there, by its field. `line`
    says that a new line begins with it."""

    text: str
    path: Path = ()
    kind: Literal["words", "part", "figure"] = "words"
    field: str = ""
    line: bool = False


def sentence(project: Project, expr: Expr) -> list[Piece]:
    """What an expression says, piece by piece; read one after the other they are a sentence."""
    if isinstance(expr, Nothing):
        return [Piece("Never on:"), Piece("no sensor", (), "part"), Piece("feeds it yet")]
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        return [
            Piece("On when"), *_said(project, expr.start, (0,)),
            Piece("stays on while", line=True), *_said(project, expr.keep.of, (1, 0)),
            *_off(expr.keep.seconds, (1,)),
        ]  # fmt: skip
    if isinstance(expr, Hold):
        return [Piece("On while"), *_said(project, expr.of, (0,)), *_off(expr.seconds, ())]
    if isinstance(expr, StartKeep):
        return [
            Piece("On when"), *_said(project, expr.start, (0,)),
            Piece("stays on while", line=True), *_said(project, expr.keep, (1,)),
        ]  # fmt: skip
    return [Piece("On while"), *_said(project, expr, ())]


def _off(seconds: float, path: Path) -> Iterator[Piece]:
    yield Piece("off", line=True)
    yield Piece(duration_words(seconds), path, "figure", "seconds")
    yield Piece("after")


def _said(project: Project, expr: Expr, path: Path) -> Iterator[Piece]:
    """The pieces of a part."""
    if isinstance(expr, AnyOf | AllOf):
        word = "or" if isinstance(expr, AnyOf) else "and"
        for k, part in enumerate(expr.of):
            if k:
                yield Piece(word, path, "figure", "list")
            yield from _within(project, part, (*path, k))
    elif isinstance(expr, AtLeast):
        yield Piece("at least")
        yield Piece(f"{expr.k} of", path, "figure", "k")
        for k, part in enumerate(expr.of):
            if k:
                yield Piece(",")
            yield from _within(project, part, (*path, k))
    elif isinstance(expr, Not):
        yield Piece("not")
        yield from _within(project, expr.of, (*path, 0))
    elif isinstance(expr, Hold):
        yield from _within(project, expr.of, (*path, 0))
        yield Piece("and")
        yield Piece(duration_words(expr.seconds), path, "figure", "seconds")
        yield Piece("after")
    elif isinstance(expr, OnDelay):
        yield from _within(project, expr.of, (*path, 0))
        yield Piece("for longer than")
        yield Piece(duration_words(expr.seconds), path, "figure", "seconds")
    elif isinstance(expr, MinimumOn):
        yield from _within(project, expr.of, (*path, 0))
        yield Piece("at least for")
        yield Piece(duration_words(expr.seconds), path, "figure", "seconds")
    elif isinstance(expr, StartKeep):
        yield Piece("from")
        yield from _within(project, expr.start, (*path, 0))
        yield Piece("on, as long as")
        yield from _within(project, expr.keep, (*path, 1))
    elif isinstance(expr, DoorLatch):
        yield from _within(project, expr.motion, (*path, 0))
        yield Piece("inside and", line=bool(path))
        yield from _within(project, expr.door, (*path, 1))
        yield Piece("shut since")
        yield Piece(duration_words(expr.settle_s), path, "figure", "settle_s")
        yield Piece("until it opens; else", line=True)
        yield Piece(duration_words(expr.hold_s), path, "figure", "hold_s")
        yield Piece("after motion")
    elif isinstance(expr, Belief):
        yield Piece("probably occupied, by")
        for k, part in enumerate(expr.of):
            if k:
                yield Piece(",")
            yield from _within(project, part, (*path, k))
        yield Piece("above", line=True)
        yield Piece(f"{100 * expr.on_above:.0f} %", path, "figure", "on_above")
        yield Piece("until below")
        yield Piece(f"{100 * expr.off_below:.0f} %", path, "figure", "off_below")
    else:
        yield Piece(leaf_words(project, expr), path, "part")


def _within(project: Project, part: Expr, path: Path) -> Iterator[Piece]:
    """A part among others, in brackets where it is made of several itself."""
    nested = isinstance(part, AnyOf | AllOf | AtLeast | StartKeep | DoorLatch | Belief)
    if nested:
        yield Piece("(", path, "part")
    yield from (p._replace(line=False) for p in _said(project, part, path))
    if nested:
        yield Piece(")")


def leaf_words(project: Project, expr: Expr) -> str:
    """A part that is not made of others, as one names it."""
    if isinstance(expr, Report):
        if expr.zone is not None:
            return _name(project, expr.zone)
        name = _name(project, expr.sensor)
        return name if expr.state is None else f"{name}, {expr.state}"
    if isinstance(expr, ConclusionRef):
        return f"“{_name(project, expr.presence)}”"
    if isinstance(expr, ClockTime):
        days = DAYS.get(expr.days, f" on {expr.days}s")
        return f"{day_time_words(expr.begin)} to {day_time_words(expr.end)}{days}"
    if isinstance(expr, Dark):
        room = find(project.rooms, expr.room).name.lower()
        if expr.below_lux is None:
            return f"dark in {room}"
        until = "" if expr.until_lux is None else f" until {expr.until_lux:g} lux"
        return f"below {expr.below_lux:g} lux{until} in {room}"
    if isinstance(expr, Nothing):
        return "nothing yet"
    assert isinstance(expr, Fact)
    return f"{FACTS[expr.what]} in {find(project.rooms, expr.room).name.lower()}"


def _name(project: Project, ident: str) -> str:
    found = find_any(project, ident)
    return ident if found is None else found[1].name


def in_words(project: Project, expr: Expr) -> str:
    """The sentence as one line of text."""
    return _spaced("".join((", " if p.line else " ") + p.text for p in sentence(project, expr)).strip()) + "."


def condition_words(project: Project, expr: Expr) -> str:
    """A condition as part of a sentence: what holds while it does."""
    return _spaced(" ".join(p.text for p in _said(project, expr, ())))


def part_words(project: Project, expr: Expr, path: Path) -> str:
    """What a part says, in full."""
    return _spaced(" ".join(p.text for p in _said(project, part_at(expr, path), path)))


def lane_words(project: Project, expr: Expr, path: Path) -> str:
    """What a part is called at its lane in the ribbon: a leaf by itself, an operator by what it does."""
    part = part_at(expr, path)
    role = ""
    if path:
        outer = part_at(expr, path[:-1])
        if isinstance(outer, StartKeep):
            role = ("on when ", "stays on while ")[path[-1]]
        elif isinstance(outer, DoorLatch):
            role = ("moves: ", "door: ")[path[-1]]
    if isinstance(part, AnyOf):
        return f"{role}any of"
    if isinstance(part, AllOf):
        return f"{role}all of"
    if isinstance(part, AtLeast):
        return f"{role}at least {part.k} of"
    if isinstance(part, Not):
        return f"{role}not"
    if isinstance(part, Hold):
        return f"{role}hold time {duration_words(part.seconds)}"
    if isinstance(part, OnDelay):
        return f"{role}longer than {duration_words(part.seconds)}"
    if isinstance(part, MinimumOn):
        return f"{role}at least {duration_words(part.seconds)}"
    if isinstance(part, StartKeep):
        return f"{role}on and kept on"
    if isinstance(part, DoorLatch):
        return f"{role}latched"
    if isinstance(part, Belief):
        return f"{role}probably occupied"
    return role + leaf_words(project, part)


def _spaced(text: str) -> str:
    return text.replace(" ,", ",").replace("( ", "(").replace(" )", ")")


def about_words(project: Project, room: str | None, level: str | None, zone: str | None) -> str:
    """What a conclusion is about."""
    if zone is not None:
        return _name(project, zone)
    if room is not None:
        return _name(project, room)
    return "the building" if level is None else _name(project, level)
