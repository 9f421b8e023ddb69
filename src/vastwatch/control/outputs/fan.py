"""Fans: on once somebody has been there for a while, and on for their run-on after they left; or by rows of their own,
with a speed each.

Presence alone moves damp air too late and too short; where a room is damp, humidity has to keep the fan going: that is
a row on a humidity sensor.
"""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.handler import OutputContext
from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.records import Fan
from vastwatch.signals import Signal
from vastwatch.site.record import Point


class FanHandler(RowHandler):
    """`OutputHandler` of fans."""

    disturbs: Literal["nobody"] = "nobody"
    label, why = "fan", "An extractor fan that follows presence with run-on."
    caution = (
        "In a room with a flue or a fire, or where fumes must be cleared, a fan must never follow presence "
        "alone: keep its own overrun and interlocks, and ask a licensed fitter. Isolate the circuit before you "
        "touch it."
    )

    def new(self, ident: str, room: str, name: str, at: Point) -> Fan:
        return Fan(id=ident, room=room, name=name, at=at, watts=12.0)

    def default_signal(self, output: Fan, situation: OutputContext) -> Signal:
        return situation.presence.on_delay(output.wait_s).hold(output.run_on_s)


HANDLER = FanHandler()
