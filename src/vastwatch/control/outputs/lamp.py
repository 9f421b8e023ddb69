"""Lamps: full on or off, at once, while somebody is concluded to be there and it is dark enough."""

from __future__ import annotations

from vastwatch.control.by_hand import on_by_hand
from vastwatch.control.outputs.handler import Situation
from vastwatch.design.records import Lamp
from vastwatch.signals import Levels

# Seconds from one level to another.
FADE_S = 0.0


class LampHandler:
    """`OutputHandler` of lamps."""

    lights = True

    def run(self, output: Lamp, situation: Situation) -> Levels:
        lit = situation.presence & situation.dark
        if situation.pressed is not None:
            lit = on_by_hand(situation.presence, situation.pressed, situation.hold_s) & situation.dark
        return Levels.steps(lit).faded(FADE_S)

    def watts(self, output: Lamp, levels: Levels) -> Levels:
        return levels.scaled(output.watts)


HANDLER = LampHandler()
