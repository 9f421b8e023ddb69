"""Drawings in and out."""

from __future__ import annotations

import math
from importlib import resources
from pathlib import Path

import ezdxf
import pytest
from msgspec.structs import replace

from vastwatch.design.project import Project, on_level
from vastwatch.files import ProjectError, load_demo
from vastwatch.files.check import faults_of
from vastwatch.files.drawing.importing import import_drawing
from vastwatch.files.drawing.reading import read_drawing
from vastwatch.files.drawing.writing import write_drawing
from vastwatch.files.rooms_csv import import_rooms, read_rooms
from vastwatch.geometry import polygons
from vastwatch.site.building import Level


def bare() -> Project:
    return Project(name="New", levels=(Level(id="g", name="Ground", elevation=0.0),))


def drawing(tmp_path, draw, unit=6) -> Path:
    document = ezdxf.new()
    document.header["$INSUNITS"] = unit
    draw(document.modelspace(), document)
    path = tmp_path / "a.dxf"
    document.saveas(path)
    return path


def test_a_drawing_written_and_read_again_gives_the_same_walls_and_rooms(demo, tmp_path):
    path = tmp_path / "out.dxf"
    write_drawing(demo, path)
    read = read_drawing(path)
    assert read.unit == "m"
    layers = {"ground-walls", "ground-rooms", "ground-names"}
    assert layers < set(read.layers)
    new = import_drawing(bare(), "g", read, layers, "m").project
    assert not list(faults_of(new))
    # In one line with each other, walls come back as one; together they are as long, and as thick.
    for thickness in {w.thickness for w in on_level(demo.walls, "ground")}:
        drawn = sum(math.dist(w.a, w.b) for w in on_level(demo.walls, "ground") if w.thickness == thickness)
        back = sum(math.dist(w.a, w.b) for w in new.walls if abs(w.thickness - thickness) < 0.002)
        assert back == pytest.approx(drawn, abs=0.02)
    mine = {r.name: polygons.area(r.outline) for r in new.rooms}
    assert mine == pytest.approx({r.name: polygons.area(r.outline) for r in on_level(demo.rooms, "ground")})


def test_lines_become_walls_outlines_rooms_and_text_their_names(tmp_path):
    def draw(space, _):
        space.add_line((1000, 1000), (6000, 1000), dxfattribs={"layer": "A"})
        space.add_line((6000, 1000), (1000, 1000), dxfattribs={"layer": "A"})
        space.add_lwpolyline(
            [(1000, 1000), (5000, 1000), (5000, 4000), (3000, 4000), (1000, 4000)],
            close=True,
            dxfattribs={"layer": "B"},
        )
        space.add_mtext("Kitchen\nnorth", dxfattribs={"layer": "B", "insert": (2000, 2000)})
        space.add_lwpolyline([(9000, 1000), (9010, 1000), (9010, 1010)], close=True, dxfattribs={"layer": "B"})

    read = read_drawing(drawing(tmp_path, draw, unit=4))
    assert (read.unit, read.guessed_unit()) == ("mm", "mm")
    assert read.layers == {"A": (2, 0, 0), "B": (0, 2, 1)}
    brought = import_drawing(bare(), "g", read, {"A", "B"}, "mm")
    assert [r.name for r in brought.project.rooms] == ["Kitchen north"]
    assert brought.project.rooms[0].outline == ((0, 0), (4, 0), (4, 3), (0, 3))
    # The line drawn twice is one wall; the room shares it and adds its other three sides.
    assert len(brought.project.walls) == 4
    assert "1 outlines skipped" in brought.words
    assert not list(faults_of(brought.project))


def test_blocks_arcs_and_splines_are_used_and_faces_passed_over(tmp_path):
    def draw(space, document):
        block = document.blocks.new("B")
        block.add_line((0, 0), (2, 0))
        space.add_blockref("B", (3, 3), dxfattribs={"rotation": 90})
        space.add_arc((0, 0), 2, 0, 90)
        space.add_spline([(0, 5), (2, 6), (4, 5)])
        space.add_3dface([(0, 0), (1, 0), (1, 1), (0, 1)])

    read = read_drawing(drawing(tmp_path, draw))
    assert read.skipped == {"3DFACE": 1}
    turned = [s for s in read.strokes if math.dist(s.a, (3, 3)) < 1e-9]
    assert turned[0].b == pytest.approx((3, 5)) and read.pieces[turned[0].piece].name == "B"
    (arc,) = read.arcs
    assert (arc.radius, arc.sweep, arc.a) == (2, 90, pytest.approx((2, 0)))
    assert sum(s.curve for s in read.strokes) > 6


def test_units_nobody_named_are_guessed_from_the_size(tmp_path):
    for size, unit in ((12.0, "m"), (1200.0, "cm"), (12_000.0, "mm")):
        path = drawing(tmp_path, lambda space, _, s=size: space.add_line((0, 0), (s, 0)), unit=0)
        assert read_drawing(path).guessed_unit() == unit


def test_hostile_drawings_are_told_in_one_sentence(tmp_path, monkeypatch):
    cases = {
        "rubbish": bytes(range(256)) * 30,
        "text": b"hello\nthere\n",
        "empty": b"",
        "cut short": drawing(tmp_path, lambda s, _: s.add_line((0, 0), (5, 0))).read_bytes()[:900],
    }
    for name, raw in cases.items():
        path = tmp_path / f"{name}.dxf"
        path.write_bytes(raw)
        with pytest.raises(ProjectError) as caught:
            read_drawing(path)
        assert "\n" not in str(caught.value), name
    with pytest.raises(ProjectError, match="no such file"):
        read_drawing(tmp_path / "none.dxf")
    with pytest.raises(ProjectError, match="this is a folder"):
        read_drawing(tmp_path)
    faces = drawing(tmp_path, lambda s, _: s.add_3dface([(0, 0), (1, 0), (1, 1), (0, 1)]))
    with pytest.raises(ProjectError, match=r"no lines to build walls from \(only 1 3DFACE\)"):
        read_drawing(faces)
    import vastwatch.files.drawing.reading as module

    monkeypatch.setattr(module, "MOST_ENTITIES", 3)
    many = drawing(tmp_path, lambda s, _: [s.add_line((k, 0), (k, 1)) for k in range(9)])
    with pytest.raises(ProjectError, match="more than 3 entities"):
        read_drawing(many)


