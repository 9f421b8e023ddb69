"""Splitting and joining rooms, selections, levels, the checks while drawing, and drawings out."""

from __future__ import annotations

import math
from xml.etree import ElementTree

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import device, rect
from vastwatch.advice.checks.plan import CHECKS
from vastwatch.advice.hardware.host_placement import host_placement
from vastwatch.design.edits import selections
from vastwatch.design.edits.building import add_room, add_rooms, move_wall
from vastwatch.design.edits.drawing_aids import add_hazard, set_underlay_scale, times_of, times_words
from vastwatch.design.edits.fittings import move_furnishing, move_opening
from vastwatch.design.edits.levels import add_level, copy_level
from vastwatch.design.edits.removing import remove, removed
from vastwatch.design.edits.selections import mirror_many, move_many, turn_many
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.edits.split_join import join_rooms, split_room
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.places import middle_of, opening_middle, room_at
from vastwatch.design.project import Project, find, fresh_ids, put
from vastwatch.files import ProjectError
from vastwatch.files.check import faults_of
from vastwatch.files.drawing.reading import Cancelled, read_drawing
from vastwatch.files.drawing.writing import write_drawing
from vastwatch.files.svg import svg_of, write_svg
from vastwatch.geometry import polygons
from vastwatch.site.building import Level, Opening, Underlay, Wall


def bare(*rooms: tuple[str, tuple]) -> Project:
    project = Project(name="x", levels=(Level(id="g", name="Ground", elevation=0.0),))
    for name, outline in rooms:
        project, _ = add_room(project, "g", name, "sitting", outline)
    return project


def same(a, b) -> bool:
    return msgspec.to_builtins(a) == msgspec.to_builtins(b)


# -- rooms ---------------------------------------------------------------------------------------------------------


def test_a_room_is_split_by_a_line_with_a_wall_on_it_and_what_lies_there_goes_along(demo):
    project, part = split_room(demo, "glazing", (9.0, 3.0), (9.0, 8.0))
    whole, kept = find(demo.rooms, "glazing"), find(project.rooms, "glazing")
    assert polygons.area(kept.outline) + polygons.area(part.outline) == pytest.approx(polygons.area(whole.outline))
    assert polygons.area(kept.outline) > polygons.area(part.outline)
    assert part.name == "Glazing 2" and part.use == whole.use
    wall = project.walls[-1]
    assert {round(wall.a[0], 3), round(wall.b[0], 3)} == {9.0}
    assert math.dist(wall.a, wall.b) == pytest.approx(4.1)
    assert find(project.spots, "glaze-bench-spot").room == part.id
    assert any(lamp.room == part.id for lamp in project.lamps)
    assert not list(faults_of(project))


@pytest.mark.parametrize(
    ("a", "b", "words"),
    [((9.0, 3.0), (9.0, 3.0), "two different"), ((0.0, 3.0), (1.0, 3.0), "cross the room"),
     ((6.73, 3.0), (6.73, 8.0), "smaller than")],
)  # fmt: skip
def test_a_cut_that_is_none_is_refused(demo, a, b, words):
    with pytest.raises(ValueError, match=words):
        split_room(demo, "glazing", a, b)


def test_joining_undoes_a_split_and_takes_the_doors_between(demo):
    split, part = split_room(demo, "glazing", (9.0, 3.0), (9.0, 8.0))
    wall = split.walls[-1]
    door = Opening(id="between", wall=wall.id, kind="door", offset=1.0, width=0.8)
    done = join_rooms(replace(split, openings=(*split.openings, door)), "glazing", part.id)
    assert done.gone == ("1 wall", "1 openings")
    assert polygons.area(find(done.project.rooms, "glazing").outline) == pytest.approx(
        polygons.area(find(demo.rooms, "glazing").outline), abs=1e-3
    )
    assert all(s.room == "glazing" for s in done.project.spots if s.id.startswith("glaz"))
    assert not list(faults_of(done.project))
    assert not [f for check in CHECKS for f in check(done.project) if f.rule == "room-open"]


def test_rooms_that_share_no_wall_or_ring_a_third_are_not_joined(demo):
    with pytest.raises(ValueError, match="share no wall"):
        join_rooms(demo, "throwing", "store")
    with pytest.raises(ValueError, match="two levels"):
        join_rooms(demo, "throwing", "sitting")
    u = ((0, 0), (6, 0), (6, 4), (4, 4), (4, 2), (2, 2), (2, 4), (0, 4))
    ring = bare(("U", u), ("lid", rect(0, 4, 6, 6)))
    with pytest.raises(ValueError, match="surround a third"):
        join_rooms(ring, ring.rooms[0].id, ring.rooms[1].id)


