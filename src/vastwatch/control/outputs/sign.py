"""Signs: at the door, lit while somebody is in."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.outputs.handler import OutputContext
from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.records import Sign
from vastwatch.signals import Signal
from vastwatch.site.record import Point


class SignHandler(RowHandler):
    """`OutputHandler` of signs."""

    disturbs: Literal["nobody"] = "nobody"
    label, why = "sign", "Shows at the door that the room is occupied."
    caution = "An occupied sign also tells strangers whether a building is empty: consider who can see it."

    def new(self, ident: str, room: str, name: str, at: Point) -> Sign:
        return Sign(id=ident, room=room, name=name, at=at, watts=2.0, least_run_s=10.0)

    def default_signal(self, output: Sign, situation: OutputContext) -> Signal:
        return situation.presence


HANDLER = SignHandler()
