"""Who names whom: everything that follows from the `Ref` declarations of the records.

The file check, what a deletion takes along, copies with new ids, renaming, and "what uses this" all come from here, so
that a new field that names a record is declared once, where it stands, and nowhere remembered.
"""

from __future__ import annotations

import types
import typing
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from functools import cache
from typing import Annotated, Any, NamedTuple, get_args, get_origin

import msgspec
from msgspec.structs import replace

from vastwatch.design.expressions import AllOf, AtLeast, DoorLatch, Hold, Nothing, StartKeep, tells
from vastwatch.design.project import COLLECTIONS, Project, find, indexed
from vastwatch.design.records import Conclusion, LadderRow, OutputRow
from vastwatch.site.record import Apart, Ref


class Reference(NamedTuple):
    """One record's naming of another: where in the record, as what, and whom."""

    path: str
    ref: Ref
    ident: str


class _Field(NamedTuple):
    """What a field holds: a `Ref`, records, or lists of either."""

    name: str
    ref: Ref | None
    many: bool


def _unwrapped(hint: Any) -> tuple[Ref | None, bool, bool]:
    """The Ref a hint declares, whether it is a list of them, and whether it holds records."""
    origin = get_origin(hint)
    if origin is Annotated:
        base, *notes = get_args(hint)
        if any(isinstance(n, Apart) for n in notes):
            return None, False, False
        ref = next((n for n in notes if isinstance(n, Ref)), None)
        return (ref, False, False) if ref is not None else _unwrapped(base)
    if origin is tuple:
        ref, _, records = _unwrapped(get_args(hint)[0])
        return ref, True, records
    if origin in (types.UnionType, typing.Union):
        found = [_unwrapped(part) for part in get_args(hint) if part is not types.NoneType]
        ref = next((r for r, _, _ in found if r is not None), None)
        return ref, any(many for _, many, _ in found), any(records for _, _, records in found)
    if isinstance(hint, type) and issubclass(hint, msgspec.Struct):
        return None, False, True
    return None, False, False


def _kind(record: Any) -> Any:
    return type(record)


@cache
def _fields(kind: Any) -> tuple[_Field, ...]:
    """The fields of a kind of record that name records, or hold what may."""
    out = []
    for name, hint in typing.get_type_hints(kind, include_extras=True).items():
        if name not in kind.__struct_fields__:
            continue
        ref, many, records = _unwrapped(hint)
        if ref is not None or records:
            out.append(_Field(name, ref, many))
    return tuple(out)


def references(record: Any) -> Iterator[Reference]:
    """Whom a record names, in itself and in what it holds."""
    return _references(record, "")


def _references(record: Any, prefix: str) -> Iterator[Reference]:
    for field in _fields(_kind(record)):
        value = getattr(record, field.name)
        if value is None:
            continue
        for i, part in enumerate(value if field.many else (value,)):
            path = f"{prefix}{field.name}[{i}]" if field.many else f"{prefix}{field.name}"
            if field.ref is not None:
                yield Reference(path, field.ref, part)
            else:
                yield from _references(part, f"{path}.")


def all_references(project: Project) -> Iterator[Reference]:
    """Every naming in a project, by its path from the top."""
    for field in _fields(Project):
        value = getattr(project, field.name)
        if not field.many:
            yield from _references(value, f"{field.name}.")
            continue
        for i, found in enumerate(indexed(value, _named_by)):
            for path, ref, ident in found:
                yield Reference(f"{field.name}[{i}].{path}", ref, ident)


def _named_by(records: tuple[Any, ...]) -> tuple[tuple[Reference, ...], ...]:
    """Whom each of some records names."""
    return tuple(tuple(_references(record, "")) for record in records)


def named(records: tuple[Any, ...]) -> frozenset[tuple[tuple[str, ...], str]]:
    """Whom some records name, each once: in which lists, and which id."""
    return indexed(records, _named)


def _named(records: tuple[Any, ...]) -> frozenset[tuple[tuple[str, ...], str]]:
    return frozenset((r.ref.collections, r.ident) for found in indexed(records, _named_by) for r in found)


def ids_of(records: tuple[Any, ...]) -> frozenset[str]:
    """The ids of some records."""
    return indexed(records, _ids_of)


def _ids_of(records: tuple[Any, ...]) -> frozenset[str]:
    return frozenset(r.id for r in records)


def dangling(project: Project) -> Iterator[tuple[str, str]]:
    """Namings of records that are not there: (path, what is wrong)."""
    missing = missing_names(project)
    if not missing:
        return
    for found in all_references(project):
        if (found.ref.collections, found.ident) in missing:
            kinds = " or ".join(singular(c) for c in found.ref.collections)
            yield found.path, f"unknown {kinds} '{found.ident}'"


