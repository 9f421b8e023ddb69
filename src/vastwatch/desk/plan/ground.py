"""The ground of the plan: rooms on their paper, the metre grid, and the light of lamps that are on."""

from __future__ import annotations

import math

from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPainterPath, QRadialGradient

from vastwatch.design.project import find
from vastwatch.desk.plan.light_layer import draw_pools
from vastwatch.desk.plan.painting import cosmetic, path_of, polygon
from vastwatch.desk.plan.state import PlanState, made_once
from vastwatch.desk.shell.theme import alpha, mix
from vastwatch.geometry import polygons
from vastwatch.site.building import Room


def draw_ground(p: QPainter, state: PlanState) -> None:
    """Rooms on the ground colour, a metre grid, and the light of lamps that are on, clipped to their room."""
    built = made_once(state, "rooms", (state.project.rooms, state.level), lambda: path_of(state.rooms))
    p.setPen(Qt.PenStyle.NoPen)
    p.fillPath(built, state.ground)
    grid = mix(QColor("#EFEBE2") if state.theme.name == "light" else state.theme.faint, state.theme.night, state.night)
    known = state.made.get("grid")
    # While a wall moves on a large plan the faint grid is left out: laying it anew would cost a fifth of the frame.
    changing = state.hurried and known is not None and known[0][0] is not state.project.rooms
    if state.night < 0.6 and state.rooms and not changing:
        straight, bent = made_once(state, "grid", (state.project.rooms, state.level), lambda: _grid(state.rooms))
        pen = cosmetic(alpha(grid, 0.9 * (1 - state.night)), 1)
        p.save()
        # The lines are upright and level: without smoothing they are sharper, and quicker.
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(pen)
        p.drawLines(*straight)
        for path, lines in bent:
            p.save()
            p.setClipPath(path, Qt.ClipOperation.IntersectClip)
            p.drawLines(*lines)
            p.restore()
        p.restore()


def draw_light(p: QPainter, state: PlanState) -> None:
    """What lamps give the floor: in pools as they spread it, or as a glow in their rooms."""
    if state.pools:
        draw_pools(p, state)
        return
    for lamp in state.project.lamps:
        room = find(state.project.rooms, lamp.room)
        level = state.lit.get(lamp.id, 0.0)
        if room.level != state.level or level <= 0:
            continue
        path = QPainterPath()
        path.addPolygon(polygon(room.outline))
        box = path.boundingRect()
        reach = 0.62 * math.hypot(box.width(), box.height())
        glow = QRadialGradient(QPointF(lamp.at[0], -lamp.at[1]), reach)
        # By day a lamp hardly shows; at night it is the only thing that glows.
        strength = (0.25 + 0.6 * state.night) * level
        warm = QColor("#F6C667")
        glow.setColorAt(0.0, alpha(warm, strength))
        glow.setColorAt(0.45, alpha(state.theme.lamp, strength * 0.55))
        glow.setColorAt(1.0, alpha(state.theme.lamp, strength * 0.12))
        p.setPen(Qt.PenStyle.NoPen)
        p.fillPath(path, QBrush(glow))


def reads_ground(state: PlanState) -> tuple[object, ...]:
    """What the ground layer shows."""
    return state.project.rooms, state.level, state.night, state.theme


def reads_light(state: PlanState) -> tuple[object, ...]:
    """What the layer of light on the floor shows."""
    return (
        state.project.rooms, state.level, state.night, state.theme, dict(state.lit), state.project.lamps, state.pools,
        state.project.photometries,
    )  # fmt: skip


def _grid(rooms: list[Room]) -> tuple[list[QLineF], list[tuple[QPainterPath, list[QLineF]]]]:
    """Metre lines within rectangular rooms; and for other rooms their outline to clip by, with its lines."""
    straight: list[QLineF] = []
    bent = []
    for room in rooms:
        xs, ys = [x for x, _ in room.outline], [-y for _, y in room.outline]
        x0, x1, y0, y1 = min(xs), max(xs), min(ys), max(ys)
        lines = [QLineF(x, y0, x, y1) for x in range(math.ceil(x0), math.floor(x1) + 1)]
        lines += [QLineF(x0, y, x1, y) for y in range(math.ceil(y0), math.floor(y1) + 1)]
        if polygons.area(room.outline) > 0.999 * (x1 - x0) * (y1 - y0):
            straight += lines
        elif lines:
            bent.append((path_of([room]), lines))
    return _merged(straight) or [QLineF()], bent


def _merged(lines: list[QLineF]) -> list[QLineF]:
    """Upright and level lines, those that continue each other joined: a tenth as many on a plan of many rooms."""
    along: dict[tuple[bool, float], list[tuple[float, float]]] = {}
    for q in lines:
        upright = q.x1() == q.x2()
        key, ends = (True, q.x1()), (q.y1(), q.y2())
        if not upright:
            key, ends = (False, q.y1()), (q.x1(), q.x2())
        along.setdefault(key, []).append(ends)
    out = []
    for (upright, c), spans in along.items():
        spans.sort()
        joined = [list(spans[0])]
        for lo, hi in spans[1:]:
            if lo <= joined[-1][1] + 1e-6:
                joined[-1][1] = max(joined[-1][1], hi)
            else:
                joined.append([lo, hi])
        out += [QLineF(c, lo, c, hi) if upright else QLineF(lo, c, hi, c) for lo, hi in joined]
    return out
