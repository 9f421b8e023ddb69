"""The numbers of `draws` one at a time, for compiled loops.

A compiled loop that uses these keeps a copy of what was made of them: whoever changes this file touches those as well
(every module whose name ends in `_loops`), or clears what is kept beside them in `__pycache__`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numba import njit

from vastwatch.draws import DROPPED, FIRST, GOLDEN, HALF, LOWER, SECOND, SHIFTS, UNIT


def compiled(function: Callable[..., Any]) -> Any:
    """A loop, compiled when it is first called and kept beside the file it is in, or else in the user's cache folder;
    where neither can be written it is compiled by every process. Other threads go on while it runs."""
    try:
        return njit(cache=True, nogil=True)(function)
    except RuntimeError:
        return njit(nogil=True)(function)


_A, _B, _C = SHIFTS
_TURN, _ULP = np.float32(2.0 * math.pi * 2.0**-32), np.float32(2.0**-32)


@compiled
def bits_of(key, index):  # type: ignore[no-untyped-def]
    """The 64 bits that `draws._bits` gives."""
    z = key + np.uint64(index) * GOLDEN
    z = (z ^ (z >> _A)) * FIRST
    z = (z ^ (z >> _B)) * SECOND
    return z ^ (z >> _C)


@compiled
def sub_key_of(key, index):  # type: ignore[no-untyped-def]
    """As `draws.sub_keys`, one."""
    return bits_of(bits_of(key, index), 1)


@compiled
def uniform_of(key, index):  # type: ignore[no-untyped-def]
    """As `draws.uniform`, one."""
    return float(bits_of(key, index) >> DROPPED) * UNIT


@compiled
def normal_pair_of(key, index):  # type: ignore[no-untyped-def]
    """As `draws.normal_pair`, one."""
    bits = bits_of(key, index)
    radius = math.sqrt(np.float32(-2.0) * math.log((np.float32(bits >> HALF) + np.float32(1.0)) * _ULP))
    angle = np.float32(bits & LOWER) * _TURN
    return radius * math.cos(angle), radius * math.sin(angle)


@compiled
def exponential_of(key, index):  # type: ignore[no-untyped-def]
    """As `draws.exponential`, one."""
    return -math.log1p(-uniform_of(key, index))


@compiled
def normal_of(key, index):  # type: ignore[no-untyped-def]
    """As `draws.normal`, one."""
    return math.sqrt(2.0 * exponential_of(key, 2 * index)) * math.cos(2.0 * math.pi * uniform_of(key, 2 * index + 1))


@compiled
def twice(rows):  # type: ignore[no-untyped-def]
    """A column, or rows of several, with as much room again."""
    out = np.empty((2 * len(rows), *rows.shape[1:]), rows.dtype)
    out[: len(rows)] = rows
    return out
