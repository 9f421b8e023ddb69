"""`Focus`: what the desk looks at just now. Nothing of it is in the project, and nothing of it is undone."""

from __future__ import annotations

from typing import Literal, get_args

from PyQt6.QtCore import QObject, pyqtSignal

from vastwatch.desk.stages import Stage, stage_named
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.sensing import Subject

Span = Literal["day", "week", "month"]
SPANS: tuple[Span, ...] = get_args(Span)
Only = Literal["all", "dark", "dropped", "late", "nobody"]
ONLY: tuple[Only, ...] = get_args(Only)
PACES = (1.0, 10.0, 60.0, 300.0, 1200.0, 3600.0)


class Focus(QObject):
    """Stage, level, room, selected record, figure, instant, shown day, and the open incident (an index or -1).

    `shift` is emitted with the name of what changed.
    """

    shift = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.stage = "Sensors"
        self.level = ""
        self.room: str | None = None
        self.selected: str | None = None
        self.figure: Subject = "across"
        self.time = 43_200.0 + 9 * 3600.0
        self.day = 0
        self.incident = -1
        self.placing: str | None = None
        # The conclusion whose sentence is shown; None: the one that lights the room.
        self.conclusion: str | None = None
        # The group of lamps whose ladder is in hand, None for the room's own; the row in hand; and the scene that the
        # plan shows in place of the moment's.
        self.lamps: str | None = None
        self.row: str | None = None
        self.scene: str | None = None
        # How many days the ribbon shows, and at which pace time runs, seconds of it a second.
        self.span: Span = "day"
        self.pace = 300.0
        # Which incidents are stepped through: of a kind, and of a group of one cause where one was chosen.
        self.only: Only = "all"
        self.group: frozenset[Incident] = frozenset()
        # Besides the selected record, those marked with it: a selection of many.
        self.marked: frozenset[str] = frozenset()
        # The step of drawn and dragged points, metres; whether the level below shows through.
        self.grid_m = 0.05
        self.ghost = True
        # How the user reads lengths; the only preference among all this.
        self.feet = False

    @property
    def here(self) -> Stage:
        """The stage one is in, with what it shows and lets one do."""
        return stage_named(self.stage)

    def set(self, **values: object) -> None:
        """Set several at once; each that really changes is announced after all are set."""
        if "selected" in values and "marked" not in values and values["selected"] not in self.marked:
            values["marked"] = frozenset()
        if "group" not in values and (values.get("room", self.room), values.get("only", self.only)) != (
            self.room, self.only,
        ):  # fmt: skip
            values["group"] = frozenset()
        if "scene" not in values and ("time" in values or values.get("room", self.room) != self.room):
            values["scene"] = None
        if "row" not in values and values.get("room", self.room) != self.room:
            values["row"] = None
        if "lamps" not in values and values.get("room", self.room) != self.room:
            values["lamps"] = None
        changed = [name for name, value in values.items() if getattr(self, name) != value]
        for name in changed:
            setattr(self, name, values[name])
        for name in changed:
            self.shift.emit(name)
