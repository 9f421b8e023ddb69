"""A type from what its box says: what it does not say is filled from one typical of its class, in proportion.

Boxes say range, angle, height, hold and cell; nobody prints the distance between beams or the currents of a report.
"""

from __future__ import annotations

from collections.abc import Mapping

# What a box says, by the last part of a field's dotted name, as far as its class has it.
ON_THE_BOX = (
    "name", "power", "price", "mounts", "mount_height", "tangential_m", "radial_m", "minor_m", "moving_m", "still_m",
    "floor_m", "floor_still_m", "fov_h", "fov_v", "typical_s", "hold_s", "hold_min_s", "hold_max_s", "hold_step_s",
    "cell", "count", "pad", "closing_kpa", "gap_mm", "steps", "load_w", "interval_s",
)  # fmt: skip
# Figures that keep their proportion to the first that is said of these, where they are not said themselves.
ALIKE = {
    "radial_m": ("tangential_m",), "minor_m": ("tangential_m", "moving_m"), "tangential_m": ("radial_m",),
    "still_m": ("moving_m",), "moving_m": ("still_m",), "max_gate_m": ("moving_m", "still_m"),
    "floor_m": ("moving_m",), "floor_still_m": ("still_m", "moving_m"),
    "min_s": ("typical_s",), "max_s": ("typical_s",),
}  # fmt: skip


def complete_fields(typical: Mapping[str, str], said: Mapping[str, str]) -> tuple[dict[str, str], list[str]]:
    """All fields of a type of which some are said, as texts by dotted name: what is blank or lacking comes from a
    typical one. And which came from there. What cannot be read as a number is left for the reader of types to tell."""
    out, lent = dict(typical), []
    given = {name: text.strip() for name, text in said.items() if text.strip()}
    for name, text in typical.items():
        if name in given:
            out[name] = given[name]
            continue
        lent.append(name)
        part, _, last = name.rpartition(".")
        for other in ALIKE.get(last, ()):
            full = f"{part}.{other}" if part else other
            share = _share(given.get(full), typical.get(full))
            if share is not None and (mine := _number(text)) is not None:
                out[name] = f"{mine * share:.4g}"
                break
    out |= {name: text for name, text in given.items() if name not in out}
    hold, most = _number(out.get("hold_s")), _number(out.get("hold_max_s"))
    if hold is not None and most is not None and hold > most and "hold_max_s" not in given:
        out["hold_max_s"] = out["hold_s"]
    least = _number(out.get("hold_min_s"))
    if hold is not None and least is not None and least > hold and "hold_min_s" not in given:
        out["hold_min_s"] = out["hold_s"]
    return out, lent


def _share(said: str | None, typical: str | None) -> float | None:
    a, b = _number(said), _number(typical)
    return None if a is None or not b else a / b


def _number(text: str | None) -> float | None:
    try:
        return float(text or "")
    except ValueError:
        return None
