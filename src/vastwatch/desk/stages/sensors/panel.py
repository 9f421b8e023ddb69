"""The left-hand panel of the Sensors stage: the shelf."""

from __future__ import annotations

from vastwatch.desk.shell.context import Context
from vastwatch.desk.stages.sensors.shelf import Shelf


def make(around: Context) -> Shelf:
    """The shelf of all device types, with the user's own."""
    shelf = Shelf(around.document, around.focus, around.own, around.theme)
    shelf.say.connect(around.say)
    return shelf
