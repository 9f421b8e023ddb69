"""`PlanState`: all that a repaint of the plan needs to know, and what was made of it for the last one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple, TypeVar

from PyQt6.QtGui import QColor, QPainterPath

from vastwatch.advice.detection.over_coverage import OverCoverage
from vastwatch.advice.detection.walk_test import SidestepTest, Walk
from vastwatch.causes.chain import IncidentView
from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.desk.plan.shapes import NamePlace
from vastwatch.desk.shell.theme import MARKED, Theme, legible, mix
from vastwatch.devices import DeviceType
from vastwatch.sensing import Subject
from vastwatch.sensing.zoned_sensor import ZonedSensor
from vastwatch.site.building import Hazard, Room

T = TypeVar("T")


class ZonesShown(NamedTuple):
    """What the plan shows of zones: the tracker in hand, what it makes of them, and the reports of the spot in hand, on
    the plan as anybody who reads the device would place them, and whether a zone of its own counts each."""

    known: ZonedSensor
    dots: tuple[tuple[float, float, bool], ...]


@dataclass
class PlanState:
    """Everything a repaint of the plan needs to know; the view keeps it current."""

    project: Project
    theme: Theme
    level: str
    figure: Subject = "across"
    selected: str | None = None
    room: str | None = None
    contours: bool = True
    night: float = 0.0
    # What clocks show at the playhead, seconds: devices may be set by the hour.
    second: float | None = None
    lit: dict[str, float] = field(default_factory=dict)
    # Of what the moment was made last, and which lamps were on in it.
    moment_of: tuple[object, ...] = ()
    moment_lit: dict[str, float] = field(default_factory=dict)
    people: list[tuple[str, str, tuple[float, float], bool]] = field(default_factory=list)
    scene: IncidentView | None = None
    reporting: frozenset[str] = frozenset()
    dragging: bool = False
    # How coarse the map of a dragged sensor is: 1, or 2 where the machine is slow (see `coverage_layer`).
    coarseness: int = 1
    hurried: bool = False
    shapes: str = "nothing"
    marked: frozenset[str] = frozenset()
    ghost: bool = True
    # Circuits whose wiring is shown: that of the selected switch or lamp.
    traced: frozenset[str] = frozenset()
    # Contours as they are painted: the sensor, its device type, and its paths (none for one that sees no area).
    laid: list[tuple[Sensor, DeviceType, tuple[QPainterPath, ...]]] = field(default_factory=list)
    # What was last made of which records: `made_once` looks here.
    made: dict[str, tuple[tuple[object, ...], object]] = field(default_factory=dict)
    # Where the rooms' names were last painted.
    names: dict[str, NamePlace] = field(default_factory=dict)
    # The doors of the room in hand with somebody swaying in each, and the way that was walked last.
    sways: tuple[SidestepTest, ...] = ()
    walk: Walk | None = None
    # What the selected sensor sees of rooms that it does not serve.
    spills: tuple[OverCoverage, ...] = ()
    # The zones of the tracking radar in hand , and the targets that radars tell at the playhead.
    zones: ZonesShown | None = None
    targets: tuple[tuple[str, tuple[float, float]], ...] = ()
    # Whether light is shown as lamps give it, point by point; and in the room in hand at its spots: the spot's id, lux,
    # and what it asks for.
    pools: bool = False
    spot_lux: tuple[tuple[str, float, float], ...] = ()
    # The hazards of the shown level as they are on the simulated day.
    hazards: list[Hazard] = field(default_factory=list)

    @property
    def ground(self) -> QColor:
        """The ground at this hour: from paper to night."""
        return mix(self.theme.paper, self.theme.night, self.night)

    @property
    def ink(self) -> QColor:
        """Words on the ground."""
        return legible(mix(self.theme.soft, QColor("#B9C1DD"), self.night), self.ground)

    @property
    def line(self) -> QColor:
        """Outlines of marks on the ground."""
        return legible(mix(self.theme.ink, self.theme.paper, self.night), self.ground, MARKED)

    @property
    def wall(self) -> QColor:
        """Walls at this hour."""
        return mix(self.theme.wall, self.theme.night_wall, self.night)

    @property
    def sensors(self) -> list[Sensor]:
        """The sensors of the shown level."""
        return [s for s in self.project.sensors if s.level == self.level]

    @property
    def rooms(self) -> list[Room]:
        """The rooms of the shown level."""
        return [r for r in self.project.rooms if r.level == self.level]


def same(a: object, b: object) -> bool:
    """The same record, or the same plain value; long lists of records are compared one by one, by identity."""
    if a is b:
        return True
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(x is y for x, y in zip(a, b))
    return isinstance(a, str | float | int | bool | frozenset | dict) and a == b


def made_once(state: PlanState, name: str, sources: tuple[object, ...], make: Callable[[], T]) -> T:
    """What was made of the same sources before, compared by identity (words by value), else what is made now.

    A plan of hundreds of walls is painted as a few long paths; while the view moves they stay as they are.
    """
    known = state.made.get(name)
    if known is not None and all(same(a, b) for a, b in zip(known[0], sources)):
        return known[1]  # type: ignore[return-value]
    out = make()
    state.made[name] = (sources, out)
    return out


def special(state: PlanState) -> frozenset[str]:
    """Ids that are drawn apart: selected, marked, or in the sight line of the open incident."""
    blamed = {ident for s in (state.scene.sights[:1] if state.scene else ()) for ident, _ in s.hidden_by[:1]}
    return frozenset(blamed | state.marked | ({state.selected} if state.selected else set()))
