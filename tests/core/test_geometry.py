"""Polygons, grids, sight lines and routes against shapely and against plain loops."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.geometry import polygons, sightlines
from vastwatch.geometry.grids import grid_over
from vastwatch.geometry.routes import floor

L_SHAPE = [(0, 0), (4, 0), (4, 2), (2, 2), (2, 5), (0, 5)]
coordinate = st.floats(-5, 5, allow_nan=False).map(lambda v: round(v, 2))
point = st.tuples(coordinate, coordinate)


def star(angles, radii):
    order = sorted(zip(angles, radii))
    return [(r * math.cos(a), r * math.sin(a)) for a, r in order]


stars = st.lists(
    st.tuples(st.integers(0, 71), st.floats(0.5, 4)), min_size=3, max_size=9, unique_by=lambda t: t[0]
).map(lambda rows: star([math.radians(a * 5) for a, _ in rows], [r for _, r in rows]))


@given(stars)
def test_area_and_centroid_agree_with_shapely(outline):
    poly = shapely.Polygon(outline)
    if not poly.is_valid or poly.area < 1e-3:
        return
    assert polygons.area(outline) == pytest.approx(poly.area)
    assert polygons.centroid(outline) == pytest.approx((poly.centroid.x, poly.centroid.y), abs=1e-6)


@given(stars, st.lists(point, min_size=1, max_size=20))
def test_contains_agrees_with_shapely(outline, points):
    poly = shapely.Polygon(outline)
    if not poly.is_valid:
        return
    inside = polygons.contains(outline, points)
    for p, mine in zip(points, inside):
        if poly.exterior.distance(shapely.Point(p)) > 1e-9:
            assert mine == poly.contains(shapely.Point(p))
            assert polygons.contains_point(outline, *p) == mine


@given(stars)
def test_convex_pieces_tile_the_polygon(outline):
    poly = shapely.Polygon(outline)
    if not poly.is_valid or poly.area < 1e-3:
        return
    pieces = polygons.convex_pieces(outline)
    assert all(polygons.is_convex(p) for p in pieces)
    assert sum(polygons.area(p) for p in pieces) == pytest.approx(poly.area, rel=1e-6)


def test_self_crossing_names_the_sides():
    assert polygons.self_crossing(L_SHAPE) is None
    assert polygons.self_crossing([(0, 0), (2, 2), (2, 0), (0, 2)]) == (0, 2)
    # A spike that runs back over itself.
    assert polygons.self_crossing([(0, 0), (4, 0), (4, 4), (2, 4), (2, 0), (2, 4), (0, 4)]) is not None


@given(st.lists(point, min_size=4, max_size=7, unique=True))
def test_self_crossing_agrees_with_shapely(outline):
    ring = shapely.LinearRing(outline)
    if polygons.self_crossing(outline) is None:
        assert ring.is_simple
    elif not ring.is_simple:
        assert polygons.self_crossing(outline) is not None


def test_a_grid_counts_the_area_of_a_room():
    grid = grid_over([np.array(L_SHAPE, float)], 0.05)
    assert grid.mask(L_SHAPE).sum() * 0.05**2 == pytest.approx(polygons.area(L_SHAPE), rel=0.01)
    assert grid.points[grid.columns + 1] == pytest.approx([grid.x[1], grid.y[1]])


# -- sight lines ---------------------------------------------------------------------------------------------------

EYE_Z = 2.2
HEIGHTS = np.array([0.3, 0.8, 1.3, 1.6])
segments = st.lists(st.tuples(point, point).filter(lambda s: math.dist(*s) > 0.2), min_size=1, max_size=8)
targets = st.lists(point, min_size=1, max_size=25)
eyes = point


def screens_of(rows, z0=0.0, z1=np.inf):
    a = np.array([r[0] for r in rows], float)
    b = np.array([r[1] for r in rows], float)
    return sightlines.Screens(a, b, np.full(len(rows), z0), np.full(len(rows), z1))


def clear_of(eye, target, rows, gap=1e-4):
    """No near miss: an end of a segment, the eye or the target so close that rounding decides."""
    ray = shapely.LineString([eye, target])
    for a, b in rows:
        line = shapely.LineString([a, b])
        ends = (shapely.Point(a), shapely.Point(b))
        if any(ray.distance(e) < gap for e in ends) or line.distance(shapely.Point(eye)) < gap:
            return False
        if line.distance(shapely.Point(target)) < gap:
            return False
    return math.dist(eye, target) > gap


@given(eyes, targets, segments)
def test_visible_agrees_with_shapely_for_each_pair(eye, points, rows):
    pts = np.array(points, float)
    view = sightlines.sort_by_azimuth((*eye, EYE_Z), pts)
    mine = np.empty(len(pts), bool)
    mine[view.order] = sightlines.visible(view, screens_of(rows))
    losses = np.zeros(len(pts))
    sightlines.add_crossings(view, screens_of(rows), np.ones(len(rows)), losses)
    counts = np.empty(len(pts))
    counts[view.order] = losses
    for p, seen, count in zip(points, mine, counts):
        if not clear_of(eye, p, rows):
            continue
        ray = shapely.LineString([eye, p])
        crossed = sum(ray.crosses(shapely.LineString(r)) for r in rows)
        assert seen == (crossed == 0)
        assert count == crossed


def slow_prism(eye, eye_z, target, outline, z0, z1, height):
    """Does the straight ray enter the prism? The stretch over the footprint by shapely, its heights by proportion."""
    ray = shapely.LineString([eye, target])
    over = ray.intersection(shapely.Polygon(outline))
    if over.is_empty or over.length < 1e-5:
        return False
    far = [math.dist(eye, c) / ray.length for c in over.coords]
    zs = [eye_z + (height - eye_z) * k for k in far]
    return min(zs) < z1 and max(zs) > z0


boxes = st.tuples(coordinate, coordinate, st.floats(0.3, 2), st.floats(0.3, 2), st.integers(0, 17)).map(
    lambda t: [
        (
            t[0] + math.cos(math.radians(t[4] * 5)) * u - math.sin(math.radians(t[4] * 5)) * v,
            t[1] + math.sin(math.radians(t[4] * 5)) * u + math.cos(math.radians(t[4] * 5)) * v,
        )
        for u, v in ((0, 0), (t[2], 0), (t[2], t[3]), (0, t[3]))
    ]
)


@given(eyes, st.sampled_from([0.3, 2.2]), targets, st.lists(boxes, min_size=1, max_size=5))
def test_prisms_that_no_ray_comes_near_may_be_left_out(eye, eye_z, points, outlines):
    view = sightlines.sort_by_azimuth((*eye, eye_z), np.array(points, float))
    prisms = [sightlines.Prism(polygons.counter_clockwise(outline), 0.0, 1.4) for outline in outlines]
    middles = [p.outline.mean(axis=0) for p in prisms]
    circles = np.array(
        [[*m, float(np.hypot(*(p.outline - m).T).max())] for p, m in zip(prisms, middles)]
    )  # fmt: skip

    def cut(circles):
        found = sightlines.prism_hits(view, prisms, HEIGHTS, circles)
        return [(k, hits.at.tolist(), hits.lo.tolist(), hits.hi.tolist()) for k, hits in found]

    assert cut(circles) == cut(None)


@given(eyes, st.sampled_from([0.3, 1.0, 2.2]), targets, boxes, st.sampled_from([(0.0, 0.75), (0.0, 2.4), (1.0, 1.4)]))
def test_prisms_agree_with_shapely_for_each_ray(eye, eye_z, points, outline, z):
    z0, z1 = z
    pts = np.array(points, float)
    view = sightlines.sort_by_azimuth((*eye, eye_z), pts)
    cut = np.zeros((len(HEIGHTS), len(pts)), bool)
    prism = sightlines.Prism(polygons.counter_clockwise(outline), z0, z1)
    for _, hits in sightlines.prism_hits(view, [prism], HEIGHTS):
        cut[:, view.order[hits.at]] |= sightlines.sample_mask(hits, len(HEIGHTS))
    edges = list(zip(outline, outline[1:] + outline[:1]))
    for j, p in enumerate(points):
        if not clear_of(eye, p, edges, 2e-3):
            continue
        for k, height in enumerate(HEIGHTS):
            # Stay away from rays that just graze the top or the bottom.
            results = {slow_prism(eye, eye_z, p, outline, z0 - d, z1 + d, height) for d in (-1e-3, 0.0, 1e-3)}
            if len(results) == 1:
                assert cut[k, j] == results.pop()


@given(eyes, targets, segments)
def test_partial_screens_agree_with_a_plain_loop(eye, points, rows):
    pts = np.array(points, float)
    view = sightlines.sort_by_azimuth((*eye, EYE_Z), pts)
    screens = screens_of(rows, 1.0, 1.8)
    cuts = np.zeros((len(rows), len(HEIGHTS), len(pts)), bool)
    for k, hits in sightlines.screen_hits(view, screens, HEIGHTS):
        cuts[k][:, view.order[hits.at]] |= sightlines.sample_mask(hits, len(HEIGHTS))
    for (a, b), cut in zip(rows, cuts):
        for j, p in enumerate(points):
            if not clear_of(eye, p, [(a, b)]):
                continue
            ray = shapely.LineString([eye, p])
            meet = ray.intersection(shapely.LineString([a, b]))
            for i, height in enumerate(HEIGHTS):
                expected = False
                if not meet.is_empty:
                    z = EYE_Z + (height - EYE_Z) * math.dist(eye, (meet.x, meet.y)) / ray.length
                    if min(abs(z - 1.0), abs(z - 1.8)) < 1e-6:
                        continue
                    expected = 1.0 < z < 1.8
                assert cut[i, j] == expected


def test_walls_that_share_a_corner_do_not_leak():
    walls = screens_of([((-1, 1), (0, 1)), ((0, 1), (1, 1))])
    view = sightlines.sort_by_azimuth((0.0, 0.0, 2.0), np.array([[0.0, 3.0], [1e-12, 2.0], [0.0, 0.5]]))
    seen = np.empty(3, bool)
    seen[view.order] = sightlines.visible(view, walls)
    assert seen.tolist() == [False, False, True]


# -- routes --------------------------------------------------------------------------------------------------------


def test_a_route_goes_round_a_wall_and_no_farther_than_it_must():
    grid = grid_over([np.array([(0, 0), (6, 0), (6, 4), (0, 4)], float)], 0.1)
    free = np.ones((grid.rows, grid.columns), bool)
    free[: round(3 / 0.1), 29:31] = False
    ground = floor(grid, free)
    way = ground.route((1.0, 1.0), (5.0, 1.0))
    assert way is not None
    length = np.hypot(*np.diff(way, axis=0).T).sum()
    exact = 2 * math.dist((1, 1), (2.9, 3.0)) + 0.2
    assert exact - 0.1 <= length <= exact * 1.05
    line = shapely.LineString(way)
    assert not line.crosses(shapely.LineString([(3.0, 0.0), (3.0, 2.9)]))


def test_no_route_where_a_wall_closes_the_floor():
    grid = grid_over([np.array([(0, 0), (4, 0), (4, 2), (0, 2)], float)], 0.1)
    free = np.ones((grid.rows, grid.columns), bool)
    free[:, 20] = False
    assert floor(grid, free).route((1, 1), (3, 1)) is None
    assert floor(grid, np.zeros_like(free)).route((1, 1), (3, 1)) is None


@given(
    st.tuples(*[st.floats(-40, 40)] * 2), st.floats(0.1, 30), st.floats(0.1, 30),
    st.sampled_from([0.0, 1.0, 1e3, -1e308, 1e308]),
)  # fmt: skip
def test_a_part_of_a_grid_has_just_the_cells_that_meet_a_frame(corner, width, depth, off):
    grid = grid_over([np.array([[0.0, 0.0], [7.3, 4.1]])], 0.25)
    x0, y0 = corner[0] + off, corner[1]
    part = grid.part(x0, y0, x0 + width, y0 + depth)
    cells = np.arange(grid.rows * grid.columns)
    inside, mine = part.within(cells)
    row, column = np.divmod(inside, grid.columns)
    left, low = grid.x0 + column * grid.cell, grid.y0 + row * grid.cell
    assert mine.tolist() == list(range(part.grid.rows * part.grid.columns))
    assert ((left <= x0 + width + 1e-9) & (left + grid.cell >= x0 - 1e-9)).all()
    assert ((low <= y0 + depth + 1e-9) & (low + grid.cell >= y0 - 1e-9)).all()
    # None that meets it is left out.
    others = np.setdiff1d(cells, inside)
    row, column = np.divmod(others, grid.columns)
    left, low = grid.x0 + column * grid.cell, grid.y0 + row * grid.cell
    met = (left < x0 + width) & (left + grid.cell > x0) & (low < y0 + depth) & (low + grid.cell > y0)
    assert not met.any()
    middle = np.array([[x0, y0], [x0 + width, y0], [x0 + width, y0 + depth], [x0, y0 + depth]])
    if abs(off) < 1e6:
        plain = np.flatnonzero(polygons.contains(middle, grid.points))
        assert grid.cells_in(middle).tolist() == plain.tolist()


@given(st.integers(0, 10**6), st.tuples(*[st.one_of(st.floats(-3, 8), st.sampled_from([-1e308, 1e308, 1e6]))] * 2))
def test_the_nearest_free_cell_is_the_nearest_of_all(seed, point):
    """In a window about the point, and among all cells one after the other."""
    rng = np.random.default_rng(seed)
    grid = grid_over([np.array([[0.0, 0.0], [5.0, 3.0]])], 0.1)
    free = rng.random((grid.rows, grid.columns)) < rng.choice([0.0, 0.0005, 0.01, 0.5])
    found = floor(grid, free).nearest_free(point)
    cells = np.flatnonzero(free.ravel())
    if len(cells) == 0:
        assert found == -1
        return
    with np.errstate(over="ignore"):
        squares = ((grid.points[cells] - point) ** 2).sum(axis=1)
    assert found == cells[np.argmin(squares)] or squares.min() == pytest.approx(squares[cells == found][0])
