"""Random numbers by name: the same everywhere, independent of each other, of the laws they claim."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.rng import at_ms, exponential, key_of, normal, poisson_times, sub_keys, triangular, uniform

MASK = (1 << 64) - 1


def plain_uniform(key: int, index: int) -> float:
    """SplitMix64 as published, in Python's own whole numbers."""
    z = (key + index * 0x9E3779B97F4A7C15) & MASK
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & MASK
    return ((z ^ (z >> 31)) >> 11) * 2.0**-53


@given(st.integers(0, MASK), st.integers(-(2**40), 2**40))
def test_numbers_are_those_of_the_published_mixer(key, index):
    assert uniform(key, index) == plain_uniform(key, index)


def test_published_first_numbers_of_the_sequence_from_seed_0():
    # Its state is advanced before it is mixed: the first output is that of index 1.
    assert [int(plain_uniform(0, k) * 2**53) for k in (1, 2)] == [0xE220A8397B1DCDAF >> 11, 0x6E789E6AA1B965F4 >> 11]


def test_keys_depend_on_every_name_and_on_nothing_of_the_process():
    names = [(1, "a", 0), (1, "a", 1), (1, "b", 0), (2, "a", 0), (1, "a"), (11, "a"), (1, 1, "a")]
    assert len({key_of(*n) for n in names}) == len(names)
    probe = "from vastwatch.rng import key_of; print(key_of(7, 'pir-shop', 'walk'))"
    said = {
        subprocess.run(
            [sys.executable, "-c", probe], capture_output=True, text=True, check=True, env={"PYTHONHASHSEED": seed}
        ).stdout.strip()
        for seed in ("0", "1", "4711")
    }
    assert said == {str(key_of(7, "pir-shop", "walk"))}


@pytest.mark.parametrize("step", [1, 2, 200, 86_400_000])
def test_uniform_numbers_fill_their_range_evenly_at_any_stride(step):
    u = uniform(key_of("even", step), np.arange(200_000) * step)
    assert u.min() >= 0 and u.max() < 1
    counts = np.histogram(u, 100, (0, 1))[0]
    chi = ((counts - 2000) ** 2 / 2000).sum()
    assert 60 < chi < 150
    # Neighbours know nothing of each other.
    assert abs(np.corrcoef(u[:-1], u[1:])[0, 1]) < 0.01


def test_two_keys_and_their_sub_keys_know_nothing_of_each_other():
    i = np.arange(50_000)
    rows = [uniform(key_of("one", k), i) for k in range(3)] + [
        uniform(k, i) for k in sub_keys(key_of("one", 0), [0, 1])
    ]
    off_diagonal = np.corrcoef(rows) - np.eye(5)
    assert np.abs(off_diagonal).max() < 0.02


def test_the_other_laws_have_their_moments():
    i = np.arange(200_000)
    n, e = normal(key_of("n"), i), exponential(key_of("e"), i)
    assert (n.mean(), n.std()) == (pytest.approx(0, abs=0.01), pytest.approx(1, abs=0.01))
    assert np.abs(n).max() > 3.9
    assert (e.mean(), e.std()) == (pytest.approx(1, abs=0.01), pytest.approx(1, abs=0.02))
    t = triangular(key_of("t"), i, 1.0, 2.0, 6.0)
    assert t.min() >= 1 and t.max() <= 6
    assert t.mean() == pytest.approx(3.0, abs=0.01)
    assert np.median(t) == pytest.approx(6 - np.sqrt(0.5 * 5 * 4), abs=0.02)
    assert triangular(1, i[:3], 2.0, 2.0, 2.0).tolist() == [2, 2, 2]


def test_arrivals_are_a_poisson_process_and_a_later_end_only_adds():
    counts = [len(poisson_times(key_of("p", k), 0.5, 10.0, 50.0)) for k in range(2000)]
    assert np.mean(counts) == pytest.approx(20, rel=0.02)
    assert np.var(counts) == pytest.approx(20, rel=0.1)
    short, long = poisson_times(key_of("q"), 2.0, 5.0, 30.0), poisson_times(key_of("q"), 2.0, 5.0, 3000.0)
    assert (long[: len(short)] == short).all() and (long[len(short) :] >= 30).all()
    assert (np.diff(long) > 0).all() and long[0] >= 5
    assert len(poisson_times(1, 0.0, 0.0, 9.0)) == 0 == len(poisson_times(1, 1.0, 9.0, 9.0))


def test_instants_are_told_apart_to_the_millisecond():
    assert at_ms([0.0, 0.0009, 0.001, 1.5, -0.0001]).tolist() == [0, 0, 1, 1500, -1]
