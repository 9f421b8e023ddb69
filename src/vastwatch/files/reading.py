"""Reading a file whole, with one sentence for each way in which it cannot be."""

from __future__ import annotations

from pathlib import Path

from vastwatch.files.check import ProjectError


def read_whole(path: Path, what: str, largest: int) -> bytes:
    """The bytes of a file that should be `what` ("a project"). Raises ProjectError for a folder, a file that is not
    there, cannot be read, or is larger than `largest` bytes."""
    try:
        if path.is_dir():
            raise ProjectError(f"{path}: this is a folder, not {what}")
        if path.stat().st_size > largest:
            raise ProjectError(f"{path}: this file is too large to be {what}")
        return path.read_bytes()
    except FileNotFoundError:
        raise ProjectError(f"{path}: there is no such file") from None
    except OSError as e:
        raise ProjectError(f"{path}: cannot be read ({(e.strerror or str(e)).lower()})") from None
