"""Plans of hundreds of walls: the pictures that are kept and when they are made anew, indices, and drawings imported
with progress."""

from __future__ import annotations

import sys
from importlib import resources
from pathlib import Path

import numpy as np
import pytest
from hands import drag, key, project, settle, spot_px
from msgspec.structs import replace
from PyQt6.QtCore import QLineF, Qt
from PyQt6.QtWidgets import QProgressDialog, QPushButton

from vastwatch.design.project import find, put
from vastwatch.desk.plan import furniture, ground, state, walls
from vastwatch.desk.plan.shapes import name_place, resized, sides
from vastwatch.desk.stages.plan import drawing as drawing_module
from vastwatch.desk.stages.plan.drawing import DrawingDialog, read_in_background
from vastwatch.files.drawing.reading import Cancelled
from vastwatch.geometry import polygons

sys.path.insert(0, str(Path(__file__).resolve().parents[2] / "benchmarks"))


# -- pictures that are kept ----------------------------------------------------------------------------------------


def changed(w, act) -> set[str]:
    """Names of the layers whose picture is made anew by an act."""
    before = {name: layer._read for name, layer in w.plan._layers.items()}
    act()
    return {name for name, layer in w.plan._layers.items() if layer._read is not before[name]}


def test_dragged_furniture_leaves_the_pictures_of_the_rest_alone(qtbot, window):
    window.focus.set(stage="Plan", level="ground", room="kiln", selected="isolator")
    settle(qtbot, window)
    moved = {"n": 0.0}

    def nudge():
        moved["n"] += 0.05
        window.plan.nudge(0.05, 0.0)

    assert changed(window, nudge) == set()
    lamp = find(project(window).lamps, "lamp-kiln")
    edit = put(project(window), replace(lamp, at=(8.0, 3.0)))
    assert changed(window, lambda: window.document.apply(edit, "x")) >= {"places"}
    wall = put(project(window), replace(find(project(window).walls, "g-kiln-store"), material="glass"))
    assert "walls" in changed(window, lambda: window.document.apply(wall, "y"))
    assert {"ground", "walls", "places", "furniture"} <= changed(window, lambda: window.focus.set(level="upper"))
    assert changed(window, lambda: window.focus.set(figure="seated")) == set()


def test_what_is_selected_is_drawn_apart_and_comes_back(qtbot, window):
    window.focus.set(stage="Plan", level="ground", room="kiln", selected="kiln")
    settle(qtbot, window)
    shown = window.plan.state
    assert "kiln-body" not in state.special(shown)
    assert "furniture" in changed(window, lambda: window.focus.set(selected="kiln-body"))
    assert "kiln-body" in state.special(shown)
    plain = furniture.reads_furniture(shown)[0]
    assert all(f.id != "kiln-body" for f in plain)


def test_metre_lines_that_go_on_through_rooms_are_one_line():
    lines = [QLineF(1, 0, 1, 3), QLineF(1, 3, 1, 6), QLineF(2, 0, 2, 3), QLineF(0, 1, 4, 1), QLineF(5, 1, 8, 1)]
    merged = sorted((q.x1(), q.y1(), q.x2(), q.y2()) for q in ground._merged(lines))
    assert merged == [(0, 1, 4, 1), (1, 0, 1, 6), (2, 0, 2, 3), (5, 1, 8, 1)]


def test_walls_are_cut_at_their_openings_into_pieces(demo):
    _, openings = walls._solid(demo, "ground")
    assert len(openings) == sum(find(demo.walls, o.wall).level == "ground" for o in demo.openings)
    wall = find(demo.walls, "g-south")
    mine = tuple(sorted((o for o in demo.openings if o.wall == wall.id), key=lambda o: o.offset))
    pieces = walls._pieces(wall, mine)
    assert len(pieces) == len(mine) + 1
    solid = sum(abs(p.at(1).x() - p.at(0).x()) for p in pieces)
    assert solid == pytest.approx(12.0 + wall.thickness - sum(o.width for o in mine))


def test_a_large_plan_hurries_and_rests(qtbot, window):
    from test_window import large_plan

    window.document.replace(large_plan(), None)
    window.take_over()
    window.focus.set(stage="Plan")
    window.plan.zoom(1.2)
    assert window.plan.state.hurried
    qtbot.waitUntil(lambda: not window.plan.state.hurried, timeout=3000)
    piece = project(window).furnishings[152]
    x, y = polygons.centroid(piece.outline)
    drag(qtbot, window, spot_px(window, x, y), spot_px(window, x + 0.3, y))
    assert polygons.centroid(project(window).furnishings[152].outline)[0] > x
    window.grab()
    window.document.undo_stack.setClean()


