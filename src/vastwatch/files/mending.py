"""What can be kept of a project that breaks the rules: unsaved work, above all, is opened as far as it goes.

Nothing here is for files that somebody opens: those are refused with the place of the first breach. A record that does
not fit, or that a breach names, is left out, with what cannot be without it, and told by name.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

import msgspec
from msgspec.structs import replace

from vastwatch.design.project import ASIDE, COLLECTIONS, Project
from vastwatch.design.references import missing_names, settled, singular, without
from vastwatch.files.check import ProjectError, faults_of
from vastwatch.files.validation import in_names

# After so many breaches a project is beyond mending.
_MOST = 1000


class Mended(NamedTuple):
    """A sound project, and what of it was left out, each in a sentence."""

    project: Project
    left_out: tuple[str, ...]


def mended(document: dict[str, Any]) -> Mended:
    """What can be kept of the plain values of a file of the present version. Raises ProjectError for what cannot be
    kept at all."""
    left_out: list[str] = []
    kept: dict[str, Any] = {}
    for field in msgspec.structs.fields(Project):
        if field.name not in document:
            continue
        value = document[field.name]
        if isinstance(value, list) and field.name in (*COLLECTIONS, *ASIDE):
            kept[field.name] = _those_that_fit(field, value, left_out)
            continue
        try:
            kept[field.name] = msgspec.convert(value, field.type)
        except msgspec.ValidationError as e:
            left_out.append(f"the {field.name} cannot be read ({_reason(e)})")
    kept.setdefault("name", "Recovered project")
    project = Project(**kept)
    for _ in range(_MOST):
        project = _without_missing(project)
        fault = next(faults_of(project), None)
        if fault is None:
            return Mended(project, tuple(left_out))
        left_out.append(in_names(project, fault))
        project = _without_breach(project, fault)
    raise ProjectError("too much of this project is damaged")


def _those_that_fit(field: Any, records: list[Any], left_out: list[str]) -> tuple[Any, ...]:
    out = []
    for i, record in enumerate(records):
        try:
            # A list of one, so that what a list may hold is not said again here.
            out += msgspec.convert([record], field.type)
        except msgspec.ValidationError as e:
            name = record.get("name", record.get("id", i + 1)) if isinstance(record, dict) else i + 1
            left_out.append(f"the {singular(field.name)} “{name}” cannot be read ({_reason(e)})")
    return tuple(out)


def _reason(e: msgspec.ValidationError) -> str:
    what, _, where = str(e).partition(" - at ")
    path = re.sub(r"^\$(\[0\])?\.?", "", where.strip("`"))
    return f"{path}: {what[:1].lower() + what[1:]}" if path else what[:1].lower() + what[1:]


def _without_missing(project: Project) -> Project:
    while missing := {ident for _, ident in missing_names(project)}:
        project = without(project, missing)
    return settled(project)


def _without_breach(project: Project, fault: str) -> Project:
    """The project without the record that a breach is about; without what a part of the brief says where it is about
    that. Raises ProjectError where it is about none."""
    m = re.match(r"(\w+)\[(\d+)\]", fault)
    if m is not None and m[1] in (*COLLECTIONS, *ASIDE):
        records = getattr(project, m[1])
        if int(m[2]) < len(records):
            return replace(project, **{m[1]: (*records[: int(m[2])], *records[int(m[2]) + 1 :])})
    m = re.match(r"(\w+)(?:\.(\w+))?", fault)
    fresh = Project(name="")
    if m is not None and m[1] in COLLECTIONS + ASIDE:
        return replace(project, **{m[1]: getattr(project, m[1])[:-1]})
    if m is not None and hasattr(fresh, m[1]):
        whole, plain = getattr(project, m[1]), getattr(fresh, m[1])
        part = m[2] if m[2] in getattr(plain, "__struct_fields__", ()) else None
        if part is not None and getattr(whole, part) != getattr(plain, part):
            return replace(project, **{m[1]: replace(whole, **{part: getattr(plain, part)})})
        return replace(project, **{m[1]: plain})
    raise ProjectError(fault)
