"""Reading a file whole, with one sentence for each way in which it cannot be; and what it was when it was read."""

from __future__ import annotations

import hashlib
import os
import stat
from dataclasses import dataclass
from pathlib import Path

from vastwatch.files.check import ProjectError
from vastwatch.words import plain_reason


@dataclass(frozen=True)
class Stamp:
    """What a file was: its size in bytes, when it was last written (seconds since 1970), and a digest of its contents.

    The digest decides whether it is still the same; the others are for telling.
    """

    size: int
    written_at: float
    digest: str

    @classmethod
    def of(cls, data: bytes, written_at: float) -> Stamp:
        """The stamp of some contents."""
        return cls(len(data), written_at, hashlib.sha256(data).hexdigest())

    def same(self, other: Stamp | None) -> bool:
        """Whether the contents are the same."""
        return other is not None and self.digest == other.digest


def read_whole(path: Path, what: str, largest: int) -> bytes:
    """The bytes of a file that should be `what` ("a project"). Raises ProjectError as `read_stamped`."""
    return read_stamped(path, what, largest)[0]


def read_text(path: Path, what: str, largest: int) -> str:
    """The text of a file that should be `what`. Raises ProjectError as `read_stamped`, and for what is no UTF-8."""
    try:
        return read_whole(path, what, largest).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ProjectError(f"{path}: not a text file in UTF-8") from None


def read_stamped(path: Path, what: str, largest: int) -> tuple[bytes, Stamp]:
    """The bytes of a file that should be `what`, and what it was then. Raises ProjectError for a folder, a pipe or
    device, a file that is not there, cannot be read, or is larger than `largest` bytes."""
    try:
        # Opening a pipe would wait for anybody who writes into it.
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            found = os.fstat(descriptor)
            if stat.S_ISDIR(found.st_mode):
                raise ProjectError(f"{path}: this is a folder, not {what}")
            if not stat.S_ISREG(found.st_mode):
                raise ProjectError(f"{path}: this is a pipe or a device, not {what}")
            # A file may grow while it is read.
            with open(descriptor, "rb", closefd=False) as file:
                data = file.read(largest + 1) if found.st_size <= largest else None
        finally:
            os.close(descriptor)
        if data is None or len(data) > largest:
            raise ProjectError(f"{path}: this file is too large to be {what} (more than {largest // 1_000_000} MB)")
        return data, Stamp.of(data, found.st_mtime)
    except FileNotFoundError:
        raise ProjectError(f"{path}: no such file") from None
    except (OSError, ValueError) as e:
        raise ProjectError(f"{path}: cannot be read ({plain_reason(e)})") from None


def stamp_of(path: Path, largest: int) -> Stamp | None:
    """What a file is now; None where there is none that could be read."""
    try:
        return read_stamped(path, "a project", largest)[1]
    except ProjectError:
        return None
