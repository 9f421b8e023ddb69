"""One memo for all results that are kept, with one budget in bytes.

A result is a pure function of what it reads, and records compare by identity, so that a function and its arguments
find a result again at once. All functions marked with `kept` share the budget: what was not asked for longest goes
first, whosesoever it is. What a result weighs is the arrays in it, found by looking through it once when it comes in.
"""

from __future__ import annotations

import sys
from collections import OrderedDict
from collections.abc import Callable
from functools import wraps
from threading import RLock
from types import FunctionType, ModuleType
from typing import Any, ParamSpec, TypeVar

import msgspec
import numpy as np

from vastwatch.right_of_way import stand_aside

P = ParamSpec("P")
R = TypeVar("R")

# Bytes kept in all unless told otherwise.
BUDGET = 512 * 1024 * 1024
# What an entry costs beside its arrays, and what anything that is no array counts, bytes.
_ENTRY, _THING = 400, 64
# What a point of a painter's path weighs, bytes.
_POINT = 24
# Of a list longer than this so many are weighed for all.
LONG, SOME = 200, 20
# Looking through one result stops after so many things.
_MOST_THINGS = 20_000


# Classes whose objects are held by one result, and only pointed at by others.
_ELSEWHERE: set[type] = set()
C = TypeVar("C", bound=type)


def weighed_elsewhere(held: C) -> C:
    """A class whose objects weigh nothing in a result: another result holds them."""
    _ELSEWHERE.add(held)
    return held


class Memo:
    """Results by function and arguments. `bytes` held, of `budget`; `hits` and `misses` so far."""

    def __init__(self, budget: int = BUDGET) -> None:
        self.budget = budget
        self.bytes = self.hits = self.misses = 0
        self._held: OrderedDict[tuple[Any, ...], tuple[Any, int]] = OrderedDict()
        self._lock = RLock()

    def __len__(self) -> int:
        return len(self._held)

    def get(self, key: tuple[Any, ...], work: Callable[[], R]) -> R:
        """The result of that key, by doing the work where it is not held."""
        stand_aside()
        with self._lock:
            entry = self._held.get(key)
            if entry is not None:
                self._held.move_to_end(key)
                self.hits += 1
                return entry[0]
            self.misses += 1
        # Not under the lock: the work may be long, and ask for other results. Done twice, the first to end counts.
        result = work()
        weight = _ENTRY + weigh(result)
        with self._lock:
            entry = self._held.get(key)
            if entry is not None:
                return entry[0]
            self._held[key] = (result, weight)
            self.bytes += weight
            self._keep_to_budget()
        return result

    def _keep_to_budget(self) -> None:
        while self.bytes > self.budget and len(self._held) > 1:
            _, (_, gone) = self._held.popitem(last=False)
            self.bytes -= gone

    def set_budget(self, budget: int) -> None:
        """Keep no more than so many bytes from now on. Raises ValueError for none."""
        if budget <= 0:
            raise ValueError("the memo needs some bytes")
        with self._lock:
            self.budget = budget
            self._keep_to_budget()

    def holds(self, key: tuple[Any, ...]) -> bool:
        """Whether a result is at hand."""
        with self._lock:
            return key in self._held

    def put(self, key: tuple[Any, ...], result: Any) -> None:
        """Hold a result that came of other work."""
        self.get(key, lambda: result)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._held.clear()
            self.bytes = 0


def weigh(result: Any) -> int:
    """About how many bytes a result holds; records of the project weigh nothing, the project holds them anyway.
    Pictures and painters' paths, which are no arrays, say how large they are."""
    total, left = 0, [result]
    seen: set[int] = set()
    while left and len(seen) < _MOST_THINGS:
        thing = left.pop()
        if id(thing) in seen:
            continue
        seen.add(id(thing))
        if isinstance(thing, np.ndarray):
            total += thing.nbytes if thing.base is None else 0
            if thing.base is not None:
                left.append(thing.base)
        elif isinstance(thing, msgspec.Struct) or (type(thing) in _ELSEWHERE and thing is not result):
            continue
        elif isinstance(thing, tuple | list) and len(thing) > LONG:
            # Much of a kind: some stand for all.
            total += sum(weigh(part) for part in thing[:SOME]) * len(thing) // SOME
        elif isinstance(thing, tuple | list | set | frozenset):
            left.extend(thing)
        elif isinstance(thing, dict):
            left.extend(thing.values())
        elif isinstance(thing, bytes | str):
            total += sys.getsizeof(thing)
        elif hasattr(thing, "sizeInBytes"):
            total += thing.sizeInBytes()
        elif hasattr(thing, "elementCount"):
            total += _POINT * thing.elementCount()
        elif not isinstance(thing, type | ModuleType | FunctionType) and hasattr(thing, "__dict__"):
            left.extend(vars(thing).values())
        total += _THING
    return total


MEMO = Memo()


def kept(work: Callable[P, R]) -> Callable[P, R]:
    """A function whose results are kept in the memo; its arguments must be hashable."""

    @wraps(work)
    def asked(*args: P.args, **more: P.kwargs) -> R:
        key = (asked, args, tuple(sorted(more.items()))) if more else (asked, args)
        return MEMO.get(key, lambda: work(*args, **more))

    return asked


def is_kept(work: Callable[..., Any], *args: Any) -> bool:
    """Whether a function marked with `kept` has its result for these arguments at hand."""
    return MEMO.holds((work, args))
