"""Drawing by hand in the real window: rooms, cuts, the tape, hazards, selections, levels, pictures underneath."""

from __future__ import annotations

import numpy as np
import pytest
from hands import LEFT, drag, inspect, key, project, send_move, settle, spot_px, type_into
from PyQt6.QtCore import QMarginsF, QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPdfWriter
from PyQt6.QtWidgets import QMenu

from vastwatch.design.project import find
from vastwatch.desk.plan.underlay import LONGEST_PX, pages_of, picture_of, read_underlay
from vastwatch.files import ProjectError, load_project
from vastwatch.files.check import faults_of
from vastwatch.geometry import polygons

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def bare(qtbot, window):
    window.filing.new()
    window.plan.resetTransform()
    window.plan.scale(50, 50)
    window.plan._put(QPointF(4, -3), QPointF(window.plan.viewport().rect().center()))
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    return window


def click(qtbot, w, x, y, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.mouseMove(w.plan.viewport(), spot_px(w, x, y))
    qtbot.mouseClick(w.plan.viewport(), LEFT, modifier, pos=spot_px(w, x, y))


# -- drawing -------------------------------------------------------------------------------------------------------


def test_a_room_is_dragged_and_the_next_takes_hold_of_its_corner(qtbot, bare):
    w = bare
    w.panel("Plan").build.name.setText("Hall")
    w.panel("Plan").build.use.setCurrentText("passage")
    qtbot.mouseClick(w.panel("Plan").build.drawing["room"], LEFT)
    drag(qtbot, w, spot_px(w, 1.0, 1.0), spot_px(w, 5.0, 4.0))
    hall = project(w).rooms[0]
    assert (hall.name, hall.use) == ("Hall", "passage")
    assert polygons.area(hall.outline) == pytest.approx(12.0, abs=0.2)
    assert w.panel("Plan").build.name.text() == ""
    # Two clicks do as well; the first corner is caught from 6 pixels away.
    click(qtbot, w, hall.outline[1][0] + 0.1, hall.outline[1][1] + 0.05)
    click(qtbot, w, 7.5, 4.03)
    second = project(w).rooms[1]
    assert second.name == "Room 2"
    assert hall.outline[1] in second.outline and hall.outline[2] in second.outline
    assert len(project(w).walls) == 7
    drag(qtbot, w, spot_px(w, 2.0, 2.0), spot_px(w, 4.0, 3.0))
    assert len(project(w).rooms) == 2
    assert "overlap" in w.status.said.text()
    assert not list(faults_of(project(w)))


def test_a_polygon_is_clicked_corner_by_corner_taken_back_and_closed(qtbot, bare):
    w = bare
    w.focus.set(placing="draw:polygon")
    for x, y in ((1, 1), (5, 1), (6, 2), (5, 3)):
        click(qtbot, w, x, y)
    key(qtbot, w.plan, Qt.Key.Key_Backspace)
    assert len(w.plan.tools.points) == 3
    click(qtbot, w, 3, 4)
    key(qtbot, w.plan, Qt.Key.Key_Return)
    assert len(project(w).rooms[0].outline) == 4
    # The first corner closes too; a bow-tie is refused.
    for x, y in ((1, 5), (3, 5), (3, 6), (1.02, 5.03)):
        click(qtbot, w, x, y)
    assert len(project(w).rooms) == 2
    for x, y in ((4, 5), (6, 6), (6, 5), (4, 6)):
        click(qtbot, w, x, y)
    key(qtbot, w.plan, Qt.Key.Key_Return)
    assert len(project(w).rooms) == 2 and "cross itself" in w.status.said.text()
    w.grab()


def test_corners_typed_make_a_polygon_and_the_grid_can_be_set(qtbot, bare):
    w = bare
    qtbot.keyClicks(w.panel("Plan").build.name, "Bay")
    qtbot.keyClicks(w.panel("Plan").build.measure, "0,0 4,0 5,1.5 4,3 0,3")
    key(qtbot, w.panel("Plan").build.measure, Qt.Key.Key_Return)
    assert project(w).rooms[0].outline[2] == (5.0, 1.5)
    type_into(qtbot, w.panel("Plan").build.grid, "50 cm")
    assert w.focus.grid_m == 0.5
    assert w.plan.tools.snapped(7.3, 6.4, False) == (7.5, 6.5)
    assert w.plan.tools.snapped(7.3, 6.4, True) == (7.3, 6.4)
    type_into(qtbot, w.panel("Plan").build.grid, "0")
    assert w.plan.tools.snapped(7.312, 6.4, False) == pytest.approx((7.312, 6.4))


def test_a_room_is_cut_and_made_one_again(qtbot, plan):
    w = plan
    qtbot.mouseClick(w.panel("Plan").build.drawing["split"], LEFT)
    click(qtbot, w, 9.0, 3.4)
    click(qtbot, w, 9.0, 7.5)
    assert len(project(w).rooms) == 14 and w.focus.placing is None
    part = w.focus.room
    assert find(project(w).rooms, part).name == "Glazing 2"
    w.focus.set(room="glazing", selected="glazing")
    w.panel("Plan").build._join_menu()
    menu = w.panel("Plan").build.findChildren(QMenu)[-1]
    next(a for a in menu.actions() if a.text() == "Glazing 2").trigger()
    menu.close()
    assert len(project(w).rooms) == 13
    assert "now part of glazing" in w.status.said.text()


def test_return_halves_a_room_or_marks_a_hazard_in_its_middle(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="glazing", selected="glazing", placing="draw:split")
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Return)
    halves = [polygons.area(r.outline) for r in project(w).rooms if r.name.startswith("Glazing")]
    assert halves == pytest.approx([5.3 * 4.1 / 2] * 2, rel=1e-3)
    w.focus.set(room="kiln", selected="kiln", placing="draw:fan")
    key(qtbot, w.plan, Qt.Key.Key_Return)
    assert project(w).hazards[-1].kind == "fan" and w.focus.room == "kiln"
    before = project(w)
    w.focus.set(placing="draw:room")
    key(qtbot, w.plan, Qt.Key.Key_Return)
    assert project(w) is before and "type the room on the left" in w.status.said.text()


