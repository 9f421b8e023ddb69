"""What a hand does between the press of a button and its release: one small class for each thing it can be doing.

A gesture begins when it is made. It then follows the pointer, and is finished by the release or cancelled by Esc:
then what it has changed is taken back, and nothing of it stays in the list of edits.
"""

from __future__ import annotations

import itertools
import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtWidgets import QRubberBand

from vastwatch.design.places import room_at
from vastwatch.design.project import find, put
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.handles import STEP_DEG, Handle, turned_to
from vastwatch.desk.shell.units import show_angle

_serial = itertools.count(1)
# A press that moves less than this has not moved yet, pixels.
STILL_PX = 4


class Gesture(ABC):
    """The common protocol; `key` joins all its edits to one step of the undo list."""

    def __init__(self, bench: EditContext) -> None:
        self.bench = bench
        self.key = f"gesture-{next(_serial)}"

    @abstractmethod
    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """The pointer is elsewhere."""

    def finish(self) -> None:  # noqa: B027
        """The button is released; most have nothing more to do."""

    def cancel(self) -> None:
        """Esc: as if it had never begun."""
        self.bench.document.withdraw(self.key)


class Pan(Gesture):
    """Moves what is shown; without any movement it is a click, on a room or beside the building."""

    def __init__(self, bench: EditContext, pixel: QPointF, room: str | None, clicks: bool = True) -> None:
        super().__init__(bench)
        self.last, self.room, self.clicks, self.moved = pixel, room, clicks, False

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Bring along what lies under the pointer."""
        d = pixel - self.last
        if self.clicks and not self.moved and d.manhattanLength() < STILL_PX:
            return
        self.moved = True
        self.bench.hurry()
        self.bench.sheet.pan(round(d.x()), round(d.y()))
        self.last = pixel

    def finish(self) -> None:
        """A click chooses."""
        if self.clicks and not self.moved:
            self.bench.focus.set(room=self.room or self.bench.focus.room, selected=self.room)


class Band(Gesture):
    """A frame that marks what lies wholly within it; `within` lists the ids inside (x0, y0, x1, y1)."""

    def __init__(
        self, bench: EditContext, pixel: QPointF, within: Callable[[float, float, float, float], Iterable[str]]
    ) -> None:
        super().__init__(bench)
        self.within, self.start = within, bench.plan_at(pixel)
        self._before = (bench.focus.selected, bench.focus.marked)
        self._band = QRubberBand(QRubberBand.Shape.Rectangle, bench.sheet.viewport())

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Mark what lies within the frame so far."""
        focus = self.bench.focus
        self._band.setGeometry(QRectF(self.bench.pixel_of(*self.start), pixel).normalized().toRect())
        self._band.show()
        x, y = self.bench.plan_at(pixel)
        (x0, x1), (y0, y1) = sorted((self.start[0], x)), sorted((self.start[1], y))
        marked = frozenset(self.within(x0, y0, x1, y1))
        if marked != focus.marked:
            focus.set(selected=next(iter(sorted(marked)), focus.room), marked=marked)
            self.bench.say(f"{len(marked)} selected.")

    def finish(self) -> None:
        """The frame goes, the marks stay."""
        self._band.hide()
        self._band.deleteLater()

    def cancel(self) -> None:
        """What was marked before is marked again."""
        self.finish()
        self.bench.focus.set(selected=self._before[0], marked=self._before[1])


class MoveMark(Gesture):
    """Moves what is in a room and marked by a point: a lamp, another output, a spot. It takes the room it comes to."""

    def __init__(self, bench: EditContext, pixel: QPointF, collection: str, record: Any) -> None:
        super().__init__(bench)
        self.collection, self.ident = collection, record.id
        # Each step is told from where it began: a lamp that is carried through another room leaves nothing there.
        self.base = bench.project
        self.grab = bench.pixel_of(*record.at) - pixel

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Follow the pointer within the building."""
        bench = self.bench
        bench.state.dragging = True
        x, y = bench.plan_at(pixel + self.grab)
        room = room_at(bench.project, bench.level, x, y)
        if room is None:
            return
        record = find(getattr(self.base, self.collection), self.ident)
        moved = replace(record, at=(round(x, 2), round(y, 2)), room=room.id)
        bench.document.apply(put(self.base, moved), f"Move {record.name}", self.key)


class TurnThing(Gesture):
    """Turns a spot or a piece of furniture by its handle, in steps of 5 degrees; Alt releases them."""

    def __init__(self, bench: EditContext, handle: Handle) -> None:
        super().__init__(bench)
        self.handle, self.base = handle, bench.project

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Make it look where the pointer is."""
        handle = self.handle
        x, y = self.bench.plan_at(pixel)
        bearing = math.degrees(math.atan2(y - handle.centre[1], x - handle.centre[0]))
        step = 1.0 if modifiers & Qt.KeyboardModifier.AltModifier else STEP_DEG
        bearing = (round(bearing / step) * step) % 360
        new = turned_to(self.base, handle, bearing)
        self.bench.document.apply(new, f"Turn {handle.record.name.lower()} to {show_angle(bearing)}", self.key)
        self.bench.card.show_at(pixel, [(f"aim {show_angle(bearing)}", "")])
