"""Integrals and quantiles of the usual laws. What computes them is loaded when it is first asked for: a fifth of a
second, where all of statistics would take the better part of one."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.floating[Any]]


def normal_cdf(z: ArrayLike) -> Array:
    """The chance that a standard normal is below z."""
    from scipy.special import ndtr

    return np.asarray(ndtr(z), float)


def normal_quantile(p: ArrayLike) -> Array:
    """What a standard normal is below with a chance of p."""
    from scipy.special import ndtri

    return np.asarray(ndtri(p), float)


def student_quantile(p: float, freedom: float) -> float:
    """What Student's t of so many degrees of freedom is below with a chance of p."""
    from scipy.special import stdtrit

    return float(stdtrit(freedom, p))


def chi_square_quantile(p: float, freedom: ArrayLike) -> Array:
    """What chi-square of so many degrees of freedom is below with a chance of p."""
    from scipy.special import gammaincinv

    return np.asarray(2.0 * gammaincinv(np.asarray(freedom, float) / 2.0, p), float)
