"""One office, drawn by many hands, is understood as one office."""

from __future__ import annotations

import dataclasses
import json
import math

import ezdxf
import numpy as np
import pytest

import drawn_plans
from drawn_plans import ARCHWAY, AREAS, DOORS, HABITS, WINDOWS, Gap, at
from vastwatch import cli
from vastwatch.design.project import Project, find
from vastwatch.files import ProjectError, load_project
from vastwatch.files.check import faults_of
from vastwatch.files.drawing import reading
from vastwatch.files.drawing.importing import import_drawing
from vastwatch.files.drawing.interpretation import interpret, usual_layers
from vastwatch.files.drawing.kinds import layer_kind, name_in, piece_kind
from vastwatch.files.drawing.reading import Cancelled, read_drawing
from vastwatch.geometry import polygons
from vastwatch.site.building import Level
from vastwatch.site.use_guess import guess_use

# The outer walls' centre lines begin at the origin of the office, and so does the project.
EXACT_M = 0.03


def bare() -> Project:
    return Project(name="New", levels=(Level(id="g", name="Ground", elevation=0.0),))


def middle(gap: Gap) -> tuple[float, float]:
    return at(gap, (gap.begin + gap.end) / 2, 0.0)


@pytest.mark.parametrize("habit", HABITS, ids=lambda h: h.name.replace(" ", "-"))
def test_every_hand_draws_the_same_office(habit, tmp_path):
    path = drawn_plans.draw(habit, tmp_path / "office.dxf")
    drawing = read_drawing(path)
    project = import_drawing(bare(), "g", drawing, usual_layers(drawing), drawing.guessed_unit()).project
    assert list(faults_of(project)) == []
    areas = {room.name: polygons.area(room.outline) for room in project.rooms}
    assert areas == pytest.approx(AREAS, abs=0.15)
    for name, (x0, y0, x1, y1) in drawn_plans.ROOMS.items():
        outline = next(r.outline for r in project.rooms if r.name == name)
        assert polygons.bounds(outline) == pytest.approx((x0, y0, x1, y1), abs=EXACT_M)
    for kind, truth in (("door", [d[0] for d in DOORS]), ("window", WINDOWS), ("archway", [ARCHWAY])):
        found = [o for o in project.openings if o.kind == kind]
        assert len(found) == len(truth)
        places = [place(project, o) for o in found]
        for gap in truth:
            here = [o for o, p in zip(found, places) if math.dist(p, middle(gap)) < 0.06]
            assert len(here) == 1 and here[0].width == pytest.approx(gap.end - gap.begin, abs=0.06)
            if kind != "archway" or habit.walls != "single":
                assert habit.walls == "single" or find(project.walls, here[0].wall).thickness == pytest.approx(
                    gap.thickness, abs=0.02
                )
    if habit.doors != "slide":
        for gap, at_begin, left in DOORS:
            door = next(o for o in project.openings if math.dist(place(project, o), middle(gap)) < 0.06)
            assert hinge_and_side(project, door, gap) == (at_begin, left)
    assert len(project.furnishings) == (5 if habit.furniture else 0)


def place(project, opening):
    wall = find(project.walls, opening.wall)
    s = (opening.offset + opening.width / 2) / math.dist(wall.a, wall.b)
    return wall.a[0] + s * (wall.b[0] - wall.a[0]), wall.a[1] + s * (wall.b[1] - wall.a[1])


def hinge_and_side(project, door, gap):
    """Whether a door is hinged at its gap's begin, and opens to the gap's left."""
    wall = find(project.walls, door.wall)
    same_way = (wall.b[0] - wall.a[0]) * (gap.b[0] - gap.a[0]) + (wall.b[1] - wall.a[1]) * (gap.b[1] - gap.a[1]) > 0
    return (door.hinge == "a") == same_way, (door.swings == "left") == same_way


def drawn(tmp_path, draw, **header):
    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = 6
    for name, value in header.items():
        document.header[f"${name}"] = value
    draw(document.modelspace(), document)
    path = tmp_path / "a.dxf"
    document.saveas(path)
    return path


