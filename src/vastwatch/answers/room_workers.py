"""One question asked of many rooms: in as many processes at once as there are processors.

Each is a copy of this one (a fork), so that it knows the project and whatever is known of it; what it gives back must
be plain: numbers, texts, lists of them. No thread has a part in it: anybody who stops the command finds nothing locked.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from typing import TypeVar

from vastwatch.memo import MEMO

T = TypeVar("T")


def map_rooms(rooms: Sequence[str], ask: Callable[[str], T]) -> list[T]:
    """What is answered of each room, in their order; what `ask` raises of the first that raises anything."""
    many = min(_processors(), len(rooms))
    answers = _of_copies(rooms, ask, many) if many > 1 else {}
    # Of a room that no copy answered this process is asked: it says what is wrong, if anything is.
    return [answers[room] if room in answers else ask(room) for room in rooms]


def _processors() -> int:
    """How many there are for this process; one where it could not be copied: some other thread may hold a lock."""
    alone = threading.active_count() == 1 and "fork" in multiprocessing.get_all_start_methods()
    return len(os.sched_getaffinity(0)) if alone else 1


def _of_copies(rooms: Sequence[str], ask: Callable[[str], T], many: int) -> dict[str, T]:
    """What copies answer, by room; each is asked of another room as soon as it has answered. Where one has ended, from
    outside or because of what it was asked, the others go on, and that room is left out."""
    left, answers = list(rooms), {}
    lines: list[Connection] = []
    copies: list[BaseProcess] = []
    try:
        _copy(ask, many, lines, copies)
        asked: dict[Connection, str] = {}
        ready = list(lines)
        while ready:
            for line in ready:
                room = asked.pop(line, None)
                try:
                    if room is not None:
                        answers[room] = line.recv()
                    if left:
                        line.send(left[0])
                        asked[line] = left.pop(0)
                except (EOFError, OSError):
                    continue
            ready = [line for line in wait(list(asked)) if isinstance(line, Connection)] if asked else []
    finally:
        for line in lines:
            line.close()
        for copy in copies:
            copy.terminate()
            copy.join()
    return answers


def _copy(ask: Callable[[str], T], many: int, lines: list[Connection], copies: list[BaseProcess]) -> None:
    """Make so many copies, with a line to each."""
    context, budget = multiprocessing.get_context("fork"), max(MEMO.budget // many, 1)
    # None is to be stopped before it knows how to stop.
    held = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        for _ in range(many):
            here, there = context.Pipe()
            lines.append(here)
            copies.append(context.Process(target=_answer, args=(there, tuple(lines), ask, budget), daemon=True))
            copies[-1].start()
            there.close()
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, held)


def _answer(line: Connection, others: Sequence[Connection], ask: Callable[[str], T], budget: int) -> None:
    """What a copy does: answer what it is asked, until nobody asks any more or something is wrong."""
    # Anybody who stops the command stops all of it, at once and without a word; unless it was begun so that nobody can.
    if signal.getsignal(signal.SIGINT) != signal.SIG_IGN:
        signal.signal(signal.SIGINT, lambda *_: os._exit(130))
    signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGINT})
    for other in others:
        # As long as it had the other ends open it would not hear that nobody is there any more.
        other.close()
    MEMO.set_budget(budget)
    try:
        while True:
            line.send(ask(line.recv()))
    except Exception:
        os._exit(1)