def test_many_rooms_at_once_are_the_same_as_one_by_one():
    wanted = [(f"R{i}", "desk", rect(4 * i, 0, 4 * i + 4, 3)) for i in range(4)]
    wanted += [("over", "desk", rect(1, 1, 3, 2)), ("bow", "desk", ((0, 9), (2, 11), (2, 9), (0, 11)))]
    together, made = add_rooms(bare(), "g", wanted)
    assert [isinstance(m, str) for m in made] == [False] * 4 + [True, True]
    alone = bare()
    for name, use, outline in wanted[:4]:
        alone, _ = add_room(alone, "g", name, use, outline)
    assert same(together, alone)


def test_ids_are_fresh_one_after_another(demo):
    ids = fresh_ids(demo, "Socket")
    assert [next(ids), next(ids)] == ["socket-1", "socket-2"]
    assert next(fresh_ids(demo, "class")) == "class-7"


def test_removing_a_room_leaves_nothing_dangling(demo):
    for room in demo.rooms:
        project = remove(demo, [room.id]).project
        assert not list(faults_of(project)), room.id
    for opening in demo.openings:
        assert not list(faults_of(removed(demo, opening.id)))
    assert find(removed(demo, "shop-window").hazards, "shop-sun").window is None


# -- selections ----------------------------------------------------------------------------------------------------

PIECES = ("kiln-body", "glaze-bench", "pir-throwing", "drying-fan", "socket-glaze", "lamp-glazing", "kiln-front")


@given(st.lists(st.sampled_from(PIECES), min_size=1, max_size=5, unique=True), st.booleans())
def test_mirrored_twice_is_as_it_was(demo, chosen, left_right):
    try:
        once = selections.mirror_many(demo, chosen, left_right)
        twice = selections.mirror_many(once, chosen, left_right)
    except ValueError:
        return
    for ident in chosen:
        (_, a), (_, b) = selections.records_of(demo, [ident])[0], selections.records_of(twice, [ident])[0]
        assert middle_of(a) == pytest.approx(middle_of(b), abs=1e-3)
        for name in ("yaw", "facing"):
            if hasattr(a, name):
                assert getattr(b, name) % 360 == pytest.approx(getattr(a, name) % 360)


@given(st.floats(-1, 1), st.floats(-1, 1))
def test_moved_there_and_back_is_as_it_was_and_spots_ride_along(demo, dx, dy):
    try:
        there = selections.move_many(demo, ["bed", "wardrobe"], dx, dy)
        back = selections.move_many(there, ["bed", "wardrobe"], -dx, -dy)
    except ValueError:
        return
    assert find(there.spots, "bed-left").at == pytest.approx((9.4 + dx, 6.4 + dy), abs=2e-4)
    assert find(back.spots, "bed-left").at == pytest.approx((9.4, 6.4), abs=3e-4)


def test_turning_a_selection_turns_places_and_directions():
    project = bare(("Big", rect(0, 0, 10, 10)))
    project, a = add_hazard(project, "g", "fan", rect(4, 4, 5, 5))
    project, b = add_hazard(project, "g", "vent", rect(6, 4, 7, 5))
    turned = selections.turn_many(project, [a.id, b.id], 90.0)
    assert polygons.centroid(find(turned.hazards, a.id).outline) == pytest.approx((5.5, 3.5))
    assert polygons.centroid(find(turned.hazards, b.id).outline) == pytest.approx((5.5, 5.5))


@pytest.mark.parametrize(("side", "axis", "wanted"), [("left", 0, 7.3), ("top", 1, 7.0), ("bottom", 1, 0.4)])
def test_aligned_things_share_an_edge(demo, side, axis, wanted):
    chosen = ["kiln-body", "glaze-bench"]
    aligned = selections.align_many(demo, chosen, side)
    pick = min if side in ("left", "bottom") else max
    edges = [pick(p[axis] for p in find(aligned.furnishings, i).outline) for i in chosen]
    assert edges == pytest.approx([wanted, wanted])
    with pytest.raises(ValueError, match="two or more"):
        selections.align_many(demo, chosen[:1], side)


