"""Keeping freed memory at hand.

The C library gives large freed blocks back to the system at once, and the next array of that size has to be fetched
and cleared page by page again. Sensing works with arrays of some hundred kilobytes, many times per frame, and spends
half its time on that. Raising two thresholds of the allocator, where it has them, ends it.
"""

from __future__ import annotations

import contextlib
import ctypes

# Parameter numbers of glibc's mallopt, and blocks up to which memory is kept, bytes.
_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3
_KEPT = 64 * 1024 * 1024


def raise_trim_thresholds() -> bool:
    """Raise the thresholds; False where the C library has no such setting."""
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError):
        return False
    return bool(mallopt(_MMAP_THRESHOLD, 32 * 1024 * 1024)) and bool(mallopt(_TRIM_THRESHOLD, _KEPT))


def give_back_freed_memory() -> None:
    """Give what is freed back to the system, wherever it lies: some ten milliseconds, for a pause; nothing where the C
    library cannot. What comes and goes for hours leaves holes, which the thresholds above do not reach."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
