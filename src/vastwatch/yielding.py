"""Anybody who follows the hand goes first: work in the background stands aside while a frame is made, and a moment
after.

Threads of one interpreter take turns, and one that computes gives up its turn only after some milliseconds. A frame
made of hundreds of short steps that each wait for a turn takes as many times longer. So what runs in the background
asks here, often, whether a frame is under way, and sleeps until it is done.
"""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

# After a frame the next may follow at once: so long the others still stand aside, seconds; and so long at most for one
# frame, since the frame may be waiting for what they hold.
AFTER_S, AT_MOST_S = 0.05, 0.25
# How often anybody who stands aside looks again, seconds.
LOOK_S = 0.004


class _Frames:
    """The frame under way: until when others stand aside, and its number."""

    def __init__(self) -> None:
        self.until = -math.inf
        self.number = 0
        self.depth = 0
        self.known = threading.local()


_FRAMES = _Frames()


@contextmanager
def frame() -> Iterator[None]:
    """While a frame is made. Of the window's thread alone."""
    _FRAMES.depth += 1
    if _FRAMES.depth == 1:
        _FRAMES.number += 1
        _FRAMES.until = math.inf
    try:
        yield
    finally:
        _FRAMES.depth -= 1
        if _FRAMES.depth == 0:
            _FRAMES.until = time.monotonic() + AFTER_S


def go_on() -> None:
    """Let the others go on though a frame is under way: it waits for what one of them computes."""
    _FRAMES.until = -math.inf


def yield_to_interface() -> None:
    """Wait until no frame is under way, unless this thread has waited long enough for this one already."""
    if _FRAMES.until == -math.inf or threading.current_thread() is threading.main_thread():
        return
    begun = time.monotonic()
    while begun < _FRAMES.until and getattr(_FRAMES.known, "number", -1) != _FRAMES.number:
        time.sleep(LOOK_S)
        now = time.monotonic()
        if now >= _FRAMES.until:
            return
        if now - begun > AT_MOST_S:
            _FRAMES.known.number = _FRAMES.number
