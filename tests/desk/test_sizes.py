"""Nothing is cut: words have room in every stage and dialog, and dialogs fit the screen, from 1024 x 700 upwards."""

from __future__ import annotations

from pathlib import Path

import pytest
from cut_text import cut, larger_than_screen
from hands import settle
from msgspec.structs import replace
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog

import vastwatch
from vastwatch.design.differences import differences
from vastwatch.design.project import find, put
from vastwatch.desk.results.adviser import SCHOOLS
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.commands import EditsSheet
from vastwatch.desk.shell.finder import Finder
from vastwatch.desk.shell.guide_window import GuideWindow
from vastwatch.desk.shell.save_conflict import ClashSheet
from vastwatch.desk.shell.shortcuts_sheet import KeySheet
from vastwatch.desk.stages import STAGES
from vastwatch.desk.stages.plan.drawing import DrawingDialog
from vastwatch.desk.stages.rehearsal.log_dialog import LogDialog
from vastwatch.desk.stages.scenes.meter_dialog import meter_dialog
from vastwatch.desk.stages.sensors.box_sheet import BoxSheet
from vastwatch.desk.stages.sensors.compare import CompareSheet
from vastwatch.desk.stages.sensors.type_form import TypeForm
from vastwatch.desk.stages.zones.entry_dialog import EntryDialog
from vastwatch.desk.stages.zones.walk_dialog import WalkDialog
from vastwatch.desk.verdict.baselines_sheet import SchoolsSheet
from vastwatch.desk.verdict.inspector import FORMS
from vastwatch.devices import FAMILIES, catalogue
from vastwatch.files.drawing.reading import read_drawing

DATA = Path(vastwatch.__file__).parent / "data"
SMALL, USUAL, LARGE = (1024, 700), (1280, 800), (1920, 1080)


def _unfolded(form):
    for section in form.sections.values():
        section.open(True)
    return form


def _of_sensors(make):
    def opened(window):
        window.focus.set(stage="Sensors")
        dialog = make(window, window.panel("Sensors"))
        dialog.show()
        return dialog

    return opened


def _of_scenes(then):
    def opened(window):
        window.focus.set(stage="Scenes", level="upper", room="sitting", selected=None)
        return then(window, window.panel("Scenes"))

    return opened


def _shown(dialog):
    dialog.show()
    return dialog


def _after(act, get):
    act()
    return get()


def _frontier(window):
    window.focus.set(stage="Timing", level="upper", room="sitting", selected="sitting")
    panel = window.panel("Timing")
    panel.show_frontier()
    return panel.sheet


def _strategies(window):
    window.focus.set(level="ground", room="toilet", selected="toilet")
    window.verdict.show_schools()
    sheet = window.findChild(SchoolsSheet)
    while window.results[SCHOOLS].busy:
        QTest.qWait(20)
    return sheet


def _designs(window):
    window.focus.set(stage="Rehearsal")
    panel = window.panel("Rehearsal")
    panel.show_designs()
    return panel.sheet


def _clash(window):
    other = put(window.document.project, replace(window.document.project.rooms[0], name="Another name"))
    found = differences(window.document.project, other)
    return _shown(ClashSheet(window, Path("pottery.vastwatch.json"), 0.0, found, found, ""))


def _walk(window):
    tracker = find(window.document.project.sensors, "tracker-sitting")
    dialog = WalkDialog(window.document, tracker, window.theme, window)
    dialog.read(str(DATA / "saltmarsh-walk.csv"))
    dialog.show()
    while dialog.found is None:
        QTest.qWait(20)
    return dialog


def _types(*families):
    return [next(d for d in catalogue() if d.family == f) for f in families]


