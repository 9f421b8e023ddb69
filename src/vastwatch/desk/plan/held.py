"""What is selected, marked or blamed, over the rest: it moves with the hand, and the rest need not be painted."""

from __future__ import annotations

import math

from PyQt6.QtGui import QPainter, QPainterPath

from vastwatch.design.project import find
from vastwatch.desk.plan.furniture import draw_details, furniture_colours
from vastwatch.desk.plan.handles import draw_handle
from vastwatch.desk.plan.look import LAMP_RADIUS, Look, cosmetic, in_pixels, polygon_of, ring, special
from vastwatch.desk.plan.places import add_spot, draw_spots
from vastwatch.desk.plan.walls import along, draw_halo
from vastwatch.desk.shell.theme import alpha


def draw_held(p: QPainter, look: Look) -> None:
    """What is selected, marked or blamed, over the rest: it moves with the hand, and the rest need not be painted."""
    apart = special(look)
    if not apart:
        return
    fill, line = furniture_colours(look)
    chosen = look.marked | {look.selected}
    for f in look.project.furnishings:
        if f.id in apart and f.level == look.level:
            blamed = f.id not in chosen
            p.setBrush(alpha(look.theme.dropped, 0.28) if blamed else alpha(fill, 0.85))
            p.setPen(cosmetic(look.theme.dropped if blamed else look.theme.ink, 1.6))
            p.drawPolygon(polygon_of(f))
            draw_details(p, look, f, line)
    for wall in look.project.walls:
        if wall.level == look.level and wall.id in chosen:
            length = math.dist(wall.a, wall.b)
            draw_halo(p, look, wall, along(wall, 0, length), along(wall, length, length))
    walls = {w.id: w for w in look.project.walls if w.level == look.level} if apart else {}
    for o in look.project.openings:
        if o.id in chosen and o.wall in walls:
            wall = walls[o.wall]
            length = math.dist(wall.a, wall.b)
            end = min(o.offset + o.width, length)
            draw_halo(p, look, wall, along(wall, o.offset, length), along(wall, end, length))
    with in_pixels(p) as at:
        for spot in look.project.spots:
            if spot.id in apart and find(look.project.rooms, spot.room).level == look.level:
                rings, wedges = QPainterPath(), QPainterPath()
                add_spot(rings, wedges, at(*spot.at), spot.facing)
                draw_spots(p, look, rings, wedges, look.theme.ink, 1.6)
        for lamp in look.project.lamps:
            if lamp.id in chosen and find(look.project.rooms, lamp.room).level == look.level:
                ring(p, at(*lamp.at), LAMP_RADIUS + 5, look.theme.ink)
    draw_handle(p, look)
