"""Covers: blinds and shutters that are down while their rows say so."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.expressions import ClockTime
from vastwatch.design.records import Blind, OutputRow
from vastwatch.site.record import Point


class CoverHandler(RowHandler):
    """`OutputHandler` of covers."""

    disturbs: Literal["nobody"] = "nobody"
    label, why = "blind", "A blind or shutter, controlled by its rows; on means down."
    caution = (
        "A motorised blind can trap people: never use it at an exit or where children play, and fit a manual "
        "stop within sight of it. Wind protection has priority over everything."
    )

    def new(self, ident: str, room: str, name: str, at: Point) -> Blind:
        rows = (OutputRow(name="At night", when=ClockTime(begin="sunset+00:30", end="sunrise"), level=1.0),)
        return Blind(id=ident, room=room, name=name, at=at, watts=0.0, rows=rows, moves_a_day=4)


HANDLER = CoverHandler()
