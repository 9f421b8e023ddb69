"""What names say in drawings: of layers, of blocks, of texts. A guess that decides nothing the geometry can decide."""

from __future__ import annotations

import re
from functools import cache
from typing import Literal

LayerKind = Literal["walls", "doors", "windows", "furniture", "stairs", "names", "rooms", "left out", "any"]

# Beginnings of words in the names of layers, in a few languages. The first kind with a word in the name wins: "wall
# dimensions" are dimensions, the "door furniture" of a plan its doors.
_LAYERS: tuple[tuple[LayerKind, str], ...] = (
    ("left out", "dim|anno|note|grid|axis|axes|achs|hatch|patt|title|border|sheet|frame|vport|viewport|defpoints|elev"
     "|sect|north|symb|elec|light|ceil|roof|hvac|duct|pipe|mech|fire|sprink|survey|topo|site|land|tree|sensor|lamp|circuit"
     "|switch|socket|contour|view|hazard|output|spot|furnace|bemass|schraff|cota|text"),
    ("rooms", "room|space|area|raum|zone"),
    ("names", "name|label|tag|ident"),
    ("doors", "door|dor|tuer|tür|porte|puerta"),
    ("windows", "wind|win|glaz|fenst|fenetre|ventan|opening"),
    ("stairs", "stair|step|tread|trepp|escal|ramp"),
    ("furniture", "furn|equip|fixt|sanit|plumb|appl|casew|desk|table|chair|seat|mobil|kitchen|bath|wc"),
    ("walls", "wall|wal|partit|mur|wand|masonry|brick|concrete|column|cols|pillar"),
)  # fmt: skip
_PATTERNS = tuple((kind, re.compile(rf"(?<![a-zäöüé])(?:{words})")) for kind, words in _LAYERS)


@cache
def layer_kind(name: str) -> LayerKind:
    """What probably lies on a layer, by its name."""
    words = name.lower()
    return next((kind for kind, pattern in _PATTERNS if pattern.search(words)), "any")


_OF_TEXTS = re.compile(r"text|txt|texte|texto|testo|tekst|schrift|anno|note|label|legend|name|tag")


def holds_texts(layer: str) -> bool:
    """Whether a layer is called after texts."""
    return _OF_TEXTS.search(layer.lower()) is not None


# Words in the names of blocks, and the kind of our furniture they stand for; the last word counts.
_FURNITURE: tuple[tuple[str, str], ...] = (
    ("armchair", r"armchair|easy ?chair|recliner"), ("chair", r"chair|stool|seat"), ("sofa", r"sofa|couch|settee"),
    ("bed", r"bed|bunk"), ("cot", r"cot|crib"), ("desk", r"desk|workstation|workplace"), ("table", r"table|tbl"),
    ("counter", r"counter|worktop|sink|island"), ("bench", r"workbench|bench"), ("bookcase", r"bookcase"),
    ("shelf", r"shelf|shelves|shelving"), ("wardrobe", r"wardrobe|closet"),
    ("chest", r"chest|drawers|cabinet|sideboard"),
    ("cooker", r"cooker|stove|hob|oven|range"), ("fridge", r"fridge|refrigerator|freezer"), ("bath", r"bath|tub"),
    ("shower-screen", r"shower"), ("toilet", r"wc|toilet|urinal"), ("basin", r"basin|washbasin|lavatory"),
    ("rack", r"rack"), ("plant", r"plant"), ("machine", r"machine|lathe|printer|copier"), ("kiln", r"kiln|furnace"),
)  # fmt: skip
_PIECES = tuple((kind, re.compile(rf"(?<![a-z])(?:{words})(?![a-z]{{3}})")) for kind, words in _FURNITURE)
_DOOR = re.compile(r"(?<![a-z])(?:door|dr\d|tuer|tür|porte)")
_WINDOW = re.compile(r"(?<![a-z])(?:window|win\d|wdw|fenst|glaz)")


@cache
def piece_kind(name: str) -> str | None:
    """`door`, `window`, or the kind of our furniture that the name of a block speaks of; else None."""
    words = name.lower()
    if _DOOR.search(words):
        return "door"
    if _WINDOW.search(words):
        return "window"
    found = [(m.end(), kind) for kind, pattern in _PIECES for m in pattern.finditer(words)]
    return max(found)[1] if found else None


# Texts in rooms that are not their names: areas, dimensions, numbers, heights.
_FIGURE = re.compile(
    r"^[\W\d_]*(?:m2|m²|sqm|sq ?m|sq ?ft|sf|mm|cm|m|ft|ffl|ch|fch|nia|gia|area)?[\W\d_]*$", re.IGNORECASE
)
_AREA = re.compile(
    r"\d\s*(?:m2|m²|m\^2|qm|sqm|sq\.? ?m|sq\.? ?ft|sf)(?!\w)|^(?:area|height|ch|ffl|fl[aä]che|surface|superficie|sup"
    r"|oppervlak|umfang|perimeter|lh|rh|hsp|hsfp|h)\b[\s.:=]*[\d.,]*|^[^:]{1,20}:\s*\S",
    re.IGNORECASE,
)
# Lines that say of what floors and ceilings are made.
_FINISH = re.compile(
    r"\b(?:parkett|parquet|fliesen|tiles?|tiled|carpet|teppich|laminate?|vinyl|screed|estrich|beton|concrete|linoleum"
    r"|carrelage|moquette|piastrelle|gres|tegels|ceramic|keramik|epoxy|suspended ceiling|faux plafond|floor finish)\b",
    re.IGNORECASE,
)
# The number of a room before its name: 1.04, 104, EG-03, R 12.
_NUMBER = re.compile(r"^(?:[A-Za-z]{0,3}[ ._-]?\d[\d._-]*[A-Za-z]?|\d+)(?:\s*[-–:|/]\s*|\s+)(?=\D{2,})")


def name_in(text: str) -> str | None:
    """The name of a room that a text of one or several lines holds: its lines with letters in them, without the areas
    and numbers beside; None where none is left."""
    lines = [line.strip() for line in text.splitlines()]
    kept = [
        x
        for x in lines
        if not _FIGURE.match(x) and not _AREA.search(x) and not _FINISH.search(x) and sum(c.isalpha() for c in x) >= 2
    ]
    name = " ".join(" ".join(kept[:2]).split())
    number = _NUMBER.match(name)
    if number is not None:
        # As one says it: Office 104, not 104 Office.
        name = f"{name[number.end() :]} {number[0].strip(' -–:|/')}"
    return _sentence_case(name[:60].strip()) or None


# Small words that are no abbreviations.
_SMALL = {"de", "da", "di", "du", "la", "le", "el", "of", "to", "en", "et", "au", "y", "e", "a", "à", "im", "am"}


def _sentence_case(name: str) -> str:
    """Drawings shout: OFFICE is Office, and WC stays."""
    if name.isupper() and len(name) > 3:
        return " ".join(
            w if len(w) <= 2 and w.lower() not in _SMALL else w.capitalize() if k == 0 else w.lower()
            for k, w in enumerate(name.split())
        )
    return name
