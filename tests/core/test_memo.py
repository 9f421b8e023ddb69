"""What is kept, and what it weighs."""

from __future__ import annotations

import numpy as np
import pytest

from vastwatch.memo import KNOWN, LIGHT, Memo, weigh


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
            true += weigh(result)
            memo.get(("f", k), lambda result=result: result)
        if size < LIGHT // 8:
            assert memo.bytes - 400 * len(memo) == pytest.approx(true, rel=0.1)
        else:
            assert memo.bytes - 400 * len(memo) == true


def test_what_is_held_under_two_keys_weighs_once_until_it_is_forgotten():
    memo, result = Memo(budget=2**40), np.zeros(1000)
    memo.get(("f", 1), lambda: result)
    alone = memo.bytes
    memo.get(("g", 1), lambda: result)
    assert alone > 8000 and memo.bytes == alone + 400
    memo.set_budget(1000)
    # The first to come goes first; the other was held with it and weighs no more than its entry.
    assert memo.holds(("g", 1)) and not memo.holds(("f", 1)) and memo.bytes == 400
    memo.clear()
    memo.get(("g", 1), lambda: result)
    assert memo.bytes == alone


def test_what_things_have_weighs_and_what_is_called_does_not():
    class Thing:
        def __init__(self) -> None:
            self.inner = {"of": [np.zeros(1000)]}

    class Called(Thing):
        def __call__(self) -> None: ...

    assert 8000 <= weigh(Thing()) < 8500 and 8000 <= weigh([Thing()]) < 8600
    # A compiled function has its whole compiler with it.
    assert weigh(Called()) < 100 and weigh([lambda: 1, Called().__call__]) < 300
