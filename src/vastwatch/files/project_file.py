"""Reading and writing `*.vastwatch.json`.

Reading refuses what it does not understand, naming the place, and never touches the file. Writing goes to a
temporary file beside the target, is flushed to the disk and renamed over it (`writing.py`); the previous one stays as
`NAME~`.
"""

from __future__ import annotations

import json
import os
import re
import unicodedata
from importlib import resources
from pathlib import Path
from typing import Any

import msgspec

from vastwatch.design.project import FORMAT, VERSION, Project
from vastwatch.devices.types import IP_PATTERN
from vastwatch.files.check import ProjectError, check_project
from vastwatch.files.migrate import migrated
from vastwatch.files.reading import Stamp, read_stamped
from vastwatch.files.writing import previous, write_atomically
from vastwatch.site.record import CLOCK_PATTERN, DATE_PATTERN, ID_PATTERN

SUFFIX = ".vastwatch.json"
# Far above any building; a larger file is not a project.
LARGEST = 200_000_000
# Fields whose text may have several lines, and kinds of characters that no text shows.
LINES_IN = ("notes",)
UNSHOWN = ("Cc", "Zl", "Zp")

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


def load_project(path: str | os.PathLike[str]) -> Project:
    """Read and check a project. Raises ProjectError with one sentence that names the file and the place."""
    return read_project(path)[0]


def read_project(path: str | os.PathLike[str]) -> tuple[Project, Stamp]:
    """A checked project, and what its file was when it was read. Raises ProjectError as `load_project`."""
    path = Path(path)
    raw, stamp = read_stamped(path, "a project", LARGEST)
    try:
        return decode(raw), stamp
    except ProjectError as e:
        raise ProjectError(f"{path}: {e}") from None


def load_demo() -> Project:
    """The sample project that ships with the program."""
    return decode(resources.files("vastwatch").joinpath("data/saltmarsh.vastwatch.json").read_bytes())


def decode(raw: bytes) -> Project:
    """A checked project from the bytes of a file. Raises ProjectError."""
    document = _parsed(raw)
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise ProjectError(f'this is not a project file: "format" is not "{FORMAT}"')
    version = document.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ProjectError(f"version: expected a whole number from 1, got {_shown(version)}")
    if version > VERSION:
        raise ProjectError(
            f"this project was saved by a newer version of the program (file version {version}, "
            f"this one reads up to {VERSION}); it was left as it is"
        )
    document = migrated(document)
    try:
        project = msgspec.convert(_readable(document), Project)
    except msgspec.ValidationError as e:
        raise ProjectError(explain_validation(str(e), document)) from None
    except RecursionError:
        raise ProjectError("the file is nested too deeply to be a project") from None
    check_project(project)
    return project


def encode(project: Project) -> bytes:
    """The bytes of the file: UTF-8, sorted keys, indented, lists of numbers on one line, one newline at the end."""
    parts: list[str] = []
    _write(msgspec.to_builtins(project, enc_hook=_own_number), "", parts)
    return ("".join(parts) + "\n").encode()


def _own_number(value: Any) -> Any:
    """A number of an array library as a plain one: no work may be lost for a slip of an edit."""
    return value.item()


def _write(value: Any, indent: str, out: list[str]) -> None:
    """Append the JSON text of a value, as it reads and diffs well."""
    deeper = indent + "  "
    if isinstance(value, dict) and value:
        before = "{\n"
        for key in sorted(value):
            out.append(f"{before}{deeper}{_scalar(key)}: ")
            _write(value[key], deeper, out)
            before = ",\n"
        out.append(f"\n{indent}}}")
    elif isinstance(value, list | tuple) and value:
        if all(isinstance(v, int | float) and not isinstance(v, bool) for v in value):
            out.append(f"[{', '.join(map(_scalar, value))}]")
            return
        before = "[\n"
        for part in value:
            out.append(before + deeper)
            _write(part, deeper, out)
            before = ",\n"
        out.append(f"\n{indent}]")
    else:
        out.append(_scalar(value))


def _scalar(value: Any) -> str:
    """The JSON text of what has no parts; whole numbers without a point, so that 2 and 2.0 are written alike."""
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        value = int(value)
    return json.dumps(list(value) if isinstance(value, tuple) else value, ensure_ascii=False, allow_nan=False)


