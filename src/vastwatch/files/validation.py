"""Telling in one sentence what is wrong with a value that does not fit its field, and where."""

from __future__ import annotations

import re
import typing
from functools import cache
from typing import Annotated, Any, get_args, get_origin

import msgspec

from vastwatch.design.references import singular
from vastwatch.devices.types import IP_PATTERN
from vastwatch.site.record import CLOCK_PATTERN, DATE_PATTERN, ID_PATTERN

_KINDS = {
    "float": "a number", "int": "a whole number", "str": "text", "bool": "true or false", "array": "a list",
    "object": "an object", "null": "nothing",
}  # fmt: skip


_PATTERNS = {
    CLOCK_PATTERN: "a time of day such as 07:30",
    DATE_PATTERN: "a date such as 2026-01-12",
    IP_PATTERN: "a protection class such as IP44",
    ID_PATTERN: "an id of small letters, digits, dots, dashes and underscores",
}


def own_number(value: Any) -> Any:
    """A number of an array library as a plain one: no work may be lost for a slip of an edit."""
    return value.item()


def misfit(record: Any, path: str) -> str | None:
    """What of a record does not fit its fields, as a file would say it: `path: what is wrong`."""
    plain = msgspec.to_builtins(record, enc_hook=own_number)
    try:
        msgspec.convert(plain, type(record))
    except msgspec.ValidationError as e:
        words = explain_validation(str(e), plain)
        return f"{path}.{words}" if " - at " in str(e) else f"{path}: {words}"
    return None


def in_names(project: Any, fault: str) -> str:
    """A fault said with the name of the record in place of its number in the file: `the scene “Landing”: ...`."""
    m = re.match(r"variants\[(\d+)\] \('(.*?)'\): ", fault)
    if m is not None:
        return f"the variant “{m[2]}”: {in_names(project.variants[int(m[1])], fault[m.end() :])}"
    m = re.match(r"(\w+)\[(\d+)\]([\w.\[\]]*): ", fault)
    records = getattr(project, m[1], None) if m else None
    if m is None or not isinstance(records, tuple) or int(m[2]) >= len(records):
        return fault
    record = records[int(m[2])]
    name = getattr(record, "name", "") or record.id
    field = re.sub(r"\[\d+\]", "", m[3]).strip(".").replace(".", ", ").replace("_", " ")
    return f"the {singular(m[1])} “{name}”{f' ({field})' if field else ''}: {fault[m.end() :]}"


@cache
def longest(kind: Any, name: str) -> int | None:
    """How many there may be in a list of a kind of record, where that is limited."""
    hint = typing.get_type_hints(kind, include_extras=True)[name]
    notes = get_args(hint)[1:] if get_origin(hint) is Annotated else ()
    return next((n.max_length for n in notes if isinstance(n, msgspec.Meta)), None)


def explain_validation(message: str, document: Any) -> str:
    """Our sentence for a validation message such as 'Expected `float`, got `str` - at `$.sensors[3].at[2]`'."""
    what, _, where = message.partition(" - at ")
    path = where.strip("`").removeprefix("$").removeprefix(".")
    value = _look_up(document, path)
    if m := re.match(r"Object contains unknown field `(.*)`", what):
        text = f"unknown field '{m[1]}' in this version's format"
    elif m := re.match(r"Object missing required field `(.*)`", what):
        text = f"the field '{m[1]}' is missing"
    elif re.match(r"Expected `array` of length <= 0", what):
        text = "this version of the program has no use for these yet; the list must be empty"
    elif m := re.match(r"Expected `array` of (.*)", what):
        text = f"expected a list of {m[1].replace('`', '')}, got {shown(value)}"
    elif m := re.match(r"Expected `(.*)`, got `(.*)`", what):
        kinds = [_KINDS.get(k.strip(), k.strip()) for k in m[1].split("|")]
        text = f"expected {' or '.join(kinds)}, got {shown(value)}"
    elif m := re.match(r"Expected `str` matching regex '(.*)'", what):
        text = f"expected {_PATTERNS.get(m[1].encode().decode('unicode_escape'), 'another form')}, got {shown(value)}"
    elif m := re.match(r"Expected `(\w+)` (.*)", what):
        text = f"expected {_KINDS.get(m[1], m[1])} {_bound(m[2].replace('`', ''))}, got {shown(value)}"
    elif re.match(r"Invalid enum value|Invalid value", what):
        text = f"{shown(value)} is not one of the possible values"
    else:
        text = what[:1].lower() + what[1:].replace("`", "'")
    return f"{path}: {text}" if path else text


def _bound(text: str) -> str:
    """`of at least 0` of `>= 0.0`; what is no bound stays as it is."""
    m = re.fullmatch(r"(>=|<=|>|<) (-?[\d.]+(?:e[+-]?\d+)?)", text)
    if m is None:
        return text
    words = {">=": "of at least", "<=": "of at most", ">": "above", "<": "below"}
    return f"{words[m[1]]} {float(m[2]):g}"


def _look_up(document: Any, path: str) -> Any:
    try:
        for name, index in re.findall(r"([^.\[\]]+)|\[(\d+)\]", path):
            document = document[int(index)] if index else document[name]
    except (KeyError, IndexError, TypeError):
        return None
    return document


def shown(value: Any) -> str:
    """A value as a sentence shows it."""
    if isinstance(value, str):
        return f"'{value[:40]}'"
    if isinstance(value, list):
        return f"a list of {len(value)}"
    if isinstance(value, dict):
        return "an object"
    if value is None:
        return "nothing"
    return str(value)