def brought(path):
    drawing = read_drawing(path)
    return import_drawing(bare(), "g", drawing, set(drawing.layers), drawing.guessed_unit())


def rectangle(space, x0, y0, x1, y1, **attributes):
    space.add_lwpolyline([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], close=True, dxfattribs=attributes)


def test_a_double_door_is_one(tmp_path):
    def draw(space, _):
        for y in (0.0, 0.2):
            space.add_line((0, y), (3, y))
            space.add_line((4.6, y), (8, y))
        for x in (3, 4.6):
            space.add_line((x, 0), (x, 0.2))
        space.add_arc((3, 0.2), 0.8, 0, 90)
        space.add_arc((4.6, 0.2), 0.8, 90, 180)

    (door,) = brought(drawn(tmp_path, draw)).project.openings
    assert (door.kind, round(door.width, 2)) == ("door", 1.6)


def test_a_ring_of_rooms_round_a_core_has_rooms_without_holes(tmp_path):
    def draw(space, _):
        for inset in (0.0, 0.2):
            rectangle(space, inset, inset, 12 - inset, 10 - inset)
        for inset in (0.0, 0.2):
            rectangle(space, 4 + inset, 4 + inset, 8 - inset, 6.5 - inset)

    project = brought(drawn(tmp_path, draw)).project
    assert len(project.rooms) == 3
    total = sum(polygons.area(r.outline) for r in project.rooms)
    assert total == pytest.approx(11.8 * 9.8, abs=0.1)


def test_slanting_walls_meet(tmp_path):
    """A room with a slanting side, its walls 20 cm thick."""
    corners = [(0, 0), (6, 0), (8, 5), (0, 5)]

    def draw(space, _):
        import shapely

        middle = shapely.Polygon(corners)
        for by in (0.1, -0.1):
            ring = middle.buffer(by, join_style="mitre").exterior.coords
            space.add_lwpolyline(list(ring)[:-1], close=True)

    project = brought(drawn(tmp_path, draw)).project
    (room,) = project.rooms
    assert polygons.area(room.outline) == pytest.approx(polygons.area(corners), abs=0.05)
    assert sorted(w.thickness for w in project.walls) == pytest.approx([0.2] * 4, abs=0.005)


def test_stairs_and_hatching_are_no_walls(tmp_path):
    def draw(space, _):
        for inset in (0.0, 0.2):
            rectangle(space, inset, inset, 8 - inset, 6 - inset)
        for k in range(12):
            space.add_line((2 + 0.28 * k, 1), (2 + 0.28 * k, 2.2))

    project = brought(drawn(tmp_path, draw)).project
    assert (len(project.walls), len(project.rooms)) == (4, 1)


def test_what_lies_on_layer_0_in_a_block_takes_the_layer_it_is_inserted_on(tmp_path):
    def draw(space, document):
        block = document.blocks.new("B")
        block.add_line((0, 0), (2, 0))
        block.add_line((0, 1), (2, 1), dxfattribs={"layer": "own"})
        space.add_blockref("B", (0, 0), dxfattribs={"layer": "outer"})

    assert {s.layer for s in read_drawing(drawn(tmp_path, draw)).strokes} == {"outer", "own"}


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("OFFICE", "Office"), ("WC", "WC"), ("12.5 m²", None), ("R-101", None), ("Office\nR 101\n12,5 m2", "Office"),
        ("2400 x 900", None), ("Area: 14 m²", None), ("MEETING ROOM 2", "Meeting room 2"), ("Küche", "Küche"), ("+0.00", None),
    ],
)  # fmt: skip
def test_names_are_told_from_figures(text, name):
    assert name_in(text) == name


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("A-WALL", "walls"), ("A-WALL-DIMS", "left out"), ("Walls_Ext", "walls"), ("DOORS", "doors"), ("A-GLAZ", "windows"),
        ("Furniture", "furniture"), ("0", "any"), ("A-GRID", "left out"), ("ROOM_NAMES", "rooms"), ("7", "any"),
        ("ground-walls", "walls"), ("ground-sensors", "left out"),
    ],
)  # fmt: skip
def test_what_layers_are_called(name, kind):
    assert layer_kind(name) == kind


