"""Floor cleaners: out by day while their room is empty, and waiting when somebody comes in."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.handler import OutputContext
from vastwatch.control.outputs.rows import RowHandler, daytime
from vastwatch.design.records import Vacuum
from vastwatch.signals import Signal
from vastwatch.site.record import Point


class VacuumHandler(RowHandler):
    """`OutputHandler` of floor cleaners."""

    disturbs: Literal["anybody"] = "anybody"
    label, why = "vacuum", "Cleans once its room has been empty for a while, and pauses when somebody comes."
    caution = "Do not send a cleaning robot where somebody may trip over it: keep stairs and exit routes free."

    def new(self, ident: str, room: str, name: str, at: Point) -> Vacuum:
        return Vacuum(id=ident, room=room, name=name, at=at, watts=30.0, moves_a_day=3, least_rest_s=1800.0)

    def default_signal(self, output: Vacuum, situation: OutputContext) -> Signal:
        assert situation.calendar is not None
        return (~situation.presence).on_delay(output.empty_s) & daytime(situation.calendar)


HANDLER = VacuumHandler()
