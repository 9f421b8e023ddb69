"""Lamps: full on or off, at once, while somebody is concluded to be there and it is dark enough."""

from __future__ import annotations

from typing import Literal

from vastwatch.control.manual.manual_switching import manual_on
from vastwatch.control.outputs.handler import OutputContext
from vastwatch.design.records import Lamp
from vastwatch.signals import TimeSeries
from vastwatch.site.record import Point

# Seconds from one level to another.
FADE_S = 0.0


class LampHandler:
    """`OutputHandler` of lamps."""

    lights = True
    disturbs: Literal["nobody"] = "nobody"
    label, why, caution = "lamp", "Lights its room while it is occupied and dark enough.", ""

    def new(self, ident: str, room: str, name: str, at: Point) -> Lamp:
        return Lamp(id=ident, room=room, name=name, at=at, watts=8.0, lumens=760.0)

    def run(self, output: Lamp, situation: OutputContext) -> TimeSeries:
        lit = situation.presence & situation.dark
        if situation.pressed is not None:
            lit = manual_on(situation.presence, situation.pressed, situation.hold_s) & situation.dark
        if situation.powered is not None:
            lit = lit & situation.powered
        return TimeSeries.steps(lit).rate_limited(FADE_S)

    def watts(self, output: Lamp, levels: TimeSeries) -> TimeSeries:
        standby = min(output.standby_w, output.watts)
        return levels.scaled(output.watts - standby, standby)


HANDLER = LampHandler()
