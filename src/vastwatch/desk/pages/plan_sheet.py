"""The plan painted elsewhere than on the desk: on a page to scale, or as a picture of any size.

The same layers paint as on the desk, in the light theme and by day. On paper a *pixel* is a 96th of an inch, so that
marks and words keep a size that can be read, whatever the scale.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QFont, QFontMetricsF, QImage, QPainter, QPen

from vastwatch.causes.chain import IncidentView
from vastwatch.design.project import Project, on_level
from vastwatch.desk.plan import coverage_layer, fixtures, furniture, ground, marks, places, walls
from vastwatch.desk.plan.contours import BANDS
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.plan.zones_on_paper import draw_zones_on_paper
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import LIGHT, font, mix
from vastwatch.devices import TOUCH_FAMILIES
from vastwatch.sensing.hazards import on_date

DPI = 96
PX_PER_M = DPI / 0.0254
# Scales that people have rulers for.
SCALES = (10, 20, 25, 50, 75, 100, 125, 150, 200, 250, 500, 1000)
# Around the building, metres: sensors and openings stand forward of its walls.
EDGE_M = 0.4
# A picture is no larger, pixels along a side.
LARGEST_PX = 16_000


def paper_font(size: int, weight: int = 400) -> QFont:
    """The interface font without its tabular figures: those have no characters in a PDF, and could not be searched."""
    out = font(size, weight)
    out.clearFeatures()
    return out


def extent(project: Project, level: str) -> QRectF | None:
    """What a level covers, in scene coordinates (metres, y downward); None for a bare one."""
    points = [p for r in on_level(project.rooms, level) for p in r.outline]
    points += [p for w in on_level(project.walls, level) for p in (w.a, w.b)]
    if not points:
        return None
    x0, x1 = min(p[0] for p in points), max(p[0] for p in points)
    y0, y1 = min(p[1] for p in points), max(p[1] for p in points)
    return QRectF(x0, -y1, x1 - x0, y1 - y0).adjusted(-EDGE_M, -EDGE_M, EDGE_M, EDGE_M)


def state_for(project: Project, level: str, scene: IncidentView | None = None, room: str | None = None) -> PlanState:
    """What the layers are to paint: everything of a level and the contours of all its sensors, or of the open
    incident."""
    day = date.fromisoformat(project.brief.rehearse_from)
    state = PlanState(project, LIGHT, level, room=room, scene=scene, ghost=False)
    found = (on_date(project, h, day) for h in project.hazards if h.level == level)
    state.hazards = [h for h in found if h is not None]
    coverage_layer.lay_out_contours(state)
    return state


def paint_level(painter: QPainter, state: PlanState, frame: QRectF, scale: float, origin: QPointF) -> None:
    """Paint what lies in `frame` (scene coordinates) with so many pixels a metre, its upper left corner at `origin`."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setClipRect(QRectF(origin.x(), origin.y(), frame.width() * scale, frame.height() * scale))
    painter.translate(origin.x() - frame.x() * scale, origin.y() - frame.y() * scale)
    painter.scale(scale, scale)
    drawn = (
        ground.draw_ground, coverage_layer.draw_contours, furniture.draw_furniture, walls.draw_walls,
        draw_zones_on_paper, places.draw_places, fixtures.draw_fixtures, marks.draw_sensors, marks.draw_scene,
    )  # fmt: skip
    for draw in drawn:
        painter.save()
        draw(painter, state)
        painter.restore()
    painter.restore()


def fitting_scale(frame: QRectF, room: QRectF) -> int:
    """The largest scale, as 1 to so much, at which a frame in metres fits a piece of paper in pixels."""
    for k in SCALES:
        if frame.width() * PX_PER_M / k <= room.width() and frame.height() * PX_PER_M / k <= room.height():
            return k
    return SCALES[-1]


def scale_bar(painter: QPainter, at: QPointF, scale: int) -> None:
    """A bar of whole metres, and the scale in words."""
    metre = PX_PER_M / scale
    whole = next((m for m in (1, 2, 5, 10, 20, 50, 100) if m * metre >= 60), 100)
    painter.save()
    painter.setPen(QPen(LIGHT.ink, 1))
    for k in range(2):
        painter.fillRect(QRectF(at.x() + k * whole * metre / 2, at.y(), whole * metre / 2, 4),
                         LIGHT.ink if k == 0 else LIGHT.paper)  # fmt: skip
    painter.drawRect(QRectF(at.x(), at.y(), whole * metre, 4))
    painter.setFont(paper_font(9))
    words = f"{whole} m"
    painter.drawText(QPointF(at.x() + whole * metre + 6, at.y() + 6), words)
    wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
    painter.drawText(QPointF(at.x() + whole * metre + 6 + wide + 12, at.y() + 6), f"1 : {scale}")
    painter.restore()


def key_to_contours(painter: QPainter, at: QPointF, state: PlanState) -> None:
    """What the bands mean, in the hues of the families that are there."""
    families = {d.family for _, d, paths in state.laid if paths and d.family not in TOUCH_FAMILIES}
    hues = list({family_hue(LIGHT, f).name(): family_hue(LIGHT, f) for f in sorted(families)}.values())
    if not hues:
        return
    painter.save()
    painter.setFont(paper_font(9))
    painter.setPen(LIGHT.soft)
    painter.drawText(QPointF(at.x(), at.y() + 8), "noticed within")
    x = at.x() + 74
    mixed = [LIGHT.paper for _ in hues]
    shades = []
    for limit, strength in BANDS:
        mixed = [mix(below, hue, strength) for below, hue in zip(mixed, hues)]
        shades.append((limit, mixed))
    for limit, colours in reversed(shades):
        for k, colour in enumerate(colours):
            painter.fillRect(QRectF(x + k * 18 / len(hues), at.y(), 18 / len(hues), 9), colour)
        words = f"{limit:g} s" if limit < 60 else f"{limit / 60:g} min"
        painter.drawText(QPointF(x + 22, at.y() + 8), words)
        x += 58
    painter.restore()


def picture(state: PlanState, width: int) -> QImage | None:
    """A level as a picture so many pixels wide, its marks and words as large as on the desk of such a width; None for
    a bare one."""
    frame = extent(state.project, state.level)
    if frame is None:
        return None
    width = min(max(width, 100), LARGEST_PX)
    height = min(max(round(width * frame.height() / frame.width()), 50), LARGEST_PX)
    image = QImage(QSize(width, height), QImage.Format.Format_ARGB32)
    image.fill(LIGHT.paper)
    # Wide pictures are for wide screens and paper: what is small on them is not smaller than on the desk.
    ratio = max(width / 1280.0, 1.0)
    image.setDevicePixelRatio(ratio)
    painter = QPainter(image)
    paint_level(painter, replace(state, made={}), frame, width / ratio / frame.width(), QPointF(0, 0))
    painter.end()
    image.setDevicePixelRatio(1.0)
    return image
