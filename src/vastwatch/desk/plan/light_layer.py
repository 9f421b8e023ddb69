"""Light on the plan as the lamps give it: pools over the floor, and at the spots so many lux of what they ask for."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPainterPath

from vastwatch.control.house import HouseRun
from vastwatch.control.light.darkness import daylight_in
from vastwatch.control.light.daylight import target_lux
from vastwatch.control.light.illuminance import LitGrid, lit_grid, spot_lux, spot_target_lux
from vastwatch.design.ladders import achievable_level, as_wired, groups_in, lamps_for
from vastwatch.design.project import find
from vastwatch.design.relations import lamps_in
from vastwatch.desk.plan.painting import in_pixels, polygon_of
from vastwatch.desk.plan.places import name_frames
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import font, legible, mix
from vastwatch.site.building import Room

# Light as strong as what a room asks for is painted so strongly, by night and by day; more of it a little more.
STRONG_NIGHT, STRONG_DAY, MOST = 0.62, 0.42, 0.9


def show_lit(state: PlanState, focus: Focus, house: HouseRun | None) -> None:
    """Set what of a state belongs to light: what is on at the moment, or as the scene in hand says, and what that gives
    at the spots of the room in hand."""
    state.pools, state.spot_lux = focus.here.lights, ()
    if not focus.here.lights:
        return
    project = state.project
    scene = next((s for s in project.scenes if s.id == focus.scene), None)
    if scene is not None:
        asked = {x.lamp: x.level for x in scene.levels}
        # Lamps of the other ladders of its room are on as they do at the moment.
        group = next((g.id for g in groups_in(project, scene.room) if g.id == focus.lamps), None)
        for lamp in lamps_for(project, scene.room, group):
            state.lit.pop(lamp.id, None)
            if (level := achievable_level(as_wired(project, lamp), asked.get(lamp.id, 0.0))) > 0:
                state.lit[lamp.id] = level
    room = next((r for r in state.rooms if r.id == focus.room), None)
    if room is None:
        return
    # A scene is looked at as by night; the moment with its daylight.
    day = 0.0
    if scene is None and house is not None and any(r is room for r in house.project.rooms):
        day = float(daylight_in(project, room, house.recording.calendar).at(focus.time))
    state.spot_lux = tuple(
        (spot, day + sum(state.lit.get(lamp, 0.0) * lux for lamp, lux in row.items()), _wanted(state, spot))
        for spot, row in spot_lux(project, room.id).items()
        if find(project.spots, spot).activity not in ("away", "sleeping")
    )


def _wanted(state: PlanState, spot: str) -> float:
    record = find(state.project.spots, spot)
    return spot_target_lux(state.project, record) if record.asks_for_light else 0.0


def draw_pools(p: QPainter, state: PlanState) -> None:
    """The light of lamps that are on over the floors of the shown level."""
    for room in state.rooms:
        levels = {x.id: state.lit[x.id] for x in lamps_in(state.project, room.id) if x.id in state.lit}
        if levels:
            _pool(p, state, room, levels)


def _pool(p: QPainter, state: PlanState, room: Room, levels: dict[str, float]) -> None:
    grid = lit_grid(state.project, room.id)
    if not len(grid.x) or not len(grid.y):
        return
    strength = STRONG_DAY + (STRONG_NIGHT - STRONG_DAY) * state.night
    image = pool_image(grid, levels, target_lux(state.project, room), strength, state.theme.lamp)
    cell = float(grid.x[1] - grid.x[0]) if len(grid.x) > 1 else 0.2
    x0, y0 = float(grid.x[0]) - cell / 2, float(grid.y[0]) - cell / 2
    w, h = len(grid.x) * cell, len(grid.y) * cell
    p.save()
    clip = QPainterPath()
    clip.addPolygon(polygon_of(room))
    p.setClipPath(clip, Qt.ClipOperation.IntersectClip)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    p.drawImage(QRectF(x0, -y0 - h, w, h), image)
    p.restore()


def pool_image(grid: LitGrid, levels: dict[str, float], asked: float, strength: float, hue: QColor) -> QImage:
    """The picture of a room's light, a pixel a square, the top row the farthest north: the fuller, the nearer to what
    is asked, and on towards white beyond."""
    lux = grid.lux(levels)
    share = np.sqrt(np.clip(lux / max(asked, 1.0), 0.0, None))
    cover = np.clip(strength * share, 0.0, MOST)
    white = np.clip((share - 1.0) / 1.5, 0.0, 0.6)[..., None]
    colour = np.array([hue.blue(), hue.green(), hue.red()], float) * (1 - white) + 255.0 * white
    # Premultiplied, as the painter wants it.
    out = np.empty((*lux.shape, 4), np.uint8)
    out[..., :3] = colour * cover[..., None]
    out[..., 3] = 255.0 * cover
    out = np.ascontiguousarray(out[::-1])
    h, w = lux.shape
    return QImage(out.tobytes(), w, h, 4 * w, QImage.Format.Format_ARGB32_Premultiplied).copy()


def lux_ink(state: PlanState, short: bool) -> QColor:
    """The ink of a figure of lux at this hour: red where it falls `short` of what is asked for."""
    ink = mix(state.theme.ink, QColor("#F2E7CC"), state.night)
    wanted = mix(state.theme.dropped, QColor("#FFB0A8"), state.night) if short else ink
    return legible(wanted, state.ground)


def draw_spot_lux(p: QPainter, state: PlanState) -> None:
    """At the spots of the room in hand: so many lux of so many."""
    if not state.spot_lux:
        return
    p.setFont(font(12, 600))
    metrics = QFontMetricsF(p.font())
    with in_pixels(p) as at:
        taken = name_frames(state, at)
        for spot, lux, wanted in state.spot_lux:
            record = find(state.project.spots, spot)
            words = f"{lux:.0f} of {wanted:.0f} lx" if wanted > 0 else f"{lux:.0f} lx"
            c = at(*record.at) + QPointF(0, 19)
            box = QRectF(0, 0, metrics.horizontalAdvance(words) + 10, 16)
            box.moveCenter(c)
            if any(box.intersects(other) for other in taken):
                # Above its spot, where a name stands below it.
                box.moveCenter(at(*record.at) - QPointF(0, 19))
            taken.append(box)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(state.ground)
            p.drawRoundedRect(box, 4, 4)
            short = wanted > 0 and lux < wanted - 0.5
            p.setPen(lux_ink(state, short))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
