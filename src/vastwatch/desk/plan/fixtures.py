"""What is drawn beside walls and furniture: hazards, sockets and switches, the underlay, the level below."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen, QPolygonF

from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.project import find
from vastwatch.desk.plan.distance import clearness, mark_share
from vastwatch.desk.plan.marks import devices_by_room, groups_shown
from vastwatch.desk.plan.painting import cosmetic, in_pixels, polygon, ring, scale_of
from vastwatch.desk.plan.state import PlanState, special
from vastwatch.desk.plan.underlay import picture_of
from vastwatch.desk.shell.family_style import OUTPUT_MARKS
from vastwatch.desk.shell.theme import alpha
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.site.building import Hazard, Underlay

FIXTURE_PX, OUTPUT_PX = 6.5, 9.0


@memoised
def _picture(data: str, width: int, height: int) -> QImage:
    # By the data alone: moving or fading a picture must not decode it again.
    return picture_of(Underlay(data=data, width_px=width, height_px=height))


def draw_underlay(p: QPainter, state: PlanState) -> None:
    """The picture under the shown level, and in the Plan stage the walls of the level below."""
    level = next((x for x in state.project.levels if x.id == state.level), None)
    if level is None or state.shapes == "nothing":
        return
    u = level.underlay
    if u is not None and u.opacity > 0:
        image = _picture(u.data, u.width_px, u.height_px)
        w, h = u.width_px * u.metres_per_px, u.height_px * u.metres_per_px
        p.save()
        p.setOpacity(u.opacity)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawImage(QRectF(u.at[0], -u.at[1] - h, w, h), image)
        p.restore()
    if state.ghost:
        _ghost(p, state, level.elevation)


def reads_underlay(state: PlanState) -> tuple[object, ...]:
    """What the underlay shows."""
    return (
        state.project.levels,
        state.level,
        state.shapes,
        state.ghost,
        state.ghost and state.project.walls,
        state.theme,
    )


def reads_fixtures(state: PlanState) -> tuple[object, ...]:
    """What the fixtures layer shows."""
    project = state.project
    return (
        state.hazards, devices_by_room(state), project.rooms, project.sockets, project.switches, project.circuits,
        project.lamps, project.outputs,
        project.buttons,
        frozenset(o.id for o in project.outputs if state.lit.get(o.id, 0.0) > 0), state.level, state.shapes,
        state.night, state.selected or "", state.marked, state.traced, state.theme,
    )  # fmt: skip


def _ghost(p: QPainter, state: PlanState, elevation: float) -> None:
    below = [x for x in state.project.levels if x.elevation < elevation]
    if not below:
        return
    ident = max(below, key=lambda x: x.elevation).id
    pen = QPen(alpha(state.ink, 0.28), 1, Qt.PenStyle.DashLine)
    pen.setCosmetic(True)
    p.setBrush(Qt.BrushStyle.NoBrush)
    for wall in state.project.walls:
        if wall.level == ident:
            length = math.dist(wall.a, wall.b)
            nx = -(wall.b[1] - wall.a[1]) / length * wall.thickness / 2
            ny = (wall.b[0] - wall.a[0]) / length * wall.thickness / 2
            p.setPen(pen)
            for s in (-1, 1):
                p.drawLine(
                    QPointF(wall.a[0] + s * nx, -wall.a[1] - s * ny), QPointF(wall.b[0] + s * nx, -wall.b[1] - s * ny)
                )


def draw_fixtures(p: QPainter, state: PlanState) -> None:
    """Hazards as dashed outlines with a mark of their kind; outputs that are no lamps; in the Brief and Plan stages
    sockets and switches too."""
    clear = clearness(scale_of(p))
    if clear > 0:
        p.setOpacity(clear)
        for hazard in state.hazards:
            _hazard(p, state, hazard)
        p.setOpacity(1.0)
    _outputs(p, state)
    _buttons(p, state)
    if state.shapes == "nothing" or clear <= 0:
        return
    line = state.line
    with in_pixels(p) as at:
        for socket in state.project.sockets:
            if socket.level == state.level:
                c = at(*socket.at)
                _chip(p, state, c, line)
                p.drawEllipse(c + QPointF(-2, 0), 0.9, 0.9)
                p.drawEllipse(c + QPointF(2, 0), 0.9, 0.9)
                _chosen(p, state, c, socket.id)
        for switch in state.project.switches:
            if switch.level == state.level:
                c = at(*switch.at)
                _chip(p, state, c, line)
                p.drawLine(c + QPointF(-3, 2.5), c + QPointF(2.5, -3))
                p.drawEllipse(c + QPointF(-3, 2.5), 0.8, 0.8)
                _chosen(p, state, c, switch.id)
                if switch.circuit in state.traced:
                    _lines_to_lamps(p, state, switch.circuit, c, at)


def _outputs(p: QPainter, state: PlanState) -> None:
    """What the house switches beside lamps, filled while it runs."""
    line, scale = state.line, scale_of(p)
    size, hidden = OUTPUT_PX * mark_share(scale), _hidden(state, scale)
    with in_pixels(p) as at:
        for output in state.project.outputs:
            if find(state.project.rooms, output.room).level != state.level or output.id in hidden:
                continue
            c, runs = at(*output.at), state.lit.get(output.id, 0.0) > 0
            p.setPen(QPen(line, 1.1))
            p.setBrush(line if runs else state.ground)
            p.drawEllipse(c, size, size)
            p.save()
            p.translate(c)
            p.setPen(QPen(state.ground if runs else line, 1.2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            OUTPUT_MARKS[handler_of(output).label](p, size * 0.72)
            p.restore()
            _chosen(p, state, c, output.id)


def _hidden(state: PlanState, scale_px: float) -> frozenset[str]:
    """What is not drawn by itself, because its room says how many devices it has."""
    return frozenset().union(*(g.members for g in groups_shown(state, scale_px).values())) - special(state)


def _buttons(p: QPainter, state: PlanState) -> None:
    """Buttons that tell the house what a hand wants: a plate with a key in it."""
    line, hidden = state.line, _hidden(state, scale_of(p))
    with in_pixels(p) as at:
        for button in state.project.buttons:
            if find(state.project.rooms, button.room).level != state.level or button.id in hidden:
                continue
            c = at(*button.at)
            _chip(p, state, c, line)
            p.setBrush(line)
            p.drawRoundedRect(QRectF(c.x() - 2.4, c.y() - 3.4, 4.8, 6.8), 1.6, 1.6)
            _chosen(p, state, c, button.id)


def _chip(p: QPainter, state: PlanState, c: QPointF, line) -> None:  # type: ignore[no-untyped-def]
    p.setPen(QPen(line, 1.1))
    p.setBrush(state.ground)
    p.drawRoundedRect(QRectF(c.x() - FIXTURE_PX, c.y() - FIXTURE_PX, 2 * FIXTURE_PX, 2 * FIXTURE_PX), 3, 3)


def _chosen(p: QPainter, state: PlanState, c: QPointF, ident: str) -> None:
    if ident == state.selected or ident in state.marked:
        ring(p, c, FIXTURE_PX + 5, state.theme.ink)


def _lines_to_lamps(p: QPainter, state: PlanState, circuit: str, c: QPointF, at) -> None:  # type: ignore[no-untyped-def]
    """From a switch to the lamps of its circuit, while either is selected."""
    lamps = next((x.lamps for x in state.project.circuits if x.id == circuit), ())
    p.setPen(QPen(alpha(state.theme.lamp, 0.9), 1.2, Qt.PenStyle.DashLine))
    for lamp in state.project.lamps:
        if lamp.id in lamps:
            p.drawLine(c, at(*lamp.at))


def _hazard(p: QPainter, state: PlanState, hazard: Hazard) -> None:
    chosen = hazard.id == state.selected or hazard.id in state.marked
    colour = state.theme.ink if chosen else state.ink
    p.setBrush(alpha(state.ink, 0.06))
    p.setPen(cosmetic(colour, 1.6 if chosen else 1, Qt.PenStyle.DashLine))
    p.drawPolygon(polygon(hazard.outline))
    with in_pixels(p) as at:
        c = at(*polygons.centroid(hazard.outline))
        p.setPen(QPen(colour, 1.3))
        p.setBrush(Qt.BrushStyle.NoBrush)
        draw_hazard_mark(p, hazard.kind, c, 7.5)


def draw_hazard_mark(p: QPainter, kind: str, c: QPointF, r: float) -> None:
    """A small mark of our own for each kind of hazard, with the painter's pen."""
    p.save()
    p.translate(c)
    if kind == "sun patch":
        p.drawEllipse(QPointF(0, 0), r * 0.42, r * 0.42)
        for k in range(8):
            a = math.radians(45 * k)
            p.drawLine(QPointF(math.cos(a), math.sin(a)) * r * 0.65, QPointF(math.cos(a), math.sin(a)) * r)
    elif kind == "heat source":
        for x in (-0.6, 0.0, 0.6):
            path = QPainterPath(QPointF(x * r, r * 0.8))
            path.cubicTo(x * r - r * 0.4, r * 0.2, x * r + r * 0.4, -r * 0.2, x * r, -r * 0.8)
            p.drawPath(path)
    elif kind == "vent":
        for y in (-0.5, 0.0, 0.5):
            p.drawLine(QPointF(-r * 0.8, y * r), QPointF(r * 0.5, y * r))
            p.drawLine(QPointF(r * 0.5, y * r), QPointF(r * 0.85, y * r - r * 0.22))
    elif kind == "fan":
        p.drawEllipse(QPointF(0, 0), r * 0.18, r * 0.18)
        for k in range(3):
            p.save()
            p.rotate(120 * k)
            p.drawEllipse(QPointF(0, -r * 0.58), r * 0.26, r * 0.4)
            p.restore()
    elif kind == "curtain":
        p.drawLine(QPointF(-r, -r * 0.8), QPointF(r, -r * 0.8))
        for x in (-0.7, -0.2, 0.3, 0.8):
            path = QPainterPath(QPointF(x * r, -r * 0.8))
            path.cubicTo(x * r + r * 0.35, -r * 0.2, x * r - r * 0.35, r * 0.2, x * r, r * 0.8)
            p.drawPath(path)
    elif kind == "pet area":
        p.drawEllipse(QPointF(0, r * 0.3), r * 0.42, r * 0.34)
        for x, y in ((-0.6, -0.15), (-0.22, -0.55), (0.22, -0.55), (0.6, -0.15)):
            p.drawEllipse(QPointF(x * r, y * r), r * 0.16, r * 0.2)
    elif kind == "mirror or metal":
        p.drawPolygon(QPolygonF([QPointF(0, -r), QPointF(r * 0.8, 0), QPointF(0, r), QPointF(-r * 0.8, 0)]))
        p.drawLine(QPointF(-r * 0.3, r * 0.15), QPointF(r * 0.15, -r * 0.4))
    else:
        p.drawLine(QPointF(0, -r), QPointF(0, -r * 0.4))
        p.drawEllipse(QPointF(0, r * 0.1), r * 0.5, r * 0.5)
        p.drawPoint(QPointF(-r * 0.8, -r * 0.5))
        p.drawPoint(QPointF(r * 0.9, -r * 0.2))
    p.restore()
