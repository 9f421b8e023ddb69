"""A tracking radar's targets second by second, in two compiled loops: what it reads, and what its zones make of it.

In arrays of all reports, one step after the other, most of the time goes into moving numbers about: a week of six
radars with five targets each is seven million reports. `target_batch` lays out what the loops read.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np

from vastwatch.loops.compiling import compiled, part
from vastwatch.loops.rng import grow_rows, normal_pair_of, twice_rows, uniform_of


class Bodies(NamedTuple):
    """Bodies a radar may report, flattened: body b has rows `x_of[b]` to `x_of[b + 1]` of each array x.

    `seen_from`, `seen_to`: first and last seconds in which it is noticed, apart and in order. While it stays:
    `stay_from`, `stay_to`, `stay_at` (x, y), `stay_chest` (metres), `stay_here` (on the radar's level, and not away).
    While it walks, unless it stays: `walk_from`, `walk_to`, `walk_out`, `walk_speed`, `walk_route`, and `chest` of
    anybody who does. `wander`, `draw`: keys of what is drawn. `who`: what it is called by; images are made of those
    below `people`.
    """

    seen_of: Any
    seen_from: Any
    seen_to: Any
    stay_of: Any
    stay_from: Any
    stay_to: Any
    stay_at: Any
    stay_chest: Any
    stay_here: Any
    walk_of: Any
    walk_from: Any
    walk_to: Any
    walk_out: Any
    walk_speed: Any
    walk_route: Any
    chest: Any
    wander: Any
    draw: Any
    who: Any
    people: int


class RouteSamples(NamedTuple):
    """All routes' samples one after the other: `points`, whether each is `here` (on the radar's level); route k begins
    at first[k], and leaves its first room out[k] samples later; `step_m` from sample to sample, metres."""

    points: Any
    here: Any
    first: Any
    out: Any
    step_m: float


class Radar(NamedTuple):
    """How a radar reads: its pose (`right` is the sine, `ahead` the cosine of its aim), its scatter, how many it
    follows, how close two of them are one, and what the wander of each of the last seconds, this one first, counts
    (their number is a power of two)."""

    x: float
    y: float
    height: float
    right: float
    ahead: float
    bias: float
    scale: float
    range_m: float
    angle: float
    wander_m: float
    most: int
    apart_m: float
    weights: Any


class Mirrors(NamedTuple):
    """Mirrors: a point and a normal of each, how far it reaches along itself from there, how often it shows somebody,
    the keys of that, and how high the chest of an image is."""

    middle: Any
    normal: Any
    reach: Any
    share: Any
    key: Any
    chest: float


class TargetRows(NamedTuple):
    """Room for what is told: see `targets.Targets`."""

    tick: Any
    read: Any
    at: Any
    of: Any
    image: Any
    lost: Any
    merged: Any


@part
def _after(values, first, last, t):  # type: ignore[no-untyped-def]
    """The last of the rows from first to last (not with it) that is no later than t; first - 1 for none."""
    low, high = first, last
    while low < high:
        middle = (low + high) // 2
        if values[middle] <= t:
            low = middle + 1
        else:
            high = middle
    return low - 1


@part
def _frame(radar, x, y):  # type: ignore[no-untyped-def]
    """A point as (u right, v ahead, distance on the plan) of a radar."""
    dx, dy = x - radar.x, y - radar.y
    u = dx * radar.right - dy * radar.ahead
    v = dx * radar.ahead + dy * radar.right
    return u, v, math.sqrt(u * u + v * v)


@part
def _without_scatter(radar, x, y, chest):  # type: ignore[no-untyped-def]
    """As `tracker.readings`, one."""
    u, v, plan = _frame(radar, x, y)
    dz = chest - radar.height
    r = radar.scale * math.sqrt(plan * plan + dz * dz) + radar.bias
    return (u / plan * r, v / plan * r) if plan > 1e-9 else (0.0, r)


@compiled
def simulate_targets(bodies, ways, radar, mirrors, begin, end, out):  # type: ignore[no-untyped-def]
    """Simulate the targets of the seconds [begin, end) into `out`. Returns the number of rows filled, of people lost,
    and of people merged.

    In each second anybody who is noticed and on the level is read with scatter, the nearest first; of two within
    `apart_m` the farther is not told; then people before images, and no more than the radar follows.
    """
    # A compiled loop reads what lies in variables of its own fastest.
    seen_of, seen_from, seen_to = bodies.seen_of, bodies.seen_from, bodies.seen_to
    stay_of, stay_from, stay_to, stay_at = bodies.stay_of, bodies.stay_from, bodies.stay_to, bodies.stay_at
    stay_chest, stay_here = bodies.stay_chest, bodies.stay_here
    walk_of, walk_from, walk_to, walk_out = bodies.walk_of, bodies.walk_from, bodies.walk_to, bodies.walk_out
    walk_speed, walk_route = bodies.walk_speed, bodies.walk_route
    its_chest, wander, own, who, people = bodies.chest, bodies.wander, bodies.draw, bodies.who, bodies.people
    points, on_level, route_first, route_out = ways.points, ways.here, ways.first, ways.out
    middle, normal, reach, share, image_key = mirrors.middle, mirrors.normal, mirrors.reach, mirrors.share, mirrors.key
    out_tick, out_read, out_at, out_of, out_image = out.tick, out.read, out.at, out.of, out.image
    out_lost, out_merged = out.lost, out.merged
    weights, apart_m, step_m = radar.weights, radar.apart_m, ways.step_m
    remembered = len(weights)
    lately = remembered - 1
    count = len(who)
    kinds = 1 + len(share)
    seen, stay, walk = seen_of[:-1].copy(), np.empty(count, np.int64), np.empty(count, np.int64)
    for b in range(count):
        while seen[b] < seen_of[b + 1] and seen_to[seen[b]] < begin:
            seen[b] += 1
        stay[b] = _after(stay_from, stay_of[b], stay_of[b + 1], begin)
        walk[b] = _after(walk_from, walk_of[b], walk_of[b + 1], begin)
    # The last draws of each body's wander, and the second of the latest.
    fresh, drawn = np.zeros((count, 2, remembered), np.float32), np.full(count, -(2**40), np.int64)
    far, place, by = np.empty(count * kinds), np.empty((count * kinds, 4)), np.empty(count * kinds, np.int64)
    image, keeps = np.empty(count * kinds, np.bool_), np.empty(count * kinds, np.bool_)
    order = np.empty(count * kinds, np.int64)
    rows = lost = merged = 0
    second = begin
    while second < end:
        n, soonest = 0, end
        for b in range(count):
            while seen[b] < seen_of[b + 1] and seen_to[seen[b]] < second:
                seen[b] += 1
            if seen[b] == seen_of[b + 1]:
                continue
            if seen_from[seen[b]] > second:
                soonest = min(soonest, seen_from[seen[b]])
                continue
            soonest = second
            while stay[b] + 1 < stay_of[b + 1] and stay_from[stay[b] + 1] <= second:
                stay[b] += 1
            j = stay[b]
            if j >= stay_of[b] and second < stay_to[j]:
                if not stay_here[j]:
                    continue
                x, y, chest = stay_at[j, 0], stay_at[j, 1], stay_chest[j]
            else:
                while walk[b] + 1 < walk_of[b + 1] and walk_from[walk[b] + 1] <= second:
                    walk[b] += 1
                j = walk[b]
                if j < walk_of[b] or second >= walk_to[j]:
                    continue
                k = walk_route[j]
                sample = route_out[k] + math.floor((second - walk_out[j]) * walk_speed[j] / step_m)
                row = route_first[k] + min(max(sample, 0), route_first[k + 1] - route_first[k] - 1)
                if not on_level[row]:
                    continue
                x, y, chest = points[row, 0], points[row, 1], its_chest[b]
            # The wander: each of the last seconds' own draws counts less by the second.
            for back in range(min(second - drawn[b], remembered)):
                t = second - back
                fresh[b, 0, t & lately], fresh[b, 1, t & lately] = normal_pair_of(wander[b], t)
            drawn[b] = second
            wx = wy = np.float32(0.0)
            for back in range(remembered):
                t = (second - back) & lately
                wx += weights[back] * fresh[b, 0, t]
                wy += weights[back] * fresh[b, 1, t]
            u, v, plan = _frame(radar, x + radar.wander_m * wx, y + radar.wander_m * wy)
            dz = chest - radar.height
            of_range, of_angle = normal_pair_of(own[b], second)
            r = radar.scale * math.sqrt(plan * plan + dz * dz) + radar.bias + radar.range_m * of_range
            off = np.float32(radar.angle * of_angle)
            sine, cosine = math.sin(off), math.cos(off)
            # Straight under it there is no direction: it reads ahead.
            u, v = (u / plan, v / plan) if plan > 0.0 else (0.0, 1.0)
            read_x, read_y = r * (u * cosine + v * sine), r * (v * cosine - u * sine)
            far[n], by[n], image[n] = math.sqrt(read_x * read_x + read_y * read_y), who[b], False
            place[n, 0], place[n, 1], place[n, 2], place[n, 3] = read_x, read_y, x, y
            n += 1
            if who[b] >= people:
                continue
            for m in range(kinds - 1):
                mx, my = x - middle[m, 0], y - middle[m, 1]
                across = mx * normal[m, 0] + my * normal[m, 1]
                along = mx * normal[m, 1] - my * normal[m, 0]
                ix, iy = x - 2.0 * across * normal[m, 0], y - 2.0 * across * normal[m, 1]
                # Anybody who is on the device's side of it: their image is farther off than they are.
                if abs(along) > reach[m] or _frame(radar, ix, iy)[2] <= _frame(radar, x, y)[2]:
                    continue
                if uniform_of(image_key[m], 31 * second + who[b]) >= share[m]:
                    continue
                # It is off the place it seems to be at as the report of them is off theirs.
                own_x, own_y = _without_scatter(radar, x, y, mirrors.chest)
                its_x, its_y = _without_scatter(radar, ix, iy, mirrors.chest)
                its_x, its_y = its_x + read_x - own_x, its_y + read_y - own_y
                far[n], by[n], image[n] = math.sqrt(its_x * its_x + its_y * its_y), who[b], True
                place[n, 0], place[n, 1], place[n, 2], place[n, 3] = its_x, its_y, ix, iy
                n += 1
        if n == 0:
            # Nobody until somebody is noticed again.
            second = max(second + 1, soonest)
            continue
        for i in range(n):
            # They are few: each is put in its place.
            k = i
            while k > 0 and far[order[k - 1]] > far[i]:
                order[k] = order[k - 1]
                k -= 1
            order[k] = i
        told = 0
        for i in range(n):
            k = order[i]
            keeps[k] = True
            for q in range(i):
                j = order[q]
                dx, dy = place[k, 2] - place[j, 2], place[k, 3] - place[j, 3]
                if keeps[j] and dx * dx + dy * dy < apart_m * apart_m:
                    keeps[k] = False
            if keeps[k]:
                told += 1
            else:
                out_merged[merged] = second
                merged += 1
        if told > radar.most:
            left = radar.most
            for of_image in (False, True):
                for i in range(n):
                    k = order[i]
                    if keeps[k] and image[k] == of_image:
                        if left > 0:
                            left -= 1
                            continue
                        keeps[k] = False
                        if not of_image:
                            out_lost[lost] = second
                            lost += 1
        for i in range(n):
            k = order[i]
            if keeps[k]:
                out_tick[rows], out_of[rows], out_image[rows] = second, by[k], image[k]
                out_read[rows, 0], out_read[rows, 1] = place[k, 0], place[k, 1]
                out_at[rows, 0], out_at[rows, 1] = place[k, 2], place[k, 3]
                rows += 1
        second += 1
    return rows, lost, merged


class Zones(NamedTuple):
    """Zones as the loop reads them. Zone z has corners `corner_of[z]` to `corner_of[z + 1]` of `corner`, and a `frame`
    (least x, y, greatest x, y) about them; or else a `ring`, [near, far) of range, far at zero for none. `ignored`:
    what falls there is nowhere. It is entered once `need[z]` of `among[z]` successive reports fall into it, and left
    `delay[z]` after the last."""

    corner_of: Any
    corner: Any
    frame: Any
    ring: Any
    ignored: Any
    need: Any
    among: Any
    delay: Any


@compiled
def zone_intervals(zones, tick, read):  # type: ignore[no-untyped-def]
    """[on, off) rows, (n, 2), of all zones, and of which each is: of reports in order of time."""
    corner_of, corner, frame, ring = zones.corner_of, zones.corner, zones.frame, zones.ring
    nowhere, need, among, delay = zones.ignored, zones.need, zones.among, zones.delay
    m = len(need)
    longest = 1
    for z in range(m):
        longest = max(longest, need[z])
    # The last seconds in which something fell into each zone, and since when it is on, below zero while it is not.
    lately, heard = np.full((m, longest), -(2**40), np.int64), np.zeros(m, np.int64)
    on, last = np.full(m, -1, np.int64), np.full(m, -(2**40), np.int64)
    inside = np.empty(m, np.bool_)
    rows, of = np.empty((64, 2)), np.empty(64, np.int64)
    n = 0
    for k in range(len(tick)):
        x, y, second = float(read[k, 0]), float(read[k, 1]), tick[k]
        ignored = False
        for z in range(m):
            # As `Shape.holds`.
            if ring[z, 1] > 0.0:
                r = math.sqrt(x * x + y * y)
                within = ring[z, 0] <= r < ring[z, 1]
            else:
                within = False
                if frame[z, 0] <= x <= frame[z, 2] and frame[z, 1] <= y <= frame[z, 3]:
                    x1, y1 = corner[corner_of[z + 1] - 1, 0], corner[corner_of[z + 1] - 1, 1]
                    for c in range(corner_of[z], corner_of[z + 1]):
                        x2, y2 = corner[c, 0], corner[c, 1]
                        if (y1 > y) != (y2 > y) and x < (x2 - x1) * (y - y1) / (y2 - y1) + x1:
                            within = not within
                        x1, y1 = x2, y2
            inside[z] = within
            ignored |= within and nowhere[z]
        if ignored:
            continue
        for z in range(m):
            if not inside[z] or last[z] == second:
                continue
            if second - last[z] > delay[z] and on[z] >= 0:
                n, rows, of = _put(n, rows, of, on[z], last[z] + delay[z], z)
                on[z] = -1
            last[z] = second
            lately[z, heard[z] % need[z]] = second
            heard[z] += 1
            if on[z] < 0 and heard[z] >= need[z] and lately[z, heard[z] % need[z]] > second - among[z]:
                on[z] = second
    for z in range(m):
        if on[z] >= 0:
            n, rows, of = _put(n, rows, of, on[z], last[z] + delay[z], z)
    return rows[:n], of[:n]


@part
def _put(n, rows, of, begin, end, z):  # type: ignore[no-untyped-def]
    if n == len(of):
        rows, of = twice_rows(rows), grow_rows(of)
    rows[n, 0], rows[n, 1], of[n] = begin, end, z
    return n + 1, rows, of
