"""Reading and writing `*.vastwatch.json`.

Reading refuses what it does not understand, naming the place, and never touches the file. Writing goes to a
temporary file beside the target, is flushed to the disk and renamed over it (`writing.py`); the previous one stays as
`NAME~`.
"""

from __future__ import annotations

import json
import os
import unicodedata
from importlib import resources
from pathlib import Path
from typing import Any

import msgspec

from vastwatch.design.project import FORMAT, VERSION, Project
from vastwatch.files.check import ProjectError, check_project
from vastwatch.files.mending import Mended, mended
from vastwatch.files.migrate import migrated
from vastwatch.files.reading import Stamp, read_stamped
from vastwatch.files.validation import explain_validation, in_names, own_number, shown
from vastwatch.files.writing import previous, write_atomically

SUFFIX = ".vastwatch.json"
# Far above any building; a larger file is not a project.
LARGEST = 200_000_000
# Fields whose text may have several lines, and kinds of characters that no text shows.
LINES_IN = ("notes",)
UNSHOWN = ("Cc", "Zl", "Zp")


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
    document = _document(raw)
    try:
        project = msgspec.convert(_readable(document), Project)
    except msgspec.ValidationError as e:
        raise ProjectError(explain_validation(str(e), document)) from None
    except RecursionError:
        raise ProjectError("the file is nested too deeply to be a project") from None
    check_project(project)
    return project


def recovered(raw: bytes) -> Mended:
    """What can be kept of the bytes of a file that may break the rules. Raises ProjectError for what is no project at
    all."""
    try:
        return Mended(decode(raw), ())
    except ProjectError:
        try:
            return mended(_readable(_document(raw)))
        except RecursionError:
            raise ProjectError("the file is nested too deeply to be a project") from None


def _document(raw: bytes) -> dict[str, Any]:
    """The plain values of a file, in the present version. Raises ProjectError for no project, or one of a newer."""
    document = _parsed(raw)
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise ProjectError(f'this is not a project file: "format" is not "{FORMAT}"')
    version = document.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ProjectError(f"version: expected a whole number from 1, got {shown(version)}")
    if version > VERSION:
        raise ProjectError(
            f"this project was saved by a newer version of the program (file version {version}; this one reads "
            f"up to {VERSION}); the file is unchanged"
        )
    return migrated(document)


def encode(project: Project) -> bytes:
    """The bytes of the file: UTF-8, sorted keys, indented, lists of numbers on one line, one newline at the end."""
    parts: list[str] = []
    _write(msgspec.to_builtins(project, enc_hook=own_number), "", parts)
    return ("".join(parts) + "\n").encode()


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
    try:
        check_project(project)
    except ProjectError as e:
        raise ProjectError(f"this project cannot be saved: {in_names(project, str(e))}") from None
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
            raise ProjectError(f"the file ends at line {e.lineno}: it is incomplete") from None
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
        raise ProjectError(f"{field}: this text contains an invalid character")
    kept = "\n" if field in LINES_IN else ""
    return "".join(c if c in kept or unicodedata.category(c) not in UNSHOWN else " " for c in value)


def _no_constant(name: str) -> float:
    raise ValueError(f"a number in the file is {name}; it must be finite")


def _whole(digits: str) -> int | float:
    """A whole number; one too large for any field as a decimal, infinite if need be, to be found at its place."""
    return int(digits) if len(digits) < 19 else float(digits)


def _fields(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    fields = dict(pairs)
    if len(fields) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(n for n in names if names.count(n) > 1)
        raise ValueError(f"the field '{twice[:40]}' occurs twice in one object")
    return fields
