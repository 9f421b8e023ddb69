"""Editing the rows of an output that is no lamp: its own small ladder."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from vastwatch.design.expressions import Expr
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import GuardedOutput, OutputRow


def output_of(project: Project, ident: str) -> GuardedOutput:
    """An output by its id. Raises KeyError for what is none."""
    found: GuardedOutput = find(project.outputs, ident)
    return found


def add_output_row(project: Project, ident: str, name: str, when: Expr, level: float = 1.0) -> Project:
    """Another row of an output, the last."""
    output = output_of(project, ident)
    return put(
        project, replace(output, rows=(*output.rows, OutputRow(name=name, when=when, level=min(max(level, 0.0), 1.0))))
    )


def set_output_row(project: Project, ident: str, k: int, **changes: Any) -> Project:
    """A row of an output, by its number, with another name, condition or level. Raises IndexError for none."""
    output = output_of(project, ident)
    new = replace(output.rows[k], **changes)
    return put(project, replace(output, rows=(*output.rows[:k], new, *output.rows[k + 1 :])))


def move_output_row(project: Project, ident: str, k: int, at: int) -> Project:
    """A row of an output at another place; what is beyond either end is the end."""
    output = output_of(project, ident)
    others = [*output.rows[:k], *output.rows[k + 1 :]]
    others.insert(min(max(at, 0), len(others)), output.rows[k])
    if others == list(output.rows):
        return project
    return put(project, replace(output, rows=tuple(others)))


def set_locks(project: Project, ident: str, locks: tuple[Expr, ...]) -> Project:
    """An output that never runs while any of some conditions holds."""
    return put(project, replace(output_of(project, ident), locks=locks))


def remove_output_row(project: Project, ident: str, k: int) -> Project:
    """An output without one of its rows."""
    output = output_of(project, ident)
    return put(project, replace(output, rows=(*output.rows[:k], *output.rows[k + 1 :])))
