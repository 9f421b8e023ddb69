"""`Shown`: how a field of a record is set by hand, said once, where the field is declared.

Forms, the sheet of a device type and whatever else lets somebody set a field read it from here, so that it is called
the same, in the same unit and between the same bounds, wherever it stands.
"""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal, get_args, get_origin, get_type_hints

import msgspec


@dataclass(frozen=True)
class Shown:
    """Declares, within Annotated, what a field is called, in which `unit` it is read (see `desk.shell.editing`), why
    one would set it, by what it steps, and between which bounds it is set where these are narrower than what a file
    may hold. `options`: words for the values of a Literal, in their order, or for no and yes."""

    words: str
    unit: str = ""
    why: str = ""
    step: float = 1.0
    low: float | None = None
    high: float | None = None
    options: tuple[str, ...] = ()


@dataclass(frozen=True)
class Field:
    """A field as a form needs it: what is `shown`, its bounds, and the values it takes where they are few."""

    name: str
    shown: Shown
    low: float
    high: float
    values: tuple[object, ...]

    def otherwise(self, **changes: Any) -> Field:
        """The same field with other words or bounds, where they depend on what is edited."""
        bounds = {name: changes.pop(name) for name in ("low", "high") if name in changes}
        return dataclasses.replace(self, shown=dataclasses.replace(self.shown, **changes), **bounds)


@cache
def field_of(kind: type, name: str) -> Field:
    """A field of a class of records. Raises KeyError where it is not to be set by hand."""
    hint = get_type_hints(kind, include_extras=True)[name]
    shown = next((m for m in _said(hint) if isinstance(m, Shown)), None)
    if shown is None:
        raise KeyError(f"{kind.__name__}.{name} does not say how it is shown")
    low, high = -1e9, 1e9
    for meta in _said(hint):
        if isinstance(meta, msgspec.Meta):
            low = next((float(b) for b in (meta.ge, meta.gt) if b is not None), low)
            high = next((float(b) for b in (meta.le, meta.lt) if b is not None), high)
    values = _values(hint)
    return Field(
        name, shown, low if shown.low is None else shown.low, high if shown.high is None else shown.high, values
    )


def words_of(kind: type, dotted: str) -> tuple[str, str]:
    """What a field within a class of records is called, and its unit; `dotted` names a field of a field."""
    first, _, rest = dotted.partition(".")
    if rest:
        hint = get_type_hints(kind, include_extras=True)[first]
        inner = next(part for part in (hint, *get_args(hint)) if isinstance(part, type))
        return words_of(inner, rest)
    shown = field_of(kind, first).shown
    return shown.words, shown.unit


def shown_fields(kind: type) -> tuple[str, ...]:
    """The fields of a class of records that are set by hand, in their order."""
    hints = get_type_hints(kind, include_extras=True)
    return tuple(name for name, hint in hints.items() if any(isinstance(m, Shown) for m in _said(hint)))


def _said(hint: Any) -> tuple[Any, ...]:
    """What is declared of a field, also of the one kind of value that it has besides None."""
    if get_origin(hint) is Literal:
        return ()
    own: tuple[Any, ...] = getattr(hint, "__metadata__", ())
    return own + tuple(m for part in get_args(hint) for m in _said(part))


def _values(hint: Any) -> tuple[object, ...]:
    if get_origin(hint) is Annotated:
        hint = get_args(hint)[0]
    if hint is bool:
        return (False, True)
    parts = (hint, *get_args(hint))
    return next((get_args(part) for part in parts if get_origin(part) is Literal), ())