def test_copies_stand_beside_with_their_spots_and_their_own_ids(demo):
    project, made = selections.duplicate_many(demo, ["bed"])
    assert len(made) == 3
    assert len(project.spots) == len(demo.spots) + 2 and len(project.furnishings) == len(demo.furnishings) + 1
    assert not list(faults_of(project))
    one, ids = selections.duplicate_many(demo, ["pir-shop"])
    assert find(one.sensors, ids[0]).device == find(demo.sensors, "pir-shop").device
    with pytest.raises(ValueError, match="can be copied"):
        selections.duplicate_many(demo, ["g-south"])


def test_nothing_leaves_the_building_and_many_go_together(demo):
    with pytest.raises(ValueError, match="leave the building"):
        selections.move_many(demo, ["kiln-body", "store-shelf"], 30.0, 0.0)
    done = remove(demo, ["bed", "pir-shop", "lamp-kiln", "drying-fan", "socket-glaze", "switch-kiln"])
    assert "2 spots" in done.gone
    assert not list(faults_of(done.project))
    spot = remove(demo, ["cooker"])
    assert "schedule lines" in spot.gone[0] and not list(faults_of(spot.project))
    walls = selections.set_many(demo, ["g-south", "g-east", "bed"], material="glass", thickness=0.02)
    assert {find(walls.walls, w).material for w in ("g-south", "g-east")} == {"glass"}
    assert find(walls.furnishings, "bed").material == "glass"


# -- levels --------------------------------------------------------------------------------------------------------


def test_a_copied_level_has_the_same_rooms_and_no_second_people(demo):
    project, level = copy_level(demo, "upper")
    count = lambda p, ident: len([r for r in p.rooms if r.level == ident])  # noqa: E731
    assert count(project, level.id) == count(demo, "upper") == 6
    assert level.elevation > 2.9 and len(project.people) == len(demo.people)
    assert all(s.level != level.id for s in project.sensors)
    assert not list(faults_of(project))
    done = remove(project, [level.id])
    assert done.gone == ("6 rooms",)
    assert same(done.project, demo)
    only = bare()
    with pytest.raises(ValueError, match="at least one level"):
        remove(only, ["g"])
    with_one, added = add_level(only)
    assert added.elevation == pytest.approx(2.8) and len(with_one.levels) == 2


# -- checks while drawing --------------------------------------------------------------------------------------------


def rules(project: Project) -> set[str]:
    return {f.rule for check in CHECKS for f in check(project)}


def test_the_sample_is_a_sound_building(demo):
    assert rules(demo) == set()


def test_each_slip_of_the_pen_is_found(demo):
    without = replace(demo, walls=tuple(w for w in demo.walls if w.id != "g-kiln-store"))
    open_ = [f for check in CHECKS for f in check(without) if f.rule == "room-open"]
    assert {f.room for f in open_} == {"kiln", "store"} and "3.40 m" in open_[0].text
    over = put(demo, replace(find(demo.rooms, "store"), outline=rect(9.0, 0, 12, 3.4)))
    assert "rooms-overlap" in rules(over)
    lonely = Wall(id="lonely", level="ground", a=(20, 0), b=(24, 0))
    nowhere = Opening(id="nowhere", wall="lonely", kind="door", offset=1.0, width=0.9)
    assert "door-nowhere" in rules(replace(demo, walls=(*demo.walls, lonely), openings=(*demo.openings, nowhere)))
    air = Opening(id="air", wall="u-south", kind="door", offset=10.5, width=0.9)
    found = [f for check in CHECKS for f in check(replace(demo, openings=(*demo.openings, air)))]
    assert [f.rule for f in found] == ["door-nowhere"] and "2.9 m up" in found[0].text
    inside = put(demo, replace(find(demo.spots, "window-spot"), at=(4.7, 3.6)))
    assert "spot-inside" in rules(inside)
    shut = removed(removed(demo, "store-glazing"), "glazing-passage")
    assert {f.room for check in CHECKS for f in check(shut) if f.rule == "room-unreachable"} == {"store", "glazing"}
    no_stair = replace(demo, furnishings=tuple(f for f in demo.furnishings if f.kind != "stair"))
    assert "landing" in {f.room for check in CHECKS for f in check(no_stair) if f.rule == "room-unreachable"}