def test_the_tape_measures_and_goes_with_escape(qtbot, plan):
    w = plan
    w.focus.set(placing="draw:tape")
    drag(qtbot, w, spot_px(w, 0, 0), spot_px(w, 12, 0))
    assert w.plan.bench.measured == ((0, 0), (12, 0))
    assert "12.00 m" in w.status.said.text()
    before = project(w)
    w.grab()
    key(qtbot, w.plan, Qt.Key.Key_Escape)
    assert w.plan.bench.measured is None and project(w) is before


def test_hazards_are_drawn_told_and_follow_the_sun(qtbot, plan):
    w = plan
    qtbot.mouseClick(w.panel("Plan").furnish.hazards["vent"], LEFT)
    drag(qtbot, w, spot_px(w, 2.0, 0.4), spot_px(w, 3.0, 1.0))
    vent = project(w).hazards[-1]
    assert vent.kind == "vent" and w.focus.selected == vent.id
    type_into(qtbot, inspect(w, "Strength"), "80")
    type_into(qtbot, inspect(w, "Active"), "9-12, 14:30-16")
    vent = find(project(w).hazards, vent.id)
    assert vent.strength == 0.8 and vent.times == (("09:00", "12:00"), ("14:30", "16:00"))
    type_into(qtbot, inspect(w, "Active"), "noon")
    assert find(project(w).hazards, vent.id).times == vent.times and "time range" in w.status.said.text()
    # A click makes a small one; a sun patch can be computed from a window.
    w.focus.set(placing="draw:sun patch")
    click(qtbot, w, 4.4, 0.6)
    sun = project(w).hazards[-1]
    assert sun.kind == "sun patch"
    box = inspect(w, "Window")
    box.setCurrentIndex(box.findData("shop-window"))
    box.activated.emit(box.currentIndex())
    assert find(project(w).hazards, sun.id).window == "shop-window"
    assert not inspect(w, "Active").isEnabled()
    key(qtbot, w.plan, Qt.Key.Key_Delete)
    assert sun.id not in {h.id for h in project(w).hazards}


def test_spots_are_set_down_and_say_what_is_done_there(qtbot, plan):
    w = plan
    qtbot.mouseClick(w.panel("Plan").furnish.spots["seated"], LEFT)
    click(qtbot, w, 9.5, 4.5)
    spot = project(w).spots[-1]
    assert (spot.room, spot.posture, spot.activity) == ("glazing", "seated", "desk")
    for name, value, field in (("Posture", "standing", "posture"), ("Activity", "washing", "activity")):
        box = inspect(w, name)
        box.setCurrentText(value)
        box.activated.emit(box.currentIndex())
        assert getattr(find(project(w).spots, spot.id), field) == value
    type_into(qtbot, inspect(w, "Lux"), "500")
    assert find(project(w).spots, spot.id).lux == 500
    key(qtbot, w.plan, Qt.Key.Key_Delete)
    assert spot.id not in {s.id for s in project(w).spots}


