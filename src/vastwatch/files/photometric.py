"""Photometric files as makers of lamps give them away: LM-63 text (the 1986 to 2019 editions, photometry of type C) and
EULUMDAT. Both are read into the same table; whatever cannot be meant is told in a sentence that names the place.

Planes that symmetry stands for are written out, so that nobody after this needs to know of it.
"""

from __future__ import annotations

import math
import os
import re
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.photometry import photometry_faults, share_of_lumens
from vastwatch.design.records import Photometry
from vastwatch.files.check import ProjectError
from vastwatch.files.reading import read_whole

Array = NDArray[np.float64]

# Far above any table of intensities, bytes; so many planes and angles at the most are kept.
LARGEST, MOST_PLANES, MOST_ANGLES = 5_000_000, 361, 361
# What one intensity may be, candela; more is a slip.
MOST_CD = 1e8


class PhotometricFile(NamedTuple):
    """What a photometric file says: how the light spreads, and of the lamp its lumens and watts; `notes` are sentences
    about what was put right, or left out."""

    photometry: Photometry
    lumens: float
    watts: float
    notes: tuple[str, ...] = ()


def read_photometric(path: str | os.PathLike[str], ident: str = "photometry-1") -> PhotometricFile:
    """Read an LM-63 or EULUMDAT file. Raises ProjectError with one sentence that names the file and the place."""
    path = Path(path)
    raw = read_whole(path, "a photometric file", LARGEST)
    try:
        return parse_photometric(raw, path.stem, ident)
    except ProjectError as e:
        raise ProjectError(f"{path}: {e}") from None


def parse_photometric(raw: bytes, name: str, ident: str = "photometry-1") -> PhotometricFile:
    """The same of the bytes of a file. Raises ProjectError."""
    if b"\0" in raw:
        raise ProjectError("this is not a text file, so it cannot be a photometric file")
    text = raw.decode("latin-1").replace("\r\n", "\n").replace("\r", "\n")
    if not text.strip():
        raise ProjectError("the file is empty")
    head = text.lstrip()[:2000].upper()
    read = _lm63 if "TILT=" in text.upper() or head.startswith("IES") else _eulumdat
    found = read(text, name, ident)
    for fault in photometry_faults(found.photometry):
        raise ProjectError(fault)
    return found


# -- LM-63 ---------------------------------------------------------------------------------------------------------


class _Numbers:
    """The numbers of a text, one after the other, with the line each stands in."""

    def __init__(self, text: str, first_line: int) -> None:
        self._found: list[tuple[str, int]] = []
        for n, line in enumerate(text.split("\n"), first_line):
            self._found += [(word, n) for word in re.split(r"[\s,]+", line) if word]
        self._at = 0

    def next(self, what: str) -> float:
        """The next number. Raises ProjectError where there is none."""
        if self._at >= len(self._found):
            raise ProjectError(f"the file ends before {what}")
        word, line = self._found[self._at]
        self._at += 1
        try:
            value = float(word)
        except ValueError:
            raise ProjectError(f"line {line}: '{word[:30]}' is not a number; expected {what}") from None
        if not math.isfinite(value):
            raise ProjectError(f"line {line}: {what} is {word}; it must be finite")
        return value

    def whole(self, what: str, least: int, most: int) -> int:
        """The next number as a count. Raises ProjectError where it is none."""
        value = self.next(what)
        if value != int(value) or not least <= value <= most:
            raise ProjectError(f"{what}: {value:g} is not a whole number from {least} to {most}")
        return int(value)

    def many(self, count: int, what: str) -> Array:
        return np.array([self.next(what) for _ in range(count)])


