"""Covers: blinds and shutters that are down while their rows say so."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.rows import ByRows
from vastwatch.design.expressions import ClockTime
from vastwatch.design.records import Cover, Row
from vastwatch.site.record import Point


class CoverHandler(ByRows):
    """`OutputHandler` of covers."""

    bothers: Literal["nobody"] = "nobody"
    called, why = "cover", "A blind or shutter: down at night, by its rows; on means down."
    caution = (
        "A cover that moves by itself can trap: never before a way out or where a child plays, and stop it by hand in "
        "sight of it. Wind guards stay above everything."
    )

    def new(self, ident: str, room: str, name: str, at: Point) -> Cover:
        rows = (Row(name="At night", when=ClockTime(begin="sunset+00:30", end="sunrise"), level=1.0),)
        return Cover(id=ident, room=room, name=name, at=at, watts=0.0, rows=rows, moves_a_day=4)


HANDLER = CoverHandler()