def save_project(project: Project, path: str | os.PathLike[str]) -> Stamp:
    """Write the project so that at every moment either the old or the new file is whole; what the file is then.

    Raises ProjectError when the project is not fit to be read again, or the disk refuses; the old file is then
    untouched.
    """
    check_project(project)
    return write_atomically(Path(path), encode(project), keep=previous)


# -- telling what is wrong -------------------------------------------------------------------------------------


def _parsed(raw: bytes) -> Any:
    """The plain values of a JSON text. Raises ProjectError for what is none, or names a field twice."""
    if not raw.strip():
        raise ProjectError("the file is empty")
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ProjectError("this is not a text file, so it cannot be a project") from None
    if "\0" in text:
        raise ProjectError("this is not a text file, so it cannot be a project")
    try:
        return json.loads(text, parse_constant=_no_constant, parse_int=_whole, object_pairs_hook=_fields)
    except json.JSONDecodeError as e:
        if e.pos >= len(text.rstrip()) or e.msg.startswith("Unterminated"):
            raise ProjectError(f"the file breaks off at line {e.lineno}: it was not written to its end") from None
        raise ProjectError(f"line {e.lineno}, column {e.colno}: this is not valid JSON") from None
    except ValueError as e:
        raise ProjectError(str(e)) from None
    except RecursionError:
        raise ProjectError("the file is nested too deeply to be a project") from None


def _readable(value: Any, field: str = "") -> Any:
    """Plain values whose texts can be shown anywhere: control characters, which nothing shows, are spaces; only notes
    keep their lines. Raises ProjectError for halves of characters."""
    if isinstance(value, dict):
        return {_readable(key): _readable(part, key) for key, part in value.items()}
    if isinstance(value, list):
        return [_readable(part, field) for part in value]
    if not isinstance(value, str) or value.isprintable():
        return value
    if any("\ud800" <= c <= "\udfff" for c in value):
        raise ProjectError(f"{field}: this text holds half a character, which no file can keep")
    kept = "\n" if field in LINES_IN else ""
    return "".join(c if c in kept or unicodedata.category(c) not in UNSHOWN else " " for c in value)


def _no_constant(name: str) -> float:
    raise ValueError(f"a number in the file is {name}; every number must be finite")


def _whole(digits: str) -> int | float:
    """A whole number; one too large for any field as a decimal, infinite if need be, to be found at its place."""
    return int(digits) if len(digits) < 19 else float(digits)


def _fields(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    fields = dict(pairs)
    if len(fields) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(n for n in names if names.count(n) > 1)
        raise ValueError(f"the field '{twice[:40]}' is there twice in one object; only one of them can be meant")
    return fields


def explain_validation(message: str, document: Any) -> str:
    """Our sentence for a validation message such as 'Expected `float`, got `str` - at `$.sensors[3].at[2]`'."""
    what, _, where = message.partition(" - at ")
    path = where.strip("`").removeprefix("$").removeprefix(".")
    value = _look_up(document, path)
    if m := re.match(r"Object contains unknown field `(.*)`", what):
        text = f"there is no field '{m[1]}' in this version's format"
    elif m := re.match(r"Object missing required field `(.*)`", what):
        text = f"the field '{m[1]}' is missing"
    elif re.match(r"Expected `array` of length <= 0", what):
        text = "this version of the program has no use for these yet; the list must be empty"
    elif m := re.match(r"Expected `array` of (.*)", what):
        text = f"expected a list of {m[1].replace('`', '')}, got {_shown(value)}"
    elif m := re.match(r"Expected `(.*)`, got `(.*)`", what):
        kinds = [_KINDS.get(k.strip(), k.strip()) for k in m[1].split("|")]
        text = f"expected {' or '.join(kinds)}, got {_shown(value)}"
    elif m := re.match(r"Expected `str` matching regex '(.*)'", what):
        text = f"expected {_PATTERNS.get(m[1].encode().decode('unicode_escape'), 'another form')}, got {_shown(value)}"
    elif m := re.match(r"Expected `(\w+)` (.*)", what):
        text = f"expected {_KINDS.get(m[1], m[1])} {_bound(m[2].replace('`', ''))}, got {_shown(value)}"
    elif re.match(r"Invalid enum value|Invalid value", what):
        text = f"{_shown(value)} is not one of the possible values"
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


def _shown(value: Any) -> str:
    if isinstance(value, str):
        return f"'{value[:40]}'"
    if isinstance(value, list):
        return f"a list of {len(value)}"
    if isinstance(value, dict):
        return "an object"
    if value is None:
        return "nothing"
    return str(value)