# -- selections ----------------------------------------------------------------------------------------------------


def test_many_are_taken_with_shift_and_moved_copied_mirrored_deleted(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="glazing", selected="glazing")
    click(qtbot, w, 8.0, 6.6, SHIFT)
    click(qtbot, w, 11.5, 4.5, SHIFT)
    assert w.focus.marked == {"glaze-bench", "glaze-shelf"}
    click(qtbot, w, 11.5, 4.5, SHIFT)
    assert w.focus.marked == {"glaze-bench"}
    click(qtbot, w, 11.5, 4.5, SHIFT)
    at = find(project(w).furnishings, "glaze-bench").outline[0]
    shelf = find(project(w).furnishings, "glaze-shelf").outline[0]
    key(qtbot, w.plan, Qt.Key.Key_Left)
    assert find(project(w).furnishings, "glaze-bench").outline[0][0] == pytest.approx(at[0] - 0.05)
    drag(qtbot, w, spot_px(w, 9.0, 6.6), spot_px(w, 9.0, 6.3))
    moved = find(project(w).furnishings, "glaze-shelf").outline[0]
    assert moved[1] == pytest.approx(shelf[1] - 0.3, abs=0.06)
    assert w.focus.marked == {"glaze-bench", "glaze-shelf"}
    qtbot.mouseClick(w.panel("Plan").build.acts["bottom"], LEFT)
    low = [min(p[1] for p in find(project(w).furnishings, i).outline) for i in sorted(w.focus.marked)]
    assert low[0] == pytest.approx(low[1])
    key(qtbot, w.plan, Qt.Key.Key_X)
    assert w.document.undo_stack.undoText() == "Flip horizontally"
    pieces = len(project(w).furnishings)
    key(qtbot, w.plan, Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
    assert len(project(w).furnishings) == pieces + 2
    # The seats at the bench are copied with it.
    assert w.focus.marked == {"glaze-bench-1", "glaze-shelf-1", "glaze-bench-spot-1", "glaze-stool-1"}
    key(qtbot, w.plan, Qt.Key.Key_Delete)
    assert len(project(w).furnishings) == pieces and not w.focus.marked
    assert "Deleted 4 objects" in w.status.said.text()
    assert not list(faults_of(project(w)))


def test_a_frame_takes_what_lies_wholly_in_it(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln")
    start, end = spot_px(w, 7.0, 3.0), spot_px(w, 9.4, 0.25)
    qtbot.mousePress(w.plan.viewport(), LEFT, SHIFT, pos=start)
    for k in range(1, 5):
        send_move(w, start + (end - start) * (k / 4), SHIFT)
    qtbot.mouseRelease(w.plan.viewport(), LEFT, SHIFT, pos=end)
    assert {"kiln-body", "kiln-front", "kiln-heat"} <= w.focus.marked
    assert "store-shelf" not in w.focus.marked
    key(qtbot, w.plan, Qt.Key.Key_Escape)
    assert not w.focus.marked


def test_all_walls_of_a_room_are_of_another_stuff_at_once(qtbot, plan):
    w = plan
    w.focus.set(room="kiln", selected="kiln")
    w.panel("Plan").build.walls_wanted.emit()
    assert len(w.focus.marked) >= 4
    box = inspect(w, "Material of all")
    box.setCurrentText("concrete")
    box.activated.emit(box.currentIndex())
    assert {find(project(w).walls, i).material for i in w.focus.marked} == {"concrete"}
    type_into(qtbot, inspect(w, "Thickness of all"), "25 cm")
    assert {find(project(w).walls, i).thickness for i in w.focus.marked} == {0.25}
    w.document.undo_stack.undo()
    w.document.undo_stack.undo()
    assert find(project(w).walls, "g-kiln-store").material == "brick"


def test_furniture_takes_its_own_size_whichever_way_it_is_turned(qtbot, plan):
    w = plan
    w.focus.set(level="upper", room="bedroom", selected="bed")
    before = polygons.centroid(find(project(w).furnishings, "bed").outline)
    w.plan.turn(15)
    type_into(qtbot, inspect(w, "Width"), "1.8 m")
    bed = find(project(w).furnishings, "bed")
    assert polygons.area(bed.outline) == pytest.approx(1.8 * 2.0, rel=1e-3)
    assert polygons.centroid(bed.outline) == pytest.approx(before, abs=1e-3)
    box = inspect(w, "Mattress")
    box.setCurrentIndex(1)
    box.activated.emit(1)
    assert find(project(w).furnishings, "bed").mattress == "foam"


# -- levels and pictures -------------------------------------------------------------------------------------------


def test_levels_are_added_copied_named_raised_and_removed(qtbot, plan):
    w = plan
    w.panel("Plan").show_page(3)
    panel = w.panel("Plan").level
    w.focus.set(level="upper", room="box", selected="box")
    qtbot.mouseClick(panel.copy, LEFT)
    assert len(project(w).levels) == 3 and w.focus.level == "upper-floor-2"
    assert w.level.count() == 3
    panel.name.setText("Attic")
    panel.name.editingFinished.emit()
    type_into(qtbot, panel.ceiling, "2.1 m")
    type_into(qtbot, panel.elevation, "5.6")
    attic = find(project(w).levels, w.focus.level)
    assert (attic.name, attic.height, attic.elevation) == ("Attic", 2.1, 5.6)
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_G)
    assert not w.focus.ghost and not panel.ghost.isChecked()
    settle(qtbot, w)
    w.grab()
    qtbot.mouseClick(panel.remove, LEFT)
    assert len(project(w).levels) == 2 and w.focus.level in ("ground", "upper")
    w.document.undo_stack.undo()
    assert len(project(w).levels) == 3


def picture(path, width=600, height=400):
    image = QImage(width, height, QImage.Format.Format_RGB32)
    image.fill(QColor("#ddeeff"))
    image.save(str(path))
    return path


def test_a_picture_is_laid_under_scaled_moved_faded_locked_and_saved(qtbot, plan, tmp_path):
    w = plan
    panel = w.panel("Plan").level
    # A page that is not shown sleeps.
    w.panel("Plan").show_page(3)
    panel.bring_in(picture(tmp_path / "scan.png"))
    qtbot.waitUntil(lambda: find(project(w).levels, "ground").underlay is not None)
    under = find(project(w).levels, "ground").underlay
    assert (under.width_px, under.height_px) == (600, 400) and "click two points" in w.status.said.text()
    w.focus.set(placing="draw:scale")
    asked = []
    w.plan.scale_asked.disconnect(panel.ask_scale)
    w.plan.scale_asked.connect(lambda a, b: asked.append((a, b)))
    click(qtbot, w, 1.0, 1.0)
    click(qtbot, w, 5.0, 1.0)
    ((a, b),) = asked
    panel.scale_to(a, b, "8 m")
    scaled = find(project(w).levels, "ground").underlay
    assert scaled.metres_per_px == pytest.approx(2 * under.metres_per_px, rel=0.01)
    panel.scale_to(a, b, "nothing")
    assert find(project(w).levels, "ground").underlay is scaled
    type_into(qtbot, panel.left, "-1 m")
    panel.opacity.setValue(30)
    panel.locked.click()
    now = find(project(w).levels, "ground").underlay
    assert (now.at[0], now.opacity, now.locked) == (-1.0, 0.3, True)
    assert not panel.scale.isEnabled()
    path = tmp_path / "with.vastwatch.json"
    assert w.filing.save_to(path)
    assert picture_of(load_project(path).levels[0].underlay).width() == 600
    w.grab()
    panel._take_away()
    assert find(project(w).levels, "ground").underlay is None


def test_a_page_of_a_pdf_is_laid_under(qtbot, plan, tmp_path):
    path = tmp_path / "plans.pdf"
    writer = QPdfWriter(str(path))
    writer.setPageMargins(QMarginsF(0, 0, 0, 0))
    painter = QPainter(writer)
    painter.drawLine(QPoint(10, 10), QPoint(4000, 4000))
    writer.newPage()
    painter.drawLine(QPoint(10, 4000), QPoint(4000, 10))
    painter.end()
    assert pages_of(path) == 2
    plan.panel("Plan").level.bring_in(path, page=1)
    qtbot.waitUntil(lambda: find(project(plan).levels, "ground").underlay is not None)
    under = find(project(plan).levels, "ground").underlay
    assert max(under.width_px, under.height_px) == LONGEST_PX
    with pytest.raises(ProjectError, match="2 pages; there is no page 8"):
        read_underlay(path, 7)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("none.png", None, "no such file"), ("text.png", b"hello", "neither a PNG"),
        ("cut.png", b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x02\x58\x00\x00\x01\x90\x08\x02\x00\x00\x00", "."),
        ("empty.jpg", b"", "neither a PNG"), ("not.pdf", b"%PDF-1.7 nonsense", "PDF"),
    ],
)  # fmt: skip
def test_what_is_no_picture_says_so_and_changes_nothing(qtbot, plan, tmp_path, name, data, words):
    path = tmp_path / name
    if data is not None:
        path.write_bytes(data)
    before = project(plan)
    plan.panel("Plan").level.bring_in(path)
    qtbot.waitUntil(lambda: name in plan.status.said.text())
    assert project(plan) is before
    assert words in plan.status.said.text()


