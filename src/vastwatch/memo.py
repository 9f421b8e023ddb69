"""One memo for all results that are kept, with one budget in bytes.

A result is a pure function of what it reads, and records compare by identity, so that a function and its arguments
find a result again at once. All functions marked with `memoised` share the budget: what was not asked for longest goes
first, whosesoever it is. What a result weighs is the arrays in it, found by looking through it once when it comes in;
of a function that has given many light ones, some stand for all.
"""

from __future__ import annotations

import sys
from collections import OrderedDict
from collections.abc import Callable
from functools import cache, wraps
from threading import Condition, RLock, current_thread, get_ident, main_thread
from types import ModuleType
from typing import Any, ParamSpec, TypeVar

import msgspec
import numpy as np

from vastwatch.yielding import go_on, yield_to_interface

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
# A tuple in a key that is longer than this and begins with a record is a list of records.
A_LIST = 8
# Looking through one result stops after so many things.
_MOST_THINGS = 20_000
# Once so many results of a function have been weighed and are on average no heavier than that, bytes, one in so many
# is weighed.
KNOWN, LIGHT, ONE_IN = 32, 256 * 1024, 8


# Classes whose objects are held by one result, and only pointed at by others.
_ELSEWHERE: set[type] = set()
C = TypeVar("C", bound=type)


def exclude_from_size(held: C) -> C:
    """A class whose objects weigh nothing in a result: another result holds them."""
    _ELSEWHERE.add(held)
    return held


_NUMBERS = frozenset((bool, int, float))


def _typed(key: tuple[Any, ...]) -> tuple[Any, ...]:
    """A key with the types of the numbers in it: equal keys have the same shape, so that their order is enough."""
    kinds = _kinds(key)
    return (key, kinds) if kinds else key


def _kinds(key: tuple[Any, ...]) -> tuple[Any, ...]:
    kinds: tuple[Any, ...] = ()
    for part in key:
        kind = type(part)
        if kind in _NUMBERS:
            kinds += (kind,)
        elif kind is tuple and not (len(part) > A_LIST and isinstance(part[0], msgspec.Struct)):
            # All walls of a building and the like are records, which are themselves alone.
            kinds += _kinds(part)
    return kinds


class Memo:
    """Results by function and arguments. `bytes` held, of `budget`; `hits` and `misses` so far.

    A result is computed once however many threads ask for it: the others wait. One whose wait would close a circle
    computes it itself, and so does the next in line where a computation ends with an error (as one that was stopped).
    Keys are told apart by the types of the numbers in them, so that 1, 1.0 and True have results of their own.
    """

    def __init__(self, budget: int = BUDGET) -> None:
        self.budget = budget
        self.bytes = self.hits = self.misses = 0
        self._held: OrderedDict[tuple[Any, ...], Any] = OrderedDict()
        # By the identity of each result: under how many keys it is held, and what it weighs.
        self._results: dict[int, list[int]] = {}
        self._lock = RLock()
        self._ended = Condition(self._lock)
        # Which thread computes which key, for which key a thread waits.
        self._computed_by: dict[tuple[Any, ...], int] = {}
        self._waits_for: dict[int, tuple[Any, ...]] = {}
        # By function: how many of its results came in, how many of them were weighed, and their bytes.
        self._weighed: dict[Any, list[int]] = {}

    def __len__(self) -> int:
        return len(self._held)

    def get(self, key: tuple[Any, ...], work: Callable[[], R]) -> R:
        """The result of that key, by doing the work where it is not held."""
        yield_to_interface()
        typed = _typed(key)
        me = get_ident()
        with self._lock:
            while typed not in self._held and self._others_compute(typed, me):
                self._wait(typed, me)
            if typed in self._held:
                self._held.move_to_end(typed)
                self.hits += 1
                result: R = self._held[typed]
                return result
            self.misses += 1
            # Where this thread computes it already (or would wait in a circle), anybody who began it ends it.
            mine = self._computed_by.setdefault(typed, me) == me
        # Not under the lock: the work may be long, and ask for other results.
        try:
            result = work()
            return self._hold(typed, key[0], result)
        finally:
            if mine:
                with self._lock:
                    self._computed_by.pop(typed, None)
                    if self._waits_for:
                        self._ended.notify_all()

    def _others_compute(self, typed: tuple[Any, ...], me: int) -> bool:
        """Whether another thread computes that key, and does not itself wait, through others, for this one."""
        first = self._computed_by.get(typed)
        by = first
        while by is not None and by != me:
            by = self._computed_by.get(self._waits_for[by]) if by in self._waits_for else None
        return first is not None and by != me

    def _wait(self, typed: tuple[Any, ...], me: int) -> None:
        """Until a computation ends, not necessarily that one."""
        self._waits_for[me] = typed
        if current_thread() is main_thread():
            # Anybody who computes it may stand aside for the very frame that waits.
            go_on()
        try:
            self._ended.wait()
        finally:
            del self._waits_for[me]

    def _hold(self, typed: tuple[Any, ...], work: Any, result: R) -> R:
        """Hold a result, unless one is held by now; the one that is held."""
        # What is held already, under another key, is weighed already.
        weight = 0 if id(result) in self._results else self._weight(work, result)
        with self._lock:
            if typed in self._held:
                held: R = self._held[typed]
                return held
            self._held[typed] = result
            of = self._results.setdefault(id(result), [0, weight])
            self.bytes += _ENTRY + (0 if of[0] else of[1])
            of[0] += 1
            self._keep_to_budget()
        return result

    def _weight(self, work: Any, result: Any) -> int:
        """What a result of a function weighs, or else what its results do on average."""
        came = self._weighed.setdefault(work, [0, 0, 0])
        came[0] += 1
        _, many, total = came
        if many >= KNOWN and total < LIGHT * many and came[0] % ONE_IN:
            return total // many
        weight = size_bytes(result)
        came[1] += 1
        came[2] += weight
        return weight

    def _keep_to_budget(self) -> None:
        while self.bytes > self.budget and len(self._held) > 1:
            _, result = self._held.popitem(last=False)
            of = self._results[id(result)]
            of[0] -= 1
            self.bytes -= _ENTRY
            # It is freed with the last key that it is held under.
            if not of[0]:
                self.bytes -= of[1]
                del self._results[id(result)]

    def set_budget(self, budget: int) -> None:
        """Keep no more than so many bytes from now on. Raises ValueError for none."""
        if budget <= 0:
            raise ValueError("the cache needs a size")
        with self._lock:
            self.budget = budget
            self._keep_to_budget()

    def holds(self, key: tuple[Any, ...]) -> bool:
        """Whether a result is at hand."""
        with self._lock:
            return _typed(key) in self._held

    def put(self, key: tuple[Any, ...], result: Any) -> None:
        """Hold a result that came of other work."""
        self.get(key, lambda: result)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._held.clear()
            self._results.clear()
            self.bytes = 0


