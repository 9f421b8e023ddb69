"""Lists of device types as JSON or CSV: the user's own, to keep, to pass on, and to import.

In CSV each field of a type is a column, with a dot before the fields of a part (`latency.typical_s`) and a bar between
the items of a list (`wall|corner`); columns a family has no use for stay empty.
"""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Annotated, Any, Literal, get_args, get_origin

import msgspec

from vastwatch.devices import DeviceType
from vastwatch.devices.families import FAMILY_TYPES
from vastwatch.devices.faults import faults
from vastwatch.files.check import ProjectError
from vastwatch.files.csv_cells import escape_formula, rows_of, unescape_formula
from vastwatch.files.project_file import explain_validation
from vastwatch.files.reading import read_whole
from vastwatch.files.rooms_csv import decoded
from vastwatch.files.writing import write_atomically

MOST_TYPES = 2000
LARGEST = 20_000_000
BAR = "|"
WORDS = {"yes": "true", "no": "false"}


def device_fields(device: DeviceType) -> dict[str, str]:
    """Every field of a type as text by its dotted name, in the order of the record; what is None is left out."""
    out: dict[str, str] = {}

    def add(value: Any, name: str) -> None:
        if isinstance(value, dict):
            for key, part in value.items():
                add(part, f"{name}.{key}" if name else key)
        elif isinstance(value, list | tuple):
            out[name] = BAR.join(_plain(v) for v in value)
        elif isinstance(value, bool):
            out[name] = "yes" if value else "no"
        elif value is not None:
            out[name] = _plain(value)

    add(msgspec.to_builtins(device), "")
    return out


def _plain(value: Any) -> str:
    """A figure as short as reads back the same."""
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


# Lists, by their last name; everything else is one value.
_LISTS = {"mounts": str, "confirm_of": int, "pad": float}


def choices(device: DeviceType, name: str) -> tuple[str, ...]:
    """What a field of a type, by its dotted name, may say, where it is one of a few words; else nothing."""
    kind = _kind_at(type(device), name)
    if get_origin(kind) is Literal:
        return tuple(str(x) for x in get_args(kind))
    return ("yes", "no") if kind is bool else ()


def _kind_at(kind: Any, name: str) -> Any:
    """The type of a field of a record, by its dotted name; None for a list, or where there is no such field."""
    for part in name.split("."):
        if not (isinstance(kind, type) and issubclass(kind, msgspec.Struct)):
            return None
        field = next((f for f in msgspec.structs.fields(kind) if f.name == part), None)
        if field is None or get_origin(field.type) is tuple:
            return None
        kinds = [k for k in (get_args(field.type) or (field.type,)) if k is not type(None)]
        kind = field.type if get_origin(field.type) is Literal else kinds[0]
        if get_origin(kind) is Annotated:
            kind = get_args(kind)[0]
    return kind


def device_from_fields(fields: dict[str, str]) -> DeviceType:
    """The type of its fields as text. Raises ValueError with `field: what is wrong`."""
    document: dict[str, Any] = {}
    family = next((k for k in FAMILY_TYPES if k.__struct_config__.tag == fields.get("family", "").strip()), None)
    for name, text in fields.items():
        text = text.strip()
        if not text:
            continue
        *parts, last = name.split(".")
        at = document
        for part in parts:
            at = at.setdefault(part, {})
            if not isinstance(at, dict):
                raise ValueError(f"{name}: '{part}' cannot have parts")
        if last in _LISTS:
            try:
                at[last] = [_LISTS[last](x.strip()) for x in text.replace(",", BAR).split(BAR) if x.strip()]
            except ValueError:
                raise ValueError(f"{name}: '{text}' is not a list of numbers") from None
        else:
            # A name may be "yes" or "1,5".
            plain = _kind_at(family, name) is str
            at[last] = text if plain else _decimal(WORDS.get(text.lower(), text))
    for part in ("pir", "radar"):
        if isinstance(document.get(part), dict):
            document[part].setdefault("family", part)
    return device_from_document(document)


