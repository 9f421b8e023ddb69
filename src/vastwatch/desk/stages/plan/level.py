"""The Level page of the Plan stage: the levels there are, their heights, and the picture to draw over."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from vastwatch.design.edits.drawing_aids import set_underlay, set_underlay_scale
from vastwatch.design.edits.levels import add_level, copy_level, fill_level
from vastwatch.design.edits.removing import count_words, remove
from vastwatch.design.edits.wall_places import out_of_place, walls_by_place
from vastwatch.design.project import Project, put
from vastwatch.design.relations import built_below
from vastwatch.desk.plan.underlay import pages_of, read_underlay
from vastwatch.desk.shell.background import in_background
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.tool_buttons import ArmingButton, mark_armed
from vastwatch.desk.shell.units import parse_length, show_length
from vastwatch.desk.shell.widgets import FigureField, LazyPanel, Slide, column_in, label, line, page_of, pressed, row
from vastwatch.files import ProjectError
from vastwatch.site.building import Level, Underlay
from vastwatch.site.record import Point
from vastwatch.words import error_sentence

PICTURES = "Pictures and PDF (*.png *.jpg *.jpeg *.pdf)"


class LevelPanel(LazyPanel):
    """`say` carries one-line messages; `shown` the level that is to be looked at."""

    say = pyqtSignal(str)
    shown = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        inner = page_of(self)
        self._build_levels(inner)
        inner.addWidget(line())
        self._build_picture(inner)
        inner.addStretch(1)
        document.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _build_levels(self, inner: QVBoxLayout) -> None:
        inner.addWidget(guide_label(self.tr("This level"), "Level", "head"))
        self.name = QLineEdit()
        self.name.setAccessibleName(self.tr("Name of the level"))
        self.name.editingFinished.connect(self._rename)
        inner.addWidget(self.name)
        self.elevation = self._figure("Floor at", "elevation", -100.0, 500.0, self.tr("Height above the lowest floor."))
        self.ceiling = self._figure("Ceiling at", "height", 1.5, 30.0, self.tr("Height from floor to ceiling."))
        for words, field in ((self.tr("Floor at"), self.elevation), (self.tr("Ceiling at"), self.ceiling)):
            inner.addWidget(row(label(words, "soft"), field, stretch=1))
        self.ghost = QCheckBox(self.tr("show the level below"))
        self.ghost.setChecked(self.focus.ghost)
        self.ghost.setToolTip(self.tr("Its walls, dashed. (G)"))
        self.ghost.toggled.connect(lambda on: self.focus.set(ghost=on))
        inner.addWidget(self.ghost)
        self.add, self.copy = QPushButton(self.tr("Add")), QPushButton(self.tr("Copy"))
        self.remove = QPushButton(self.tr("Remove"))
        self.add.setToolTip(self.tr("Adds an empty level above the highest."))
        self.copy.setToolTip(
            self.tr("Copies rooms, furniture and lamps to a new level on top, but not sensors and people.")
        )
        self.remove.setToolTip(self.tr("Removes this level and everything on it. Ctrl+Z undoes it."))
        self.add.clicked.connect(self._add)
        self.copy.clicked.connect(self._copy)
        self.remove.clicked.connect(self._remove)
        for button in (self.add, self.copy, self.remove):
            button.setProperty("role", "pick")
        inner.addWidget(row(self.add, self.copy, self.remove, spacing=4))
        self.walls = QPushButton(self.tr("Set walls by position"))
        self.walls.setProperty("role", "pick")
        self.walls.setToolTip(
            self.tr(
                "Builds default walls as inner walls between rooms and as outer walls elsewhere, in parts if needed."
            )
        )
        self.walls.clicked.connect(self._build_walls)
        inner.addWidget(self.walls)
        note = self.tr("Stairs connect levels: place one from the furniture list.")
        inner.addWidget(label(note, "soft", True))

    def _build_picture(self, inner: QVBoxLayout) -> None:
        inner.addWidget(guide_label(self.tr("Picture to trace"), "Level", "head"))
        self.bring = pressed(self.tr("Picture or PDF…"), self._bring_dialog)
        inner.addWidget(self.bring)
        self._picture = QWidget()
        under = column_in(self._picture, 7)
        inner.addWidget(self._picture)
        self.scale = ArmingButton(self, self.tr("Scale by two points"), "draw:scale")
        self.scale.setToolTip(self.tr("Click two points a known distance apart, then type the distance."))
        self.shift = ArmingButton(self, self.tr("Move"), "draw:shift")
        self.shift.setToolTip(self.tr("Choose it, then drag the picture; or type the position of its corner."))
        under.addWidget(row(self.scale, self.shift, stretch=0, spacing=4))
        self.opacity = Slide()
        self.opacity.setRange(0, 100)
        self.opacity.setPageStep(10)
        self.opacity.setAccessibleName(self.tr("Opacity of the picture"))
        self.opacity.valueChanged.connect(
            lambda v: self._set("Change the opacity of the picture", "fade", opacity=v / 100)
        )
        under.addWidget(row(label(self.tr("Opacity"), "soft"), self.opacity, stretch=1))
        why = self.tr("Position of its lower left corner.")
        self.left = FigureField(self.tr("Left edge"), self._length, show_length, 0.05, -2000, 2000, why)
        self.bottom = FigureField(self.tr("Lower edge"), self._length, show_length, 0.05, -2000, 2000, why)
        self.left.entered.connect(lambda v: self._move(0, v))
        self.bottom.entered.connect(lambda v: self._move(1, v))
        for field in (self.left, self.bottom):
            field.wrong.connect(self.say)
        under.addWidget(row(label(self.tr("Position"), "soft"), self.left, self.bottom, spacing=5))
        self.locked = QCheckBox(self.tr("locked"))
        self.locked.setToolTip(self.tr("Locked: cannot be moved or scaled."))
        self.locked.toggled.connect(lambda on: self._set("Lock the picture" if on else "Unlock the picture", locked=on))
        away = QPushButton(self.tr("Remove"))
        away.setProperty("role", "pick")
        away.clicked.connect(self._take_away)
        under.addWidget(row(self.locked, QWidget(), away, stretch=1))

    def _figure(self, words: str, field: str, low: float, high: float, why: str) -> FigureField:
        out = FigureField(words, self._length, show_length, 0.05, low, high, why)

        def entered(value: float) -> None:
            level = self.level
            if level is not None and getattr(level, field) != value:
                new = put(self.document.project, replace(level, **{field: value}))
                self.document.apply(
                    new, f"Set the {words} to {show_length(value)} on {level.name.lower()}", f"{field}-{level.id}"
                )

        out.entered.connect(entered)
        out.wrong.connect(self.say)
        return out

    def _length(self, text: str) -> float:
        return parse_length(text, "ft" if self.focus.feet else "m")

    @property
    def level(self) -> Level | None:
        """The shown level."""
        return next((x for x in self.document.project.levels if x.id == self.focus.level), None)

    def fill_from_below(self) -> None:
        """Build on this bare level what the level below has."""
        shown = self.level
        below = None if shown is None else built_below(self.document.project, shown.id)
        if below is not None and shown is not None:
            new = fill_level(self.document.project, below.id, shown.id)
            self.document.apply(new, f"Copy {below.name.lower()} to {shown.name.lower()}")

    def _shifted(self, what: str) -> None:
        if what == "level":
            self.refresh()
        elif what == "placing":
            mark_armed(self, self.focus)
        elif what == "ghost":
            self.ghost.setChecked(self.focus.ghost)

    def refresh(self, *_: object) -> None:
        """Show the level as it is."""
        level = self.level
        self.setEnabled(level is not None)
        if level is None:
            return
        if not self.name.hasFocus():
            self.name.setText(level.name)
        self.elevation.set_value(level.elevation)
        self.ceiling.set_value(level.height)
        self.remove.setEnabled(len(self.document.project.levels) > 1)
        u = level.underlay
        self._picture.setVisible(u is not None)
        if u is None:
            return
        for widget in (self.opacity, self.locked):
            widget.blockSignals(True)
        self.opacity.setValue(round(100 * u.opacity))
        self.locked.setChecked(u.locked)
        for widget in (self.opacity, self.locked):
            widget.blockSignals(False)
        self.left.set_value(u.at[0])
        self.bottom.set_value(u.at[1])
        for field in (self.left, self.bottom, self.scale):
            field.setEnabled(not u.locked)

    # -- levels ------------------------------------------------------------------------------------------------

    def _rename(self) -> None:
        level, words = self.level, self.name.text().strip()
        if level is not None and words and words != level.name:
            self.document.apply(put(self.document.project, replace(level, name=words)), f"Rename to {words}")

    def _add(self) -> None:
        new, level = add_level(self.document.project)
        self._take(new, level, f"Add {level.name.lower()}")

    def _copy(self) -> None:
        old = self.level
        if old is not None:
            new, level = copy_level(self.document.project, old.id)
            self._take(new, level, f"Copy {old.name.lower()}")

    def _build_walls(self) -> None:
        """Build each wall for where it stands, and say how many were not."""
        level, old = self.level, self.document.project
        if level is None:
            return
        wrong = sum(1 for _ in out_of_place(old, level.id))
        if not wrong:
            self.say.emit(self.tr("Every wall is already built for its position."))
            return
        self.document.apply(walls_by_place(old, level.id), f"Set {count_words(wrong, 'wall')} by position")

    def _take(self, new: Project, level: Level, words: str) -> None:
        self.document.apply(new, words)
        self.shown.emit(level.id)

    def _remove(self) -> None:
        level = self.level
        if level is None:
            return
        try:
            done = remove(self.document.project, [level.id])
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        self.document.apply(done.project, f"Remove {level.name.lower()}")
        gone = self.tr(", with {}").format(", ".join(done.gone)) if done.gone else ""
        self.say.emit(self.tr("Removed {}{}. Ctrl+Z undoes it.").format(level.name.lower(), gone))

    # -- the picture -------------------------------------------------------------------------------------------

    def _bring_dialog(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, self.tr("Import picture or PDF"), "", PICTURES)
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path, page: int | None = None) -> None:
        """Lay a picture, or a page of a PDF, under the level; what cannot be read is said, and nothing changes."""
        words = self.tr("Reading {}…").format(path.name)

        def counted(pages: int | ProjectError) -> None:
            if isinstance(pages, ProjectError):
                self.say.emit(str(pages))
                return
            chosen = page if page is not None else self._ask_page(pages) if pages > 1 else 0
            if chosen is not None:
                in_background(self, words, lambda _: read_underlay(path, chosen), lambda u: self._lay(path, u))

        in_background(self, words, lambda _: pages_of(path), counted)

    def _lay(self, path: Path, underlay: Underlay | ProjectError) -> None:
        level = self.level
        if isinstance(underlay, ProjectError):
            self.say.emit(str(underlay))
        elif level is not None:
            new = put(self.document.project, replace(level, underlay=underlay))
            self.document.apply(new, f"Place {path.name} under {level.name.lower()}")
            self.say.emit(self.tr("Now scale it: click two points a known distance apart."))

    def _ask_page(self, pages: int) -> int | None:
        words = self.tr("Page 1 to {}").format(pages)
        asked, ok = QInputDialog.getInt(self, self.tr("Page to import"), words, 1, 1, pages)
        return asked - 1 if ok else None

    def _set(self, words: str, key: str | None = None, **fields: object) -> None:
        level = self.level
        if level is not None and level.underlay is not None:
            self.document.apply(set_underlay(self.document.project, level, **fields), words, key)

    def _move(self, axis: int, value: float) -> None:
        level = self.level
        if level is not None and level.underlay is not None:
            at = list(level.underlay.at)
            at[axis] = value
            self._set("Move the picture", "picture", at=tuple(at))

    def ask_scale(self, a: Point, b: Point) -> None:
        """Two points were chosen: ask how far they are apart."""
        words = self.tr("Distance between the two points, such as 4.2 or 14 ft")
        text, ok = QInputDialog.getText(self, self.tr("Distance"), words)
        if ok:
            self.scale_to(a, b, text)

    def scale_to(self, a: Point, b: Point, text: str) -> None:
        """Scale the picture so that two points of it are so far apart."""
        level = self.level
        if level is None:
            return
        try:
            new = set_underlay_scale(self.document.project, level.id, a, b, self._length(text))
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        self.document.apply(new, f"Scale the picture: {text}")

    def _take_away(self) -> None:
        level = self.level
        if level is not None and level.underlay is not None:
            new = put(self.document.project, replace(level, underlay=None))
            self.document.apply(new, "Remove the picture")
