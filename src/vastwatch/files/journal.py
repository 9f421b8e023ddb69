"""The crash journal: unsaved work, kept aside while it is edited and offered at the next start.

One file per running program, in the user's state folder, never beside the project, so that a read-only or shared
folder is no obstacle. It is removed when the work is saved or given up.
"""

from __future__ import annotations

import contextlib
import json
import os
import time
from dataclasses import dataclass
from pathlib import Path

from vastwatch.design.project import Project
from vastwatch.files.check import ProjectError
from vastwatch.files.project_file import decode, encode, write_atomically


@dataclass(frozen=True)
class Leftover:
    """Unsaved work of a program that is no longer running. `path` is the project's file, None if never saved."""

    journal: Path
    path: str | None
    saved_at: float
    project: Project


def journal_folder() -> Path:
    """`$XDG_STATE_HOME/vastwatch`, by default under the home folder."""
    base = os.environ.get("XDG_STATE_HOME") or os.path.join(os.path.expanduser("~"), ".local", "state")
    return Path(base) / "vastwatch" / "journal"


class Journal:
    """The journal of this process."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or journal_folder()
        self.file = self.folder / f"{os.getpid()}.json"

    def write(self, project: Project, path: str | None) -> None:
        """Keep the project. Raises ProjectError when the state folder cannot be written."""
        head = {"path": path, "pid": os.getpid(), "boot": _process_start(os.getpid()), "at": time.time()}
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as e:
            raise ProjectError(f"{self.folder}: unsaved work cannot be kept aside ({e.strerror})") from None
        write_atomically(self.file, json.dumps(head).encode() + b"\n" + encode(project))

    def clear(self) -> None:
        """Forget: the work is saved or given up."""
        with contextlib.suppress(OSError):
            self.file.unlink()

    def leftovers(self) -> list[Leftover]:
        """Journals of programs that ended without clearing them, newest first; unreadable ones are passed over."""
        found = []
        for file in sorted(self.folder.glob("*.json")):
            try:
                head_line, _, body = file.read_bytes().partition(b"\n")
                head = json.loads(head_line)
                start = _process_start(int(head["pid"]))
                if start is not None and start == head["boot"]:
                    continue
                path = head["path"] if isinstance(head["path"], str) else None
                found.append(Leftover(file, path, float(head["at"]), decode(body)))
            except (OSError, ValueError, KeyError, TypeError, ProjectError):
                continue
        return sorted(found, key=lambda j: -j.saved_at)

    def discard(self, leftover: Leftover) -> None:
        """Remove a leftover, taken over or declined."""
        with contextlib.suppress(OSError):
            leftover.journal.unlink()


def _process_start(pid: int) -> str | None:
    """When a running process began, as the kernel counts it: tells a reused process number from the same one."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return None
