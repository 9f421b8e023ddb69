"""Writes the last section of docs/catalogue.md: `make catalogue-docs`. What each box says, what the model gives in its tests."""

from __future__ import annotations

from pathlib import Path

from vastwatch.devices import catalogue
from vastwatch.devices.battery import battery_years
from vastwatch.sensing.declared import claimed_ranges, declared

DOC = Path(__file__).resolve().parent.parent / "docs" / "catalogue.md"
BEGINS = "\n## Every type, tested\n"
HEAD = """
Every shipped type is generic and invented; its figures are typical of its class. For types that watch an area the model
runs the tests by which a data sheet declares its ranges (`sensing/declared.py`): mounted at its rated height over an
empty floor at 21 °C, what is noticed in half of the trials, of walks of 2 m across and of walks towards it at 1 m/s, of
five movements of an arm, and of somebody at rest, facing it, within 30 s on average. Metres on the plan near the axis,
data sheet / model; for ceiling types, metres on the floor. Battery life in years at 150 messages a day, or at the
report interval of the type.

`vastwatch device ID` gives the same for any type, custom types included, with the whole areas; on the desktop it is
*Data sheet vs model…* in the menu of a card.

| type | power | across | towards | seated, an arm | at rest | hold time | battery |
|---|---|---|---|---|---|---|---|
"""


def rows() -> list[str]:
    """A row a type."""
    out = []
    for d in catalogue():
        areas = declared(d)
        four = ["–"] * 4
        if areas is not None:
            pairs = zip(claimed_ranges(d), areas.on_axis())
            four = [f"{said:.1f} / {model:.1f}" if said > 0 else "–" for said, model in pairs]
        hold = f"{d.hold_s:g} s"
        if d.hold_max_s is not None:
            hold += ", fixed" if d.hold_max_s == d.hold_s else f" ({d.hold_min_s:g} to {d.hold_max_s:g})"
        years = battery_years(d)
        cells = "–" if years is None or d.battery is None else f"{d.battery.count} × {d.battery.cell}, {years:.1f} y"
        out.append(f"| `{d.id}` {d.name} | {d.power} | {' | '.join(four)} | {hold} | {cells} |")
    return out


if __name__ == "__main__":
    before = DOC.read_text(encoding="utf-8").split(BEGINS)[0]
    DOC.write_text(before + BEGINS + HEAD + "\n".join(rows()) + "\n", encoding="utf-8")
    print(DOC)
