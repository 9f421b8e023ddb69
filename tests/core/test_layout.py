"""The shape of the program itself: who may import whom, what is shipped, what must not be in the tree."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
SOURCES = sorted((ROOT / "src").rglob("*.py"))


def test_qt_is_known_under_desk_only():
    for path in SOURCES:
        if "desk" not in path.parts:
            assert not re.search(r"^\s*(from|import) (PyQt6|pyqtgraph)", path.read_text(), re.M), path


@pytest.mark.parametrize("package", ["signals", "geometry", "sensing", "rehearsal", "advice", "files"])
def test_core_packages_load_without_qt(package):
    probe = f"import sys, vastwatch.{package}; assert not any(m.startswith('PyQt6') for m in sys.modules)"
    subprocess.run([sys.executable, "-c", probe], check=True)


def test_every_module_says_what_it_knows():
    for path in SOURCES:
        assert path.read_text().lstrip().startswith('"""'), path


def test_no_module_is_named_for_nothing():
    vague = {"utils", "util", "helpers", "helper", "manager", "common", "misc"}
    assert not [p for p in SOURCES if p.stem in vague]


def test_nothing_pending_is_left_in_the_code():
    words = re.compile("|".join(["TO" + "DO", "FIX" + "ME", "X" + "XX", "NotImplemented" + "Error"]))
    for path in SOURCES:
        assert not words.search(path.read_text()), path


def test_what_sets_the_program_up_names_no_address():
    for name in ("requirements.txt", "requirements-dev.txt", "pyproject.toml", "Makefile", "tools/setup.sh", ".ci/run"):
        assert "://" not in (ROOT / name).read_text(), name
    for name in ("requirements.txt", "requirements-dev.txt"):
        for line in (ROOT / name).read_text().splitlines():
            assert re.fullmatch(r"(#.*|-r [\w.-]+|[\w.-]+==[\w.]+|)", line), line


def test_what_the_program_ships_is_there():
    package = ROOT / "src" / "vastwatch"
    for name in (
        "data/saltmarsh.vastwatch.json", "devices/catalogue.json", "site/furniture.json", "desk/icons/check.svg",
        "desk/fonts/OFL.txt", "desk/fonts/BarlowSemiCondensed_400Regular.ttf",
    ):  # fmt: skip
        assert (package / name).stat().st_size > 50
    assert "GNU GENERAL PUBLIC LICENSE" in (ROOT / "LICENSE").read_text()


def test_every_package_that_is_installed_is_named_with_its_licence():
    listed = (ROOT / "docs" / "third-party.md").read_text().lower().replace("-", "_")
    pinned = re.findall(r"^([\w-]+)==", (ROOT / "requirements.txt").read_text(), re.M)
    assert len(pinned) > 15
    assert [name for name in pinned if name.lower().replace("-", "_") not in listed] == []


def test_the_readme_shows_pictures_that_exist():
    readme = (ROOT / "README.md").read_text()
    pictures = re.findall(r"\]\((docs/screenshots/[\w-]+\.png)\)", readme)
    assert len(pictures) >= 6
    assert all((ROOT / p).exists() for p in pictures)
    assert len(list((ROOT / "docs/screenshots").glob("*.png"))) < 20


def test_the_cores_tests_need_no_desk():
    for path in Path(__file__).parent.glob("*.py"):
        text = path.read_text()
        assert not re.search(r"^\s*(from|import) (PyQt6|vastwatch\.desk|hands)", text, re.M), path


def test_durations_read_as_people_say_them():
    from vastwatch.words import clock_words, duration_words, notice_interval_words, rough_duration_words

    cases = {
        0.8: "0.8 s",
        5: "5 s",
        59.6: "1 min",
        410: "6 min 50 s",
        7500: "2 h 05 min",
        3600: "1 h",
        float("inf"): "indefinitely",
    }
    assert {t: duration_words(t) for t in cases} == cases
    assert rough_duration_words(1968) == "33 min"
    assert rough_duration_words(74) == "1 min 10 s"
    assert clock_words(21 * 3600 + 14 * 60 + 7 + 86_400) == "21:14:07"
    assert notice_interval_words(float("inf")) == "never"
    assert notice_interval_words(1.0) == "within 2 s"
