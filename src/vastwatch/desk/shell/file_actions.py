"""Files at the window: new, open, save, drawings in and out, and the questions that go with them."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QPageSize
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from vastwatch.causes.chain import incident_view
from vastwatch.design.differences import differences
from vastwatch.design.project import Project, find, on_level, put
from vastwatch.desk.pages.plan_sheet import LARGEST_PX, picture, state_for
from vastwatch.desk.pages.report import Computed, Shown, pages, paint_pages
from vastwatch.desk.plan.underlay import kept, packed
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.registry import Results
from vastwatch.desk.results.timing import best_curve
from vastwatch.desk.ribbon.lanes import incident_title
from vastwatch.desk.shell.document import NEW_NAME, ChangedElsewhere, Document, empty_project, name_of_file
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.save_conflict import ClashSheet
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.stages.plan.drawing import DrawingDialog, read_in_background
from vastwatch.desk.stages.plan.drawing_preview import traced
from vastwatch.files import ProjectError, load_demo
from vastwatch.files.drawing.content import Drawing
from vastwatch.files.drawing.importing import import_interpreted
from vastwatch.files.drawing.interpretation import interpret
from vastwatch.files.drawing.writing import write_drawing
from vastwatch.files.project_file import LARGEST, SUFFIX, read_project
from vastwatch.files.reading import read_whole
from vastwatch.files.rooms_csv import import_rooms, read_rooms
from vastwatch.files.svg import write_svg
from vastwatch.files.writing import free_path_beside, safe_name, write_atomically
from vastwatch.sensing.contour_lines import contour_lines

# So many files are remembered.
MOST_RECENT = 8
# A picture is so wide unless somebody says otherwise, pixels.
PICTURE_PX = 2400


class Filing(QObject):
    """Works for one document. `window` is what its dialogs lie over; `plan` is what a picture is taken of.

    `say` carries one-line messages. Anybody who shows the document listens to the others: another project has `come`
    in; its first room is to be typed (`bare`); rooms were `brought` in; a `picture` is to be drawn over; something was
    exported or printed (`handed_over`).
    """

    say = pyqtSignal(str)
    come = pyqtSignal()
    bare = pyqtSignal()
    brought = pyqtSignal()
    picture = pyqtSignal(Path)
    handed_over = pyqtSignal()

    def __init__(
        self, window: QWidget, document: Document, focus: Focus, plan: QWidget, results: Results, theme: Theme
    ) -> None:
        super().__init__(window)
        self.window, self.document, self.focus, self.plan = window, document, focus, plan
        self.results, self.theme = results, theme

    def new(self) -> None:
        """Begin an empty project."""
        if not self.may_leave():
            return
        self.document.replace(empty_project(), None)
        self.come.emit()
        self.focus.set(stage="Plan")
        self.bare.emit()

    def open_sample(self) -> None:
        """Look at the sample building, as a project of its own that has no file yet."""
        if self.may_leave():
            self.document.replace(load_demo(), None)
            self.come.emit()
            self.focus.set(stage="Sensors")

    def recent(self) -> list[Path]:
        """The files opened or saved last, the latest first."""
        held = QSettings().value("recent", [])
        names = [held] if isinstance(held, str) else held if isinstance(held, list) else []
        return [Path(name) for name in names if isinstance(name, str)][:MOST_RECENT]

    def remember(self, path: Path) -> None:
        """Put a file first among the recent ones."""
        names = [str(path.absolute()), *(str(p) for p in self.recent())]
        QSettings().setValue("recent", list(dict.fromkeys(names))[:MOST_RECENT])

    def open_recent(self, path: Path) -> None:
        """Open one of them; one that is not there any more is forgotten."""
        if self.may_leave() and not self.open_path(path) and not path.exists():
            QSettings().setValue("recent", [str(p) for p in self.recent() if p != path])

    def open_path(self, path: Path) -> bool:
        """Open a project; a message says what is wrong where it cannot."""
        try:
            self.document.open(path)
        except ProjectError as e:
            self.complain(self.tr("This project cannot be opened"), str(e))
            return False
        self.remember(path)
        self.come.emit()
        return True

    def open_dialog(self) -> None:
        """Ask for a project and open it."""
        if not self.may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(
            self.window, self.tr("Open a project"), self._folder(), self.tr("Projects (*.json)")
        )
        if name:
            self.open_path(Path(name))

    def bring_in_dialog(self) -> None:
        """Ask for a DXF and bring it in."""
        name, _ = QFileDialog.getOpenFileName(
            self.window,
            self.tr("Import drawing"),
            self._folder(),
            self.tr("Drawings, room lists, pictures to trace (*.dxf *.csv *.png *.jpg *.jpeg *.pdf)"),
        )
        if name:
            self.bring_in(Path(name))

    def picture_dialog(self) -> None:
        """Ask for a picture to draw over."""
        kinds = self.tr("Pictures and pages (*.png *.jpg *.jpeg *.pdf)")
        name, _ = QFileDialog.getOpenFileName(self.window, self.tr("Draw over a picture"), self._folder(), kinds)
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """Read a DXF in the background, then ask which layers, then add them as one step; or a CSV of rooms."""
        if path.suffix.lower() == ".csv":
            self._take_rooms(path)
            return
        if path.suffix.lower() in (".png", ".jpg", ".jpeg", ".pdf"):
            self.focus.set(stage="Plan")
            self.picture.emit(path)
            return

        def then(outcome: Drawing | ProjectError) -> None:
            if isinstance(outcome, ProjectError):
                self.complain(self.tr("This drawing cannot be imported"), str(outcome))
                return
            dialog = DrawingDialog(self.window, outcome, self.theme, self._bare_level())
            dialog.accepted.connect(lambda: self._take_drawing(dialog, path))
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.open()

        read_in_background(self.window, path, then)

    def _take_rooms(self, path: Path) -> None:
        try:
            rooms = read_rooms(path)
            new, words = import_rooms(self.document.project, self.focus.level, rooms)
        except (ProjectError, ValueError) as e:
            self.complain(self.tr("This list cannot be imported"), str(e))
            return
        self._show_brought(new, path)
        self.say.emit(self.tr("Imported: {}.").format(words))

    def _bare_level(self) -> bool:
        project, level = self.document.project, self.focus.level
        return not on_level(project.rooms, level) and not on_level(project.walls, level)

    def _take_drawing(self, dialog: DrawingDialog, path: Path) -> None:
        project, level_id = self.document.project, self.focus.level
        found = dialog.found or interpret(
            dialog.drawing, dialog.layers, dialog.unit.currentText(), dialog.straighten.isChecked()
        )
        try:
            brought = import_interpreted(project, level_id, dialog.drawing, found, dialog.furniture.isChecked())
        except ProjectError as e:
            self.complain(self.tr("Nothing was imported"), str(e))
            return
        new = brought.project
        left = traced(found) if dialog.rest.isChecked() else None
        level = find(new.levels, level_id)
        if left is not None and level.underlay is None:
            image, corner, scale = left
            at = corner[0] + brought.shift[0], corner[1] + brought.shift[1]
            new = put(new, replace(level, underlay=replace(kept(image), at=at, metres_per_px=scale, locked=True)))
        self._show_brought(new, path)
        self.say.emit(self.tr("Imported: {}.").format(brought.words))

    def _show_brought(self, new: Project, path: Path) -> None:
        """Apply what was imported, and look at its first room."""
        before = {r.id for r in self.document.project.rooms}
        self.document.apply(new, f"Import {path.name}")
        first = next((r.id for r in new.rooms if r.id not in before), self.focus.room)
        self.focus.set(stage="Plan", room=first, selected=first)
        self.brought.emit()

    def send_out(self) -> None:
        """Ask for a name and write a DXF, a picture of the level, or pages for a client."""
        kinds = {
            self.tr("Drawing (*.dxf)"): ".dxf", self.tr("Vector image (*.svg)"): ".svg",
            self.tr("Image (*.png)"): ".png", self.tr("Client report, A4 (*.pdf)"): ".pdf",
            self.tr("Client report, A3 (*.pdf)"): ".pdf",
        }  # fmt: skip
        suggested = safe_name(self.document.project.name) + ".dxf"
        name, kind = QFileDialog.getSaveFileName(
            self.window, self.tr("Export"), str(Path(self._folder()) / suggested), ";;".join(kinds)
        )
        if not name:
            return
        path = Path(name)
        if path.suffix.lower() not in kinds.values():
            path = path.with_name(path.name + kinds.get(kind, ".dxf"))
        width = PICTURE_PX
        if path.suffix.lower() == ".png":
            width, ok = QInputDialog.getInt(
                self.window,
                self.tr("Image size"),
                self.tr("Width of the image in pixels"),
                width,
                100,
                LARGEST_PX,
                100,
            )
            if not ok:
                return
        self.send_out_to(path, "A3" if "A3" in kind else "A4", width)

    def send_out_to(self, path: Path, paper: str = "A4", width: int = PICTURE_PX) -> None:
        """Write the plan as a drawing, the shown level as a picture, or everything as pages."""
        project, level = self.document.project, self.focus.level
        try:
            if path.suffix.lower() == ".png":
                image = picture(state_for(project, level), width)
                if image is None:
                    raise ProjectError("this level is empty: there is nothing to export")
                write_atomically(path, packed(image, "PNG"))
            elif path.suffix.lower() == ".svg":
                write_svg(project, level, path)
            elif path.suffix.lower() == ".pdf":
                write_atomically(path, pages(project, paper, *self._computed()))
            else:
                write_drawing(project, path, contours=contour_lines(project, self.focus.figure))
        except ProjectError as e:
            self.complain(self.tr("Export failed"), str(e))
            return
        self.handed_over.emit()
        self.say.emit(self.tr("Exported to {}.").format(path))

    def print_pages(self) -> None:
        """Ask for a printer and print the client report on its paper."""
        printer = QPrinter()
        dialog = QPrintDialog(printer, self.window)
        dialog.setWindowTitle(self.tr("Print"))
        if not dialog.exec():
            return
        size = printer.pageLayout().pageSize().id()
        paper = "A3" if size == QPageSize.PageSizeId.A3 else "A4"
        paint_pages(printer, self.document.project, paper, *self._computed())
        self.handed_over.emit()
        self.say.emit(self.tr("Printed the client report on {}.").format(paper))

    def _computed(self) -> Computed:
        """What has been computed so far, with the incident that is open."""
        results, shown = self.results, None
        week = results.week.value
        if week is not None and 0 <= self.focus.incident < len(week.incidents):
            incident = week.incidents[self.focus.incident]
            level = find(week.project.rooms, incident.room).level
            shown = Shown(incident_view(week, incident), level, incident_title(week, incident))
        return week, results[FINDINGS].value, best_curve(results), shown

    def _folder(self) -> str:
        return str(self.document.path.parent) if self.document.path else ""

    def save(self) -> bool:
        """Save where it came from, or ask."""
        if self.document.path is None:
            return self.save_as()
        return self.save_to(self.document.path)

    def save_as(self) -> bool:
        """Ask where to, and save there."""
        suggested = safe_name(self.document.project.name) + SUFFIX
        name, _ = QFileDialog.getSaveFileName(
            self.window,
            self.tr("Save the project"),
            str(Path(self._folder()) / suggested),
            self.tr("Projects (*.json)"),
        )
        if not name:
            return False
        path = Path(name)
        if path.suffix != ".json":
            path = path.with_name(path.name + SUFFIX)
        project = self.document.project
        if self.document.path is None and project.name == NEW_NAME:
            # A project that nobody has named yet is called as its file.
            called = name_of_file(path)
            self.document.apply(replace(project, name=called), f"Rename to {called}")
        return self.save_to(path)

    def save_to(self, path: Path) -> bool:
        """Save there; where somebody else wrote that file meanwhile, as the user decides."""
        try:
            self.document.save(path)
        except ChangedElsewhere as e:
            return self._settle(e)
        except ProjectError as e:
            self.complain(self.tr("Save failed"), str(e))
            return False
        self.remember(path)
        self.say.emit(self.tr("Saved to {}.").format(path))
        return True

    def _settle(self, clash: ChangedElsewhere) -> bool:
        """Ask what to do with a file that is not what it was, and do it; whether the work is safe then."""
        path, document = clash.path, self.document
        suffix = SUFFIX if path.name.endswith(SUFFIX) else path.suffix
        before = document.as_filed or document.project
        theirs, stamp, why = None, clash.found, ""
        try:
            theirs, stamp = read_project(path)
        except ProjectError as e:
            why = str(e)
        sheet = ClashSheet(
            self.window, path, stamp.written_at, differences(before, document.project),
            None if theirs is None else differences(before, theirs), why,
        )  # fmt: skip
        sheet.exec()
        way = sheet.way
        sheet.deleteLater()
        try:
            if way == "both":
                mine = free_path_beside(path, "copy", suffix)
                document.save(mine)
                self.say.emit(self.tr("Your version is saved as {}; {} is unchanged.").format(mine.name, path.name))
            elif way == "theirs" and theirs is not None:
                document.take_theirs(theirs, stamp)
                self.say.emit(self.tr("Reloaded from disk. Ctrl+Z brings your version back."))
            elif way == "over":
                kept = free_path_beside(path, "theirs", suffix)
                write_atomically(kept, read_whole(path, "a project", LARGEST))
                document.save(path, over=stamp)
                self.say.emit(self.tr("Saved to {}; the previous version is kept as {}.").format(path.name, kept.name))
        except ChangedElsewhere as e:
            return self._settle(e)
        except ProjectError as e:
            self.complain(self.tr("Save failed"), str(e))
            return False
        return way is not None

    def complain(self, title: str, words: str) -> None:
        """A message with one sentence."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, title, words, QMessageBox.StandardButton.Ok, self.window)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setObjectName("complaint")
        box.exec()

    def may_leave(self) -> bool:
        if not self.document.modified:
            return True
        box = QMessageBox(self.window)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setObjectName("leave")
        box.setWindowTitle(self.tr("Unsaved changes"))
        box.setText(self.tr("{} has changes that are not saved.").format(self.document.project.name))
        save = box.addButton(self.tr("Save"), QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton(self.tr("Discard changes"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(self.tr("Cancel"), QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is drop
