"""What is selected, marked or blamed, over the rest: it moves with the hand, and the rest need not be painted."""

from __future__ import annotations

import math

from PyQt6.QtGui import QPainter, QPainterPath

from vastwatch.design.project import find
from vastwatch.desk.plan.furniture import draw_details, furniture_colours
from vastwatch.desk.plan.handles import draw_handle
from vastwatch.desk.plan.painting import LAMP_RADIUS, cosmetic, in_pixels, polygon_of, ring
from vastwatch.desk.plan.places import add_spot, draw_spots
from vastwatch.desk.plan.state import PlanState, special
from vastwatch.desk.plan.walls import along, draw_halo
from vastwatch.desk.shell.theme import alpha


def draw_held(p: QPainter, state: PlanState) -> None:
    """What is selected, marked or blamed, over the rest: it moves with the hand, and the rest need not be painted."""
    apart = special(state)
    if not apart:
        return
    fill, line = furniture_colours(state)
    chosen = state.marked | {state.selected}
    for f in state.project.furnishings:
        if f.id in apart and f.level == state.level:
            blamed = f.id not in chosen
            p.setBrush(alpha(state.theme.dropped, 0.28) if blamed else alpha(fill, 0.85))
            p.setPen(cosmetic(state.theme.dropped if blamed else state.theme.ink, 1.6))
            p.drawPolygon(polygon_of(f))
            draw_details(p, state, f, line)
    for wall in state.project.walls:
        if wall.level == state.level and wall.id in chosen:
            length = math.dist(wall.a, wall.b)
            draw_halo(p, state, wall, along(wall, 0, length), along(wall, length, length))
    walls = {w.id: w for w in state.project.walls if w.level == state.level} if apart else {}
    for o in state.project.openings:
        if o.id in chosen and o.wall in walls:
            wall = walls[o.wall]
            length = math.dist(wall.a, wall.b)
            end = min(o.offset + o.width, length)
            draw_halo(p, state, wall, along(wall, o.offset, length), along(wall, end, length))
    with in_pixels(p) as at:
        for spot in state.project.spots:
            if spot.id in apart and find(state.project.rooms, spot.room).level == state.level:
                rings, wedges = QPainterPath(), QPainterPath()
                add_spot(rings, wedges, at(*spot.at), spot.facing)
                draw_spots(p, state, rings, wedges, state.theme.ink, 1.6)
        for lamp in state.project.lamps:
            if lamp.id in chosen and find(state.project.rooms, lamp.room).level == state.level:
                ring(p, at(*lamp.at), LAMP_RADIUS + 5, state.theme.ink)
    draw_handle(p, state)