# -- aids ----------------------------------------------------------------------------------------------------------


def test_hours_are_read_and_shown_as_typed():
    assert times_of("8-10, 13:30–15") == (("08:00", "10:00"), ("13:30", "15:00"))
    assert times_of("") == times_of("always") == ()
    assert times_words((("08:00", "10:00"),)) == "08:00-10:00" and times_words(()) == "always"
    for wrong in ("8", "8-x", "25-26", "8-10-12"):
        with pytest.raises(ValueError, match="time range"):
            times_of(wrong)


def test_two_points_scale_the_underlay_about_the_first():
    project = bare(("Room", rect(0, 0, 4, 3)))
    with pytest.raises(ValueError, match="no picture"):
        set_underlay_scale(project, "g", (0, 0), (1, 0), 2.0)
    under = Underlay(data="", width_px=400, height_px=300, at=(1.0, 1.0), metres_per_px=0.01)
    project = put(project, replace(project.levels[0], underlay=under))
    scaled = set_underlay_scale(project, "g", (2.0, 1.0), (4.0, 1.0), 4.0).levels[0].underlay
    assert scaled.metres_per_px == pytest.approx(0.02) and scaled.at == pytest.approx((0.0, 1.0))
    for a, b, metres, words in (((0, 0), (0.01, 0), 1, "farther apart"), ((0, 0), (1, 0), 0, "greater than zero"),
                                ((0, 0), (1, 0), 1e6, "not plausible")):  # fmt: skip
        with pytest.raises(ValueError, match=words):
            set_underlay_scale(project, "g", a, b, metres)


def test_a_hazard_lies_in_a_room_and_takes_some(demo):
    with pytest.raises(ValueError, match="inside a room"):
        add_hazard(demo, "ground", "fan", rect(50, 50, 51, 51))
    with pytest.raises(ValueError, match="too small"):
        add_hazard(demo, "ground", "fan", rect(2, 2, 2, 2))
    project, first = add_hazard(demo, "ground", "fan", rect(2, 2, 3, 3))
    project, second = add_hazard(project, "ground", "fan", rect(2, 2, 3, 3))
    assert (first.name, second.name) == ("Fan shop", "Fan shop 2")


# -- out -----------------------------------------------------------------------------------------------------------


def test_svg_is_a_drawing_at_scale_with_everything_named(demo, tmp_path):
    path = tmp_path / "ground.svg"
    write_svg(demo, "ground", path)
    root = ElementTree.fromstring(path.read_text())
    ns = {"s": "http://www.w3.org/2000/svg"}
    assert {g.get("id") for g in root.findall("s:g", ns)} == {
        "rooms", "furniture", "hazards", "walls", "openings", "names", "lamps", "outputs", "zones", "sensors",
    }  # fmt: skip
    assert len(root.findall("s:g[@id='walls']/s:line", ns)) == sum(w.level == "ground" for w in demo.walls)
    # 12.3 m between the outer faces' centre lines at 1:50 are 240 mm, and 10 mm on either side.
    assert float(root.get("width").removesuffix("mm")) == pytest.approx(12 * 20 + 20)
    odd = put(demo, replace(find(demo.rooms, "shop"), name="A & B <c>"))
    assert "A &amp; B &lt;c&gt;" in svg_of(odd, "ground")
    with pytest.raises(ProjectError, match="nothing to export"):
        svg_of(add_level(demo, "Attic")[0], "attic")


def test_a_reading_tells_how_far_it_is_and_stops_when_told(demo, tmp_path):
    import ezdxf

    document = ezdxf.new()
    for k in range(2500):
        document.modelspace().add_line((k, 0), (k, 5))
    path = tmp_path / "lines.dxf"
    document.saveas(path)
    heard: list[float] = []
    drawing = read_drawing(path, lambda share: heard.append(share) or True)
    assert len(drawing.strokes) == 2500
    assert heard == sorted(heard) and len(heard) > 5 and 0 < heard[0] < 0.5 and heard[-1] > 0.9
    for stop_after in (1, 3, len(heard) - 1):
        told: list[float] = []
        with pytest.raises(Cancelled):
            read_drawing(path, lambda share, told=told, n=stop_after: told.append(share) or len(told) < n)
        assert len(told) <= stop_after + 1
    write_drawing(demo, tmp_path / "demo.dxf")
    again = read_drawing(tmp_path / "demo.dxf")
    assert len(again.strokes) >= len(demo.walls)


