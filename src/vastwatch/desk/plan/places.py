"""The rooms' names, the spots where people stop, and the lamps."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache, partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QGraphicsView

from vastwatch.design.project import find
from vastwatch.desk.plan.distance import clearness, mark_share, name_px, short_name
from vastwatch.desk.plan.marks import devices_by_room, groups_shown
from vastwatch.desk.plan.painting import LAMP_RADIUS, in_pixels, scale_of
from vastwatch.desk.plan.shapes import Cover, name_place
from vastwatch.desk.plan.state import PlanState, made_once, special
from vastwatch.desk.shell import glyphs
from vastwatch.desk.shell.theme import alpha, font, legible, mix
from vastwatch.geometry import polygons
from vastwatch.geometry.polygons import bounds
from vastwatch.memo import memoised
from vastwatch.site.building import Room, Wall

# A name keeps so far from what is left and right of it, and is so high, pixels.
BESIDE_PX, NAME_PX = 7, 17
# Spots and lamps reach so far about their place, metres; hazards beyond so many square metres are floor to write on.
AROUND_M, SMALL_M2 = 0.2, 1.5
# A rug is floor to write on too.
FLAT_M = 0.1


def rooms_with_light(state: PlanState) -> frozenset[str]:
    """The rooms in which a lamp is on."""
    return frozenset(x.room for x in state.project.lamps if state.lit.get(x.id, 0.0) > 0)


def draw_places(p: QPainter, state: PlanState) -> None:
    """The rooms' names, and spots."""
    _names(p, state)
    if not state.hurried:
        # On a large plan in motion spots wait until the hand rests, as lamps do.
        _places(p, state)


def reads_places(state: PlanState) -> tuple[object, ...]:
    """What the layer of names and spots shows."""
    apart = special(state)
    spots = [s for s in state.project.spots if s.id not in apart]
    return (
        state.project.rooms,
        spots,
        [f for f in state.project.furnishings if f.id not in apart],
        state.project.lamps,
        state.level,
        state.contours,
        rooms_with_light(state),
        state.room,
        state.night,
        state.theme,
    )


@memoised
def _width(words: str, selected: bool, size: int = 13) -> int:
    return QFontMetrics(font(size, 600 if selected else 500)).horizontalAdvance(words)


def name_frame(room: Room, state: PlanState, view: QGraphicsView) -> QRectF:
    """Where a room's name was last painted, in pixels of a view: by what the room is dragged."""
    left, level, wide = state.names.get(room.id) or name_place(room.outline)
    k = view.transform().m11()
    at = view.mapFromScene(QPointF(left, -level))
    width = min(_width(room.name, True, name_px(k)), max(wide * k - 2 * BESIDE_PX, 0))
    return QRectF(at.x() + BESIDE_PX - 2, at.y() - 9, width + 4, 17)


def name_frames(state: PlanState, at: Callable[[float, float], QPointF]) -> list[QRectF]:
    """Where the names of the shown rooms were last painted, in pixels."""
    out = []
    for room in state.rooms:
        if (place := state.names.get(room.id)) is not None:
            c = at(place.left, place.level)
            out.append(QRectF(c.x() + BESIDE_PX - 2, c.y() - 9, _width(room.name, room.id == state.room) + 4, 17))
    return out


def name_colours(state: PlanState) -> tuple[QColor, QColor]:
    """A name's ink, and the ground that is laid behind it where contours or light are, so that it can be read on all of
    them."""
    ink = mix(state.theme.ink, QColor("#E3E7F5"), state.night)
    return legible(ink, state.ground), state.ground


def _place_names(state: PlanState, k: float) -> None:
    """Find a place for every room's name at so many pixels a metre, clear of what stands there where it can be."""
    covers = made_once(
        state,
        "covers",
        (state.project.furnishings, state.project.walls, state.project.spots, state.project.lamps, state.rooms),
        lambda: _covers(state),
    )
    state.names = {}
    for room in state.rooms:
        # In steps of a tenth, so that zooming seldom looks for another place.
        wide = _width(room.name, True, name_px(k)) + 2.0 * BESIDE_PX
        step = 1.1 ** math.ceil(math.log(wide / k, 1.1)) / wide
        walls, others = covers.get(room.id, ((), ()))
        state.names[room.id] = name_place(room.outline, walls, others, wide * step, NAME_PX * step)


def _covers(state: PlanState) -> dict[str, tuple[tuple[Cover, ...], tuple[Cover, ...]]]:
    """What a name should not stand on, by room, as upright frames: walls; then pieces, small hazards, spots, lamps."""
    project, level = state.project, state.level
    walls = [f for w in project.walls if w.level == level and (f := _upright(w)) is not None]
    others = [_frame(f) for f in project.furnishings if f.level == level and f.z1 > FLAT_M]
    others += [bounds(h.outline) for h in state.hazards if polygons.area(h.outline) < SMALL_M2]
    others += [bounds([x.at], AROUND_M) for things in (project.spots, project.lamps) for x in things]
    rooms = state.rooms
    boxes = np.array([_frame(r) for r in rooms]).reshape(-1, 1, 4)

    def by_room(frames: list[Cover]) -> list[tuple[Cover, ...]]:
        f = np.array(frames).reshape(-1, 4)
        meet = np.all((f[:, :2] < boxes[..., 2:]) & (f[:, 2:] > boxes[..., :2]), axis=-1)
        return [tuple(frames[i] for i in np.flatnonzero(meet[k])) for k in range(len(rooms))]

    return {r.id: (w, o) for r, w, o in zip(rooms, by_room(walls), by_room(others))}