@pytest.mark.parametrize(
    ("name", "kind"),
    [("DESK-160", "desk"), ("Door_900", "door"), ("office chair", "chair"), ("WINDOW-A", "window"), ("BED DOUBLE", "bed"),
     ("XYZ", None), ("ARMCHAIR2", "armchair")],
)  # fmt: skip
def test_what_blocks_are_called(name, kind):
    assert piece_kind(name) == kind


def test_what_each_stroke_was_understood_as_adds_up(tmp_path):
    habit = next(h for h in HABITS if h.name == "everything at once")
    drawing = read_drawing(drawn_plans.draw(habit, tmp_path / "a.dxf"))
    found = interpret(drawing, usual_layers(drawing), "mm")
    assert all(lines.shape[1:] == (4,) for lines in found.roles.values())
    assert len(found.roles["wall"]) > 60 and len(found.roles["window"]) >= 10 and len(found.roles["furniture"]) >= 20
    # Only the treads of the stair are left to the reader.
    assert len(found.roles["not recognised"]) == 8


# -- bombs -----------------------------------------------------------------------------------------------------------


def nest(document, levels, empty):
    for k in range(levels):
        block = document.blocks.new(f"N{k}")
        for x in range(10):
            if k:
                block.add_blockref(f"N{k - 1}", (x, 0))
            elif not empty:
                block.add_line((0, 0), (1, 0))
    return f"N{levels - 1}"


@pytest.mark.parametrize("empty", [True, False])
def test_nested_blocks_end_soon(tmp_path, empty):
    def draw(space, document):
        space.add_line((0, 0), (5, 0))
        space.add_blockref(nest(document, 7, empty), (0, 0))

    path = drawn(tmp_path, draw)
    if empty:
        assert len(read_drawing(path).strokes) == 1
    else:
        with pytest.raises(ProjectError, match="too many for a plan of one building"):
            read_drawing(path)


def test_a_block_within_itself_is_told(tmp_path):
    def draw(space, document):
        block = document.blocks.new("SELF")
        block.add_line((0, 0), (5, 0))
        block.add_blockref("SELF", (1, 1))
        space.add_blockref("SELF", (0, 0))

    drawing = read_drawing(drawn(tmp_path, draw))
    assert len(drawing.strokes) == 1 and drawing.skipped["block containing itself"] == 1


def test_a_missing_block_is_told(tmp_path):
    def draw(space, document):
        document.blocks.new("GONE")
        space.add_line((0, 0), (5, 0))
        space.add_blockref("GONE", (0, 0))
        document.blocks.delete_block("GONE", safe=False)

    assert read_drawing(drawn(tmp_path, draw)).skipped == {"insert of a missing block": 1}


@pytest.mark.parametrize(
    "draw",
    [
        lambda s: s.add_circle((0, 0), 1e12),
        lambda s: s.add_circle((0, 0), 9e8),
        lambda s: s.add_lwpolyline([(0, 0, 0, 0, 1e9), (1e8, 0, 0, 0, 0)]),
        lambda s: s.add_ellipse((0, 0), (1e11, 0), 1e-9),
        lambda s: s.add_spline([(k * 1e7 % 977, (k * 7919) % 983) for k in range(300)]),
        lambda s: s.add_arc((0, 0), 1e300, 0, 90),
        lambda s: s.add_line((0, 0), (1e308, 1e308)),
    ],
    ids=["circle", "large circle", "bulge", "ellipse", "spline", "arc", "line"],
)
def test_curves_and_coordinates_without_measure(tmp_path, draw):
    def both(space, _):
        space.add_line((0, 0), (5, 0))
        draw(space)

    drawing = read_drawing(drawn(tmp_path, both))
    assert len(drawing.strokes) < 10_000
    assert all(math.isfinite(c) for s in drawing.strokes for p in (s.a, s.b) for c in p)