def size_bytes(result: Any) -> int:
    """About how many bytes a result holds; records of the project weigh nothing, the project holds them anyway.
    Pictures and painters' paths, which are no arrays, say how large they are."""
    total, left = 0, [result]
    seen: set[int] = set()
    while left and len(seen) < _MOST_THINGS:
        thing = left.pop()
        kind: Any = type(thing)
        ident, how = id(thing), _how(kind)
        if ident in seen:
            continue
        seen.add(ident)
        if how == "array":
            total += thing.nbytes if thing.base is None else 0
            if thing.base is not None:
                left.append(thing.base)
        elif how == "record" or (how == "elsewhere" and thing is not result):
            continue
        elif how == "many":
            if len(thing) > LONG and not isinstance(thing, set | frozenset):
                # Much of a kind: some stand for all.
                total += sum(size_bytes(part) for part in thing[:SOME]) * len(thing) // SOME
            else:
                left.extend(thing)
        elif how == "by key":
            left.extend(thing.values())
        elif how == "text":
            total += sys.getsizeof(thing)
        elif how == "picture":
            total += thing.sizeInBytes()
        elif how == "path":
            total += _POINT * thing.elementCount()
        elif how in ("object", "elsewhere"):
            left.extend(vars(thing).values())
        total += _THING
    return total


@cache
def _how(kind: Any) -> str:
    """How things of a class are weighed."""
    for how, of in (
        ("array", np.ndarray), ("record", msgspec.Struct), ("many", (tuple, list, set, frozenset)), ("by key", dict),
        ("text", (bytes, str)), ("nothing", ModuleType),
    ):  # fmt: skip
        if issubclass(kind, of):
            return how
    if kind in _ELSEWHERE:
        return "elsewhere"
    for how, name in (("picture", "sizeInBytes"), ("path", "elementCount")):
        if hasattr(kind, name):
            return how
    if any("__call__" in vars(of) for of in kind.__mro__):
        # A function, whatever it has: a compiled one has a great deal.
        return "nothing"
    # Whether its objects have attributes of their own.
    return "object" if kind.__dictoffset__ else "nothing"


MEMO = Memo()


def memoised(work: Callable[P, R]) -> Callable[P, R]:
    """A function whose results are kept in the memo; its arguments must be hashable."""

    @wraps(work)
    def asked(*args: P.args, **more: P.kwargs) -> R:
        key = (asked, args, tuple(sorted(more.items()))) if more else (asked, args)
        return MEMO.get(key, lambda: work(*args, **more))

    return asked


def is_memoised(work: Callable[..., Any], *args: Any) -> bool:
    """Whether a function marked with `memoised` has its result for these arguments at hand."""
    return MEMO.holds((work, args))
