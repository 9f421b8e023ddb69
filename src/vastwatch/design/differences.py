"""What differs between two versions of a project, record by record, in words."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, Literal, NamedTuple

import msgspec

from vastwatch.design.project import COLLECTIONS, Project
from vastwatch.design.references import singular

# What a field is called where its own name would not say it.
_WORDS = {
    "at": "place", "a": "first end", "b": "second end", "expr": "conclusion for presence", "stays": "schedule",
    "z0": "underside", "z1": "top", "of": "parts", "host": "what it is attached to", "ambient_c": "air temperature",
    "rehearse_from": "start date", "outer_m": "outer walls", "inner_m": "inner walls",
    "underlay": "traced picture",
}  # fmt: skip
_WHOLE = ("name", "client", "notes", "place", "construction", "brief")
# Lists whose records are named by nobody, and are told as a record of the project is.
_ASIDE = {"variants": "variant", "diary": "note", "log_layouts": "layout of the log"}
Way = Literal["added", "changed", "gone"]


class RecordDifference(NamedTuple):
    """One record that is in only one of two versions, or differs: which kind of thing, its name, and, of a changed one,
    the fields in words."""

    way: Way
    kind: str
    name: str
    fields: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """`sensor PIR hall: yaw 90 → 120, place`, `room Store is new`, `lamp Desk is gone`."""
        what = f"{self.kind} {self.name}".strip()
        if self.way == "changed":
            return f"{what}: {', '.join(self.fields)}"
        return f"{what} is {'new' if self.way == 'added' else 'gone'}"


def differences(old: Project, new: Project) -> list[RecordDifference]:
    """What has to be done to `old` to have `new`: first what the project says of itself, then list by list in the order
    of the file, in each what is new, changed and gone."""
    out = []
    for name in _WHOLE:
        fields = _fields(getattr(old, name), getattr(new, name), name)
        if fields:
            out.append(RecordDifference("changed", "project", "", fields))
    for collection in (*COLLECTIONS, *_ASIDE):
        mine = {r.id: r for r in getattr(old, collection)}
        theirs = {r.id: r for r in getattr(new, collection)}
        kind = _ASIDE.get(collection) or singular(collection)
        out += [RecordDifference("added", kind, _name(r)) for i, r in theirs.items() if i not in mine]
        for ident, record in theirs.items():
            if ident in mine and (fields := _changed(mine[ident], record)):
                out.append(RecordDifference("changed", kind, _name(record), fields))
        out += [RecordDifference("gone", kind, _name(r)) for i, r in mine.items() if i not in theirs]
        if mine.keys() == theirs.keys() and list(mine) != list(theirs):
            out.append(RecordDifference("changed", "project", "", (f"the order of its {collection}",)))
    return out


def _name(record: Any) -> str:
    return str(getattr(record, "name", "") or getattr(record, "text", "") or record.id)


def _changed(old: Any, new: Any) -> tuple[str, ...]:
    """The fields in which two records of one id differ, in words."""
    if old is new:
        return ()
    if type(old) is not type(new):
        return ("it is a different object",)
    return tuple(
        words
        for name in new.__struct_fields__
        for words in _fields(getattr(old, name), getattr(new, name), _WORDS.get(name, name.replace("_", " ")))
    )


def _fields(old: Any, new: Any, name: str) -> tuple[str, ...]:
    if old is new or msgspec.to_builtins(old) == msgspec.to_builtins(new):
        return ()
    if isinstance(old, msgspec.Struct) and type(old) is type(new) and name in _WHOLE:
        return _changed(old, new)
    if isinstance(old, str | int | float) and isinstance(new, str | int | float) and len(f"{old}{new}") < 80:
        return (f"{name} {_figure(old)} → {_figure(new)}",)
    return (name,)


def _figure(value: str | float) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else str(value)


def differ_only_in(old: Project, new: Project, names: Collection[str]) -> bool:
    """Whether two values differ in nothing but some fields, compared by identity."""
    return all(getattr(old, x) is getattr(new, x) for x in new.__struct_fields__ if x not in names)
