"""A short run of the fuzzer: no made-up file makes any reader stumble. `tools/fuzz.py` runs it for as long as one likes."""

from __future__ import annotations

import importlib.util
import sys
from pathlib import Path

import pytest

_FILE = Path(__file__).parents[2] / "tools" / "fuzz.py"


@pytest.fixture(scope="module")
def fuzzer():
    spec = importlib.util.spec_from_file_location("fuzz", _FILE)
    module = importlib.util.module_from_spec(spec)
    sys.modules["fuzz"] = module
    spec.loader.exec_module(module)
    return module


@pytest.mark.parametrize(("kind", "count"), [("projects", 250), ("drawings", 60), ("lists", 200), ("devices", 60)])
def test_no_made_up_file_makes_a_reader_stumble(fuzzer, kind, count):
    out = fuzzer.fuzz(kind, count, seed=20, seconds=30)
    # Slowness is told by the tool, and judged on a machine at rest.
    assert [what for what in out.found if not what[1].startswith("took")] == []
    assert out.files == count and 0 < out.accepted < count


def test_the_fuzzer_finds_what_is_there_to_be_found(fuzzer, monkeypatch):
    name, make, _ = fuzzer.KINDS["lists"]

    def stumbles(path, number):
        if number == 3:
            raise KeyError("deep inside")

    monkeypatch.setitem(fuzzer.KINDS, "lists", (name, make, stumbles))
    out = fuzzer.fuzz("lists", 5, seed=1, seconds=30)
    assert [n for n, _ in out.found] == [3] and "KeyError" in out.found[0][1]


def test_the_same_number_is_the_same_file(fuzzer):
    import random

    for _, make, _ in fuzzer.KINDS.values():
        if make is not fuzzer.picture_file:
            assert make(random.Random("x 1 2")) == make(random.Random("x 1 2"))
