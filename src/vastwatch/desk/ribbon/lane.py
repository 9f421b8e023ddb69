"""`Lane`: one row of the ribbon."""

from __future__ import annotations

from dataclasses import dataclass, field

from PyQt6.QtGui import QColor

from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.signals import Signal, TimeSeries

ROW, THICK = 16, 9
# An occupancy probability has room to be read.
BELIEF_HIGH = 34


@dataclass
class Lane:
    """One row: its words, its signal, its colour, and how tall the bars are; a heading has no signal."""

    words: str
    signal: Signal | None
    colour: QColor | None = None
    thick: int = THICK
    room: str | None = None
    record: str | None = None
    incidents: list[tuple[int, Incident]] = field(default_factory=list)
    unknown: Signal | None = None
    # A number from 0 to 1 over time in place of a signal, and the levels that count.
    levels: TimeSeries | None = None
    marks: tuple[float, ...] = ()
    # A number from 0 to 1 over time, as heights: how far a lamp is on.
    heights: TimeSeries | None = None
    # What is painted faintly behind the signal: of a row of a ladder, while it holds, whether or not it wins.
    behind: Signal | None = None
    indent: int = 0
    # What is under it can be folded away by this name, and is; what then stands for it all.
    fold: str | None = None
    shut: bool = False
    brief: Signal | None = None
    y: float = 0.0

    @property
    def high(self) -> int:
        """Pixels from its top to the next one's."""
        return ROW if self.levels is None else BELIEF_HIGH