def device_from_document(document: Any) -> DeviceType:
    """A type from plain values, its figures checked against each other. Raises ValueError, `field: what is wrong`."""
    try:
        device: DeviceType = msgspec.convert(document, DeviceType, strict=False)
    except msgspec.ValidationError as e:
        raise ValueError(explain_validation(str(e), document)) from None
    for name, value in _numbers(msgspec.to_builtins(device), ""):
        if not abs(value) < 1e9:
            raise ValueError(f"{name}: expected a number of ordinary size, got {value:g}")
    for field, words in faults(device):
        raise ValueError(f"{field}: {words}")
    return device


def _decimal(text: str) -> str:
    """A number written with a decimal comma, with a point."""
    plain = text.replace(",", ".")
    if text.count(",") == 1:
        try:
            float(plain)
        except ValueError:
            return text
        return plain
    return text


def _numbers(value: Any, name: str) -> list[tuple[str, float]]:
    if isinstance(value, dict):
        return [x for k, v in value.items() for x in _numbers(v, f"{name}.{k}" if name else k)]
    if isinstance(value, list | tuple):
        return [x for v in value for x in _numbers(v, name)]
    return [(name, value)] if isinstance(value, float) else []


def read_devices(path: Path, may_be_empty: bool = False) -> list[DeviceType]:
    """Read types from a `.csv` or `.json` file. Raises ProjectError naming the line or the entry, and the field."""
    raw = read_whole(path, "a list of device types", LARGEST)
    found = _from_csv(raw, path) if path.suffix.lower() == ".csv" else _from_json(raw, path)
    if not found and not may_be_empty:
        raise ProjectError(f"{path}: there are no device types in it")
    seen: set[str] = set()
    for device in found:
        if device.id in seen:
            raise ProjectError(f"{path}: the id '{device.id}' is used twice")
        seen.add(device.id)
    return found


def _from_json(raw: bytes, path: Path) -> list[DeviceType]:
    try:
        rows = msgspec.json.decode(raw)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        raise ProjectError(f"{path}: this is not valid JSON") from None
    if not isinstance(rows, list):
        raise ProjectError(f"{path}: expected a list of device types")
    if len(rows) > MOST_TYPES:
        raise ProjectError(f"{path}: {len(rows):,} device types are too many")
    out = []
    for i, row in enumerate(rows):
        try:
            out.append(device_from_document(row))
        except ValueError as e:
            raise ProjectError(f"{path}: [{i}].{e}") from None
    return out


def _from_csv(raw: bytes, path: Path) -> list[DeviceType]:
    lines = [x for x in decoded(raw, path).splitlines() if x.strip(" ,;\t")]
    if len(lines) < 2:
        raise ProjectError(f"{path}: a device list needs a header line and a line for each type")
    if len(lines) - 1 > MOST_TYPES:
        raise ProjectError(f"{path}: {len(lines) - 1:,} device types are too many")
    rows = rows_of(lines, path)
    heading = [h.strip() for h in rows[0]]
    missing = [name for name in ("family", "id", "name") if name not in heading]
    if missing:
        raise ProjectError(f"{path}: the list has no column for {' and '.join(missing)}")
    out = []
    for n, row in enumerate(rows[1:], 2):
        try:
            out.append(device_from_fields({h: unescape_formula(cell) for h, cell in zip(heading, row) if h}))
        except ValueError as e:
            raise ProjectError(f"{path}: line {n}: {e}") from None
    return out


def write_devices(devices: list[DeviceType], path: Path) -> None:
    """Write types as `.csv` or `.json`. Raises ProjectError when the disk refuses."""
    if path.suffix.lower() == ".csv":
        rows = [device_fields(d) for d in devices]
        heading = list(dict.fromkeys(name for row in rows for name in row))
        out = io.StringIO()
        writer = csv.DictWriter(out, heading, restval="", lineterminator="\n")
        writer.writeheader()
        writer.writerows({name: escape_formula(cell) for name, cell in row.items()} for row in rows)
        data = out.getvalue()
    else:
        data = json.dumps(msgspec.to_builtins(devices), ensure_ascii=False, indent=2) + "\n"
    write_atomically(path, data.encode())
