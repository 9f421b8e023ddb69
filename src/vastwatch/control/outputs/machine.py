"""Quiet machines: whatever hums, and stands still while it would disturb."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.expressions import ClockTime, Fact
from vastwatch.design.records import Machine, OutputRow
from vastwatch.site.record import Point


class MachineHandler(RowHandler):
    """`OutputHandler` of quiet machines."""

    disturbs: Literal["the quiet"] = "the quiet"
    label, why = "quiet machine", "Runs unless a film plays or somebody sleeps."
    caution = "A machine with moving or hot parts must never start unattended: automatic control may only keep it off."

    def new(self, ident: str, room: str, name: str, at: Point) -> Machine:
        rows = (
            OutputRow(name="A film is playing", when=Fact(what="film", room=room), level=0.0),
            OutputRow(name="Somebody is on a call", when=Fact(what="call", room=room), level=0.0),
            OutputRow(name="By day", when=ClockTime(begin="07:00", end="22:30"), level=1.0),
        )
        return Machine(
            id=ident, room=room, name=name, at=at, watts=35.0, rows=rows, least_run_s=60.0, least_rest_s=60.0
        )


HANDLER = MachineHandler()
