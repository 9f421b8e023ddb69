"""Fields that are made of what records say of them: typed, stepped, refused, undone, and left when all is gone."""

from __future__ import annotations

import pytest
from hands import project, type_into
from msgspec.structs import replace

from vastwatch.design.project import Brief, Impairments, find, put
from vastwatch.design.records import Sensor
from vastwatch.design.references import without
from vastwatch.desk.shell.editing import UNITS, Edited, at_part, at_record
from vastwatch.site.building import Furnishing, Hazard, Room
from vastwatch.site.people import Person


@pytest.fixture
def edited(qtbot, window):
    """What edits a record of the sample; its fields are shown in no window."""
    made = []

    def of(kind, at):
        made.append(Edited(window.document, window.focus, kind, at))
        said = []
        made[-1].say.connect(said.append)
        return made[-1], said

    return of


@pytest.mark.parametrize(("kind", "ident", "name", "typed", "kept"), [
    (Hazard, None, "strength", "35", 0.35), (Furnishing, "bed", "mattress_m", "24 cm", 0.24),
    (Sensor, "pir-throwing", "yaw", "-30", 330.0), (Person, None, "speed", "0.9 m/s", 0.9),
    (Person, None, "body_kg", "62,5 kg", 62.5), (Person, None, "wave_after_s", "1 min", 60.0),
    (Room, "throwing", "ambient_c", "18", 18.0),
])  # fmt: skip
def test_a_figure_is_typed_in_its_unit_and_undone_in_one_step(qtbot, window, edited, kind, ident, name, typed, kept):
    p = project(window)
    lists = {Hazard: p.hazards, Furnishing: p.furnishings, Sensor: p.sensors, Person: p.people, Room: p.rooms}
    record = next(r for r in lists[kind] if ident in (None, r.id, getattr(r, "kind", None)))
    form, said = edited(kind, at_record(record.id))
    field = form.field(name)
    qtbot.addWidget(field)
    form.fill()
    type_into(qtbot, field, typed)
    assert getattr(form.now, name) == pytest.approx(kept) and not said
    type_into(qtbot, field, "1e9" if kind is not Sensor else "a lot")
    assert getattr(form.now, name) == pytest.approx(kept) and said
    assert record.name in window.document.undo_stack.undoText()
    window.document.undo_stack.undo()
    assert form.now == record or form.now is record


def test_names_with_braces_and_choices_that_cannot_be_are_told(qtbot, window, edited):
    room = find(project(window).rooms, "throwing")
    window.document.apply(put(project(window), replace(room, name="{0} of {}")), "Braces")
    form, said = edited(Room, at_record("throwing"))

    def refused(record, key):
        raise ValueError("it cannot be that")

    box = form.choice("Of", [("a", "{a}"), ("b", "{b}")], lambda r: "a", refused, "")
    kept = form.choice("Name", [("x", "{x}")], lambda r: r.name, lambda r, key: replace(r, name=key), "")
    for widget in (box, kept):
        qtbot.addWidget(widget)
    form.fill()
    assert box.currentText() == "{a}" and kept.currentIndex() == -1
    box.activated.emit(1)
    assert said == ["It cannot be that."] and form.now.name == "{0} of {}"
    kept.activated.emit(0)
    assert form.now.name == "x" and window.document.undo_stack.undoText() == "Set name of {0} of {} to {x}"


def test_a_part_of_the_project_is_edited_and_what_is_gone_is_left_alone(qtbot, window, edited):
    form, _ = edited(Impairments, at_part("brief", "troubles"))
    field = form.field("messages_lost")
    qtbot.addWidget(field)
    form.fill()
    type_into(qtbot, field, "12.5")
    assert project(window).brief.troubles.messages_lost == 0.125
    brief, _ = edited(Brief, at_part("brief"))
    limit = brief.field("code_hold_max_s", lambda b: b.code_hold_max_s or 0.0,
                        lambda b, v: replace(b, code_hold_max_s=v or None))  # fmt: skip
    qtbot.addWidget(limit)
    brief.fill()
    for typed, kept in (("20 min", 1200.0), ("none", None)):
        type_into(qtbot, limit, typed)
        assert project(window).brief.code_hold_max_s == kept
    gone, _ = edited(Sensor, at_record("pir-throwing"))
    name = gone.line("name", "Name")
    qtbot.addWidget(name)
    gone.fill()
    name.setText("Too late")
    window.document.apply(without(project(window), ["pir-throwing"]), "Delete")
    before = project(window)
    name.editingFinished.emit()
    gone.fill()
    assert project(window) is before and gone.now is None


def test_every_unit_reads_what_it_shows():
    for name, unit in UNITS.items():
        for value in (1.0, 12.0, 90.0):
            assert unit.parse(unit.show(value)) == pytest.approx(value, rel=0.06), name
