"""What a room is probably for, told by its name: a start that is quickly changed."""

from __future__ import annotations

import re
from typing import get_args

from vastwatch.site.building import RoomUse

USES: tuple[RoomUse, ...] = get_args(RoomUse)

# Words in names. Of several the last counts: a "shower room" is a bathroom, a "boiler cupboard" a store.
_WORDS: tuple[tuple[RoomUse, str], ...] = (
    ("stair", r"stairs?|staircase|stairwell|landing"),
    ("corridor", r"corridor|public corridor"),
    ("passage", r"passage|hall|hallway|lobby|vestibule|entrance|porch"),
    ("toilet", r"toilet|wc|cloakroom|lavatory|restroom"),
    ("bathroom", r"bath|bathroom|shower|wash ?room|en ?suite|wet room"),
    ("kitchen", r"kitchen|kitchenette|galley|pantry"),
    ("dining", r"dining|canteen|breakfast"),
    ("nursery", r"nursery|baby|playroom"),
    ("bedroom", r"bed|bedroom|guest room|dormitory|dorm"),
    ("open office", r"open ?plan(?: office)?|open office"),
    ("desk", r"office|study|desk|library"),
    ("meeting", r"meeting(?: room)?|conference|board ?room"),
    ("reception", r"reception|front desk|foyer"),
    ("waiting", r"waiting(?: room| area)?"),
    ("consulting", r"consulting(?: room)?|treatment(?: room)?|surgery|examination"),
    ("gym", r"gym|fitness|weights"),
    ("laundry", r"laundry|washhouse|launderette"),
    ("garage", r"garage|car ?port|parking"),
    ("class", r"class|classroom|lecture|seminar|training"),
    ("workshop", r"workshop|studio|lab|laboratory|machines?"),
    ("shop", r"shop|store front|gallery|showroom|sales"),
    ("plant", r"plant|boiler|server|meter|utility|kiln"),
    ("store", r"store|storage|storeroom|closet|cupboard|larder|cellar|attic|loft|archive|shed"),
    ("sitting", r"sitting|living|lounge|parlour|snug|den|common room|family room"),
    ("outside", r"outside|yard|garden|terrace|balcony|drive"),
)
_TELLING = tuple((use, re.compile(rf"\b(?:{words})\b")) for use, words in _WORDS)


def use_of_name(name: str) -> RoomUse | None:
    """The use a room's name speaks of, or None."""
    words = name.lower()
    # "Living room kitchen" is told by its last word: the kind comes last in English.
    found = [(m.end(), use) for use, pattern in _TELLING for m in pattern.finditer(words)]
    return max(found, default=(0, None), key=lambda f: f[0])[1]
