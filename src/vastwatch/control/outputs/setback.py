"""Heating that is let down: while its room has long been empty."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.handler import OutputContext
from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.records import Setback
from vastwatch.signals import Signal
from vastwatch.site.record import Point


class SetBackHandler(RowHandler):
    """`OutputHandler` of heating that is let down."""

    disturbs: Literal["nobody"] = "nobody"
    label, why = (
        "heating setback",
        "Turns the heating down when its room has been empty for a long time; on means turned down.",
    )
    caution = (
        "Heating must never follow presence alone: thermostat, frost protection and the boiler's own cut-outs "
        "have priority, and the setback never asks for more heat than the thermostat. Ask a licensed fitter."
    )

    def new(self, ident: str, room: str, name: str, at: Point) -> Setback:
        return Setback(
            id=ident, room=room, name=name, at=at, watts=0.0, least_run_s=1800.0, least_rest_s=1800.0, moves_a_day=6
        )

    def default_signal(self, output: Setback, situation: OutputContext) -> Signal:
        return (~situation.presence).on_delay(output.empty_s)


HANDLER = SetBackHandler()
