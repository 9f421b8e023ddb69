"""One question asked of many rooms: in as many processes at once as there are processors.

Each is a copy of this one (a fork), so that it knows the project and whatever is known of it; what it gives back must
be plain: numbers, texts, lists of them.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from vastwatch.memo import MEMO

T = TypeVar("T")

# What is asked, where a copy of this process finds it.
_ask: Callable[[str], Any] | None = None


def of_each(rooms: Sequence[str], ask: Callable[[str], T]) -> list[T]:
    """What is answered of each room, in their order; what `ask` raises of the first that raises anything."""
    many = min(_processors(), len(rooms))
    if many < 2:
        return [ask(room) for room in rooms]
    global _ask
    _ask = ask
    try:
        context = multiprocessing.get_context("fork")
        with ProcessPoolExecutor(many, context, _begin, (MEMO.budget // many,)) as pool:
            # Copies are made as the first is asked: none is to be stopped before it knows how to stop.
            held = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
            try:
                asked = [pool.submit(_asked, room) for room in rooms]
            finally:
                signal.pthread_sigmask(signal.SIG_SETMASK, held)
            return [_answer(future, room, ask) for room, future in zip(rooms, asked)]
    finally:
        _ask = None


def _processors() -> int:
    """How many there are for this process; one where it could not be copied: some other thread may hold a lock."""
    alone = threading.active_count() == 1 and "fork" in multiprocessing.get_all_start_methods()
    return len(os.sched_getaffinity(0)) if alone else 1


def _begin(budget: int) -> None:
    # Whoever stops the command stops all of it, at once and without a word.
    signal.signal(signal.SIGINT, lambda *_: os._exit(130))
    signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGINT})
    MEMO.set_budget(max(budget, 1))


def _asked(room: str) -> Any:
    assert _ask is not None
    return _ask(room)


def _answer(future: Future[T], room: str, ask: Callable[[str], T]) -> T:
    try:
        return future.result()
    except BrokenProcessPool:
        # One of them was ended from outside, for want of memory perhaps: the others went with it.
        return ask(room)
