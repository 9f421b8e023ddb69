"""Quantiles against those of a package for statistics, which the program itself does without: it loads slowly."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
from scipy import stats

from vastwatch.distributions import chi_square_quantile, normal_cdf, normal_quantile, student_quantile


def test_they_are_the_usual_ones():
    z = np.linspace(-6, 6, 41)
    assert normal_cdf(z) == pytest.approx(stats.norm.cdf(z), rel=1e-12)
    p = np.array([1e-9, 0.025, 0.5, 0.9, 0.999])
    assert normal_quantile(p) == pytest.approx(stats.norm.ppf(p), rel=1e-10)
    for freedom in (1, 2, 5, 19, 200):
        for share in (0.05, 0.5, 0.95, 0.975):
            assert student_quantile(share, freedom) == pytest.approx(stats.t.ppf(share, freedom), rel=1e-9, abs=1e-12)
    freedom = np.array([1e-9, 0.7, 2.0, 40.0, 4000.0])
    for share in (0.025, 0.05, 0.5, 0.95, 0.99):
        assert chi_square_quantile(share, freedom) == pytest.approx(stats.chi2.ppf(share, freedom), rel=1e-8, abs=1e-12)


def test_nothing_slow_is_loaded_before_it_is_wanted():
    code = (
        "import sys, vastwatch.cli, vastwatch.advice, vastwatch.answers\n"
        "print([m for m in ('scipy.stats', 'scipy.optimize', 'scipy.special') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
