"""Random numbers by name: every draw is a pure function of a seed, a record, a day, and an index.

There is no generator whose state a draw uses up, so that no draw can disturb another: one more person, sensor or day
leaves all other draws as they were, in whatever order they are asked for. A key is made of names once
(`key_of`), and an index picks a number of it: a whole array of them at a time. The index is a count, or the
instant of the thing drawn for in milliseconds (`at_ms`), so that what happens at the same instant gets the same number.

The numbers are SplitMix64 (Steele, Lea and Flood 2014) read at random places of its sequence: 64-bit multiplications
and shifts of key + index * golden ratio.
"""

from __future__ import annotations

import hashlib
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
Keys = NDArray[np.uint64]

# Of processes with so few to come, all are drawn at once.
A_FEW = 40.0

GOLDEN = np.uint64(0x9E3779B97F4A7C15)
FIRST, SECOND = np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
SHIFTS = np.uint64(30), np.uint64(27), np.uint64(31)
# Double precision has 53 bits: the upper ones of the 64.
HALF, LOWER = np.uint64(32), np.uint64(0xFFFFFFFF)
DROPPED, UNIT = np.uint64(11), 2.0**-53


def key_of(*names: object) -> int:
    """The key of some names: the same on every machine, in every process; 64 bits."""
    text = "\x1f".join(map(str, names)).encode()
    return int.from_bytes(hashlib.blake2b(text, digest_size=8).digest(), "little")


def at_ms(t: ArrayLike) -> NDArray[np.int64]:
    """Instants as indices: whole milliseconds."""
    return np.floor(np.asarray(t, float) * 1000.0).astype(np.int64)


def _bits(key: Any, index: ArrayLike) -> Keys:
    keys = np.asarray(key, np.uint64)
    z = keys + np.asarray(index, np.int64).astype(np.uint64) * GOLDEN
    a, b, c = SHIFTS
    z = (z ^ (z >> a)) * FIRST
    z = (z ^ (z >> b)) * SECOND
    return z ^ (z >> c)


def sub_keys(key: Any, index: ArrayLike) -> Keys:
    """Keys of their own for many things of one key, picked by index."""
    with np.errstate(over="ignore"):
        return _bits(_bits(key, index), 1)


def uniform(key: Any, index: ArrayLike) -> Array:
    """Numbers in [0, 1); `key` one key or one for each index."""
    with np.errstate(over="ignore"):
        return np.asarray((_bits(key, index) >> DROPPED) * UNIT, float)


# The same for one number at a time, in whole numbers of 64 bits: for what goes a step at a time, an array of one costs
# twenty times as much.
_WORD = 2**64 - 1
_GOLDEN_1, _FIRST_1, _SECOND_1 = int(GOLDEN), int(FIRST), int(SECOND)


def _bits_of(key: int, index: int) -> int:
    z = (key + index * _GOLDEN_1) & _WORD
    z = ((z ^ (z >> 30)) * _FIRST_1) & _WORD
    z = ((z ^ (z >> 27)) * _SECOND_1) & _WORD
    return z ^ (z >> 31)


def sub_key_of(key: int, index: int) -> int:
    """As `sub_keys`, one."""
    return _bits_of(_bits_of(key, index), 1)


def uniform_of(key: int, index: int) -> float:
    """As `uniform`, one."""
    return (_bits_of(key, index) >> 11) * UNIT


def exponential(key: Any, index: ArrayLike) -> Array:
    """Exponential numbers of mean 1."""
    return -np.log1p(-uniform(key, index))


def normal(key: Any, index: ArrayLike) -> Array:
    """Normal numbers of mean 0 and spread 1, each from two uniform ones (Box and Muller 1958)."""
    i = np.asarray(index, np.int64)
    return np.sqrt(2.0 * exponential(key, 2 * i)) * np.cos(2.0 * np.pi * uniform(key, 2 * i + 1))


def normal_pair(key: Any, index: ArrayLike) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Two normal numbers of mean 0 and spread 1, independent, of one draw each (Box and Muller 1958): its 64 bits are
    two uniform numbers of 32, so that none is beyond 6.7 spreads. In single precision: for scatter in great number."""
    with np.errstate(over="ignore"):
        bits = _bits(key, index)
    single = np.float32
    radius = np.sqrt(single(-2.0) * np.log(((bits >> HALF).astype(single) + single(1.0)) * single(2.0**-32)))
    angle = (bits & LOWER).astype(single) * single(2.0 * np.pi * 2.0**-32)
    return radius * np.cos(angle), radius * np.sin(angle)


def triangular(key: Any, index: ArrayLike, least: float, mode: float, most: float) -> Array:
    """Numbers of a triangular law; all `mode` where it has no width."""
    u = uniform(key, index)
    if most <= least:
        return np.full(u.shape, mode)
    split = (mode - least) / (most - least)
    rising = least + np.sqrt(u * (most - least) * (mode - least))
    falling = most - np.sqrt((1.0 - u) * (most - least) * (most - mode))
    return np.where(u < split, rising, falling)


def poisson_times_batch(keys: Keys, rate: Array, begin: Array, end: Array) -> tuple[Array, NDArray[np.int64]]:
    """The `poisson_times` of many processes, one after the other, and of which process each is; all arrays (n,)."""
    expected = rate * (end - begin)
    few = np.flatnonzero((expected > 0) & (expected <= A_FEW))
    many = np.flatnonzero(expected > A_FEW)
    most = float(expected[few].max(initial=0.0))
    n = int(most + 6.0 * np.sqrt(most)) + 12
    drawn = exponential(keys[few, None], np.arange(n))
    t = begin[few, None] + np.cumsum(drawn, axis=1) / rate[few, None]
    # Rare: one of them has more than there is room for.
    more = t[:, -1] < end[few]
    if more.any():
        many = np.append(many, few[more])
        few, t = few[~more], t[~more]
    inside = t < end[few, None]
    times, of = t[inside], np.repeat(few, inside.sum(axis=1))
    if len(many) == 0:
        return times, of
    each = [poisson_times(keys[k], float(rate[k]), float(begin[k]), float(end[k])) for k in many]
    times = np.concatenate([times, *each])
    of = np.concatenate([of, np.repeat(many, [len(x) for x in each])])
    order = np.argsort(of, kind="stable")
    return times[order], of[order]


def poisson_times(key: Any, rate: float, begin: float, end: float) -> Array:
    """Instants of a Poisson process in [begin, end), sorted; a later end only adds to them."""
    expected = rate * (end - begin)
    if not expected > 0:
        return np.empty(0)
    n = int(expected + 6.0 * np.sqrt(expected)) + 12
    t = begin + np.cumsum(exponential(key, np.arange(n))) / rate
    while t[-1] < end:
        more = exponential(key, np.arange(len(t), len(t) + n))
        t = np.concatenate([t, t[-1] + np.cumsum(more) / rate])
    return t[: int(np.searchsorted(t, end))]
