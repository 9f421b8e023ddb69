"""The list of rooms of the Plan stage."""

from __future__ import annotations

from vastwatch.design.needs import use_words
from vastwatch.design.places import sensors_in
from vastwatch.design.relations import levels_in_order
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import clear, label
from vastwatch.desk.stages.tiles import Side, Tile
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.site.building import Room


@memoised
def _about(used_as: str, room: Room) -> str:
    """A room's second line."""
    return f"{used_as}, {polygons.area(room.outline):.1f} m²"


class RoomsPanel(Side):
    """All rooms by level, each with its use, its size and its sensors."""

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__(self.tr("Rooms"))
        self.document, self.focus, self.theme = document, focus, theme
        self._tiles: dict[str, Tile] = {}
        self._shape: object = None
        document.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "room":
            self._mark()

    def refresh(self) -> None:
        """Make the tiles anew when a room, or the number of sensors in one, has changed."""
        project = self.document.project
        shape = (
            [(r.id, r.name, r.level, r.use, len(sensors_in(project, r.id))) for r in project.rooms], project.levels
        )  # fmt: skip
        if shape == self._shape:
            # Only sizes have changed: a wall is being dragged.
            for room in project.rooms:
                self._tiles[room.id].set_detail(_about(use_words(project, room), room))
            return
        self._shape = shape
        clear(self._list)
        self._tiles = {}
        for level in levels_in_order(project):
            self._list.addWidget(label(level.name, "soft"))
            for room in project.rooms:
                if room.level != level.id:
                    continue
                n = len(sensors_in(project, room.id))
                sensors = "" if n == 0 else self.tr("1 sensor") if n == 1 else self.tr("{} sensors").format(n)
                tile = Tile(self.theme, room.name, _about(use_words(project, room), room), sensors)
                tile.chosen.connect(lambda r=room: self.focus.set(level=r.level, room=r.id, selected=r.id))
                self._list.addWidget(tile)
                self._tiles[room.id] = tile
        self._list.addStretch(1)
        self._detail.setText(str(len(project.rooms)))
        self._mark()

    def _mark(self) -> None:
        for ident, tile in self._tiles.items():
            tile.current = ident == self.focus.room
            tile.update()