DIALOGS = {
    "shortcuts": lambda w: _after(w.commands.show_keys, lambda: w.findChild(KeySheet)),
    "about": lambda w: _after(w.commands.show_about, lambda: w.findChild(AboutSheet)),
    "guide": lambda w: _after(lambda: w.show_guide("went-dark-on-somebody"), lambda: w.findChild(GuideWindow)),
    "find": lambda w: _after(w.commands.find_anything, lambda: w.findChild(Finder)),
    "history": lambda w: _after(w.commands.show_edits, lambda: w.findChild(EditsSheet)),
    "strategies": _strategies,
    "group": _of_scenes(lambda w, p: _after(p.pane.new_group, lambda: p.pane.dialog)),
    "year": _of_scenes(lambda w, p: _after(p.out.show_year, lambda: p.out.sheet)),
    "recipes": _of_scenes(lambda w, p: _after(p.out.show_recipes, lambda: p.out.book)),
    "states": _of_scenes(lambda w, p: _after(p.show_states, lambda: p.sheet)),
    "meter": _of_scenes(lambda w, p: _shown(meter_dialog(w.document, "sitting", w))),
    "drawing": lambda w: _shown(DrawingDialog(w, read_drawing(DATA / "saltmarsh.dxf"), w.theme)),
    "designs": _designs,
    "log": lambda w: _shown(LogDialog(w, w.document.project, DATA / "saltmarsh-log.csv")),
    "compare": _of_sensors(lambda w, p: CompareSheet(p, _types("pir", "radar", "dual", "ultrasonic"), w.theme)),
    "data sheet": _of_sensors(lambda w, p: BoxSheet(p, _types("radar")[0], w.theme)),
    **{
        f"own {family}": _of_sensors(
            lambda w, p, f=family: _unfolded(TypeForm(p, _types(f)[0], "own-1", lambda _: True, new=True))
        )
        for family in FAMILIES
    },
    "truth table": lambda w: _after(
        lambda: w.panel("Brief").wiring.show_table("circuit-sitting"), lambda: w.panel("Brief").wiring.table
    ),
    "trade-off": _frontier,
    "walk": _walk,
    "entry": lambda w: _shown(EntryDialog(w.document, "tracker-sitting", w)),
    "clash": _clash,
}


@pytest.fixture(scope="module")
def sized(shared_desk, tmp_path_factory, qapp):
    """A window of any size, one for the module: what is opened over it is closed again."""

    def of(qtbot, size):
        window = shared_desk.begin(qtbot, tmp_path_factory.mktemp("journal")).window
        window.setMinimumSize(*(min(a, b) for a, b in zip(size, (1000, 640))))
        window.resize(*size)
        settle(qtbot, window)
        return window

    return of


def _settled_cut(root):
    """What is cut once the layout is at rest."""
    found = cut(root)
    for _ in range(20):
        if not found:
            break
        QTest.qWait(25)
        found = cut(root)
    return found


@pytest.mark.parametrize("size", [SMALL, LARGE], ids=str)
def test_nothing_is_cut_on_any_page_of_any_stage(qtbot, sized, size):
    window, faults = sized(qtbot, size), []
    for stage in STAGES:
        window.focus.set(stage=stage.name, level="ground", room="throwing", selected="throwing")
        settle(qtbot, window)
        panel = window.panel(stage.name)
        for page in range(max(len(getattr(panel, "tabs", ())), 1)):
            if hasattr(panel, "show_page"):
                panel.show_page(page)
            faults += [f"{stage.name} {page}: {x}" for x in _settled_cut(window)]
    assert faults == []


@pytest.mark.parametrize("stage", ["Plan", "Sensors"])
def test_nothing_is_cut_of_what_is_selected(qtbot, sized, stage):
    """Forms are the same in the other stages; rooms and sensors have more fields in these."""
    window, faults = sized(qtbot, SMALL), []
    window.focus.set(stage=stage, level="ground", room="throwing", selected="throwing")
    settle(qtbot, window)
    for collection in FORMS:
        for record in _odd_ones(window.document.project, collection):
            window.focus.set(selected=record.id)
            faults += [f"{collection} {record.id}: {x}" for x in _settled_cut(window)]
    assert faults == []


def _odd_ones(project, collection):
    """A record of each class or device type in a collection."""
    of = {}
    for record in getattr(project, collection):
        of.setdefault((type(record), getattr(record, "device", None), getattr(record, "kind", None)), record)
    return of.values()


@pytest.mark.parametrize("name", DIALOGS)
def test_a_dialog_fits_the_smallest_screen_and_cuts_nothing(qtbot, sized, name):
    window = sized(qtbot, SMALL)
    dialog = DIALOGS[name](window)
    assert isinstance(dialog, QDialog)
    try:
        assert larger_than_screen(dialog, *SMALL) == ""
        assert _settled_cut(dialog) == []
    finally:
        dialog.close()
        QApplication.processEvents()
