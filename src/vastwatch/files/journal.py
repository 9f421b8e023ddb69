"""The crash journal: unsaved work, kept aside while it is edited and offered at the next start.

One file per running program, in the user's state folder, never beside the project, so that a read-only or shared
folder is no obstacle; only the user may read it. It is removed when the work is saved or given up. One that cannot be
read is set aside under another name and told once; it hinders no other.
"""

from __future__ import annotations

import contextlib
import json
import math
import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

from vastwatch.design.project import Project
from vastwatch.files.check import ProjectError
from vastwatch.files.project_file import LARGEST, encode, recovered
from vastwatch.files.reading import Stamp, read_whole
from vastwatch.files.writing import remove_stale_temp, write_atomically
from vastwatch.words import plain_reason

UNREADABLE = ".unreadable"


@dataclass(frozen=True)
class UnsavedWork:
    """Unsaved work of a program that is no longer running. `path` is the project's file, None if never saved, and
    `stamp` what that file was when it was read or written last; `left_out` what of the work could not be kept."""

    journal: Path
    path: str | None
    saved_at: float
    project: Project
    stamp: Stamp | None = None
    left_out: tuple[str, ...] = ()


def journal_folder() -> Path:
    """In the folder where the user's system keeps the state of programs."""
    return user_state_path("vastwatch") / "journal"


class Journal:
    """The journal of this process."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or journal_folder()
        # The number of a process is used again, after a while or a new start of the machine; its beginning is not.
        self._life = _life(os.getpid())
        self.file = self.folder / f"{os.getpid()}-{self._life or 'x'}.json"

    def write(self, project: Project, path: str | None, stamp: Stamp | None = None) -> None:
        """Keep the project. Raises ProjectError when the state folder cannot be written."""
        head: dict[str, Any] = {"path": path, "pid": os.getpid(), "life": self._life, "at": time.time()}
        if stamp is not None:
            head["stamp"] = [stamp.size, stamp.written_at, stamp.digest]
        try:
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as e:
            raise ProjectError(f"{self.folder}: unsaved work cannot be backed up ({plain_reason(e)})") from None
        write_atomically(self.file, json.dumps(head).encode() + b"\n" + encode(project), private=True)

    def clear(self) -> None:
        """Forget: the work is saved or given up."""
        with contextlib.suppress(OSError):
            self.file.unlink()

    def leftovers(self) -> list[UnsavedWork]:
        """Journals of programs that ended without clearing them, newest first. Those that cannot be read are set aside;
        `unreadable` tells of them."""
        remove_stale_temp(self.folder)
        found = []
        with contextlib.suppress(OSError):
            for file in sorted(self.folder.glob("*.json")):
                try:
                    leftover = _read(file)
                except (ProjectError, ValueError, KeyError, TypeError, OverflowError, RecursionError):
                    with contextlib.suppress(OSError):
                        file.rename(file.with_name(file.name + UNREADABLE))
                    continue
                if leftover is not None:
                    found.append(leftover)
        return sorted(found, key=lambda j: -j.saved_at)

    def unreadable(self) -> list[Path]:
        """Journals that were set aside because they cannot be read, and of which nobody was told yet."""
        told = []
        with contextlib.suppress(OSError):
            for file in sorted(self.folder.glob(f"*{UNREADABLE}")):
                with contextlib.suppress(OSError):
                    told.append(file.rename(file.with_name(file.name + ".txt")))
        return told

    def discard(self, leftover: UnsavedWork) -> None:
        """Remove a leftover, taken over or declined."""
        with contextlib.suppress(OSError):
            leftover.journal.unlink()


def _read(file: Path) -> UnsavedWork | None:
    """What a journal holds; None where the program that writes it still runs. Raises ValueError and its like for what
    is no journal."""
    head_line, _, body = read_whole(file, "a journal", LARGEST).partition(b"\n")
    head = json.loads(head_line)
    pid, life, at = head["pid"], head.get("life"), head["at"]
    if not isinstance(pid, int) or not isinstance(at, int | float) or not 0 <= at < 1e11 or not math.isfinite(at):
        raise ValueError("the head of the journal is damaged")
    if life is not None and 0 < pid < 2**31 and _life(pid) == life:
        return None
    stamp = None
    match head.get("stamp"):
        case [int(size), int() | float() as written_at, str(digest)]:
            stamp = Stamp(size, float(written_at), digest)
    # A path that depends on where the program ran then means another file now.
    path = head["path"] if isinstance(head["path"], str) and Path(head["path"]).is_absolute() else None
    project, left_out = recovered(body)
    return UnsavedWork(file, path, float(at), project, stamp, left_out)


def _life(pid: int) -> str | None:
    """What tells a running process from every other that had or will have its number: this start of the machine, and
    when it began, as the kernel counts it. None for one that does not run."""
    try:
        began = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
        boot = Path("/proc/sys/kernel/random/boot_id").read_text().strip().replace("-", "")[:12]
    except (OSError, IndexError):
        return None
    return f"{boot}-{began}"
