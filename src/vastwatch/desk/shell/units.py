"""Quantities as people type and read them: metres or feet and inches, seconds or minutes, degrees."""

from __future__ import annotations

import re

_LENGTHS = {
    "m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "'": 0.3048, "in": 0.0254, '"': 0.0254,
}  # fmt: skip
_TIMES = {"s": 1.0, "sec": 1.0, "min": 60.0, "m": 60.0, "h": 3600.0}


def parse_length(text: str, plain: str = "m") -> float:
    """Metres from `2.2` (in the plain unit), `40 cm`, `8 ft 2`, `8' 2"`. Raises ValueError with a sentence."""
    return _parse(text, _LENGTHS, plain, {"ft": "in", "'": "in"}, "a length such as 2.2, 40 cm or 8 ft 2")


def parse_size(text: str, plain: str = "m") -> tuple[float, float]:
    """Width and depth in metres from `4.2 x 3.6`. Raises ValueError with a sentence."""
    parts = re.split(r"\s*(?:x|×|\*|by)\s*", text.strip().lower())
    if len(parts) != 2:
        raise ValueError(f"'{text.strip()}' is not a size such as 4.2 x 3.6")
    width, depth = (parse_length(p, plain) for p in parts)
    if not (0.3 <= width <= 200 and 0.3 <= depth <= 200):
        raise ValueError("a room must be 0.3 to 200 m wide and deep")
    return width, depth


def parse_time(text: str) -> float:
    """Seconds from `90`, `2 min`, `1 min 30`, `1 h`. Raises ValueError with a sentence."""
    return _parse(text, _TIMES, "s", {"min": "s", "m": "s", "h": "min"}, "a time such as 90 s, 2 min or 1 min 30")


def parse_angle(text: str) -> float:
    """Degrees from `45` or `45°`. Raises ValueError with a sentence."""
    return _parse(text.replace("°", ""), {"": 1.0, "deg": 1.0}, "", {}, "an angle in degrees, such as 45")


def parse_earth(text: str) -> float:
    """Degrees as they are written: `54.2`, `54,2`, `54° 12'`, `54.2 N`, `12 W`. Raises ValueError."""
    words = text.strip().upper().replace(",", ".")
    sign = -1.0 if words.endswith(("S", "W")) or words.startswith("-") else 1.0
    parts = words.strip("NSEW -+").replace("°", " ").replace("'", " ").replace('"', " ").split()
    try:
        figures = [float(p) for p in parts]
    except ValueError:
        figures = []
    if not 1 <= len(figures) <= 3 or any(f < 0 for f in figures) or any(f >= 60 for f in figures[1:]):
        raise ValueError(f"'{text}' is not an angle in degrees")
    return sign * sum(f / 60.0**k for k, f in enumerate(figures))


def _parse(text: str, units: dict[str, float], plain: str, after: dict[str, str], wanted: str) -> float:
    """Sum of number-unit pairs; a bare number takes the plain unit, or the one that follows the last unit."""
    cleaned = text.strip().lower().replace(",", ".")
    pairs = re.findall(r"([-+]?\d+(?:\.\d+)?|[-+]?\.\d+)\s*([a-z'\"]*)", cleaned)
    if not pairs or re.sub(r"\s", "", "".join(a + b for a, b in pairs)) != re.sub(r"\s", "", cleaned):
        raise ValueError(f"'{text.strip()}' is not {wanted}")
    total, unit, sign = 0.0, plain, -1.0 if cleaned.startswith("-") else 1.0
    for k, (number, name) in enumerate(pairs):
        if k and not pairs[k - 1][1]:
            raise ValueError(f"'{text.strip()}' is not {wanted}")
        unit = name or (plain if k == 0 else after.get(unit, plain))
        if unit not in units:
            raise ValueError(f"'{name}' is not a known unit here; type {wanted}")
        total += abs(float(number)) * units[unit]
    if abs(total) > 1e6:
        raise ValueError(f"'{text.strip()}' is too large")
    return sign * total


def show_length(metres: float, feet: bool = False) -> str:
    """`2.20 m`, or `7 ft 3 in`."""
    if not feet:
        return f"{metres:.2f} m"
    inches = round(metres / 0.0254)
    sign = "-" if inches < 0 else ""
    return f"{sign}{abs(inches) // 12} ft {abs(inches) % 12} in"


def show_angle(degrees: float) -> str:
    """`222°`."""
    return f"{degrees:.0f}°" if abs(degrees - round(degrees)) < 0.05 else f"{degrees:.1f}°"
