"""The Project page: its fields, the map, the zone that follows the place, and new walls."""

from __future__ import annotations

import pytest
from hands import LEFT, key, project, settle, type_into
from PyQt6.QtCore import QDate, Qt
from PyQt6.QtWidgets import QInputDialog, QPushButton

from vastwatch.design.needs import needs_of, use_words
from vastwatch.design.project import find
from vastwatch.desk.shell.units import parse_earth
from vastwatch.desk.stages.brief.panel import PROJECT, ROOMS
from vastwatch.files import load_project
from vastwatch.site.time_zones import guessed_zone, zone_names


@pytest.fixture
def page(qtbot, window):
    window.focus.set(stage="Brief")
    panel = window.panel("Brief")
    panel.show_page(PROJECT)
    settle(qtbot, window)
    return panel.project


def test_what_is_written_there_is_in_the_file(qtbot, window, page, tmp_path):
    type_into(qtbot, page.name, "Mill  Lane 4")
    type_into(qtbot, page.client, "The owners")
    page.notes.setFocus()
    page.notes.setPlainText("Ladder in the store.\nAsk about the kiln.")
    page.name.setFocus()
    type_into(qtbot, page.currency, "kr")
    page.begin.setDate(QDate(2026, 6, 21))
    page.begin.editingFinished.emit()
    path = tmp_path / "a.vastwatch.json"
    assert window.filing.save_to(path)
    read = load_project(path)
    assert (read.name, read.client, read.brief.currency) == ("Mill Lane 4", "The owners", "kr")
    assert read.notes == "Ladder in the store.\nAsk about the kiln." and read.brief.rehearse_from == "2026-06-21"
    type_into(qtbot, page.name, "")
    assert page.name.text() == "Mill Lane 4"


def test_a_click_on_the_world_moves_the_building_and_its_zone(qtbot, window, page):
    zone = project(window).place.timezone
    there = page.world.at(-33.9, 151.2).toPoint()
    qtbot.mouseClick(page.world, LEFT, pos=there)
    place = project(window).place
    assert (place.latitude, place.longitude) == pytest.approx((-33.9, 151.2), abs=1.0)
    assert place.timezone == guessed_zone(-33.9, 151.2) != zone
    page.world.setFocus()
    key(qtbot, page.world, Qt.Key.Key_Up)
    assert project(window).place.latitude == pytest.approx(place.latitude + 1)
    page.world.grab()
    # A zone that somebody has chosen stays.
    page.zone.setCurrentText("Etc/GMT+5")
    page._zone()
    type_into(qtbot, page.north, "10 N")
    type_into(qtbot, page.east, "3° 30' W")
    place = project(window).place
    assert (place.latitude, place.longitude, place.timezone) == (10.0, -3.5, "Etc/GMT+5")
    page.zone.setCurrentText("Nowhere/Land")
    page._zone()
    assert "Unknown time zone Nowhere/Land" in window.status.said.text()
    assert project(window).place.timezone == "Etc/GMT+5"


@pytest.mark.parametrize(
    ("text", "value"),
    [("54.2", 54.2), ("54,2", 54.2), ("-12", -12.0), ("12 W", -12.0), ("54° 12'", 54.2), ("54° 12' 36\" N", 54.21)],
)
def test_degrees_are_read_as_people_write_them(text, value):
    assert parse_earth(text) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "north", "54 61", "1 2 3 4", "5--3"])
def test_what_is_no_angle_is_refused(text):
    with pytest.raises(ValueError, match="not an angle"):
        parse_earth(text)


def test_zones_are_guessed_by_the_nearest_named_place():
    assert guessed_zone(51.5, -0.1) == "Europe/London"
    assert guessed_zone(35.7, 139.7) == "Asia/Tokyo"
    assert guessed_zone(-36.8, 179.9) == "Pacific/Auckland"
    assert "UTC" in zone_names() and len(zone_names()) > 300


def test_new_walls_are_as_the_page_says(qtbot, window, page):
    type_into(qtbot, page.walls["outer"][0], "0.36 m")
    page.walls["inner"][1].setCurrentText("timber")
    page.walls["inner"][1].activated.emit(page.walls["inner"][1].currentIndex())
    made = project(window).construction
    assert (made.outer_m, made.inner_material) == (0.36, "timber")


def test_a_use_of_ones_own_is_made_given_and_changed(qtbot, window, page, monkeypatch):
    panel = window.panel("Brief")
    panel.show_page(ROOMS)
    window.focus.set(room="sitting", selected="sitting")
    settle(qtbot, window)
    rooms = panel.rooms
    rooms._set_need(find(project(window).rooms, "sitting"), "lux", 220.0)
    settle(qtbot, window)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a: ("Reading room", True))
    qtbot.mouseClick(rooms.findChild(QPushButton, "own-use"), LEFT)
    settle(qtbot, window)
    (use,) = project(window).uses
    sitting = find(project(window).rooms, "sitting")
    assert use_words(project(window), sitting) == "reading room" and needs_of(project(window), sitting).lux == 220
    kitchen = find(project(window).rooms, "kitchen")
    rooms._set_use(kitchen, use.id)
    assert needs_of(project(window), find(project(window).rooms, "kitchen")).lux == 220
    # Changed in one room, given to all of the use.
    rooms._set_need(find(project(window).rooms, "sitting"), "lux", 260.0)
    settle(qtbot, window)
    qtbot.mouseClick(rooms.findChild(QPushButton, "own-use"), LEFT)
    assert needs_of(project(window), find(project(window).rooms, "kitchen")).lux == 260
    rooms._set_use(find(project(window).rooms, "kitchen"), "kitchen")
    assert find(project(window).rooms, "kitchen").own_use is None