@lru_cache(maxsize=8192)
def _frame(record: Any) -> Cover:
    return bounds(record.outline)


@lru_cache(maxsize=8192)
def _upright(wall: Wall) -> Cover | None:
    """The frame of a wall that runs along an axis; None for a slanted one, whose frame is mostly floor."""
    slanted = min(abs(wall.a[0] - wall.b[0]), abs(wall.a[1] - wall.b[1])) > wall.thickness
    return None if slanted else bounds([wall.a, wall.b], wall.thickness / 2)


def _names(p: QPainter, state: PlanState) -> None:
    ink, behind = name_colours(state)
    written: bool | None = None
    lit, size = rooms_with_light(state), name_px(scale_of(p))
    _place_names(state, abs(p.transform().m11()))
    with in_pixels(p) as at:
        # The focused room's last, so that pen and font change once.
        for room in sorted(state.rooms, key=lambda r: r.id == state.room):
            left, level, wide = state.names[room.id]
            selected = room.id == state.room
            if selected is not written:
                written = selected
                p.setFont(font(size, 600 if selected else 500))
            at_left = at(left, level)
            width = at(left + wide, level).x() - at_left.x() - 2 * BESIDE_PX
            words = short_name(room.name, width, partial(_width, selected=selected, size=size))
            if not words:
                continue
            if state.contours or room.id in lit:
                wide = _width(words, selected, size)
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(behind)
                p.drawRoundedRect(QRectF(at_left.x() + BESIDE_PX - 3, at_left.y() - 8, wide + 6, 16), 4, 4)
            p.setPen(ink)
            p.drawText(at_left + QPointF(BESIDE_PX, 4), words)


def _places(p: QPainter, state: PlanState) -> None:
    """Spots, in pixels."""
    project, clear = state.project, clearness(scale_of(p))
    if clear <= 0:
        return
    p.setOpacity(clear)
    with in_pixels(p) as at:
        apart = special(state)
        rings, wedges = QPainterPath(), QPainterPath()
        for spot in project.spots:
            if spot.id not in apart and find(project.rooms, spot.room).level == state.level:
                add_spot(rings, wedges, at(*spot.at), spot.facing)
        draw_spots(p, state, rings, wedges, state.ink, 1.1)
    p.setOpacity(1.0)


def draw_lamps(p: QPainter, state: PlanState) -> None:
    """Lamps, each as far as it is on."""
    if state.hurried:
        return
    project, theme, scale = state.project, state.theme, scale_of(p)
    radius, together = LAMP_RADIUS * mark_share(scale), groups_shown(state, scale)
    if clearness(scale) <= 0:
        return
    with in_pixels(p) as at:
        dark = QPainterPath()
        ink = mix(theme.lamp, QColor("#C9AE72"), state.night)
        colour = theme.lamp if state.night < 0.5 else QColor("#FFC74D")
        for lamp in project.lamps:
            if find(project.rooms, lamp.room).level != state.level or lamp.room in together:
                continue
            level = state.lit.get(lamp.id, 0.0)
            if level <= 0:
                dark.addEllipse(at(*lamp.at), radius, radius)
            else:
                glyphs.lamp_mark(p, at(*lamp.at), radius, colour, level, ink)
        glyphs.lamp_marks_off(p, dark, radius, colour, ink)


def reads_lamps(state: PlanState) -> tuple[object, ...]:
    """What the layer of lamps shows."""
    project = state.project
    return (
        project.rooms, project.lamps, devices_by_room(state), state.level, state.night, state.theme, dict(state.lit),
    )  # fmt: skip


def draw_spots(
    p: QPainter, state: PlanState, rings: QPainterPath, wedges: QPainterPath, colour: QColor, width: float
) -> None:
    p.setPen(QPen(colour, width))
    p.setBrush(alpha(state.ground, 0.8))
    p.drawPath(rings)
    p.fillPath(wedges, colour)


def add_spot(rings: QPainterPath, wedges: QPainterPath, c: QPointF, facing: float) -> None:
    """A ring, and beyond it a small wedge that shows which way somebody here faces."""
    rings.addEllipse(c, 4.2, 4.2)
    a = math.radians(facing)
    u, v = QPointF(math.cos(a), -math.sin(a)), QPointF(math.sin(a), math.cos(a))
    wedges.addPolygon(QPolygonF([c + u * 10, c + u * 6.2 - v * 3.4, c + u * 6.2 + v * 3.4]))