def test_rooms_are_where_they_are(demo):
    for room in demo.rooms:
        x, y = polygons.centroid(room.outline)
        assert room_at(demo, room.level, x, y) is room


def test_a_part_as_small_as_a_cupboard_may_be_cut_off_and_a_smaller_one_not(room):
    """Of the big room, 5 by 4 m: half a square metre is a part, a tenth is none."""
    _, part = split_room(room, "big", (0.125, -1.0), (0.125, 5.0))
    assert polygons.area(part.outline) == pytest.approx(0.5)
    with pytest.raises(ValueError, match="smaller than"):
        split_room(room, "big", (0.025, -1.0), (0.025, 5.0))


# -- what is fixed to something goes with it ---------------------------------------------------------------------------


def relative(project, sensor_id, host_id):
    """Where a sensor is as seen from what it is fixed to: metres along and beside its first edge, and its turn."""
    sensor, host = find(project.sensors, sensor_id), find(project.furnishings, host_id)
    (ax, ay), (bx, by) = host.outline[0], host.outline[1]
    length = math.dist((ax, ay), (bx, by))
    ux, uy = (bx - ax) / length, (by - ay) / length
    dx, dy = sensor.at[0] - ax, sensor.at[1] - ay
    turn = math.radians(sensor.yaw) - math.atan2(uy, ux)
    return dx * ux + dy * uy, dy * ux - dx * uy, math.cos(turn), math.sin(turn), sensor.at[2]


@pytest.mark.parametrize(
    "edit",
    [
        lambda p: move_furnishing(p, "bed", -0.3, -0.4, 0.0),
        lambda p: move_furnishing(p, "bed", -0.2, 0.0, 90.0),
        lambda p: move_furnishing(p, "bed", 0.0, -0.3, 17.0),
        lambda p: move_many(p, ["bed", "wardrobe"], -0.1, -0.2),
        lambda p: turn_many(p, ["bed"], 90.0),
        lambda p: move_wall(p, "u-north", 0.3),
        lambda p: move_room(p, "bedroom", 20.0, 3.0).project,
    ],
)  # fmt: skip
def test_a_strip_stays_in_its_bed_however_that_is_moved(demo, edit):
    fixed = host_placement(demo, device("mat-bed-strip"), "upper", *find(demo.spots, "bed-left").at)
    project, strip = add_sensor(demo, device("mat-bed-strip"), "upper", fixed.at, fixed.yaw, 0.0, fixed.host)
    assert strip.host == "bed"
    moved = edit(project)
    assert find(moved.furnishings, "bed").outline != find(project.furnishings, "bed").outline
    assert relative(moved, strip.id, "bed") == pytest.approx(relative(project, strip.id, "bed"), abs=2e-3)
    assert find(moved.sensors, strip.id).host == "bed" and not list(faults_of(moved))


def test_a_strip_is_mirrored_with_its_bed(demo):
    fixed = host_placement(demo, device("mat-bed-strip"), "upper", *find(demo.spots, "bed-left").at)
    project, strip = add_sensor(demo, device("mat-bed-strip"), "upper", fixed.at, fixed.yaw, 0.0, fixed.host)
    moved = mirror_many(project, ["bed"], True)
    left = min(p[0] for p in find(project.furnishings, "bed").outline)
    right = max(p[0] for p in find(project.furnishings, "bed").outline)
    assert find(moved.sensors, strip.id).at[0] == pytest.approx(left + right - strip.at[0], abs=1e-3)


def test_a_contact_slides_with_its_door_along_the_wall(demo):
    door = find(demo.openings, "bedroom-landing")
    fixed = host_placement(demo, device("contact-door"), "upper", *opening_middle(demo, door)[0])
    project, contact = add_sensor(demo, device("contact-door"), "upper", fixed.at, fixed.yaw, 0.0, fixed.host)
    assert contact.host == door.id
    slid = move_opening(project, door.id, door.offset + 0.25)
    was, now = opening_middle(project, door)[0], opening_middle(slid, find(slid.openings, door.id))[0]
    assert math.dist(was, now) == pytest.approx(0.25)
    at = find(slid.sensors, contact.id).at
    assert (at[0] - contact.at[0], at[1] - contact.at[1]) == pytest.approx((now[0] - was[0], now[1] - was[1]), abs=1e-3)
