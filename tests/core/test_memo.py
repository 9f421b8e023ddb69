"""What is kept, and what it weighs."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier, Event

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.memo import KNOWN, LIGHT, Memo, size_bytes


def test_what_was_not_asked_for_longest_goes_first_and_the_budget_holds():
    memo = Memo(budget=10 * 8_000 + 10_000)
    for k in range(12):
        memo.get(("f", k), lambda: np.zeros(1000))
    assert memo.bytes <= memo.budget and not memo.holds(("f", 0)) and memo.holds(("f", 11))
    memo.get(("f", 3), lambda: np.zeros(1000))
    memo.get(("f", 12), lambda: np.zeros(1000))
    assert memo.holds(("f", 3)) and memo.hits == 1


def test_of_many_light_results_some_are_weighed_and_of_heavy_ones_all():
    """What they weigh in all is known to a few percent, whatever each does."""
    rng = np.random.default_rng(1)
    for size in (300, 4 * LIGHT // 8):
        memo, true = Memo(budget=2**40), 0
        for k in range(40 * KNOWN if size < LIGHT else 2 * KNOWN):
            result = np.zeros(int(rng.integers(1, 2 * size)))
            true += size_bytes(result)
            memo.get(("f", k), lambda result=result: result)
        if size < LIGHT // 8:
            assert memo.bytes - 400 * len(memo) == pytest.approx(true, rel=0.1)
        else:
            assert memo.bytes - 400 * len(memo) == true


def test_what_is_held_under_two_keys_weighs_once_until_the_last_is_forgotten():
    memo, result = Memo(budget=2**40), np.zeros(1000)
    memo.get(("f", 1), lambda: result)
    alone = memo.bytes
    memo.get(("g", 1), lambda: result)
    assert alone > 8000 and memo.bytes == alone + 400
    memo.set_budget(alone + 100)
    # The first to come goes first; the other holds the result still, and that weighs what it weighs.
    assert memo.holds(("g", 1)) and not memo.holds(("f", 1)) and memo.bytes == alone
    memo.get(("h", 1), lambda: np.zeros(10))
    assert not memo.holds(("g", 1)) and memo.bytes < 1000
    memo.clear()
    memo.get(("g", 1), lambda: result)
    assert memo.bytes == alone


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 3)), max_size=40), st.integers(500, 30_000))
def test_the_bytes_held_are_those_of_the_results_held(asked, budget):
    memo, results = Memo(budget), [np.zeros(300 * (k + 1)) for k in range(4)]
    for key, k in asked:
        memo.get(("f", key), lambda k=k: results[k])
    held = {id(memo.get(("f", key), lambda: None)) for key in range(10) if memo.holds(("f", key))}
    assert memo.bytes == 400 * len(memo) + sum(size_bytes(r) for r in results if id(r) in held)
    assert memo.bytes <= budget or len(memo) == 1


def test_numbers_that_are_equal_and_differ_in_kind_have_results_of_their_own():
    memo = Memo()
    keys = [("f", (x,)) for x in (1, 1.0, True)] + [("f", ((1, 0.0),)), ("f", ((1, False),))]
    for key in keys:
        memo.get(key, lambda key=key: repr(key))
    assert [memo.get(key, lambda: "") for key in keys] == [repr(key) for key in keys]
    assert len(memo) == 5 and all(memo.holds(key) for key in keys)


def test_a_result_is_computed_once_however_many_threads_ask():
    memo, barrier, computed = Memo(), Barrier(4), []

    def work():
        computed.append(1)
        # Long enough that anybody who did not wait would begin as well.
        Event().wait(0.05)
        return object()

    def ask(_):
        barrier.wait()
        return memo.get(("f", 1), work)

    with ThreadPoolExecutor(4) as pool:
        assert len(set(pool.map(ask, range(4)))) == 1
    assert len(computed) == 1 and memo.misses == 1 and memo.hits == 3


def test_where_a_computation_ends_with_an_error_the_next_in_line_computes():
    memo, began, errors, computed = Memo(), Event(), [], []

    def stopped():
        began.set()
        Event().wait(0.05)
        raise InterruptedError

    def ask_first():
        try:
            memo.get(("f", 1), stopped)
        except InterruptedError as e:
            errors.append(e)

    with ThreadPoolExecutor(3) as pool:
        first = pool.submit(ask_first)
        began.wait()
        others = [pool.submit(memo.get, ("f", 1), lambda: computed.append(1) or "done") for _ in range(2)]
        assert [o.result(5) for o in others] == ["done", "done"] and first.result(5) is None
    assert len(errors) == len(computed) == 1


def test_two_threads_that_would_wait_for_each_other_do_not():
    """Each asks for what the other is at: nobody waits for ever."""
    memo, both = Memo(), Barrier(2)

    def one(mine, other):
        def work():
            both.wait(5)
            return memo.get(("f", other), lambda: other)

        return memo.get(("f", mine), work)

    with ThreadPoolExecutor(2) as pool:
        found = [pool.submit(one, *pair) for pair in ((1, 2), (2, 1))]
        assert {f.result(5) for f in found} <= {1, 2}


def test_what_things_have_weighs_and_what_is_called_does_not():
    class Thing:
        def __init__(self) -> None:
            self.inner = {"of": [np.zeros(1000)]}

    class Called(Thing):
        def __call__(self) -> None: ...

    assert 8000 <= size_bytes(Thing()) < 8500 and 8000 <= size_bytes([Thing()]) < 8600
    # A compiled function has its whole compiler with it.
    assert size_bytes(Called()) < 100 and size_bytes([lambda: 1, Called().__call__]) < 300