def test_a_huge_picture_is_refused_before_it_is_read(tmp_path):
    import struct
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
    path = tmp_path / "huge.png"
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"")) + chunk(b"IEND", b"")
    )
    with pytest.raises(ProjectError, match="too large"):
        read_underlay(path)
    large = read_underlay(picture(tmp_path / "large.png", 5000, 2500))
    assert (large.width_px, large.height_px) == (LONGEST_PX, LONGEST_PX // 2)


def test_the_plan_goes_out_as_svg(qtbot, plan, tmp_path):
    path = tmp_path / "plan.svg"
    plan.filing.send_out_to(path)
    assert "Throwing room" in path.read_text()
    assert "Exported" in plan.status.said.text()


def test_a_name_half_typed_stays_with_its_own_record(qtbot, plan):
    """Choosing something else while a name is being typed ends the typing; it never names the other thing."""
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln-body")
    field = inspect(w, "Name")
    w.activateWindow()
    field.setFocus()
    qtbot.waitUntil(field.hasFocus)
    field.selectAll()
    qtbot.keyClicks(field, "Big kiln")
    w.focus.set(selected="store-shelf")
    assert find(project(w).furnishings, "store-shelf").name == "Store shelf"
    assert find(project(w).furnishings, "kiln-body").name in ("Big kiln", "Kiln")


def test_things_are_stepped_through_gathered_and_moved_by_keys_alone(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln")
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_O)
    first = w.focus.selected
    key(qtbot, w.plan, Qt.Key.Key_E)
    key(qtbot, w.plan, Qt.Key.Key_O)
    key(qtbot, w.plan, Qt.Key.Key_E)
    assert len(w.focus.marked) == 2 and first in w.focus.marked
    before = project(w)
    key(qtbot, w.plan, Qt.Key.Key_Right)
    assert project(w) is not before and w.document.undo_stack.undoText() == "Nudge 2 objects"
    key(qtbot, w.plan, Qt.Key.Key_E)
    assert len(w.focus.marked) == 1
    key(qtbot, w.plan, Qt.Key.Key_O, SHIFT)
    seen = w.plan.builder.things_of_room()
    assert {"kiln-body", "kiln-front", "lamp-kiln", "kiln-heat", "kiln-passage", "g-south"} <= set(seen)


def test_a_door_is_hinged_and_swings_as_it_is_told(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln-passage")
    for name, words, value, field in (
        ("Hinge", "upper end", "b", "hinge"), ("Opens", "into kiln", "right", "swings"),
    ):  # fmt: skip
        box = inspect(w, name)
        box.setCurrentText(words)
        assert box.currentText() == words
        box.activated.emit(box.currentIndex())
        assert getattr(find(project(w).openings, "kiln-passage"), field) == value
    w.grab()


@pytest.mark.parametrize("size", [(5003, 1999), (1999, 5003), (6000, 60)])
def test_a_large_picture_is_made_smaller_in_bands_without_a_seam(qapp, tmp_path, size):
    """As the toolkit does it in one go, which takes four bytes for each pixel of the whole."""
    wide, high = size
    across = np.arange(wide, dtype=np.uint8)[None, :] + np.zeros((high, 1), np.uint8)
    down = ((np.arange(high) * 255) // high).astype(np.uint8)[:, None]
    grey = np.ascontiguousarray(np.maximum(across // 2, down))
    whole = QImage(grey.tobytes(), wide, high, wide, QImage.Format.Format_Grayscale8)
    whole.save(str(tmp_path / "large.png"))
    kept = picture_of(read_underlay(tmp_path / "large.png"))
    at_once = whole.scaled(
        kept.size(), Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
    )  # fmt: skip

    def levels(image: QImage):
        flat = image.convertToFormat(QImage.Format.Format_Grayscale8)
        rows = np.frombuffer(flat.constBits().asarray(flat.sizeInBytes()), np.uint8)
        return rows.reshape(flat.height(), flat.bytesPerLine())[:, : flat.width()].astype(float)

    assert max(kept.width(), kept.height()) == LONGEST_PX
    apart = np.abs(levels(kept) - levels(at_once))
    assert apart.mean() < 2.0 and apart.mean(axis=1).max() < 12.0