def test_a_small_plan_is_never_hurried(window):
    window.plan.zoom(1.2)
    assert not window.plan.state.hurried


@pytest.mark.parametrize("turn", [0.0, 30.0, 90.0])
def test_sizes_are_set_about_the_middle_whichever_way_it_is_turned(turn):
    from vastwatch.design.edits.fittings import turn_outline

    outline = turn_outline(((-1, -0.5), (1, -0.5), (1, 0.5), (-1, 0.5)), (3.0, 2.0), turn)
    wide = resized(outline, 0, 3.0)
    assert sides(wide) == pytest.approx((3.0, 1.0), abs=2e-3)
    deep = resized(wide, 1, 0.4)
    assert sides(deep) == pytest.approx((3.0, 0.4), abs=2e-3)
    assert polygons.centroid(deep) == pytest.approx((3.0, 2.0), abs=1e-3)


def test_a_name_has_place_inside_its_room_whatever_its_shape():
    assert name_place(((0, 0), (4, 0), (4, 3), (0, 3))) == pytest.approx((0, 2.65, 4))
    gable = ((0, 0), (2, 0), (2, 3), (1, 4), (0, 3))
    x, y, wide = name_place(gable)
    assert (
        wide >= 1.2
        and polygons.contains_point(gable, x + 0.05, y)
        and polygons.contains_point(gable, x + wide - 0.05, y)
    )
    slit = ((0, 0), (0.4, 0), (0.4, 5), (0, 5))
    assert name_place(slit)[2] == pytest.approx(0.4)


# -- drawings ------------------------------------------------------------------------------------------------------


def test_a_drawing_that_is_cancelled_changes_nothing_and_is_read_no_further(qtbot, window, tmp_path, monkeypatch):
    heard: list[float] = []

    def slow(path, told):
        import time

        for k in range(400):
            heard.append(k / 400)
            if not told(k / 400):
                raise Cancelled
            time.sleep(0.01)
        raise AssertionError("nobody stopped it")

    monkeypatch.setattr(drawing_module, "read_drawing", slow)
    before, got = project(window), []
    progress = read_in_background(window, tmp_path / "any.dxf", got.append)
    qtbot.waitUntil(lambda: isinstance(progress, QProgressDialog) and progress.value() > 5, timeout=5000)
    progress.findChild(QPushButton).click()
    n = len(heard)
    qtbot.wait(150)
    assert len(heard) <= n + 3 and got == [] and project(window) is before


def test_a_drawing_is_read_told_chosen_and_brought_in_as_one_step(qtbot, window):
    window.filing.new()
    path = Path(str(resources.files("vastwatch").joinpath("data/saltmarsh.dxf")))
    window.filing.bring_in(path)
    qtbot.waitUntil(lambda: bool(window.findChildren(DrawingDialog)), timeout=10_000)
    dialog = window.findChild(DrawingDialog)
    for name, box in dialog.boxes.items():
        box.setChecked(name in ("ground-walls", "ground-rooms", "ground-names"))
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=20_000)
    dialog.accept()
    assert len(project(window).rooms) == 7 and window.document.undo_stack.count() == 1
    key(qtbot, window.plan, Qt.Key.Key_F)
    window.document.undo_stack.undo()
    assert project(window).rooms == ()


def test_a_name_keeps_clear_of_what_stands_in_its_room():
    room = ((0, 0), (4, 0), (4, 3), (0, 3))
    walls = ((-0.1, -0.1, 0.1, 3.1),)
    table = (0.5, 2.3, 1.5, 3.0)
    left, level, wide = name_place(room, walls, (table,), 1.2, 0.3)
    assert left == pytest.approx(1.5) and level == pytest.approx(2.65) and wide >= 1.2
    # Nothing clear is wide enough: on top of things, but beside the wall.
    shelves = tuple((0.0, 0.5 * k, 4.0, 0.5 * k + 0.4) for k in range(6))
    assert name_place(room, walls, shelves, 1.2, 0.3) == pytest.approx((0.1, 2.65, 3.9))
    rng = np.random.default_rng(5)
    for _ in range(200):
        pieces = [tuple(p) for p in np.round(np.c_[rng.uniform(0, 3.4, (4, 2)), np.zeros((4, 2))], 2)]
        pieces = tuple((x, y, x + 0.6, y + 0.5) for x, y, *_ in pieces)
        left, level, wide = name_place(room, (), pieces, 1.0, 0.3)
        on = [p for p in pieces if p[0] < left + 1.0 and p[2] > left and p[1] < level + 0.15 and p[3] > level - 0.15]
        assert wide >= 1.0 and not on
