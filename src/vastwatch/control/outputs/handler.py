"""`OutputHandler`: what a kind of output does, given what the house knows; and the one way to any kind's handler.

The handler of a record is the `HANDLER` of the module here that is named like the record's class, in lower case.
"""

from __future__ import annotations

import importlib
from functools import cache
from typing import Any, NamedTuple, Protocol

from vastwatch.design.records import Output
from vastwatch.signals import Levels, Signal


class Situation(NamedTuple):
    """What the house knows of an output's room. `presence`: somebody is concluded to be there; `dark`: daylight does
    not do; `pressed`: while a hand presses the switch, None where lights come on by themselves; `hold_s`: the hold
    time of the presence, which a press has too."""

    presence: Signal
    dark: Signal
    pressed: Signal | None = None
    hold_s: float = 0.0


class OutputHandler(Protocol):
    """What is known of one kind of output."""

    # Whether it gives the light that those in its room ask for.
    lights: bool

    def run(self, output: Any, situation: Situation) -> Levels:
        """Its level from 0 to 1 over the span."""
        ...

    def watts(self, output: Any, levels: Levels) -> Levels:
        """What it draws meanwhile."""
        ...


@cache
def _handler(kind: type) -> OutputHandler:
    handler: OutputHandler = importlib.import_module(f"vastwatch.control.outputs.{kind.__name__.lower()}").HANDLER
    return handler


def handler_of(output: Output) -> OutputHandler:
    """The handler of an output's kind."""
    return _handler(type(output))


def kwh(output: Output, levels: Levels, start: float | None = None, end: float | None = None) -> float:
    """Energy drawn from start to end, by default over the whole span."""
    return handler_of(output).watts(output, levels).integral(start, end) / 3_600_000.0
