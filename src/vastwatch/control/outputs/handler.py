"""`OutputHandler`: what a kind of output does, given what the controller knows; and the one way to any kind's handler.

The handler of a record is the `HANDLER` of the module here that is named like the record's class, in lower case.
"""

from __future__ import annotations

import importlib
from functools import cache
from typing import Any, Literal, NamedTuple, Protocol

from vastwatch.design.ladders import ladder_lamps
from vastwatch.design.project import Project
from vastwatch.design.records import KINDS, Output
from vastwatch.design.relations import outputs_in
from vastwatch.signals import Calendar, Signal, TimeSeries
from vastwatch.site.record import Point


class OutputContext(NamedTuple):
    """What the controller knows of an output's room. `presence`: somebody is concluded to be there; `dark`: daylight
    does not do; `pressed`: while a hand presses the switch, None where lights come on by themselves; `hold_s`: the hold
    time of the presence, which a press has too; `powered`: while it has its supply, None for always; `rows`: while each
    row of its own holds, over the days of `calendar`."""

    presence: Signal
    dark: Signal
    pressed: Signal | None = None
    hold_s: float = 0.0
    powered: Signal | None = None
    rows: tuple[Signal, ...] = ()
    calendar: Calendar | None = None


class OutputHandler(Protocol):
    """What is known of one kind of output."""

    # Whether it gives the light that those in its room ask for.
    lights: bool
    # Whom it bothers while it runs: nobody, those who want quiet (sleepers, a film, a call), or anybody in its room.
    disturbs: Literal["nobody", "the quiet", "anybody"]
    # What one is called, what it is for, and the usual caution where one can hurt somebody.
    label: str
    why: str
    caution: str

    def new(self, ident: str, room: str, name: str, at: Point) -> Output:
        """One as it usually comes."""
        ...

    def run(self, output: Any, situation: OutputContext) -> TimeSeries:
        """Its level from 0 to 1 over the span."""
        ...

    def watts(self, output: Any, levels: TimeSeries) -> TimeSeries:
        """What it draws meanwhile."""
        ...


@cache
def _handler(kind: type) -> OutputHandler:
    handler: OutputHandler = importlib.import_module(f"vastwatch.control.outputs.{kind.__name__.lower()}").HANDLER
    return handler


def handler_of(output: Output) -> OutputHandler:
    """The handler of an output's kind."""
    return _handler(type(output))


def handlers() -> dict[str, OutputHandler]:
    """The handlers of all kinds that are no lamps, by what one is called."""
    return {handler.label: handler for handler in map(_handler, KINDS)}


def lights_in(project: Project, room: str) -> tuple[Output, ...]:
    """The outputs that light a room. A lamp that follows a zone lights that, and the room only where nothing else
    does; one that the room's ladder governs lights the room."""
    lights = tuple(o for o in outputs_in(project, room) if handler_of(o).lights)
    mine = {lamp.id for lamp in ladder_lamps(project, room)}
    return tuple(o for o in lights if o.id in mine or getattr(o, "zone", None) is None) or lights


# Joules in a kilowatt hour.
J_PER_KWH = 3_600_000.0


def kwh(output: Output, levels: TimeSeries, start: float | None = None, end: float | None = None) -> float:
    """Energy drawn from start to end, by default over the whole span."""
    return handler_of(output).watts(output, levels).integral(start, end) / J_PER_KWH


def kwh_above_standby(output: Output, levels: TimeSeries, when: Signal) -> float:
    """Energy drawn while something holds, beyond what is drawn at zero."""
    handler = handler_of(output)
    standby = handler.watts(output, TimeSeries.constant(0.0, levels.start, levels.end))
    return (handler.watts(output, levels).integral_while(when) - standby.integral_while(when)) / J_PER_KWH