def test_a_reading_can_be_stopped_at_any_time(tmp_path, monkeypatch):
    path = drawn(tmp_path, lambda s, _: [s.add_line((k, 0), (k, 1)) for k in range(2000)])
    for stop_after in (0, 1, 3, 8):
        heard = []

        def told(share, heard=heard, stop_after=stop_after):
            heard.append(share)
            return len(heard) <= stop_after

        with pytest.raises(Cancelled):
            read_drawing(path, told)
        assert len(heard) == stop_after + 1


def test_whatever_the_library_stumbles_over_is_one_sentence(tmp_path, monkeypatch):
    path = drawn(tmp_path, lambda s, _: s.add_line((0, 0), (5, 0)))

    def stumble(*_):
        raise RuntimeError("deep inside")

    monkeypatch.setattr(reading, "_opened", stumble)
    with pytest.raises(ProjectError, match="not a DXF drawing, or it is damaged"):
        read_drawing(path)


# -- the command line ---------------------------------------------------------------------------------------------------


def test_import_writes_a_project_and_says_what_is_in_it(tmp_path, capsys):
    path = drawn_plans.draw(HABITS[0], tmp_path / "office.dxf")
    out = tmp_path / "office.vastwatch.json"
    assert cli.main(["import", str(path), "--out", str(out), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert (said["walls"], said["openings"]) == (11, {"door": 7, "window": 5, "archway": 1})
    assert {r["name"]: r["area_m2"] for r in said["rooms"]} == pytest.approx(AREAS, abs=0.15)
    assert len(load_project(out).rooms) == 8
    before = out.read_bytes()
    assert cli.main(["import", str(path), "--out", str(out)]) == 1
    assert "file exists" in capsys.readouterr().err and out.read_bytes() == before
    assert cli.main(["import", str(path), "--out", str(out), "--over", "--layers", "A-WALL", "--unit", "mm"]) == 0
    assert "8 rooms" in capsys.readouterr().out
    assert cli.main(["import", str(path), "--out", str(out), "--over", "--layers", "A-WALL,NONE"]) == 1
    assert "unknown layer NONE" in capsys.readouterr().err


def test_two_files_are_compared(tmp_path, capsys):
    path = drawn_plans.draw(HABITS[0], tmp_path / "office.dxf")
    one, other = tmp_path / "1.json", tmp_path / "2.json"
    cli.main(["import", str(path), "--out", str(one)])
    cli.main(["import", str(path), "--out", str(other), "--layers", "A-WALL,A-ROOM-NAME,A-DOOR"])
    capsys.readouterr()
    assert cli.main(["compare", str(one), str(one)]) == 0
    assert "No differences." in capsys.readouterr().out
    assert cli.main(["compare", str(one), str(other), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["differences"]
    assert {(d["way"], d["kind"]) for d in told} >= {("gone", "opening")}


# -- out and in again ------------------------------------------------------------------------------------------------------


def test_the_sample_comes_back_from_its_own_drawing_as_it_was(demo, tmp_path):
    """Rooms, doors with their hinges, windows, wall by wall; and everything else is in the drawing, on layers of its own."""
    from vastwatch.design.project import on_level
    from vastwatch.files.drawing.writing import write_drawing
    from vastwatch.sensing.contour_lines import contour_lines

    path = tmp_path / "demo.dxf"
    write_drawing(demo, path, contours=contour_lines(demo))
    drawing = read_drawing(path)
    kinds = {name.split("-", 1)[1] for name in drawing.layers if name.startswith("ground-")}
    assert kinds >= {"walls", "doors", "windows", "rooms", "names", "furniture", "spots", "lamps", "circuits", "switches",
                     "sockets", "hazards", "sensors", "views", "contours"}  # fmt: skip
    for level in ("ground", "upper"):
        layers = {n for n in drawing.layers if n.startswith(f"{level}-") and layer_kind(n) != "left out"}
        project = import_drawing(bare(), "g", drawing, layers, "m").project
        areas = {r.name: polygons.area(r.outline) for r in project.rooms}
        assert areas == pytest.approx({r.name: polygons.area(r.outline) for r in on_level(demo.rooms, level)}, abs=0.05)
        mine = [o for o in demo.openings if find(demo.walls, o.wall).level == level]
        for kind in ("door", "window"):
            truth = [place(demo, o) for o in mine if o.kind == kind]
            back = [place(project, o) for o in project.openings if o.kind == kind]
            assert len(back) == len(truth)
            assert all(min(math.dist(p, q) for q in back) < 0.05 for p in truth)
    assert {n.split("-")[0] for n in usual_layers(drawing)} == {"ground"}


def test_contours_are_where_the_map_says(demo):
    from vastwatch.sensing.contour_lines import contour_lines
    from vastwatch.sensing.coverage import coverage

    lines = contour_lines(demo)
    seen = coverage(demo, "pir-shop", "across")
    checked = 0
    for limit, paths in lines["pir-shop"].items():
        for path in paths:
            for x, y in path[:: max(len(path) // 20, 1)]:
                j, i = int((x - seen.grid.x0) / seen.grid.cell), int((y - seen.grid.y0) / seen.grid.cell)
                near = seen.notice_s[max(i - 1, 0) : i + 2, max(j - 1, 0) : j + 2]
                assert near.min() <= limit * 1.001 and near.max() >= limit * 0.999
                checked += 1
    assert checked > 20


def stretched(monkeypatch, rng) -> None:
    """The same office with each stretch between walls longer or shorter, and each opening as wide somewhere along it."""

    def warp(cuts, least):
        lengths = np.maximum(np.diff(cuts) * rng.uniform(0.9, 1.5, len(cuts) - 1), least)
        to = np.concatenate([[0.0], np.cumsum(np.round(lengths, 2))])
        return lambda v: float(np.interp(v, cuts, to))

    x, y = warp([0, 4, 5, 6, 9, 14], 1.3), warp([0, 4, 5.6, 9], 1.6)

    def point(p):
        return x(p[0]), y(p[1])

    def gap(g: Gap) -> Gap:
        a, b = point(g.a), point(g.b)
        middle = point(at(g, (g.begin + g.end) / 2, 0.0))
        s, half = math.dist(a, middle), (g.end - g.begin) / 2
        return g._replace(a=a, b=b, begin=s - half, end=s + half)

    def wall(w):
        return tuple(point(p) for p in w)

    rooms = {n: (x(a), y(b), x(c), y(d)) for n, (a, b, c, d) in drawn_plans.ROOMS.items()}
    new = {
        "ROOMS": rooms, "AREAS": {n: (c - a) * (d - b) for n, (a, b, c, d) in rooms.items()},
        "OUTSIDE": [wall(w) for w in drawn_plans.OUTSIDE], "INSIDE": [wall(w) for w in drawn_plans.INSIDE],
        "DOORS": [(gap(g), *more) for g, *more in DOORS], "WINDOWS": [gap(g) for g in WINDOWS],
        "ARCHWAY": gap(ARCHWAY),
    }  # fmt: skip
    for name, value in new.items():
        monkeypatch.setattr(drawn_plans, name, value)


@pytest.mark.parametrize("seed", [*range(14), 126, 142])
def test_other_offices_in_other_hands(seed, monkeypatch, tmp_path):
    """Rooms of sizes and hands drawn at random: each room, and each opening where it is."""
    rng = np.random.default_rng(seed)
    stretched(monkeypatch, rng)
    habit = dataclasses.replace(HABITS[int(rng.integers(len(HABITS)))], furniture=False)
    path = drawn_plans.draw(habit, tmp_path / "office.dxf")
    drawing = read_drawing(path)
    project = import_drawing(bare(), "g", drawing, usual_layers(drawing), drawing.guessed_unit()).project
    areas = {room.name: polygons.area(room.outline) for room in project.rooms}
    assert areas == pytest.approx(drawn_plans.AREAS, abs=0.2), habit.name
    places = [place(project, o) for o in project.openings]
    gaps = [d[0] for d in drawn_plans.DOORS] + drawn_plans.WINDOWS + [drawn_plans.ARCHWAY]
    assert len(places) == len(gaps)
    for g in gaps:
        assert min(math.dist(middle(g), p) for p in places) < 0.08, (habit.name, g)


# Per room what stands in it, the name it gets, and its use: a room number, areas, heights and floors beside the name.
LABELLED = (
    ("1.01 Küche\n12,35 m²\nFliesen", "Küche 1.01", "kitchen"),
    ("SALLE DE BAINS\n6.2 m²\nHSP 2.50", "Salle de bains", "bathroom"),
    ("Dormitorio 2\nSup: 11,4 m2", "Dormitorio 2", "bedroom"),
    ("104\nOFFICE\n23.5 sqm", "Office", "desk"),
)


@pytest.mark.parametrize("layer", ["A-TEXT", "TEXT", "A-ANNO-ROOM", "0-Beschriftung", "Notes"])
@pytest.mark.parametrize("multi", [True, False], ids=["one text", "a text a line"])
def test_texts_in_rooms_name_them_whatever_their_layer_is_called(layer, multi, tmp_path):
    import ezdxf

    doc = ezdxf.new(units=6)
    space = doc.modelspace()
    for k, (text, _, _) in enumerate(LABELLED):
        x = 5.0 * k
        space.add_lwpolyline([(x, 0), (x + 4, 0), (x + 4, 3), (x, 3)], close=True, dxfattribs={"layer": "Rooms"})
        if multi:
            space.add_mtext(text, dxfattribs={"layer": layer, "insert": (x + 1, 2), "char_height": 0.2})
        else:
            for n, line in enumerate(text.split("\n")):
                space.add_text(line, height=0.2, dxfattribs={"layer": layer, "insert": (x + 1, 2 - 0.3 * n)})
    # What stands beside the building is no name, nor are dimensions, nor the title.
    space.add_text(
        "GROUND FLOOR KITCHEN EXTENSION, REVISION 4", height=0.6, dxfattribs={"layer": "TITLE", "insert": (2, -4)}
    )
    for k in range(4):
        space.add_text("4000", height=0.2, dxfattribs={"layer": "A-DIMS", "insert": (5 * k + 1, 1)})
    doc.saveas(tmp_path / "texts.dxf")
    drawing = read_drawing(tmp_path / "texts.dxf")
    layers = usual_layers(drawing)
    assert layer in layers and not layers & {"TITLE", "A-DIMS"}
    project = import_drawing(bare(), "g", drawing, layers, "m").project
    found = {r.name: r.use for r in sorted(project.rooms, key=lambda r: r.outline[0][0])}
    wanted = {name if multi or k else "Küche 1.01": use for k, (_, name, use) in enumerate(LABELLED)}
    assert found == wanted


def test_layers_of_symbols_with_texts_stay_off_unless_they_name_rooms(tmp_path):
    import ezdxf

    doc = ezdxf.new(units=6)
    space = doc.modelspace()
    space.add_lwpolyline([(0, 0), (4, 0), (4, 3), (0, 3)], close=True, dxfattribs={"layer": "Rooms"})
    for n, words in enumerate(("Socket double", "Switch two-way", "DALI 60W")):
        space.add_text(words, height=0.1, dxfattribs={"layer": "E-ELEC", "insert": (1, 1 + 0.3 * n)})
    doc.saveas(tmp_path / "symbols.dxf")
    assert usual_layers(read_drawing(tmp_path / "symbols.dxf")) == {"Rooms"}


@pytest.mark.parametrize(
    ("name", "use"),
    [
        ("Elternschlafzimmer", "bedroom"), ("Waschküche", "laundry"), ("Teeküche", "kitchen"), ("Gäste-WC", "toilet"),
        ("Büro 3", "desk"), ("Besprechungsraum", "meeting"), ("Salle à manger", "dining"), ("Salle d’attente", "waiting"),
        ("Sala de reuniones", "meeting"), ("Baño", "bathroom"), ("Camera da letto", "bedroom"), ("Keuken", "kitchen"),
        ("Living room kitchen", "kitchen"), ("boiler cupboard", "store"), ("Box room", None),
    ],
)  # fmt: skip
def test_uses_follow_from_names_in_several_languages(name, use):
    assert guess_use(name) == use
