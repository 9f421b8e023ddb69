"""From the panels to the plan in the real window: dragged, foreseen, placed; how a bare building begins; exact figures
at the right; what fails in the background."""

from __future__ import annotations

import pytest
from hands import LEFT, drag, inspect, key, plain, project, settle, spot_px, type_into
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage, QMouseEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from vastwatch.design.edits.wiring import circuit_of
from vastwatch.design.project import find
from vastwatch.desk.plan.handles import handle_of
from vastwatch.desk.plan.view import CARRIED
from vastwatch.desk.shell.app import Desk, empty_project, make_application
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.tool_buttons import ArmingButton
from vastwatch.desk.stages.sensors.shelf import DeviceCard
from vastwatch.files.check import faults_of
from vastwatch.geometry.polygons import bounds

NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def carried(monkeypatch):
    """Let a drag from a panel be let go over the plan at once: where is set by the test."""
    target = {}

    def let_go(self, *_):
        w, at = target["window"], QPointF(target["at"])
        mime = self.mimeData()
        action, buttons = Qt.DropAction.CopyAction, LEFT
        for kind in (QDragEnterEvent, QDragMoveEvent):
            event = kind(at.toPoint(), action, mime, buttons, NONE)
            QApplication.sendEvent(w.plan.viewport(), event)
        target["foreseen"] = w.plan.bench.foreseen
        drop = QDropEvent(at, action, mime, buttons, NONE)
        QApplication.sendEvent(w.plan.viewport(), drop)
        return action

    monkeypatch.setattr(QDrag, "exec", let_go)
    return target


def carry(w, carried, button, x, y):
    """Press on a thing of a panel, move, and let go at a point of the plan."""
    carried["window"], carried["at"] = w, spot_px(w, x, y)
    start = QPointF(button.rect().center())
    for kind, at, buttons in (
        (QEvent.Type.MouseButtonPress, start, LEFT),
        (QEvent.Type.MouseMove, start + QPointF(30, 0), LEFT),
    ):
        which = LEFT if kind == QEvent.Type.MouseButtonPress else Qt.MouseButton.NoButton
        QApplication.sendEvent(button, QMouseEvent(kind, at, button.mapToGlobal(at), which, buttons, NONE))


def furniture_button(w, name):
    return next(b for b in w.panel("Plan").furnish.findChildren(ArmingButton) if b.token == f"furniture:{name}")


# -- carried to the plan -------------------------------------------------------------------------------------------


def test_furniture_is_carried_to_the_plan_and_foreseen_there(qtbot, plan, carried):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln")
    pieces = len(project(w).furnishings)
    carry(w, carried, furniture_button(w, "Chair"), 8.2, 2.9)
    chair = project(w).furnishings[-1]
    assert len(project(w).furnishings) == pieces + 1 and chair.name == "Chair"
    footprint, _ = carried["foreseen"]
    assert footprint == chair.outline
    assert w.focus.placing is None and w.plan.bench.foreseen is None and w.focus.selected == chair.id
    assert not furniture_button(w, "Chair").isChecked()
    assert not list(faults_of(project(w)))


@pytest.mark.parametrize(("panel", "name", "at", "collection"), [
    ("furnish", "spot:seated", (8.2, 2.9), "spots"),
    ("furnish", "lamp:", (8.2, 2.9), "lamps"),
    ("furnish", "draw:fan", (8.2, 2.9), "hazards"),
    ("build", "opening:window", (8.3, 0.0), "openings"),
])  # fmt: skip
def test_each_kind_of_thing_is_carried(plan, carried, panel, name, at, collection):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln")
    button = next(b for b in getattr(w.panel("Plan"), panel).findChildren(ArmingButton) if b.token == name)
    before = len(getattr(project(w), collection))
    carry(w, carried, button, *at)
    assert len(getattr(project(w), collection)) == before + 1
    assert w.focus.placing is None
    w.document.undo_stack.undo()
    assert len(getattr(project(w), collection)) == before


def test_drawing_tools_are_not_carried(plan, carried):
    w = plan
    for button in w.panel("Plan").build.drawing.values():
        assert not button.carried
    carry(w, carried, w.panel("Plan").build.drawing["room"], 8.2, 2.9)
    assert "foreseen" not in carried


def test_what_cannot_be_there_is_not_foreseen_and_refused(plan, carried):
    w = plan
    pieces = len(project(w).furnishings)
    carry(w, carried, furniture_button(w, "Sofa"), -0.9, 3.0)
    assert carried["foreseen"] == [] and len(project(w).furnishings) == pieces
    assert "inside a room" in w.status.said.text()
    door = w.panel("Plan").build.openings["door"]
    carry(w, carried, door, 8.2, 2.0)
    assert carried["foreseen"] == [] and "click on a wall" in w.status.said.text().lower()


