"""Device types found by what people call them."""

from __future__ import annotations

import pytest

from vastwatch.devices import catalogue
from vastwatch.devices.search import ELSEWHERE, SYNONYMS, hint, search


def found(words):
    return search(catalogue(), words)


@pytest.mark.parametrize(
    ("words", "family"),
    [
        ("mmwave", "radar"), ("microwave", "radar"), ("ultrasound", "ultrasonic"), ("reed", "contact"),
        ("humidity", "humidity"), ("damp", "humidity"), ("dimmer", "module"), ("relay", "module"), ("mat", "mat"),
        ("television", "player"), ("photocell", "light"), ("motion", "pir"), ("plug", "plug"),
    ],
)  # fmt: skip
def test_what_people_call_it_finds_it_first(words, family):
    assert found(words)[0].family == family


def test_a_name_comes_before_a_description():
    names = [d.id for d in found("humidity")]
    # Its summary alone names it.
    assert names.index("humidity-tag") < names.index("pir-multi-9")


def test_every_word_counts_and_none_finds_all():
    assert {d.id for d in found("corner battery")} < {d.id for d in found("corner")}
    assert all(d.power == "battery" for d in found("corner battery"))
    assert found("") == list(catalogue()) and not found("corner zebra")
    assert [d.id for d in search(catalogue(), "custom", ["mat-seat"])] == ["mat-seat"]


def test_synonyms_lead_somewhere_and_what_is_elsewhere_is_said():
    assert [word for word in SYNONYMS if not found(word)] == []
    assert "Wall button" in hint("wall buttons") and hint("corner") == ""
    assert all(text.endswith(".") for text in ELSEWHERE.values())
