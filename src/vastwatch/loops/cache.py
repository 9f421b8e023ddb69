"""Where compiled code is kept: in the user's cache folder, by a digest of all it depends on. Imports no compiler.

numba by itself keeps compiled code beside each source and looks at that one file: code compiled of a changed callee or
constant would go on to run. Here the folder's name is a digest of all sources of loops, of the constants of
`vastwatch.rng`, and of the versions of Python, numba, llvmlite and numpy. A change of any of these begins a new,
empty folder, and no stale code can be found; numba itself looks at the processor. What was not used for a month is
removed.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import sys
import time
from functools import cache
from pathlib import Path

import vastwatch

# Compiled code that was not used for so long is removed, seconds.
UNUSED_S = 30 * 86_400.0
# A file in the folder once every loop is in it.
_ALL = "all"


@cache
def digest() -> str:
    """The digest of all that compiled code depends on: 32 hexadecimal digits."""
    from importlib.metadata import version

    loops = Path(__file__).parent
    what = hashlib.blake2b(digest_size=16)
    for word in (
        vastwatch.__version__, sys.version, str(loops), *(version(of) for of in ("numba", "llvmlite", "numpy")),
    ):  # fmt: skip
        what.update(word.encode() + b"\0")
    for source in [*sorted(loops.glob("*.py")), loops.parent / "rng.py"]:
        what.update(source.read_bytes() + b"\0")
    return what.hexdigest()


@cache
def folder() -> Path | None:
    """The folder of compiled code, made if need be; None where nothing can be written. It lies in the folder that
    `NUMBA_CACHE_DIR` names, else in the user's cache folder."""
    from platformdirs import user_cache_path

    base = Path(os.environ.get("NUMBA_CACHE_DIR") or user_cache_path("vastwatch"))
    here = base / f"loops-{digest()}"
    try:
        here.mkdir(parents=True, exist_ok=True)
        # It was used today.
        os.utime(here)
        _remove_unused(base, here)
    except OSError:
        return None
    return here if os.access(here, os.W_OK) else None


def _remove_unused(base: Path, here: Path) -> None:
    for other in base.glob("loops-*"):
        if other != here and time.time() - other.stat().st_mtime > UNUSED_S:
            shutil.rmtree(other, ignore_errors=True)


def is_prepared() -> bool:
    """Whether every loop is known to be compiled and kept."""
    here = folder()
    return here is not None and (here / _ALL).exists()


def set_prepared() -> None:
    """Note that every loop is compiled and kept."""
    here = folder()
    if here is not None:
        (here / _ALL).touch()
