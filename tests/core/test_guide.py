"""The guide: each finding, field and figure is explained, and topics are found by their words."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import vastwatch
import vastwatch.design.project
import vastwatch.devices.families
from vastwatch.advice.checks.findings import BESIDES, findings
from vastwatch.guide import search, topic_of, topic_of_field, topics
from vastwatch.site.record import Record
from vastwatch.site.shown import shown_fields

SOURCE = Path(vastwatch.__file__).parent


def _rules():
    """The names of all rules, from the sources of the checks."""
    text = "\n".join(p.read_text() for p in (SOURCE / "advice" / "checks").glob("*.py"))
    return sorted({*re.findall(r'Finding\(\s*"([a-z-]+)"', text), *(rule for rule, _ in BESIDES.values())})


def _records(kind=Record):
    for sub in kind.__subclasses__():
        yield sub
        yield from _records(sub)


def test_names_of_topics_are_unique():
    names = [t.name for t in topics()]
    assert len(names) == len(set(names)) > 60


def test_nothing_is_explained_twice():
    seen = {}
    for topic in topics():
        for key in topic.explains:
            assert key not in seen, f"{key}: {seen.get(key)} and {topic.name}"
            seen[key] = topic.name


@pytest.mark.parametrize("rule", _rules())
def test_every_rule_is_explained(rule):
    topic = topic_of(rule)
    assert topic is not None and rule in topic.explains


def test_the_rules_of_the_sample_are_among_them(demo):
    assert {f.rule for f in findings(demo)} <= set(_rules())


def test_every_field_that_is_set_by_hand_is_explained():
    missing = [
        f"{kind.__name__}.{field}"
        for kind in _records()
        for field in _fields(kind)
        if kind.__module__.startswith("vastwatch.") and topic_of_field(kind, field) is None
    ]
    assert missing == []


def _fields(kind):
    try:
        return shown_fields(kind)
    except NameError:
        return ()


def test_keys_that_are_explained_exist():
    """No topic explains a rule or a class that is no more."""
    kinds = {k.__name__ for k in _records()}
    source = "\n".join(p.read_text() for p in SOURCE.rglob("*.py"))
    for topic in topics():
        for key in topic.explains:
            first, _, field = key.partition(".")
            if first in kinds:
                assert not field or any(k.__name__ == first and field in k.__struct_fields__ for k in _records()), key
            else:
                assert f'"{key}"' in source or first == "figure" or key in _rules(), key


def test_comments_are_not_part_of_the_text():
    assert not any("explains" in t.text or "<!--" in t.text for t in topics())


def test_titles_rank_before_texts():
    assert search("hold time")[0].title == "Timing curve and the recommended hold time"
    assert search("WAVES dark")[0].chapter in ("Figures", "Timing")
    assert [t.name for t in search("")] == [t.name for t in topics()]
    assert search("xylophone") == []


def test_a_class_inherits_what_explains_it():
    from vastwatch.design.records import Fan

    assert topic_of_field(Fan, "least_run_s").title == "Other equipment"
    assert topic_of_field(Fan, "watts") is topic_of_field(Fan, "least_run_s")
    assert topic_of_field(int, "real") is None


def test_words_of_the_window_lead_to_topics():
    """A label that is to lead to the guide does."""
    keys = re.findall(
        r'guide_label\([^()]*(?:\([^()]*\))?, "([^"]+)"', "\n".join(p.read_text() for p in SOURCE.rglob("*.py"))
    )
    assert len(keys) > 25
    assert [k for k in keys if topic_of(k) is None] == []