def _lm63(text: str, name: str, ident: str) -> PhotometricFile:
    lines = text.split("\n")
    tilt = next((k for k, line in enumerate(lines) if line.strip().upper().startswith("TILT=")), None)
    if tilt is None:
        raise ProjectError("no TILT= line: this is not a complete LM-63 file")
    kind = lines[tilt].strip()[5:].strip().upper()
    notes: list[str] = []
    numbers = _Numbers("\n".join(lines[tilt + 1 :]), tilt + 2)
    if kind == "INCLUDE":
        numbers.next("which way the lamp is tilted")
        angles = numbers.whole("the number of tilt angles", 1, 200)
        numbers.many(2 * angles, "a tilt angle or factor")
        notes.append("Its tilt factors are ignored: the lamp is taken as mounted.")
    elif kind not in ("NONE", ""):
        notes.append(f"Its tilt factors are in another file ({kind[:40].lower()}) and are ignored.")
    lamps = numbers.next("the number of lamps")
    per_lamp = numbers.next("the lumens of a lamp")
    factor = numbers.next("the factor of the intensities")
    gammas_n = numbers.whole("the number of vertical angles", 2, MOST_ANGLES)
    planes_n = numbers.whole("the number of horizontal angles", 1, MOST_PLANES)
    photometry_type = numbers.next("the photometric type")
    if photometry_type != 1:
        raise ProjectError(
            f"its photometry is of type {'B' if photometry_type == 2 else 'A' if photometry_type == 3 else 'unknown'}; "
            "only type C, by angles about the vertical, is read"
        )
    numbers.many(4, "the units and size of the opening")
    ballast, other = numbers.next("the ballast factor"), numbers.next("the lamp factor")
    watts = numbers.next("the watts")
    gammas = numbers.many(gammas_n, "a vertical angle")
    planes = numbers.many(planes_n, "a horizontal angle")
    table = numbers.many(gammas_n * planes_n, "an intensity").reshape(planes_n, gammas_n)
    _sane(table)
    # What is given besides the lamp's own figures counts for all of them.
    table = table * max(factor, 0.0) * (ballast or 1.0) * (other or 1.0)
    planes, table = _around(planes, table)
    gammas, table = _upright(gammas, table, notes)
    absolute = per_lamp < 0
    if absolute:
        lumens = _lumens(planes, gammas, table)
        notes.append("Its intensities are absolute: the lumens are computed from them.")
    else:
        lumens = max(lamps, 1.0) * per_lamp
    return _made(ident, _title(lines[:tilt], name), planes, gammas, table, lumens, watts, notes)


def _title(lines: list[str], name: str) -> str:
    """What the file calls the lamp, else its own name."""
    for key in ("[LUMINAIRE]", "[LUMCAT]"):
        for line in lines:
            if line.strip().upper().startswith(key):
                words = " ".join(line.strip()[len(key) :].split())
                if words:
                    return words[:80]
    return name[:80]


# -- EULUMDAT ------------------------------------------------------------------------------------------------------


