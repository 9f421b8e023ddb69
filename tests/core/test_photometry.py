"""Light at points: against the double integral, against worked figures; and the files that lamps come with."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room, rect
from vastwatch.control.light.illuminance import (
    candela,
    direct_lux,
    exponent,
    height_of,
    in_sight,
    indirect_lux,
    lit_grid,
    photometry_of,
    spot_lux,
    task_height,
)
from vastwatch.design.edits.lamps import with_photometry, without_photometry
from vastwatch.design.photometry import intensity, photometry_faults, share_of_lumens
from vastwatch.design.project import find, put
from vastwatch.design.records import Lamp, Photometry
from vastwatch.files import ProjectError
from vastwatch.files.check import faults_of
from vastwatch.files.photometric import parse_photometric, read_photometric

ROOM = np.array(rect(0, 0, 5, 4), float)
LAMP = Lamp(id="x", room="big", name="X", at=(2.0, 2.0), watts=10, lumens=1000)


def lamp_lux(project, lamp, points):
    """What a lamp at full level gives at points (n, 3) of its room, lux: direct and reflected."""
    room = find(project.rooms, lamp.room)
    outline, height = np.asarray(room.outline, float), find(project.levels, room.level).height
    direct = direct_lux(lamp, photometry_of(project, lamp), height_of(project, lamp), outline, points)
    return direct + indirect_lux(lamp.lumens, room, height)


def flux_through_a_patch(strength, at, middle, side=0.02, n=24) -> float:
    """The slow, obvious way: the lumens that fall through a small upright patch, as the integral of intensity over the
    solid angle that each of its n x n pieces fills, per square metre."""
    step = side / n
    flux = 0.0
    for i in range(n):
        for j in range(n):
            p = np.array([middle[0] - side / 2 + (i + 0.5) * step, middle[1] - side / 2 + (j + 0.5) * step, middle[2]])
            ray = p - at
            d = math.sqrt(float(ray @ ray))
            down = -ray[2] / d
            if down > 0:
                solid = step * step * down / d**2
                flux += strength(math.degrees(math.atan2(ray[1], ray[0])), math.degrees(math.acos(down))) * solid
    return flux / side**2


@given(
    st.sampled_from([None, 20.0, 60.0, 100.0, 150.0]), st.floats(0.3, 4.7), st.floats(0.3, 3.7), st.floats(1.0, 2.4),
    st.sampled_from([0.0, 0.6, 0.75]),
)  # fmt: skip
def test_lux_at_a_point_is_the_flux_through_a_small_patch_there(beam, x, y, height, level):
    lamp = replace(LAMP, beam_deg=beam)
    m = exponent(beam)
    peak = 1000.0 * (m + 1) / (2 * math.pi)

    def strength(c, gamma):
        return peak * math.cos(math.radians(gamma)) ** m

    found = direct_lux(lamp, None, height, ROOM, np.array([[x, y, level]]))[0]
    slow = flux_through_a_patch(strength, np.array([2.0, 2.0, height]), (x, y, level))
    assert found == pytest.approx(slow, rel=0.02, abs=0.01)


def test_the_worked_example():
    """800 cd straight down: 200 lx at 2 m; at 1.5 m aside 800 cos^3(36.87 deg) / 4 = 102.4 lx of a lamp that is as strong
    in every direction (inverse square and cosine law)."""
    even = Photometry(id="p", name="even", c_deg=(0.0,), gamma_deg=(0.0, 90.0), candela=((800.0, 800.0),))
    lux = direct_lux(LAMP, even, 2.0, ROOM, np.array([[2.0, 2.0, 0.0], [3.5, 2.0, 0.0]]))
    assert lux == pytest.approx([200.0, 102.4], rel=1e-3)


def test_a_beam_has_half_its_strength_at_its_edge_and_all_its_lumens_in_all():
    for beam in (15.0, 38.0, 90.0, 140.0):
        lamp = replace(LAMP, beam_deg=beam)
        straight, edge = candela(lamp, None, np.zeros(2), np.array([0.0, beam / 2]))
        assert edge == pytest.approx(straight / 2)
        gamma = np.linspace(0, 90, 9001)
        strength = candela(lamp, None, np.zeros(len(gamma)), gamma)
        lumens = 2 * math.pi * np.trapezoid(strength * np.sin(np.radians(gamma)), np.radians(gamma))
        assert lumens == pytest.approx(1000, rel=1e-3)
    assert exponent(None) == 1.0 and exponent(120.0) == pytest.approx(1.0)


def test_reflected_light_is_the_mean_of_a_room_of_one_grey():
    room = make_room().rooms[0]
    # 20 m2 of floor and as much of ceiling, 18 m of wall 2.5 m high: 85 m2; 1000 * 0.5 / (85 * 0.5).
    assert indirect_lux(1000, room, 2.5, 0.5) == pytest.approx(1000 / 85)
    # As many bounces as one likes: rho + rho^2 + ... of the flux, over all surfaces.
    bounces = sum(1000 * 0.5**k for k in range(1, 60)) / 85
    assert indirect_lux(1000, room, 2.5, 0.5) == pytest.approx(bounces)


def test_a_bent_rooms_own_walls_cast_shadows():
    bent = np.array([(0, 0), (4, 0), (4, 2), (2, 2), (2, 4), (0, 4)], float)
    points = np.array([(1, 3), (3, 1), (1, 1), (3.5, 1.9)], float)
    assert in_sight(np.array([1.0, 3.5]), points, bent).tolist() == [True, False, True, False]
    # Ray by ray, in small steps.
    rng = np.random.default_rng(1)
    some = np.array([p for p in rng.uniform(0, 4, (80, 2)) if p[0] < 1.98 or p[1] < 1.98])
    at = np.array([3.5, 0.5])
    for point, seen in zip(some, in_sight(at, some, bent)):
        way = at + np.linspace(0, 1, 2000)[:, None] * (point - at)
        inside = (way[:, 0] <= 2) | (way[:, 1] <= 2)
        assert seen == bool(inside.all())


def test_points_spots_and_the_grid_tell_the_same(demo):
    grid = lit_grid(demo, "sitting")
    assert grid.full.shape == (len(grid.lamps), len(grid.y), len(grid.x)) and grid.inside.any()
    k = grid.lamps.index("lamp-sitting")
    j, i = 7, 11
    lamp = find(demo.lamps, "lamp-sitting")
    point = np.array([[grid.x[i], grid.y[j], 0.75]])
    assert grid.full[k, j, i] == pytest.approx(lamp_lux(demo, lamp, point)[0])
    lux = grid.lux({"lamp-sitting": 0.5, "lamp-floor": 0.2})
    at = grid.lamps.index("lamp-floor")
    assert lux[j, i] == pytest.approx(0.5 * grid.full[k, j, i] + 0.2 * grid.full[at, j, i])
    spot = find(demo.spots, "window-spot")
    told = spot_lux(demo, "sitting")["window-spot"]["lamp-sitting"]
    assert told == pytest.approx(lamp_lux(demo, lamp, np.array([[*spot.at, task_height(spot)]]))[0])
    assert height_of(demo, lamp) == pytest.approx(2.35) and height_of(demo, find(demo.lamps, "lamp-floor")) == 1.5


# -- tables --------------------------------------------------------------------------------------------------------

TABLE = Photometry(
    id="p", name="T", c_deg=(0.0, 90.0, 180.0, 270.0), gamma_deg=(0.0, 45.0, 90.0),
    candela=((300, 200, 0), (300, 100, 0), (300, 200, 0), (300, 100, 0)),
)  # fmt: skip


def test_between_its_figures_a_table_is_straight_and_round_about_it_closes():
    assert intensity(TABLE, 0, 22.5) == pytest.approx(250)
    assert intensity(TABLE, 45, 45) == pytest.approx(150)
    assert intensity(TABLE, 315, 45) == pytest.approx(150)
    assert intensity(TABLE, -45, 45) == pytest.approx(150)
    assert intensity(TABLE, 0, 91) == 0.0
    even = Photometry(id="p", name="E", c_deg=(0.0,), gamma_deg=(0.0, 180.0), candela=((100, 100),))
    assert share_of_lumens(even) == pytest.approx(4 * math.pi * 100 / 1000, rel=1e-4)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"c_deg": (0.0, 90.0)}, "4 rows of intensities for 2 planes"),
        ({"gamma_deg": (0.0, 90.0)}, "3 intensities in plane 1 for 2 angles"),
        ({"c_deg": (0.0, 270.0, 180.0, 300.0)}, "must rise from 0"),
        ({"c_deg": (10.0, 90.0, 180.0, 270.0)}, "must rise from 0"),
        ({"gamma_deg": (0.0, 45.0, 200.0)}, "must rise from 0 to 180"),
        ({"candela": ((9000,) * 3,) * 4}, "of 1,000 lumens"),
        ({"candela": ((0.01,) * 3,) * 4}, "of 1,000 lumens"),
    ],
)
def test_a_table_that_contradicts_itself_is_told(changes, words):
    spoilt = replace(TABLE, **changes)
    assert any(words in fault for fault in photometry_faults(spoilt))
    project = replace(make_room(), photometries=(spoilt,))
    assert any("photometries[0]" in fault and words in fault for fault in faults_of(project))


# -- files ---------------------------------------------------------------------------------------------------------


def lm63(planes, gammas, table, lumens=1000, tilt="NONE", factor=1, kind=1, watts=12, head="IESNA:LM-63-2002", **odd):
    """A file as a laboratory writes it."""
    rows = "\n".join(" ".join(f"{x:g}" for x in row) for row in table)
    return (
        f"{head}\n[TEST] A1\n[MANUFAC] none\n[LUMCAT] D-1\n[LUMINAIRE] Plain disc\nTILT={tilt}\n"
        f"1 {lumens} {factor} {odd.get('n_gamma', len(gammas))} {len(planes)} {kind} 2 0.1 0.1 0\n1 1 {watts}\n"
        f"{' '.join(map(str, gammas))}\n{' '.join(map(str, planes))}\n{rows}\n"
    ).encode()


def eulumdat(symmetry, planes, gammas, table, lumens=1000, count=1):
    lines = [
        "Nobody",
        "1",
        str(symmetry),
        str(len(planes)),
        "90",
        str(len(gammas)),
        "45",
        "R-1",
        "Plain disc",
        "D-1",
        "f.ldt",
        "today",
    ]
    lines += ["100", "100", "50", "90", "90", "0", "0", "0", "0", "100", "100", "1", "0", "1"]
    lines += [str(count), "LED", str(lumens), "3000", "80", "12"] + ["0.5"] * 10
    lines += [f"{x:g}" for x in planes] + [f"{x:g}" for x in gammas] + [f"{x:g}" for row in table for x in row]
    return "\r\n".join(lines).encode() + b"\r\n"


DISC = [1000 / math.pi * math.cos(math.radians(g)) for g in range(0, 91, 5)]
FIVES = list(range(0, 91, 5))


def test_both_formats_of_one_lamp_are_one_table():
    ies = parse_photometric(lm63([0], FIVES, [DISC]), "f")
    ldt = parse_photometric(eulumdat(1, [0, 90, 180, 270], FIVES, [DISC]), "f")
    for read in (ies, ldt):
        assert read.lumens == 1000 and read.watts == 12 and read.photometry.name == "Plain disc"
        assert share_of_lumens(read.photometry) == pytest.approx(1.0, abs=0.01)
        assert intensity(read.photometry, 123, 45) == pytest.approx(DISC[9], rel=1e-3)
    # A plain disc by its table is a plain disc by its formula.
    lux = [direct_lux(LAMP, t, 2.3, ROOM, np.array([[3.0, 3.0, 0.75]]))[0] for t in (None, ies.photometry)]
    assert lux[0] == pytest.approx(lux[1], rel=0.01)


def uneven(c, g):
    """Strong along 0 and 90 degrees unlike, and unlike to either side of 0 to 180."""
    return (200 + 60 * math.cos(math.radians(c)) + 30 * math.sin(math.radians(c))) * math.cos(math.radians(g))


@pytest.mark.parametrize(
    ("planes", "of"),
    [
        ([0, 45, 90], lambda c, g: uneven(abs(((c + 90) % 180) - 90), g)),
        ([0, 45, 90, 135, 180], lambda c, g: uneven(c if c <= 180 else 360 - c, g)),
        ([90, 135, 180, 225, 270], lambda c, g: uneven(c if 90 <= c <= 270 else (180 - c) % 360, g)),
        ([0, 45, 90, 135, 180, 225, 270, 315, 360], uneven),
    ],
)
def test_symmetry_is_written_out(planes, of):
    gammas = [0, 30, 60, 90]
    read = parse_photometric(lm63(planes, gammas, [[of(c, g) for g in gammas] for c in planes]), "f")
    for c in range(0, 360, 45):
        for g in gammas:
            assert float(intensity(read.photometry, c, g)) == pytest.approx(of(c, g), rel=1e-3, abs=1e-2), (c, g)


@pytest.mark.parametrize(
    ("symmetry", "given_at", "of"),
    [
        (0, [0, 45, 90, 135, 180, 225, 270, 315], uneven),
        (2, [0, 45, 90, 135, 180], lambda c, g: uneven(c if c <= 180 else 360 - c, g)),
        # From 270 over 0 to 90; its mirror plane is 90 to 270.
        (3, [270, 315, 0, 45, 90], lambda c, g: uneven(c if c <= 90 or c >= 270 else (180 - c) % 360, g)),
        (4, [0, 45, 90], lambda c, g: uneven(abs(((c + 90) % 180) - 90), g)),
    ],
)
def test_symmetry_of_eulumdat_too(symmetry, given_at, of):
    planes, gammas = [0, 45, 90, 135, 180, 225, 270, 315], [0, 30, 60, 90]
    table = [[of(c, g) for g in gammas] for c in given_at]
    read = parse_photometric(eulumdat(symmetry, planes, gammas, table), "f")
    for c in planes:
        assert float(intensity(read.photometry, c, 30)) == pytest.approx(of(c, 30), rel=1e-3), c


def test_absolute_tilted_and_inverted_files_are_understood_and_told():
    absolute = parse_photometric(lm63([0], FIVES, [DISC], lumens=-1), "f")
    assert absolute.lumens == pytest.approx(1000, rel=0.01) and "absolute" in absolute.notes[0]
    doubled = parse_photometric(lm63([0], FIVES, [DISC], factor=2, lumens=2000), "f")
    assert share_of_lumens(doubled.photometry) == pytest.approx(1.0, abs=0.01)
    up = parse_photometric(lm63([0], [90, 120, 150, 180], [[0, 100, 200, 300]]), "f")
    assert "upward" in up.notes[0]
    down = parse_photometric(lm63([0], FIVES[::-1], [DISC[::-1]]), "f")
    assert intensity(down.photometry, 0, 0) == pytest.approx(DISC[0], rel=1e-3)
    raw = lm63([0], FIVES, [DISC], tilt="INCLUDE").replace(
        b"TILT=INCLUDE\n", b"TILT=INCLUDE\n1\n3\n0 45 90\n1 0.9 0.8\n"
    )
    assert "tilt" in parse_photometric(raw, "f").notes[0]
    assert "another file" in parse_photometric(lm63([0], FIVES, [DISC], tilt="lamp.tlt"), "f").notes[0]
    old = lm63([0], FIVES, [DISC], head="a header of 1986")
    assert parse_photometric(old, "f").lumens == 1000
    assert (
        "measured as a complete luminaire" in parse_photometric(eulumdat(1, [0], FIVES, [DISC], count=-1), "f").notes[0]
    )


GOOD = lm63([0], FIVES, [DISC])
HOSTILE = {
    "empty": (b"  \n", "is empty"),
    "binary": (b"\0\1\2TILT=NONE", "not a text file"),
    "cut off": (GOOD[:150], "ends|not a number"),
    "no numbers": (b"IESNA:LM-63-2002\nTILT=NONE\n", "ends before the number of lamps"),
    "no tilt": (b"IESNA:LM-63-2002\n1 2 3\n", "no TILT= line"),
    "letters": (GOOD.replace(b"1 1000 1", b"1 lots 1"), "'lots' is not a number; expected the lumens of a lamp"),
    "nan": (GOOD.replace(b"1 1000 1", b"1 nan 1"), "must be finite"),
    "infinite": (GOOD.replace(b"1 1000 1", b"1 1e999 1"), "must be finite"),
    "no lumens": (GOOD.replace(b"1 1000 1", b"1 0 1"), "gives 0 lumens"),
    "type B": (lm63([0], FIVES, [DISC], kind=2), "type B"),
    "far too many": (lm63([0], FIVES, [DISC], n_gamma=999_999_999), "not a whole number from 2"),
    "half an angle": (lm63([0], FIVES, [DISC], n_gamma=2.5), "not a whole number"),
    "negative": (lm63([0], FIVES, [[-1, *DISC[1:]]]), "is negative"),
    "blinding": (lm63([0], FIVES, [[1e12, *DISC[1:]]]), "not plausible"),
    "dark": (lm63([0], FIVES, [[0] * 19]), "all intensities are zero"),
    "angles in disorder": (lm63([0], [0, 50, 20, 90], [[1, 2, 3, 4]]), "do not rise"),
    "planes in disorder": (lm63([0, 90, 45], [0, 45, 90], [[9, 9, 0]] * 3), "out of order"),
    "a symmetry of its own": (lm63([0, 60, 120], [0, 45, 90], [[300, 200, 0]] * 3), None),
    "another lamp's lumens": (lm63([0], FIVES, [DISC], lumens=5), "of 1,000 lumens"),
    "eulumdat, cut off": (eulumdat(1, [0], FIVES, [DISC])[:200], "ends|not a number"),
    "eulumdat, letters": (eulumdat("x", [0], FIVES, [DISC]), "line 3: 'x' is not a number; expected the symmetry"),
    "eulumdat, odd symmetry": (eulumdat(7, [0], FIVES, [DISC]), "line 3: the symmetry is 7, not from 0 to 4"),
    "eulumdat, no light": (eulumdat(1, [0], FIVES, [DISC], lumens=0), "gives 0 lumens"),
    "words": (b"Dear lamp,\nplease shine.\n" * 20, "not a number"),
}  # fmt: skip


@pytest.mark.parametrize(("raw", "words"), HOSTILE.values(), ids=HOSTILE)
def test_hostile_files_are_told_in_one_sentence(raw, words, tmp_path):
    path = tmp_path / "lamp.ies"
    path.write_bytes(raw)
    if words is None:
        read_photometric(path)
        return
    with pytest.raises(ProjectError, match=words) as told:
        read_photometric(path)
    assert str(told.value).startswith(str(path)) and "\n" not in str(told.value)


@given(st.binary(max_size=300), st.integers(0, len(GOOD)))
def test_whatever_is_in_a_file_it_is_read_or_told(some, cut):
    for raw in (some, GOOD[:cut] + some + GOOD[cut:], eulumdat(1, [0], FIVES, [DISC])[:cut] + some):
        try:
            found = parse_photometric(raw, "f")
        except ProjectError:
            continue
        assert list(photometry_faults(found.photometry)) == []


def test_a_file_is_not_a_folder_nor_too_large(tmp_path):
    with pytest.raises(ProjectError, match="this is a folder"):
        read_photometric(tmp_path)
    with pytest.raises(ProjectError, match="no such file"):
        read_photometric(tmp_path / "none.ies")
    (tmp_path / "large.ies").write_bytes(b"9 " * 3_000_000)
    with pytest.raises(ProjectError, match="too large"):
        read_photometric(tmp_path / "large.ies")


def test_a_lamp_goes_by_a_file_and_without_it_again(room):
    read = parse_photometric(GOOD, "f")
    project = with_photometry(room, "lamp", read)
    lamp = find(project.lamps, "lamp")
    assert (lamp.lumens, lamp.watts, lamp.photometry) == (1000, 12, project.photometries[0].id)
    assert list(faults_of(project)) == []
    # The same file for another lamp is the same table.
    more = replace(project, lamps=(*project.lamps, replace(LAMP, id="second")))
    assert len(with_photometry(more, "second", read).photometries) == 1
    assert without_photometry(project, "lamp").photometries == ()
    turned = put(project, replace(lamp, turned_deg=90.0))
    assert lamp_lux(turned, find(turned.lamps, "lamp"), np.array([[1.0, 1.0, 0.0]]))[0] > 0
