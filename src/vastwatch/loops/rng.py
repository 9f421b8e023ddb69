"""The numbers of `vastwatch.rng` one at a time, for compiled loops."""

from __future__ import annotations

import math

import numpy as np

from vastwatch.loops.compiling import compiled, part
from vastwatch.rng import DROPPED, FIRST, GOLDEN, HALF, LOWER, SECOND, SHIFTS, UNIT

_A, _B, _C = SHIFTS
_TURN, _ULP = np.float32(2.0 * math.pi * 2.0**-32), np.float32(2.0**-32)


@part
def bits_of(key, index):  # type: ignore[no-untyped-def]
    """The 64 bits that `rng._bits` gives."""
    z = key + np.uint64(np.int64(index)) * GOLDEN
    z = (z ^ (z >> _A)) * FIRST
    z = (z ^ (z >> _B)) * SECOND
    return z ^ (z >> _C)


@part
def sub_key_of(key, index):  # type: ignore[no-untyped-def]
    """As `rng.sub_keys`, one."""
    return bits_of(bits_of(key, index), 1)


@part
def uniform_of(key, index):  # type: ignore[no-untyped-def]
    """As `rng.uniform`, one."""
    return float(bits_of(key, index) >> DROPPED) * UNIT


@part
def normal_pair_of(key, index):  # type: ignore[no-untyped-def]
    """As `rng.normal_pair`, one."""
    bits = bits_of(key, index)
    radius = math.sqrt(np.float32(-2.0) * math.log((np.float32(bits >> HALF) + np.float32(1.0)) * _ULP))
    angle = np.float32(bits & LOWER) * _TURN
    return radius * math.cos(angle), radius * math.sin(angle)


@part
def exponential_of(key, index):  # type: ignore[no-untyped-def]
    """As `rng.exponential`, one."""
    return -math.log1p(-uniform_of(key, index))


@part
def normal_of(key, index):  # type: ignore[no-untyped-def]
    """As `rng.normal`, one."""
    return math.sqrt(2.0 * exponential_of(key, 2 * index)) * math.cos(2.0 * math.pi * uniform_of(key, 2 * index + 1))


@compiled
def grow_rows(column):  # type: ignore[no-untyped-def]
    """A column with as much room again. Copied one by one: a slice would import the check of its shape, and that
    twenty times as much to compile."""
    out = np.empty(2 * len(column), column.dtype)
    for k in range(len(column)):
        out[k] = column[k]
    return out


@compiled
def twice_rows(rows):  # type: ignore[no-untyped-def]
    """As `grow_rows`, rows (n, m)."""
    out = np.empty((2 * len(rows), rows.shape[1]), rows.dtype)
    for k in range(len(rows)):
        for c in range(rows.shape[1]):
            out[k, c] = rows[k, c]
    return out
