"""The guide as topics: what each explains, and finding them by words.

The guide is one page of Markdown (`data/guide.md`). A chapter begins with `##`, a topic with `###`; a comment under
the heading of a topic names what it explains: rules of findings (`spot-unseen`), fields of records (`Sensor.yaw`, or
`Sensor` for all of them), figures (`figure.drops`), and parts of the window (`timing-curve`).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from importlib import resources

_EXPLAINS = re.compile(r"<!-- explains:([^>]*)-->\s*", re.DOTALL)
# A link to another page of the documents, of which the words are kept.
_LINK = re.compile(r"\[([^\]]+)\]\([^)]+\)")
_HEADING = re.compile(r"^(##|###) (.+)$", re.MULTILINE)
# Where words are found counts for so much: in the title, in what the topic explains, in the text.
_IN_TITLE, _IN_KEYS, _IN_TEXT = 8, 4, 1


@dataclass(frozen=True)
class Topic:
    """A paragraph or some under one heading: its `chapter`, the `text` in Markdown, and the keys of what it explains.
    The introduction of a chapter is a topic that is called like the chapter."""

    name: str
    title: str
    chapter: str
    text: str
    explains: frozenset[str]


def _slug(words: str) -> str:
    return "-".join(re.findall(r"[a-z0-9]+", words.lower()))


@cache
def topics() -> tuple[Topic, ...]:
    """All topics in the order of the guide. Names are unique: the title in lower case, its words joined by hyphens."""
    text = resources.files("vastwatch").joinpath("data", "guide.md").read_text(encoding="utf-8")
    title, chapter, out = "Guide", "Guide", []
    parts = _HEADING.split(text.partition("\n")[2])
    for marks, heading, body in (("##", title, parts[0]), *zip(parts[1::3], parts[2::3], parts[3::3])):
        chapter = heading if marks == "##" else chapter
        keys = frozenset(key for found in _EXPLAINS.findall(body) for key in found.split())
        plain = _LINK.sub(r"\1", _EXPLAINS.sub("", body)).strip()
        if plain:
            out.append(Topic(_slug(heading), heading, chapter, plain, keys))
    return tuple(out)


@cache
def _by_key() -> dict[str, Topic]:
    return {key: topic for topic in reversed(topics()) for key in (*topic.explains, topic.name)}


def topic_of(key: str) -> Topic | None:
    """The topic that explains a key or has that name: `Lamp.watts` is looked for itself, then `Lamp`. None where
    nothing explains it."""
    known = _by_key()
    return known.get(key) or known.get(key.partition(".")[0])


def topic_of_field(kind: type, field: str) -> Topic | None:
    """The topic that explains a field of a class of records: its own, then that of a class it is made from."""
    keys = [f"{k.__name__}.{field}" for k in kind.__mro__] + [k.__name__ for k in kind.__mro__]
    return next((topic for key in keys if (topic := _by_key().get(key)) is not None), None)


def search(words: str) -> list[Topic]:
    """Topics that have all words somewhere, those with more of them in the title first; all topics for no words."""
    wanted = words.lower().split()
    ranked = []
    for place, topic in enumerate(topics()):
        scores = [_score(topic, word) for word in wanted]
        if all(scores):
            ranked.append((-sum(scores), place, topic))
    return [topic for *_, topic in sorted(ranked, key=lambda r: r[:2])]


def _score(topic: Topic, word: str) -> int:
    return (
        _IN_TITLE * (word in topic.title.lower())
        + _IN_KEYS * _within(word, topic.explains)
        + min(_IN_TEXT * topic.text.lower().count(word), _IN_KEYS - 1)
    )


def _within(word: str, keys: Iterable[str]) -> bool:
    return any(word in key.lower() for key in keys)
