"""`EditContext`: what the hands on the plan are given to work with, in place of the view itself.

The view owns one and draws what lies on it; `builder`, `sensor_editing`, `placing`, tools and gestures know the bench
alone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF

from vastwatch.design.project import Project
from vastwatch.desk.plan.card import Card
from vastwatch.desk.plan.sheet import Sheet
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.devices import DeviceType, catalogue
from vastwatch.site.building import Room
from vastwatch.site.record import Outline, Point


def _own_and_shipped(project: Project) -> list[DeviceType]:
    return [*project.devices, *catalogue()]


def _nobody_asks(*_: object) -> None:
    """What nobody has asked to hear."""


@dataclass
class EditContext:
    """`say` tells one line; `repaint` is called when something on the bench has changed.

    `types` lists what can be placed; the window adds the user's own. `drawn` is called when a room was drawn,
    `scale_asked` with two points of the underlay whose distance is to be typed, `walked` with the corners of a way,
    `walk_in_and_out` for the way through the first door of the room in hand.
    """

    document: Document
    focus: Focus
    state: PlanState
    sheet: Sheet
    card: Card
    say: Callable[[str], None]
    repaint: Callable[[], None]
    drawn: Callable[[], None]
    scale_asked: Callable[[Point, Point], None]
    walked: Callable[[tuple[Point, ...]], None] = _nobody_asks
    walk_in_and_out: Callable[[], None] = _nobody_asks
    types: Callable[[Project], list[DeviceType]] = field(default=_own_and_shipped)
    # Outlines of what the next click would place, None with nothing in the hand; and where the tape was laid last.
    foreseen: list[Outline] | None = None
    measured: tuple[Point, Point] | None = None

    @property
    def project(self) -> Project:
        """The document's project."""
        return self.document.project

    @property
    def level(self) -> str:
        """The shown level."""
        return self.focus.level

    @property
    def rooms(self) -> list[Room]:
        """The rooms of the shown level."""
        return self.state.rooms

    @property
    def scale_px(self) -> float:
        """Pixels per metre."""
        return self.sheet.scale_px

    def plan_at(self, pixel: QPointF) -> Point:
        """Plan coordinates under a pixel."""
        return self.sheet.plan_at(pixel)

    def pixel_of(self, x: float, y: float) -> QPointF:
        """Pixel of a plan point."""
        return self.sheet.pixel_of(x, y)

    def hurry(self) -> None:
        """What is shown is about to move much."""
        self.sheet.hurry()

    def show_foreseen(self, outlines: list[Outline] | None) -> None:
        """Show where something would go, or no longer."""
        if outlines != self.foreseen:
            self.foreseen = outlines
            self.repaint()
