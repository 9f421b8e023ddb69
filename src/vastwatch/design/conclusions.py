"""Conclusions that name each other: in which order they follow, which go in a circle, what each reads in the end."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from vastwatch.design.expressions import ConclusionRef, Expr, Fact, every_part
from vastwatch.design.project import Project, indexed
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import sensors_of
from vastwatch.memo import memoised


class EvaluationOrder(NamedTuple):
    """Conclusions after all that they name, and the circles of those that wait for themselves, each from its first in
    the file on; what only names one of a circle is in the order, and hears nothing of it."""

    sound: tuple[Conclusion, ...]
    circles: tuple[tuple[Conclusion, ...], ...]


def references_in(expr: Expr) -> Iterator[str]:
    """The ids of the conclusions an expression names, left to right."""
    return (part.presence for part in every_part(expr) if isinstance(part, ConclusionRef))


def evaluation_order(project: Project) -> EvaluationOrder:
    """In which order a project's conclusions follow from each other."""
    return indexed(project.presences, _ordered)


def _ordered(presences: tuple[Conclusion, ...]) -> EvaluationOrder:
    by_id = {p.id: p for p in presences}
    names = {p.id: [n for n in dict.fromkeys(references_in(p.expr)) if n in by_id] for p in presences}
    sound: list[Conclusion] = []
    circles: list[tuple[Conclusion, ...]] = []
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
    return EvaluationOrder(tuple(p for p in sound if p.id not in circling), tuple(circles))


def with_dependencies(project: Project, presence: Conclusion) -> tuple[Conclusion, ...]:
    """All that a conclusion follows from, in order, itself last; alone where it stands in a circle."""
    ordered = evaluation_order(project).sound
    wanted = {presence.id}
    for p in reversed(ordered):
        if p.id in wanted:
            wanted.update(references_in(p.expr))
    return (*(p for p in ordered if p.id in wanted and p.id != presence.id), presence)


def all_sensors_of(project: Project, presence: Conclusion) -> tuple[str, ...]:
    """The sensors that a conclusion reads, itself and through those it names, each once."""
    every = (s for p in reversed(with_dependencies(project, presence)) for s in sensors_of(p))
    return tuple(dict.fromkeys(every))


def allowed_references(project: Project, presence: Conclusion) -> list[Conclusion]:
    """The conclusions that one could name without going in a circle."""
    return [p for p in project.presences if presence.id not in {x.id for x in with_dependencies(project, p)}]


def expressions(project: Project) -> Iterator[Expr]:
    """Every expression of a project: what conclusions say, when rows of ladders win, when outputs run, and never."""
    yield from (p.expr for p in project.presences)
    yield from (rule.when for rule in project.rules)
    yield from (row.when for output in project.outputs for row in output.rows)
    yield from (lock for output in project.outputs for lock in output.locks)


@memoised
def all_facts_read(project: Project) -> tuple[tuple[str, str], ...]:
    """What all expressions of a project ask of what the controller knows besides, each once and in order."""
    return tuple(sorted({fact for expr in expressions(project) for fact in facts_read(expr)}))


def facts_read(expr: Expr) -> Iterator[tuple[str, str]]:
    """What an expression asks of what the controller knows besides: what it is, and of which room."""
    return ((part.what, part.room) for part in every_part(expr) if isinstance(part, Fact))