def _eulumdat(text: str, name: str, ident: str) -> PhotometricFile:
    lines = [line.strip() for line in text.split("\n")]
    at = -1

    def next_line(what: str) -> str:
        nonlocal at
        at += 1
        if at >= len(lines) or (at >= len(lines) - 1 and not lines[at]):
            raise ProjectError(f"the file ends before {what}")
        return lines[at]

    def number(what: str, least: float = -MOST_CD, most: float = MOST_CD) -> float:
        word = next_line(what).replace(",", ".")
        try:
            value = float(word)
        except ValueError:
            raise ProjectError(f"line {at + 1}: '{word[:30]}' is not a number; expected {what}") from None
        if not math.isfinite(value):
            raise ProjectError(f"line {at + 1}: {what} is {word}; every number must be finite")
        if not least <= value <= most:
            raise ProjectError(f"line {at + 1}: {what} is {value:g}, not from {least:g} to {most:g}")
        return value

    def whole(what: str, least: int, most: int) -> int:
        value = number(what, least, most)
        if value != int(value):
            raise ProjectError(f"line {at + 1}: {what} is {value:g}, and should be a whole number")
        return int(value)

    next_line("the maker")
    whole("the kind of lamp", 0, 4)
    symmetry = whole("the symmetry", 0, 4)
    planes_n = whole("the number of planes", 1, MOST_PLANES)
    plane_step = number("the step between planes", 0, 360)
    gammas_n = whole("the number of angles", 2, MOST_ANGLES)
    number("the step between angles", 0, 180)
    next_line("the report's number")
    title = next_line("the lamp's name")
    for what in ("the lamp's number", "the file's name", "the date"):
        next_line(what)
    for _ in range(9):
        number("a size of the lamp or its opening")
    number("the share of light downward", 0, 101)
    number("the share of light that leaves it", 0, 101)
    factor = number("the factor of the intensities", 0, 1e6)
    number("the tilt in measurement")
    sets = whole("the number of lamp sets", 1, 20)
    lumens, watts = 0.0, 0.0
    for k in range(sets):
        count = number("the number of lamps", -1000, 1000)
        next_line("the type of lamp")
        of_set = number("the lumens of a set", 0, 1e9)
        next_line("the colour")
        next_line("the colour rendering")
        watts_of = number("the watts of a set", 0, 1e7)
        if k == 0:
            # The count is a multiple only where it is not marked as absolute by its sign.
            lumens, watts = of_set, watts_of
            absolute = count < 0
    for _ in range(10):
        number("a utilisation figure")
    planes = np.array([number("a plane", 0, 360) for _ in range(planes_n)])
    gammas = np.array([number("an angle", 0, 180) for _ in range(gammas_n)])
    there = {0: planes_n, 1: 1, 2: planes_n // 2 + 1, 3: planes_n // 2 + 1, 4: planes_n // 4 + 1}[symmetry]
    table = np.array([number("an intensity") for _ in range(there * gammas_n)]).reshape(there, gammas_n)
    _sane(table)
    notes: list[str] = []
    if sets > 1:
        notes.append(f"It holds {sets} sets of lamps; the first is used.")
    if absolute:
        notes.append("It was measured as a complete luminaire: its lumens are those of the luminaire.")
    if plane_step == 0 and planes_n > 1 and symmetry == 1:
        planes = planes[:1]
    table = table * (factor or 1.0)
    if symmetry == 3:
        # Given from 270 through 0 to 90 degrees: the mirror image of what lies from 270 through 180 back to 90.
        given: Array = 90.0 + np.arange(there, dtype=float) * (180.0 / max(there - 1, 1))
        planes, table = _around(given, table[::-1])
    else:
        planes, table = _around(planes[:there] if symmetry else planes, table)
    gammas, table = _upright(gammas, table, notes)
    return _made(ident, (title or name)[:80], planes, gammas, table * lumens / 1000.0, lumens, watts, notes)


# -- both ----------------------------------------------------------------------------------------------------------


def _sane(table: Array) -> None:
    if (table < 0).any():
        raise ProjectError("an intensity is negative")
    if table.max(initial=0.0) > MOST_CD:
        raise ProjectError(f"an intensity is {table.max():.3g} candela, which is not plausible")
    if table.max(initial=0.0) <= 0:
        raise ProjectError("all intensities are zero")


def _around(planes: Array, table: Array) -> tuple[Array, Array]:
    """All planes from 0 to below 360 degrees, where symmetry stands for some: given are one plane; 0 to 90; 0 to 180;
    90 to 270; or all round."""
    if not (np.diff(planes) > 0).all():
        raise ProjectError("its planes are out of order")
    first, last = float(planes[0]), float(planes[-1])
    if len(planes) == 1:
        return np.zeros(1), table
    if (first, last) == (0.0, 90.0):
        planes, table = _mirrored(planes, table, 180.0)
        first, last = 0.0, 180.0
    if (first, last) == (90.0, 270.0):
        # What lies on the other side of the plane 90 to 270 is its mirror image.
        other = (180.0 - planes) % 360.0
        every = np.concatenate([planes, other])
        rows = np.concatenate([table, table])
        order = np.argsort(every, kind="stable")
        every, rows = every[order], rows[order]
        keep = np.concatenate([[True], np.diff(every) > 1e-6])
        return _from_nought(every[keep], rows[keep])
    if (first, last) == (0.0, 180.0):
        planes, table = _mirrored(planes, table, 360.0)
    if planes[-1] >= 360.0 - 1e-6:
        planes, table = planes[:-1], table[:-1]
    if first != 0.0:
        raise ProjectError(f"its planes run from {first:g} to {last:g} degrees, which no symmetry explains")
    return planes, table


def _from_nought(planes: Array, table: Array) -> tuple[Array, Array]:
    if planes[0] > 1e-6:
        planes, table = np.concatenate([[0.0], planes]), np.concatenate([table[:1], table])
    return planes, table


def _mirrored(planes: Array, table: Array, full: float) -> tuple[Array, Array]:
    return np.concatenate([planes, full - planes[-2::-1]]), np.concatenate([table, table[-2::-1]])


def _upright(gammas: Array, table: Array, notes: list[str]) -> tuple[Array, Array]:
    """Angles in rising order; told where the lamp was measured upside down."""
    if (np.diff(gammas) < 0).all():
        gammas, table = gammas[::-1], table[:, ::-1]
    if not (np.diff(gammas) > 0).all() or gammas[0] < 0 or gammas[-1] > 180:
        raise ProjectError("its angles do not rise from 0 to 180 degrees")
    if gammas[0] >= 90.0:
        notes.append("It shines upward only; a downlight may have been measured upside down.")
    return gammas, table


def _lumens(planes: Array, gammas: Array, table: Array) -> float:
    p = Photometry(id="x", name="", c_deg=tuple(planes), gamma_deg=tuple(gammas), candela=tuple(map(tuple, table)))
    return share_of_lumens(p) * 1000.0


def _made(
    ident: str, name: str, planes: Array, gammas: Array, table: Array, lumens: float, watts: float, notes: list[str]
) -> PhotometricFile:
    """The table per 1,000 of the lamp's lumens."""
    if not 0 < lumens < 1e9:
        raise ProjectError(f"its lamp gives {lumens:g} lumens")
    if not 0 <= watts < 1e6:
        raise ProjectError(f"its lamp draws {watts:g} W")
    rows = np.round(table * 1000.0 / lumens, 3)
    photometry = Photometry(
        id=ident, name=name or "lamp", c_deg=tuple(np.round(planes, 3).tolist()),
        gamma_deg=tuple(np.round(gammas, 3).tolist()), candela=tuple(map(tuple, rows.tolist())),
    )  # fmt: skip
    return PhotometricFile(photometry, float(lumens), float(watts), tuple(notes))
