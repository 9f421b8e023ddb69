"""The shelf in the real window: order, power, comparison, and types of one's own."""

from __future__ import annotations

import pytest
from hands import LEFT, key, project, settle
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QLineEdit, QPushButton, QScrollArea

from samples import device
from vastwatch.design.presence import reports
from vastwatch.design.project import find
from vastwatch.desk.stages.sensors.compare import CompareSheet
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.desk.stages.sensors.shelf import ORDERS, POWERS, DeviceCard
from vastwatch.desk.stages.sensors.type_form import ON_A_BOX, OTHERS, TypeForm
from vastwatch.devices import FAMILIES, catalogue
from vastwatch.files.device_list import choices, device_fields, read_devices, write_devices


@pytest.fixture
def shelf(qtbot, window):
    for d in list(window.own.types):
        window.own.remove(d.id)
    window.focus.set(stage="Sensors")
    settle(qtbot, window)
    return window.panel("Sensors")


def shown(shelf) -> list[str]:
    QApplication.processEvents()
    return [c.device.id for c in shelf.findChildren(DeviceCard) if c.isVisibleTo(shelf)]


def card(shelf, ident) -> DeviceCard:
    return next(c for c in shelf.findChildren(DeviceCard) if c.device.id == ident and c.isVisibleTo(shelf))


def test_the_shelf_is_ordered_by_a_figure_and_filtered_by_power(qtbot, shelf):
    assert len(shown(shelf)) == len(catalogue())
    shelf.order.setCurrentIndex(1)
    shelf.power.setCurrentIndex(POWERS.index("usb"))
    shelf.fill()
    QApplication.processEvents()
    prices = [c.device.price for c in shelf.findChildren(DeviceCard) if c.isVisibleTo(shelf)]
    assert prices == sorted(prices) and {device(i).power for i in shown(shelf)} == {"usb"}
    shelf.power.setCurrentIndex(0)
    for k, (_, order, _) in enumerate(ORDERS[1:], 1):
        shelf.order.setCurrentIndex(k)
        shelf.fill()
        keys = [order(device(i)) for i in shown(shelf)]
        assert keys == sorted(keys)