def missing_names(project: Project) -> set[tuple[tuple[str, ...], str]]:
    """Who is named and is not there: in which lists, and which id."""
    brief = {(r.ref.collections, r.ident) for r in references(project.brief)}
    everybody = brief.union(*(named(getattr(project, f.name)) for f in _fields(Project) if f.many))
    have = {c: ids_of(getattr(project, c)) for c in COLLECTIONS}
    return {(lists, ident) for lists, ident in everybody if not any(ident in have[c] for c in lists)}


def used_by(project: Project, ident: str) -> list[tuple[str, Any]]:
    """The collections and records that name a record."""
    return [
        (c, record)
        for c in COLLECTIONS
        for record in getattr(project, c)
        if record.id != ident and any(r.ident == ident for r in references(record))
    ]


def singular(collection: str) -> str:
    """`person` of `people`."""
    odd = {"people": "person", "switches": "switch", "photometries": "photometry", "lamp_groups": "lamp group"}
    return odd.get(collection) or collection.removesuffix("s")


# -- taking away ---------------------------------------------------------------------------------------------------

# In place of what goes along with a record that is gone.
_GONE = object()
# Where one part of these goes, what then stands for the whole.
_STANDS_IN: dict[type, dict[str, Callable[[Any], Any]]] = {
    StartKeep: {"start": lambda expr: expr.keep, "keep": lambda expr: expr.start},
    DoorLatch: {"door": lambda expr: Hold(of=expr.motion, seconds=expr.hold_s)},
    # Rows stay, and never hold, until something else is said in place of what they followed.
    LadderRow: {"when": lambda row: replace(row, when=Nothing())},
    OutputRow: {"when": lambda row: replace(row, when=Nothing())},
}
# Lists of which each part stays, and never holds, in place of what is gone: anybody who removes a window's contact is
# to see that it locked a fan.
_STANDS_IN_LIST = {"locks": Nothing()}


def without(project: Project, idents: Iterable[str]) -> Project:
    """The project without some records, and without what goes along with them, as their declarations say."""
    gone = set(idents)
    while True:
        leaving: set[str] = set()
        changed: dict[str, tuple[Any, ...]] = {}
        for collection in COLLECTIONS:
            records = getattr(project, collection)
            kept = []
            for record in records:
                left = _GONE if record.id in gone else _without(record, gone)
                if left is _GONE and collection == "presences" and record.id not in gone:
                    left = _untold(project, record, gone)
                if left is _GONE:
                    leaving.add(record.id)
                else:
                    kept.append(left)
            if len(kept) != len(records) or any(a is not b for a, b in zip(kept, records)):
                changed[collection] = tuple(kept)
        brief = _without(project.brief, gone)
        if brief is not project.brief:
            project = replace(project, brief=brief)
        if not changed:
            return project
        project = replace(project, **changed)
        gone = leaving


def _told(record: Any) -> Iterator[tuple[_Field, Sequence[Any]]]:
    """The fields in which a record names others, or has parts that do, with what stands there, one or many."""
    for field in _fields(_kind(record)):
        value = getattr(record, field.name)
        if value is not None:
            yield field, value if field.many else (value,)


def _without(record: Any, gone: Collection[str], within: bool = False) -> Any:
    """A record without its namings of what is gone: itself where there are none, _GONE where it goes along. `within`:
    only for those that may name what is of their own room alone."""
    changes: dict[str, Any] = {}
    for field, parts in _told(record):
        stands_in = _STANDS_IN_LIST.get(field.name, _GONE)
        left = [_part(field, part, gone, within) for part in parts]
        left = [x for x in (stands_in if x is _GONE else x for x in left) if x is not _GONE]
        if len(left) == len(parts) and all(a is b for a, b in zip(left, parts)):
            continue
        if field.many:
            if not left and _needs_one(_kind(record), field.name):
                return _GONE
            if isinstance(record, AllOf | AtLeast) and tells(record) and not any(map(tells, left)):
                # "Somebody there and dark" without somebody is not "dark".
                return _GONE
            changes[field.name] = tuple(left)
        elif left:
            changes[field.name] = left[0]
        elif field.ref is not None and field.ref.gone == "clear":
            changes[field.name] = None
        elif field.name in _STANDS_IN.get(type(record), ()):
            left_alone = _without(_STANDS_IN[type(record)][field.name](record), gone, within)
            lost = isinstance(record, StartKeep) and tells(record) and left_alone is not _GONE and not tells(left_alone)
            return _GONE if lost else left_alone
        else:
            return _GONE
    if not changes:
        return record
    made = replace(record, **changes)
    return replace(made, k=min(made.k, len(made.of))) if isinstance(made, AtLeast) else made


def _untold(project: Project, presence: Conclusion, gone: Collection[str]) -> Any:
    """A conclusion that nothing tells anything any more: it stays, never on, where others name it, so that they find it
    again once something tells of it; else, and where what it is about is gone, it goes too."""
    left = _without(replace(presence, expr=Nothing()), gone)
    others = (r for c in _NAME_CONCLUSIONS for r in getattr(project, c) if r is not presence)
    named_by = any(r.ident == presence.id for other in others for r in references(other))
    return left if named_by else _GONE


