"""What the benchmarks share: the sample, one application, a median, and a line of the report."""

from __future__ import annotations

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest

from vastwatch.allocator import raise_trim_thresholds
from vastwatch.files import load_demo

raise_trim_thresholds()


@pytest.fixture(scope="module")
def demo():
    return load_demo()


@pytest.fixture(scope="session")
def app():
    """One application for all windows: a process has only one."""
    from vastwatch.desk.shell.app import make_application

    return make_application()
