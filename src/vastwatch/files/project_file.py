"""Reading and writing `*.vastwatch.json`.

Reading refuses what it does not understand, naming the place, and never touches the file. Writing goes to a
temporary file beside the target, is flushed to the disk and renamed over it; the previous one stays as `NAME~`.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import tempfile
from importlib import resources
from pathlib import Path
from typing import Any

import msgspec

from vastwatch.design.project import FORMAT, VERSION, Project
from vastwatch.devices.types import IP_PATTERN
from vastwatch.files.check import ProjectError, check_project
from vastwatch.files.migrate import migrated
from vastwatch.files.reading import read_whole
from vastwatch.site.record import CLOCK_PATTERN, DATE_PATTERN, ID_PATTERN

SUFFIX = ".vastwatch.json"
# Far above any building; a larger file is not a project.
LARGEST = 200_000_000

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
    path = Path(path)
    raw = read_whole(path, "a project", LARGEST)
    try:
        return decode(raw)
    except ProjectError as e:
        raise ProjectError(f"{path}: {e}") from None


def load_demo() -> Project:
    """The sample project that ships with the program."""
    return decode(resources.files("vastwatch").joinpath("data/saltmarsh.vastwatch.json").read_bytes())


def decode(raw: bytes) -> Project:
    """A checked project from the bytes of a file. Raises ProjectError."""
    try:
        document = msgspec.json.decode(raw)
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as e:
        if "out of range" not in str(e):
            raise ProjectError(_malformed(raw, e)) from None
        # A number too large to hold: read as infinite, it is found with its place below.
        document = json.loads(raw)
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
        project = msgspec.convert(document, Project)
    except msgspec.ValidationError as e:
        raise ProjectError(explain_validation(str(e), document)) from None
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


def save_project(project: Project, path: str | os.PathLike[str]) -> None:
    """Write the project so that at every moment either the old or the new file is whole.

    Raises ProjectError when the project is not fit to be read again, or the disk refuses; the old file is then
    untouched.
    """
    path = Path(path)
    check_project(project)
    write_atomically(path, encode(project), keep_previous=True)


def write_atomically(path: Path, data: bytes, keep_previous: bool = False) -> None:
    """Temporary file beside the target, fsync, rename. Raises ProjectError in plain words."""
    temporary = None
    try:
        descriptor, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(descriptor, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        os.chmod(temporary, (path.stat().st_mode & 0o777) if path.exists() else 0o644)
        if keep_previous and path.exists():
            _keep_previous(path)
        os.replace(temporary, path)
        temporary = None
        with contextlib.suppress(OSError):
            folder = os.open(path.parent, os.O_RDONLY)
            try:
                os.fsync(folder)
            finally:
                os.close(folder)
    except OSError as e:
        reason = (e.strerror or str(e)).lower()
        raise ProjectError(f"{path}: cannot be saved ({reason}); nothing was changed on the disk") from None
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                os.unlink(temporary)


def _keep_previous(path: Path) -> None:
    previous = path.with_name(path.name + "~")
    spare = previous.with_name(previous.name + ".tmp")
    with contextlib.suppress(FileNotFoundError):
        os.unlink(spare)
    try:
        os.link(path, spare)
    except OSError:
        # Some file systems have no hard links; a copy serves as well.
        spare.write_bytes(path.read_bytes())
    os.replace(spare, previous)


# -- telling what is wrong -------------------------------------------------------------------------------------


def _malformed(raw: bytes, error: Exception) -> str:
    if not raw.strip():
        return "the file is empty"
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        return "this is not a text file, so it cannot be a project"
    if "\0" in text:
        return "this is not a text file, so it cannot be a project"
    try:
        json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as e:
        if "truncated" in str(error) or e.pos >= len(text.rstrip()):
            return f"the file breaks off at line {e.lineno}: it was not written to its end"
        return f"line {e.lineno}, column {e.colno}: this is not valid JSON"
    except ValueError as e:
        return str(e)
    except RecursionError:
        return "the file is nested too deeply to be a project"
    return f"this is not valid JSON ({error})"


def _no_constant(name: str) -> float:
    raise ValueError(f"a number in the file is {name}; every number must be finite")


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