def test_a_wrong_choice_changes_nothing(demo, tmp_path):
    path = drawing(tmp_path, lambda s, _: s.add_line((0, 0), (5000, 0), dxfattribs={"layer": "W"}), unit=4)
    read = read_drawing(path)
    with pytest.raises(ProjectError, match="no lines on the chosen layers"):
        import_drawing(bare(), "g", read, set(), "mm")
    with pytest.raises(ProjectError, match="choose another unit"):
        import_drawing(bare(), "g", read, {"W"}, "m")
    tiny = drawing(tmp_path, lambda s, _: s.add_line((0, 0), (5, 0), dxfattribs={"layer": "W"}), unit=4)
    with pytest.raises(ProjectError, match="shorter than 5 cm"):
        import_drawing(bare(), "g", read_drawing(tiny), {"W"}, "mm")
    # Beside what stands already it lies where it was drawn, and does not move it.
    beside = import_drawing(replace(demo, people=()), "ground", read, {"W"}, "mm").project
    assert beside.walls[: len(demo.walls)] == demo.walls
    with pytest.raises(ProjectError, match="cannot be saved"):
        write_drawing(demo, Path("/proc/x.dxf"))


# -- lists of rooms --------------------------------------------------------------------------------------------------


def listed(tmp_path, raw: bytes | str) -> Path:
    path = tmp_path / "rooms.csv"
    path.write_bytes(raw if isinstance(raw, bytes) else raw.encode())
    return path


@pytest.mark.parametrize(
    "raw",
    [
        "name,width,depth,use\nHall,2,5,passage\nDen,4.2,3.6,sitting\n",
        "Use;Depth (m);Name;Width (m)\npassage;5;Hall;2,0\nsitting;3,6;Den;4,2\n",
        "name\twidth\tdepth\tuse\r\nHall\t2 m\t5 m\tPassage\r\n\r\nDen\t4.2\t3.6\tsitting\r\n",
        "\ufeffroom,w,d,type\nHall,2,5,passage\nDen,4.2,3.6,sitting".encode(),
        "name;width;depth;use\nHall;2;5;passage\nDen;4,2;3,6;sitting".encode("utf-16"),
    ],
)
def test_lists_of_rooms_in_every_dialect(tmp_path, raw):
    rooms = read_rooms(listed(tmp_path, raw))
    assert rooms == [("Hall", 2.0, 5.0, "passage"), ("Den", 4.2, 3.6, "sitting")]
    new, words = import_rooms(bare(), "g", rooms)
    assert words == "2 rooms"
    assert not list(faults_of(new))
    # The wall between them is one, and as thick as inner walls are.
    inner = [w for w in new.walls if w.thickness == new.construction.inner_m]
    assert [math.dist(w.a, w.b) for w in inner] == [pytest.approx(3.6)]
    assert new.rooms[1].outline[0] == (2.0, 0.0)


def test_umlauts_of_an_old_encoding_and_unknown_uses(tmp_path):
    rooms = read_rooms(listed(tmp_path, "name,width,depth\nKüche,3,3\nZwinger,2,2\n".encode("cp1252")))
    assert rooms[0].name == "Küche"
    new, words = import_rooms(bare(), "g", rooms)
    assert new.rooms[0].use == "kitchen" and "1 of them with an unknown use" in words


@pytest.mark.parametrize(
    ("raw", "wanted"),
    [
        (b"", "a header line"),
        (b"\0\1\2\xff", "not a text file"),
        (b"name,width\nHall,2\n", "no column for depth; the headings are name, width"),
        (b"name,width,depth\nHall,wide,3\n", "line 2: 'wide' is not a width in metres"),
        (b"name,width,depth\nHall,2,3\nDen,4000,3\n", "line 3: a room size of 4000 m is not plausible"),
        (b"name,width,depth\nHall,nan,3\n", "line 2: a room size of nan m is not plausible"),
        (b"name,width,depth\n,2,3\n", "line 2: the room has no name"),
        (b"name,width,depth\nHall\n", "line 2: '' is not a width"),
        (b"name,width,depth\n" + b"A,2,2\n" * 600, "too many for one building"),
    ],
)
def test_lists_that_are_none_are_told_with_their_line(tmp_path, raw, wanted):
    with pytest.raises(ProjectError, match=wanted):
        read_rooms(listed(tmp_path, raw))


def test_the_drawing_of_the_sample_comes_in_as_its_ground_floor():
    path = Path(str(resources.files("vastwatch").joinpath("data/saltmarsh.dxf")))
    drawing = read_drawing(path)
    bare = Project(name="x", levels=(Level(id="ground", name="Ground", elevation=0.0),))
    brought = import_drawing(bare, "ground", drawing, {"ground-walls", "ground-rooms", "ground-names"}, "m").project
    demo = load_demo()
    names = {r.name: polygons.area(r.outline) for r in demo.rooms if r.level == "ground"}
    assert {r.name: pytest.approx(polygons.area(r.outline), abs=0.01) for r in brought.rooms} == names
    ends = {frozenset((w.a, w.b)) for w in demo.walls if w.level == "ground"}
    assert {frozenset((w.a, w.b)) for w in brought.walls} == ends
