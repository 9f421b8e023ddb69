"""What a room is probably for, told by its name: a start that is quickly changed."""

from __future__ import annotations

import json
import re
import unicodedata
from functools import cache
from importlib import resources
from typing import get_args

from vastwatch.site.building import RoomUse

USES: tuple[RoomUse, ...] = get_args(RoomUse)


@cache
def telling() -> tuple[tuple[RoomUse, re.Pattern[str]], ...]:
    """For each use the words that speak of it: English, then as drawings of other countries have them, without accents
    and in lower case. Of several the last counts: a "shower room" is a bathroom, a "boiler cupboard" a store."""
    text = resources.files("vastwatch.site").joinpath("room_words.json").read_text(encoding="utf-8")
    return tuple((use, re.compile(rf"\b(?:{'|'.join(words)})\b")) for use, words in json.loads(text).items())


def _plain(name: str) -> str:
    """In lower case, without accents: Küche is kuche, Entrée entree."""
    apart = unicodedata.normalize("NFKD", name.lower().replace("ß", "ss"))
    return "".join(c for c in apart if not unicodedata.combining(c)).replace("’", "'")


def guess_use(name: str) -> RoomUse | None:
    """The use a room's name speaks of, in one of several languages, or None."""
    words = _plain(name)
    # "Living room kitchen" is told by its last word, and of two that end there by the longer: the kind comes last in
    # English and German, and where it comes first the second tells more: a "salle de réunion", a "cuarto de baño".
    found = [(m.end(), len(m[0]), use) for use, pattern in telling() for m in pattern.finditer(words)]
    return max(found, default=(0, 0, None), key=lambda f: f[:2])[2]
