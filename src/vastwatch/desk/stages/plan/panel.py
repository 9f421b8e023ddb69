"""The left-hand panel of the Plan stage: four pages under one row of tabs, joined to the plan they work on."""

from __future__ import annotations

from pathlib import Path

from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.cycling import show_level
from vastwatch.desk.shell.tool_buttons import arm
from vastwatch.desk.shell.widgets import Paged
from vastwatch.desk.stages.plan.build import BuildPanel
from vastwatch.desk.stages.plan.furnish import FurnishPanel
from vastwatch.desk.stages.plan.level import LevelPanel
from vastwatch.desk.stages.plan.rooms import RoomsPanel

ROOMS, BUILD, FURNISH, LEVEL = range(4)


class PlanPanel(Paged):
    """The rooms there are, and what adds to them."""

    def __init__(self, around: Context) -> None:
        document, focus, theme = around.document, around.focus, around.theme
        self.plan, self.document, self.focus = around.plan, document, focus
        self.rooms = RoomsPanel(document, focus, theme)
        self.build = BuildPanel(document, focus)
        self.furnish = FurnishPanel(focus, theme)
        self.level = LevelPanel(document, focus)
        words = ("Rooms", "Build", "Furnish", "Level")
        super().__init__(list(zip(words, (self.rooms, self.build, self.furnish, self.level))))
        for page in (self.build, self.furnish, self.level):
            page.say.connect(around.say)
        self.level.shown.connect(self._show_level)
        self.plan.scale_asked.connect(self.level.ask_scale)
        self.plan.drawn.connect(self.build.name.clear)
        self.build.name.textChanged.connect(self._name_next_room)
        self.build.use.currentTextChanged.connect(self._use_next_room)
        self.build.act.connect(self.plan.builder.act)
        self.build.added.connect(self._show_added)
        self.build.walls_wanted.connect(self.plan.builder.mark_walls_of_room)
        if not document.project.rooms:
            self.show_page(BUILD)

    def _show_level(self, level: str) -> None:
        show_level(self.focus, self.document.project, level)

    def _name_next_room(self, words: str) -> None:
        self.plan.tools.room_name = words

    def _use_next_room(self, use: str) -> None:
        self.plan.tools.room_use = use

    def _show_added(self, room: object) -> None:
        self.plan.show_whole(room.outline)  # type: ignore[attr-defined]

    def type_room(self) -> None:
        """Begin with a room whose name and size are typed."""
        self.show_page(BUILD)
        self.build.name.setFocus()

    def offer_furniture(self) -> None:
        """Where there is no place to be: the shelf of furniture."""
        self.show_page(FURNISH)

    def draw_room(self) -> None:
        """Begin with a room that is drawn."""
        self.show_page(BUILD)
        arm(self.build, "draw:room")
        self.plan.setFocus()

    def draw_over(self, picture: Path) -> None:
        """Put a picture under the shown level."""
        self.show_page(LEVEL)
        self.level.bring_in(picture)


make = PlanPanel
