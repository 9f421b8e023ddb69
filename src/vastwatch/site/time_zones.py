"""Time zones: which there are, and which one a place is probably in."""

from __future__ import annotations

import math
import re
from functools import cache
from importlib import resources
from typing import NamedTuple
from zoneinfo import available_timezones


class _Zone(NamedTuple):
    name: str
    latitude: float
    longitude: float


@cache
def zone_names() -> tuple[str, ...]:
    """Every time zone by its name, in order; the plain hours from UTC last."""
    names = {
        n for n in available_timezones() if not n.startswith(("posix/", "right/", "SystemV/")) and n != "localtime"
    }
    return tuple(sorted(names, key=lambda n: (n.startswith("Etc/"), "/" not in n, n)))


@cache
def _zones() -> tuple[_Zone, ...]:
    """The zones with the place each is named for, of the table that comes with their data."""
    text = resources.files("tzdata").joinpath("zoneinfo/zone1970.tab").read_text("utf-8")
    out = []
    for line in text.splitlines():
        parts = line.split("\t")
        if line.startswith("#") or len(parts) < 3:
            continue
        m = re.fullmatch(r"([+-]\d{4,6})([+-]\d{5,7})", parts[1])
        if m is not None:
            out.append(_Zone(parts[2], _degrees(m[1], 2), _degrees(m[2], 3)))
    return tuple(out)


def _degrees(text: str, digits: int) -> float:
    """`+DDMM[SS]` in degrees, of which the whole ones have so many digits."""
    rest = text[1 + digits :]
    value = int(text[1 : 1 + digits]) + int(rest[:2]) / 60.0 + (int(rest[2:]) / 3600.0 if len(rest) > 2 else 0.0)
    return -value if text[0] == "-" else value


def guessed_zone(latitude: float, longitude: float) -> str:
    """The zone whose named place is nearest along the ground: right in most places, and a start in the others."""

    def distance(zone: _Zone) -> float:
        a, b = math.radians(latitude), math.radians(zone.latitude)
        c = math.sin(a) * math.sin(b) + math.cos(a) * math.cos(b) * math.cos(math.radians(longitude - zone.longitude))
        return math.acos(min(max(c, -1.0), 1.0))

    return min(_zones(), key=distance).name
