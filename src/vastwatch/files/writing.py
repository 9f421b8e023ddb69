"""Writing a file so that at every moment either the old or the new one is whole.

What is written goes to a temporary file beside the target, is flushed to the disk, and renamed over it. A symbolic link
is followed, so that it stays one. What an earlier, killed writing left beside the target is swept on the next.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import stat
import time
from collections.abc import Callable
from pathlib import Path

from vastwatch.files.check import ProjectError
from vastwatch.files.reading import Stamp
from vastwatch.words import plain_reason

TEMPORARY = ".vastwatch-tmp"
# A temporary file older than this belongs to nobody who still writes it, seconds.
ABANDONED_S = 3600.0
# Only the owner may read what is kept aside unasked.
PRIVATE = 0o600
# What a new file's permissions are before the umask takes from them.
NEW = 0o666


def write_atomically(
    path: Path, data: bytes, *, private: bool = False, keep: Callable[[Path], Path] | None = None
) -> Stamp:
    """Replace a file's contents, or make the file; what it is then. Permissions of an existing file stay; a new one has
    those of the umask, or is the owner's alone where `private`. `keep` gives the name under which what was there stays.

    Raises ProjectError in plain words; nothing was changed on the disk then.
    """
    temporary = None
    try:
        target = resolve_links(path)
        before = _mode(target)
        mode = PRIVATE if private else NEW if before is None else stat.S_IMODE(before)
        temporary = target.with_name(f".{secrets.token_hex(8)}{TEMPORARY}")
        descriptor = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, mode)
        with os.fdopen(descriptor, "wb") as out:
            if before is not None and not private:
                os.fchmod(out.fileno(), mode)
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
            stamp = Stamp.of(data, os.fstat(out.fileno()).st_mtime)
        if keep is not None and before is not None:
            _keep(target, keep(target))
        os.replace(temporary, target)
        temporary = None
        _flush_folder(target.parent)
    except OSError as e:
        raise ProjectError(f"{path}: cannot be saved ({plain_reason(e)}); the file on disk is unchanged") from None
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink()
    remove_stale_temp(target.parent)
    return stamp


def resolve_links(path: Path) -> Path:
    """The file itself that a path means, through all links; it need not be there. Raises OSError for links that lead in
    a circle."""
    try:
        return Path(os.path.realpath(path, strict=True))
    except FileNotFoundError:
        return Path(os.path.realpath(path))


def same_file(a: Path, b: Path) -> bool:
    """Whether two paths mean one file, through links too."""
    try:
        return resolve_links(a) == resolve_links(b)
    except OSError:
        return a == b


def previous(path: Path) -> Path:
    """Where the last saved version of a file is kept: `NAME~`."""
    return path.with_name(path.name + "~")


def free_path_beside(path: Path, mark: str, suffix: str) -> Path:
    """A free name beside a file: `NAME MARK.SUFFIX`, numbered on where that is taken. The whole stays short enough for
    every file system."""
    stem = path.name.removesuffix(suffix)
    for n in range(1, 10_000):
        tail = f" {mark}{'' if n == 1 else f' {n}'}{suffix}"
        name = shortened(stem, 240 - len(tail.encode())) + tail
        if not os.path.lexists(path.with_name(name)):
            return path.with_name(name)
    raise ProjectError(f"{path}: no free name next to it")


def shortened(text: str, most_bytes: int) -> str:
    """As much of the beginning of a text as fits into so many bytes of UTF-8, never half a character."""
    return text.encode("utf-8", "surrogateescape")[: max(most_bytes, 0)].decode("utf-8", "ignore")


def safe_name(text: str, otherwise: str = "project") -> str:
    """A file name made of what somebody called something: small letters and digits of any script, dashes, and short."""
    kept = "".join(c if c.isalnum() else "-" for c in text.lower())
    name = "-".join(part for part in kept.split("-") if part)
    return shortened(name, 80).strip("-") or otherwise


def remove_stale_temp(folder: Path) -> None:
    """Remove temporary files that a killed writing left behind. Never fails."""
    with contextlib.suppress(OSError):
        for file in folder.glob(f".*{TEMPORARY}"):
            with contextlib.suppress(OSError):
                if time.time() - file.lstat().st_mtime > ABANDONED_S:
                    file.unlink()


def _mode(target: Path) -> int | None:
    """The mode of an existing file, None where there is none. Raises OSError for what is no ordinary file."""
    try:
        mode = target.stat().st_mode
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(mode):
        raise OSError(0, "this is not a regular file")
    return mode


def _keep(target: Path, kept: Path) -> None:
    spare = target.with_name(f".{secrets.token_hex(8)}{TEMPORARY}")
    try:
        try:
            os.link(target, spare)
        except OSError:
            # Some file systems have no hard links; a copy serves as well.
            spare.write_bytes(target.read_bytes())
            os.chmod(spare, stat.S_IMODE(target.stat().st_mode))
        os.replace(spare, kept)
    finally:
        # Where both are one file already, renaming does nothing and leaves the spare name.
        spare.unlink(missing_ok=True)


def _flush_folder(folder: Path) -> None:
    with contextlib.suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)