def test_up_to_four_are_marked_by_box_or_key_and_compared(qtbot, window, shelf):
    for ident in ("pir-corner-12", "radar-24-state", "dual-24-corner"):
        c = card(shelf, ident)
        qtbot.mouseClick(c, LEFT, pos=QPoint(c.width() - 15, 20))
    key(qtbot, card(shelf, "mat-seat"), Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert shelf.compared == ["pir-corner-12", "radar-24-state", "dual-24-corner", "mat-seat"]
    assert window.focus.placing is None
    shelf.mark("light-lux")
    assert len(shelf.compared) == 4
    shelf.mark("mat-seat")
    assert len(shelf.compared) == 3
    qtbot.mouseClick(shelf.compare, LEFT)
    sheet = shelf.findChild(CompareSheet)
    assert [x.text() for x in sheet.rows["Sitting still"]] == ["blind", "5 m", "4.5 m"]
    assert "700" in sheet.rows["Sitting still"][1].styleSheet()
    place = next(b for b in sheet.findChildren(QPushButton) if b.text() == "Place Three-state 24 GHz")
    qtbot.mouseClick(place, LEFT)
    assert window.focus.placing == "radar-24-state"


def test_a_type_of_ones_own_is_made_checked_kept_and_placed(qtbot, window, shelf):
    form = shelf.edit(device("radar-24-bands"), window.own.fresh_id(device("radar-24-bands")))
    form.fields["name"].setText("My radar")
    form.fields["still_m"].setText("9")
    form.keep()
    assert form.isVisible() and "Somebody still" in form.fault.text()
    assert form.fields["still_m"].property("wrong") == "true"
    form.fields["still_m"].setText("five")
    form.keep()
    assert form.isVisible()
    form.fields["still_m"].setText("5,5")
    form.keep()
    assert not form.isVisible()
    own = window.own.types[0]
    assert (own.id, own.name, own.still_m) == ("own-radar-24-bands", "My radar", 5.5)
    assert read_devices(window.own.path)[0].id == own.id
    assert own.id in shown(shelf)
    window.focus.set(level="ground", room="glazing", selected="glazing")
    assert window.plan.place(own.id, 11.7, 7.2)
    # The project carries it along; a change of the type changes it there, in one undo step.
    assert find(project(window).devices, own.id).still_m == 5.5
    again = shelf.edit(own, own.id)
    again.fields["still_m"].setText("4")
    again.keep()
    assert find(project(window).devices, own.id).still_m == 4.0
    window.document.undo_stack.undo()
    assert find(project(window).devices, own.id).still_m == 5.5
    window.own.remove(own.id)
    assert own.id in shown(shelf)


@pytest.mark.parametrize("ident", ["dual-60-ceiling", "mat-door", "module-dimmer-plain", "light-flag", "plug-meter"])
def test_every_family_has_a_form_that_gives_back_its_type(qtbot, window, shelf, ident):
    form = shelf.edit(device(ident), "own-x")
    made = form.value()
    assert made.family == device(ident).family and made.price == device(ident).price
    form.close()


def test_types_come_in_and_go_out_all_or_none(qtbot, window, shelf, tmp_path):
    mine = [replace(device("pir-wall-8"), id="own-a", name="A"), replace(device("contact-door"), id="own-b", name="B")]
    write_devices(mine, tmp_path / "mine.csv")
    shelf.bring_in(tmp_path / "mine.csv")
    assert {"own-a", "own-b"} <= set(shown(shelf))
    shelf.finder.setText("own")
    assert set(shown(shelf)) >= {"own-a", "own-b"}
    shelf.send_out(tmp_path / "out.json")
    assert [d.id for d in read_devices(tmp_path / "out.json")] == ["own-a", "own-b"]
    (tmp_path / "bad.csv").write_text("family,id,name\npir,own-c,C\n")
    shelf.bring_in(tmp_path / "bad.csv")
    assert "line 2" in window.status.said.text() and "own-c" not in {d.id for d in window.own.types}
    shelf.send_out(tmp_path / "no" / "where.csv")
    assert "cannot be saved" in window.status.said.text()


def test_the_last_type_forgotten_leaves_a_list_that_can_be_read_again(tmp_path):
    path = tmp_path / "own-devices.json"
    own = OwnTypes(path)
    assert own.put([device("pir-wall-8")]) and own.remove("pir-wall-8")
    again = OwnTypes(path)
    assert again.types == [] and not again.unreadable and again.put([device("pir-wall-8")])


def test_a_damaged_list_of_own_types_is_left_alone(tmp_path):
    path = tmp_path / "own-devices.json"
    path.write_text("{ damaged")
    own = OwnTypes(path)
    said = []
    own.failure.connect(said.append)
    assert own.types == [] and not own.put([device("pir-wall-8")])
    assert "not valid JSON" in said[0]
    assert path.read_text() == "{ damaged"


def test_what_touches_goes_where_it_touches_and_says_how_surely(qtbot, window, shelf):
    window.focus.set(level="upper", room="bedroom", selected="bedroom")
    assert window.plan.place("mat-bed-strip", 9.4, 6.4)
    mat = project(window).sensors[-1]
    assert mat.host == "bed" and "times its closing pressure" in window.status.said.text()
    assert mat.id not in {r.sensor for p in project(window).presences for r in reports(p.expr)}
    settle(qtbot, window)
    window.grab()
    words = [x.text() for x in window.verdict.inspector.findChildren(QLabel)]
    assert any("72 kg" in w and "the closing pressure" in w for w in words)
    assert not window.plan.place("contact-door", 9.5, 5.0)
    assert "door or window" in window.status.said.text()
    shelf._arm("module-plug")
    assert window.focus.placing is None and "circuit" in window.status.said.text()


@pytest.mark.own_window
def test_placing_a_device_leaves_the_shelf_where_it_was_scrolled(qtbot, window, shelf):
    cards = shelf.findChildren(DeviceCard)
    bar = shelf.findChild(QScrollArea).verticalScrollBar()
    bar.setValue(40)
    used = {d.id for d in project(window).devices}
    new = next(d for d in catalogue() if d.family == "pir" and d.id not in used)
    window.focus.set(level="ground", room="kiln", selected="kiln")
    assert window.plan.place(new.id, 7.2, 0.4)
    settle(qtbot, window)
    assert shelf.findChildren(DeviceCard) == cards and bar.value() == 40
    window.document.undo_stack.undo()
    assert shelf.findChildren(DeviceCard) == cards


def test_what_is_one_of_a_few_words_is_chosen_and_not_typed(qtbot, window, shelf):
    for kind in ("pir-corner-12", "radar-24-tracker", "dual-24-corner", "module-dimmer-plain"):
        form = TypeForm(window, device(kind), "own-x", lambda d: True)
        for name, field in form.fields.items():
            words = choices(device(kind), name)
            assert isinstance(field, QComboBox) == bool(words), name
            if words:
                assert [field.itemText(k) for k in range(field.count())] == list(words)
                assert field.currentText() == device_fields(device(kind))[name]
        assert "mounts" in form.fields and isinstance(form.fields["mounts"], QLineEdit)
        form.fields["radio"].setCurrentText("network")
        assert form.value().radio == "network"
    form.fields["price"].setText("-3")
    form.keep()
    assert form.fault.text() == "Price: expected a number of at least 0, got '-3'"


@pytest.mark.parametrize("family", FAMILIES)
def test_a_form_asks_what_stands_on_the_box_first_and_folds_the_rest(window, family):
    """Every figure of every family has its place, once."""
    typical = next(d for d in catalogue() if d.family == family)
    form = TypeForm(window, typical, "own-x", lambda d: True, new=True)
    form.show()
    first = form.sections[ON_A_BOX]
    shown = [f for f in form.fields.values() if f.isVisible()]
    assert form.fields["name"] in shown and all(first.isAncestorOf(f) for f in shown)
    # A dual type has those of both its parts.
    assert len(shown) <= (12 if family == "dual" else 9)
    # What no subject names is words about the type, not a figure.
    others = form.sections.get(OTHERS)
    apart = [n for n, f in form.fields.items() if others is not None and others.isAncestorOf(f)]
    assert {n.rsplit(".", 1)[-1] for n in apart} <= {"summary", "reliability"}
    # A fault in a folded field unfolds it.
    form.fields["name"].setText("Own")
    form.fields["price"].setText("-3")
    form.keep()
    assert form.fields["price"].isVisible() and form.fields["price"].property("wrong") == "true"
    form.reject()


def test_a_heading_folds_and_unfolds_by_mouse(qtbot, window):
    form = TypeForm(window, next(d for d in catalogue() if d.family == "radar"), "own-x", lambda d: True)
    form.show()
    section = form.sections["Battery"] if "Battery" in form.sections else form.sections["Reports"]
    assert "(" in section.head.text()
    qtbot.mouseClick(section.head, Qt.MouseButton.LeftButton)
    assert "(" not in section.head.text() and any(
        f.isVisible() and section.isAncestorOf(f) for f in form.fields.values()
    )
    qtbot.mouseClick(section.head, Qt.MouseButton.LeftButton)
    assert not any(f.isVisible() and section.isAncestorOf(f) for f in form.fields.values())
    form.reject()