def untold(project: Project, room: str) -> Project:
    """The project with nothing that tells of a room, by what lights it: that conclusion stays, never on, where others
    name it, else it goes."""
    lighting = next((p for p in project.presences if p.room == room and p.lights), None)
    if lighting is None:
        return project
    left = _untold(project, lighting, ())
    others = tuple(left if p is lighting else p for p in project.presences if p is not lighting or left is not _GONE)
    return replace(project, presences=others)


# The lists whose records name conclusions.
_NAME_CONCLUSIONS = ("presences", "rules", "outputs")


def _part(field: _Field, part: Any, gone: Collection[str], within: bool) -> Any:
    if field.ref is None:
        return _without(part, gone, within)
    return _GONE if part in gone and (field.ref.same_room or not within) else part


@cache
def _needs_one(kind: Any, name: str) -> bool:
    """Whether a list of a kind of record must not be empty."""
    hint = typing.get_type_hints(kind, include_extras=True)[name]
    notes = get_args(hint)[1:] if get_origin(hint) is Annotated else ()
    return any(isinstance(n, msgspec.Meta) and (n.min_length or 0) > 0 for n in notes)


# -- staying within a room -----------------------------------------------------------------------------------------


class Astray(NamedTuple):
    """A record that names one which is of another room, though it may name its own room's only."""

    path: str
    holder: Any
    other: Any


def astray(project: Project) -> Iterator[Astray]:
    """Namings that must stay within a room and do not. Those of what is not there are passed over."""
    for collection in COLLECTIONS:
        records = getattr(project, collection)
        for i, (path, ref, ident) in indexed(records, _within_rooms):
            other = _there(project, ref, ident)
            if other is not None and other.room != records[i].room:
                yield Astray(f"{collection}[{i}].{path}", records[i], other)


def settled(project: Project) -> Project:
    """The project after things came into other rooms: anybody who may name only what is of their own room does without
    what went, as if that were gone for them. Itself where all is well."""
    while True:
        gone: dict[str, set[str]] = {}
        for found in astray(project):
            gone.setdefault(found.holder.id, set()).add(found.other.id)
        if not gone:
            return project
        leaving = []
        for collection in COLLECTIONS:
            records = getattr(project, collection)
            if gone.keys().isdisjoint(ids_of(records)):
                continue
            kept = []
            for record in records:
                left = _without(record, gone[record.id], within=True) if record.id in gone else record
                if left is _GONE:
                    leaving.append(record.id)
                else:
                    kept.append(left)
            project = replace(project, **{collection: tuple(kept)})
        project = without(project, leaving) if leaving else project


def _there(project: Project, ref: Ref, ident: str) -> Any:
    for collection in ref.collections:
        records = getattr(project, collection)
        if ident in ids_of(records):
            return find(records, ident)
    return None


def _within_rooms(records: tuple[Any, ...]) -> tuple[tuple[int, Reference], ...]:
    """The namings among some records that must stay within a room, each with the number of its holder."""
    return tuple(
        (i, Reference(*each)) for i, found in enumerate(indexed(records, _named_by)) for each in found
        if each[1].same_room
    )  # fmt: skip


# -- renaming and copying ------------------------------------------------------------------------------------------


def renamed(project: Project, names: Mapping[str, str]) -> Project:
    """The project with new ids for some records, wherever they are named."""
    changes: dict[str, Any] = {"brief": _renamed(project.brief, names)}
    for collection in COLLECTIONS:
        changes[collection] = tuple(_with_id(_renamed(r, names), names) for r in getattr(project, collection))
    return replace(project, **changes)


def copied(
    records: Iterable[Any], name: Callable[[Any], str], also: Mapping[str, str] | None = None
) -> tuple[list[Any], dict[str, str]]:
    """Copies of records under new ids, which name each other as the originals do; and the new id of each.

    What they name besides is named by the copies as well, or what stands for it by `also`.
    """
    originals = list(records)
    names = {**(also or {}), **{r.id: name(r) for r in originals}}
    return [_with_id(_renamed(r, names), names) for r in originals], names


def _with_id(record: Any, names: Mapping[str, str]) -> Any:
    return replace(record, id=names[record.id]) if record.id in names else record


def _renamed(record: Any, names: Mapping[str, str]) -> Any:
    """A record with the ids it names renamed; itself where none is."""
    changes: dict[str, Any] = {}
    for field, parts in _told(record):
        if field.ref is None:
            new = [_renamed(part, names) for part in parts]
        else:
            new = [names.get(part, part) for part in parts]
        if any(a is not b for a, b in zip(new, parts)):
            changes[field.name] = tuple(new) if field.many else new[0]
    return replace(record, **changes) if changes else record