def test_a_device_is_foreseen_looking_into_the_room(qtbot, window, carried):
    w = window
    w.focus.set(stage="Sensors", level="ground", room="kiln", selected="kiln")
    card = next(c for c in w.panel("Sensors").findChildren(DeviceCard) if c.device.id == "pir-corner-12")
    carry(w, carried, card, 6.9, 0.3)
    sensor = project(w).sensors[-1]
    (dart,) = carried["foreseen"]
    tip, tail = dart[1], ((dart[0][0] + dart[2][0]) / 2, (dart[0][1] + dart[2][1]) / 2)
    # A dart in the lower left corner points up and to the right, where the sensor then looks.
    assert tip[0] > tail[0] and tip[1] > tail[1] and 20 < sensor.yaw < 70


def test_what_is_in_the_hand_shows_under_the_pointer_and_esc_puts_it_back(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln")
    qtbot.mouseClick(furniture_button(w, "Rack"), LEFT)
    assert furniture_button(w, "Rack").isChecked()
    qtbot.mouseMove(w.plan.viewport(), spot_px(w, 8.0, 2.9))
    qtbot.waitUntil(lambda: bool(w.plan.bench.foreseen))
    first = w.plan.bench.foreseen
    qtbot.mouseMove(w.plan.viewport(), spot_px(w, 8.4, 2.7))
    qtbot.waitUntil(lambda: w.plan.bench.foreseen != first)
    assert not w.plan.grab().isNull()
    QApplication.sendEvent(w.plan, QEvent(QEvent.Type.Leave))
    assert w.plan.bench.foreseen is None
    key(qtbot, w.plan, Qt.Key.Key_Escape)
    assert w.focus.placing is None and not furniture_button(w, "Rack").isChecked()


def test_a_drag_of_something_else_is_not_taken(window):
    w, mime = window, QMimeData()
    mime.setText("a word")
    event = QDragEnterEvent(QPoint(300, 200), Qt.DropAction.CopyAction, mime, LEFT, NONE)
    event.ignore()
    QApplication.sendEvent(w.plan.viewport(), event)
    assert not event.isAccepted() and not mime.hasFormat(CARRIED)


def test_a_stair_stands_along_its_wall(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="store", selected="store")
    assert w.plan.place("furniture:Stair run", 11.2, 1.9)
    stair = project(w).furnishings[-1]
    x0, y0, x1, y1 = bounds(stair.outline)
    assert y1 - y0 == pytest.approx(2.9, abs=0.01) and x1 - x0 == pytest.approx(0.9, abs=0.01)
    assert x1 == pytest.approx(12 - 0.15 - 0.02, abs=0.06)
    climb = stair.climb
    round_ = next(b for b in w.verdict.inspector.findChildren(QPushButton) if b.text().startswith("Reverse climb"))
    qtbot.mouseClick(round_, LEFT)
    assert find(project(w).furnishings, stair.id).climb == (climb + 180) % 360
    words = [plain(x.text()) for x in w.verdict.inspector.findChildren(QLabel)]
    assert any("fail to ON" in x for x in words)


def test_near_a_corner_furniture_is_kept_out_of_the_other_wall(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="store", selected="store")
    room = find(project(w).rooms, "store").outline
    x0, y0, x1, y1 = bounds(room)
    for x, y in ((x0 + 0.2, y1 - 0.1), (x1 - 0.2, y1 - 0.1), (x0 + 0.1, y1 - 0.2)):
        assert w.plan.place("furniture:Rack", x, y)
        a0, b0, a1, b1 = bounds(project(w).furnishings[-1].outline)
        assert x0 < a0 and a1 < x1 and y0 < b0 and b1 < y1
        w.document.undo_stack.undo()


# -- a bare beginning ----------------------------------------------------------------------------------------------


@pytest.fixture
def fresh(qtbot):
    make_application()
    own = Desk(Document(empty_project()))
    qtbot.addWidget(own.window)
    own.window.show()
    own.window.activateWindow()
    qtbot.waitUntil(own.window.isActiveWindow)
    settle(qtbot, own.window)
    yield own.window
    own.document.undo_stack.setClean()


def test_an_empty_building_begins_on_the_plan_with_ways_to_begin(qtbot, fresh):
    w = fresh
    assert w.focus.stage == "Plan" and w.beginning.isVisible()
    assert [n for n, b in w.beginning.offers.items() if b.isVisible()] == [
        "type",
        "picture",
        "drawing",
        "draw",
        "sample",
        "tour",
    ]
    assert "nothing to rehearse" in w.status.when.text()
    offer = w.beginning.offers["type"]
    qtbot.waitUntil(offer.hasFocus)
    key(qtbot, offer, Qt.Key.Key_Down)
    assert w.beginning.offers["picture"].hasFocus()
    key(qtbot, w.beginning.offers["picture"], Qt.Key.Key_Up)
    key(qtbot, offer, Qt.Key.Key_Return)
    assert w.panel("Plan").build.name.hasFocus()
    type_into(qtbot, w.panel("Plan").build.name, "Den")
    type_into(qtbot, w.panel("Plan").build.measure, "4.2 x 3.6")
    assert not w.beginning.isVisible()
    # The first room lies in the middle of the plan, as large as there is place.
    x0, y0, x1, y1 = bounds(project(w).rooms[0].outline)
    view = w.plan.viewport().rect()
    corners = [w.plan.pixel_of(x0, y0), w.plan.pixel_of(x1, y1)]
    assert all(view.contains(c.toPoint()) for c in corners)
    assert abs((corners[0].x() + corners[1].x()) / 2 - view.center().x()) < 6
    w.document.undo_stack.undo()
    assert w.beginning.isVisible()


def test_a_room_is_drawn_from_the_first_offer_and_the_sample_is_one_press_away(qtbot, fresh):
    w = fresh
    qtbot.mouseClick(w.beginning.offers["draw"], LEFT)
    assert w.focus.placing == "draw:room" and not w.beginning.isVisible()
    drag(qtbot, w, spot_px(w, 1.0, 1.0), spot_px(w, 5.0, 4.0))
    assert len(project(w).rooms) == 1 and not w.beginning.isVisible()
    w.document.undo_stack.setClean()
    w.filing.new()
    qtbot.mouseClick(w.beginning.offers["sample"], LEFT)
    assert project(w).name == "Saltmarsh Pottery" and w.document.path is None
    assert w.focus.stage == "Sensors" and not w.beginning.isVisible()
    settle(qtbot, w)


def test_the_first_room_of_a_bare_level_is_looked_at_where_it_is(qtbot, plan):
    w = plan
    w.focus.set(level="upper")
    w.panel("Plan").level._add()
    level = w.focus.level
    assert w.focus.room is None
    type_into(qtbot, w.panel("Plan").build.name, "Loft")
    type_into(qtbot, w.panel("Plan").build.measure, "4 x 3")
    assert project(w).rooms[-1].level == w.focus.level == level and w.focus.room == project(w).rooms[-1].id
    w.document.undo_stack.undo()
    assert w.focus.level == level and w.focus.room is None


def test_a_bare_level_offers_the_one_below(qtbot, plan):
    w = plan
    w.focus.set(level="upper")
    w.panel("Plan").level._add()
    assert w.beginning.isVisible()
    assert [n for n, b in w.beginning.offers.items() if b.isVisible()] == ["type", "picture", "drawing", "draw", "copy"]
    qtbot.mouseClick(w.beginning.offers["copy"], LEFT)
    mine = [r.name for r in project(w).rooms if r.level == w.focus.level]
    assert mine == [r.name for r in project(w).rooms if r.level == "upper"]
    assert not w.beginning.isVisible() and not list(faults_of(project(w)))
    assert "copy" in w.document.undo_stack.undoText().lower()


# -- exact figures -------------------------------------------------------------------------------------------------


def test_places_and_turns_are_typed_exactly(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="store", selected="store-shelf")
    shelf = find(project(w).furnishings, "store-shelf")
    (x0, y0, x1, y1) = bounds(shelf.outline)
    type_into(qtbot, inspect(w, "X"), "10.4")
    type_into(qtbot, inspect(w, "Y"), "150 cm")
    now = bounds(find(project(w).furnishings, "store-shelf").outline)
    assert ((now[0] + now[2]) / 2, (now[1] + now[3]) / 2) == pytest.approx((10.4, 1.5))
    type_into(qtbot, inspect(w, "Angle"), "180")
    turned = bounds(find(project(w).furnishings, "store-shelf").outline)
    assert (turned[2] - turned[0], turned[3] - turned[1]) == pytest.approx((y1 - y0, x1 - x0), abs=1e-3)
    assert inspect(w, "Angle").text() == "180°"
    type_into(qtbot, inspect(w, "Bottom"), "1.2")
    assert find(project(w).furnishings, "store-shelf").z0 == 1.2
    type_into(qtbot, inspect(w, "X"), "90")
    assert "outside" in w.status.said.text() or "leave the building" in w.status.said.text()
    spot = next(s for s in project(w).spots if s.room == "shop")
    w.focus.set(room="shop", selected=spot.id)
    type_into(qtbot, inspect(w, "X"), "2.5")
    assert find(project(w).spots, spot.id).at[0] == 2.5


def test_a_room_is_as_wide_as_typed(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="kiln")
    old = bounds(find(project(w).rooms, "kiln").outline)
    type_into(qtbot, inspect(w, "Width"), f"{old[2] - old[0] + 0.2:.2f}")
    new = bounds(find(project(w).rooms, "kiln").outline)
    assert new[2] - old[2] == pytest.approx(0.2) and new[0] == old[0]
    assert bounds(find(project(w).rooms, "store").outline)[0] == pytest.approx(new[2])
    type_into(qtbot, inspect(w, "Width"), "40")
    assert "would" in w.status.said.text()
    assert bounds(find(project(w).rooms, "kiln").outline) == new
    assert inspect(w, "Width").text() == f"{new[2] - new[0]:.2f} m"


def test_a_lamp_is_hung_on_a_circuit_at_the_right(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="kiln", selected="lamp-kiln")

    def choose(words):
        box = next(b for b in w.verdict.inspector.findChildren(QComboBox) if b.accessibleName() == "Circuit")
        at = box.findText(words)
        assert at >= 0
        box.setCurrentIndex(at)
        box.activated.emit(at)
        return next(b for b in w.verdict.inspector.findChildren(QComboBox) if b.accessibleName() == "Circuit")

    shop = find(project(w).circuits, "circuit-shop")
    assert choose(shop.name).currentText() == shop.name
    assert circuit_of(project(w), "lamp-kiln").id == "circuit-shop"
    assert choose("on no circuit").currentText() == "on no circuit"
    assert circuit_of(project(w), "lamp-kiln") is None
    n = len(project(w).circuits)
    own = choose("own circuit")
    assert len(project(w).circuits) == n + 1
    assert own.currentText() == circuit_of(project(w), "lamp-kiln").name
    assert not list(faults_of(project(w)))


@pytest.mark.parametrize(("ident", "collection"), [("store-shelf", "furnishings"), ("shop-counter-spot", "spots")])
def test_what_is_selected_is_turned_by_its_handle_in_one_step(qtbot, plan, ident, collection):
    w = plan
    if collection == "spots":
        ident = next(s.id for s in project(w).spots if s.room == "shop")
    record = find(getattr(project(w), collection), ident)
    w.focus.set(level="ground", selected=ident)
    handle = handle_of(w.plan.state)
    assert handle.record is record
    c = w.plan.pixel_of(*handle.centre)
    tip = handle.tip(c, w.plan.scale_px)
    assert w.plan.builder.on_handle(tip) is not None and w.plan.builder.on_handle(c) is None
    steps = w.document.undo_stack.count()
    drag(qtbot, w, tip.toPoint(), (c + QPointF(0, 70)).toPoint())
    assert w.document.undo_stack.count() == steps + 1
    turned = handle_of(w.plan.state)
    assert turned.bearing == 270 and turned.centre == pytest.approx(handle.centre, abs=1e-3)
    w.document.undo_stack.undo()
    assert find(getattr(project(w), collection), ident) is record
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_L)
    assert handle_of(w.plan.state).bearing == pytest.approx((handle.bearing + 15) % 360)
    w.focus.set(stage="Sensors")
    assert handle_of(w.plan.state) is None


# -- the picture underneath ----------------------------------------------------------------------------------------


def test_the_picture_underneath_is_dragged_as_one_step(qtbot, plan, tmp_path):
    w = plan
    image = QImage(200, 100, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    path = tmp_path / "plan.png"
    assert image.save(str(path))
    w.focus.set(level="upper")
    w.filing.bring_in(path)
    qtbot.waitUntil(lambda: w.panel("Plan").level.level.underlay is not None)
    before, steps = w.panel("Plan").level.level.underlay.at, w.document.undo_stack.count()
    qtbot.mouseClick(w.panel("Plan").level.shift, LEFT)
    a, b = spot_px(w, 3.0, 3.0), spot_px(w, 4.5, 2.0)
    drag(qtbot, w, a, b)
    moved = w.panel("Plan").level.level.underlay.at
    assert (moved[0] - before[0], moved[1] - before[1]) == pytest.approx((1.5, -1.0), abs=0.05)
    assert w.document.undo_stack.count() == steps + 1
    w.panel("Plan").level.locked.setChecked(True)
    drag(qtbot, w, a, b)
    assert w.panel("Plan").level.level.underlay.at == moved and "locked" in w.status.said.text()
