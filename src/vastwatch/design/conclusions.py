"""Conclusions that name each other: in which order they follow, which go in a circle, what each reads in the end."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from vastwatch.design.expressions import Expr, Fact, Named, every_part
from vastwatch.design.project import Project, indexed
from vastwatch.design.records import Presence
from vastwatch.design.relations import sensors_of
from vastwatch.memo import memoised


class Order(NamedTuple):
    """Conclusions after all that they name, and the circles of those that wait for themselves, each from its first in
    the file on; what only names one of a circle is in the order, and hears nothing of it."""

    sound: tuple[Presence, ...]
    circles: tuple[tuple[Presence, ...], ...]


def named_in(expr: Expr) -> Iterator[str]:
    """The ids of the conclusions an expression names, left to right."""
    return (part.presence for part in every_part(expr) if isinstance(part, Named))


def order(project: Project) -> Order:
    """In which order a project's conclusions follow from each other."""
    return indexed(project.presences, _ordered)


def _ordered(presences: tuple[Presence, ...]) -> Order:
    by_id = {p.id: p for p in presences}
    names = {p.id: [n for n in dict.fromkeys(named_in(p.expr)) if n in by_id] for p in presences}
    sound: list[Presence] = []
    circles: list[tuple[Presence, ...]] = []
    done: set[str] = set()
    circling: set[str] = set()

    def visit(ident: str) -> None:
        # Depth first, with the path so far, and without recursion: a chain may be as long as the list.
        path: list[str] = [ident]
        waiting = [iter(names[ident])]
        on_path = {ident}
        while path:
            nxt = next(waiting[-1], None)
            if nxt is None:
                waiting.pop()
                last = path.pop()
                on_path.discard(last)
                done.add(last)
                sound.append(by_id[last])
            elif nxt in on_path:
                circle = path[path.index(nxt) :]
                first = min(range(len(circle)), key=lambda k: places[circle[k]])
                circle = circle[first:] + circle[:first]
                if not circling.issuperset(circle):
                    circles.append(tuple(by_id[i] for i in circle))
                    circling.update(circle)
            elif nxt not in done:
                path.append(nxt)
                on_path.add(nxt)
                waiting.append(iter(names[nxt]))

    places = {p.id: k for k, p in enumerate(presences)}
    for p in presences:
        if p.id not in done:
            visit(p.id)
    return Order(tuple(p for p in sound if p.id not in circling), tuple(circles))


def with_named(project: Project, presence: Presence) -> tuple[Presence, ...]:
    """All that a conclusion follows from, in order, itself last; alone where it stands in a circle."""
    ordered = order(project).sound
    wanted = {presence.id}
    for p in reversed(ordered):
        if p.id in wanted:
            wanted.update(named_in(p.expr))
    return (*(p for p in ordered if p.id in wanted and p.id != presence.id), presence)


def sensors_behind(project: Project, presence: Presence) -> tuple[str, ...]:
    """The sensors that a conclusion reads, itself and through those it names, each once."""
    every = (s for p in reversed(with_named(project, presence)) for s in sensors_of(p))
    return tuple(dict.fromkeys(every))


def could_name(project: Project, presence: Presence) -> list[Presence]:
    """The conclusions that one could name without going in a circle."""
    return [p for p in project.presences if presence.id not in {x.id for x in with_named(project, p)}]


def expressions(project: Project) -> Iterator[Expr]:
    """Every expression of a project: what conclusions say, when rows of ladders win, when outputs run, and never."""
    yield from (p.expr for p in project.presences)
    yield from (rule.when for rule in project.rules)
    yield from (row.when for output in project.outputs for row in output.rows)
    yield from (lock for output in project.outputs for lock in output.locks)


@memoised
def all_facts_asked(project: Project) -> tuple[tuple[str, str], ...]:
    """What all expressions of a project ask of what the house knows besides, each once and in order."""
    return tuple(sorted({fact for expr in expressions(project) for fact in facts_asked(expr)}))


def facts_asked(expr: Expr) -> Iterator[tuple[str, str]]:
    """What an expression asks of what the house knows besides: what it is, and of which room."""
    return ((part.what, part.room) for part in every_part(expr) if isinstance(part, Fact))
