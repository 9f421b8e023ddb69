"""What all tests share: nothing of the person who runs them is read or written, and the projects to test with."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="vastwatch-tests-")
os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp(prefix="vastwatch-tests-")

import pytest
from hypothesis import settings

from samples import make_room
from vastwatch.advice.judging.settings import SHIPPED, JudgeSettings, judging_by
from vastwatch.design.project import Project
from vastwatch.files import load_demo

# Examples are judged by their outcome, not by how long a busy machine takes over them. Each run draws others: a few
# every time, and many for anybody who asks (`make test-core THOROUGH=1`).
settings.register_profile("plain", deadline=None, max_examples=20)
settings.register_profile("thorough", deadline=None, max_examples=500)
settings.load_profile("thorough" if os.environ.get("THOROUGH") else "plain")


# The judge lives few weeks here; what it needs many for is asked of it with its seeds, or as it is shipped.
FEW = JudgeSettings(chosen_on=(1, 2, 3), held_out=(1001, 1002))


@pytest.fixture(autouse=True, scope="session")
def few_weeks() -> Iterator[None]:
    with judging_by(FEW):
        yield


@pytest.fixture
def shipped() -> Iterator[None]:
    """The judge as it is shipped."""
    with judging_by(SHIPPED):
        yield


@pytest.fixture
def room() -> Project:
    return make_room()


@pytest.fixture(scope="session")
def demo() -> Project:
    return load_demo()
