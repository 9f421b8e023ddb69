"""The marks that move: sensors, people, and the sight lines of an open incident, painted in pixels over the plan."""

from __future__ import annotations

import math

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from vastwatch.design.places import room_of
from vastwatch.design.project import find
from vastwatch.design.records import Sensor
from vastwatch.desk.plan.distance import Group, groups, mark_share
from vastwatch.desk.plan.painting import HANDLE_REACH, SENSOR_RADIUS, in_pixels, ring, scale_of
from vastwatch.desk.plan.state import PlanState, made_once, special
from vastwatch.desk.shell import glyphs
from vastwatch.desk.shell.family_style import family_hue, family_mark
from vastwatch.desk.shell.theme import MARKED, alpha, font, legible, mix
from vastwatch.devices.device_facts import turnable


def draw_sensors(p: QPainter, state: PlanState) -> None:
    """The sensors, in pixels; the selected one last, so that it lies on top. Rooms without place for them say how many
    devices they have."""
    scale = scale_of(p)
    share, together = mark_share(scale), groups_shown(state, scale)
    hidden = frozenset().union(*(g.members for g in together.values())) - special(state)
    with in_pixels(p) as at:
        for group in together.values():
            _group(p, state, group, at(*group.at))
        for sensor in sorted(state.sensors, key=lambda s: s.id == state.selected):
            if sensor.id not in hidden:
                _sensor(p, state, sensor, at(sensor.at[0], sensor.at[1]), SENSOR_RADIUS * share)


def groups_shown(state: PlanState, scale_px: float) -> dict[str, Group]:
    """The rooms of the shown level that stand for their devices, at so many pixels a metre."""
    members = devices_by_room(state)
    sources = (members, state.project.rooms, state.level, scale_px)
    return made_once(state, "groups", sources, lambda: groups(state.rooms, members, scale_px))


def devices_by_room(state: PlanState) -> dict[str, frozenset[str]]:
    """The sensors, outputs and buttons of each room of the shown level. The same dictionary for as long as nothing
    comes to a room or leaves it, so that dragging a sensor about its room paints nothing else anew."""
    project = state.project
    sources = (project.sensors, project.outputs, project.buttons, project.rooms, state.level)
    last = state.made.get("devices by room", ((), {}))[1]
    found = made_once(state, "devices by room", sources, lambda: _by_room(state))
    if found is not last and found == last:
        state.made["devices by room"] = (sources, last)
        return last
    return found


def _by_room(state: PlanState) -> dict[str, frozenset[str]]:
    project, found = state.project, dict[str, set[str]]()
    # Of a sensor that has not changed it is known.
    homes: dict[Sensor, str | None] = made_once(state, "homes", (project.rooms, state.level), dict)
    for sensor in state.sensors:
        if sensor not in homes:
            room = room_of(project, sensor)
            homes[sensor] = None if room is None else room.id
        if (home := homes[sensor]) is not None:
            found.setdefault(home, set()).add(sensor.id)
    for thing in (*project.outputs, *project.buttons):
        found.setdefault(thing.room, set()).add(thing.id)
    return {room: frozenset(ids) for room, ids in found.items()}


def _group(p: QPainter, state: PlanState, group: Group, c: QPointF) -> None:
    """So many devices: a figure in a lozenge, filled while one of them reports."""
    words = str(len(group.members))
    p.setFont(font(11, 600))
    half = QSizeF(max(p.fontMetrics().horizontalAdvance(words) / 2 + 6.0, 9.0), 8.5)
    box = QRectF(c.x() - half.width(), c.y() - half.height(), 2 * half.width(), 2 * half.height())
    reports = not group.members.isdisjoint(state.reporting)
    p.setPen(QPen(state.line, 1.2))
    p.setBrush(state.line if reports else state.ground)
    p.drawRoundedRect(box, 3, 3)
    p.setPen(legible(state.ground, state.line) if reports else state.line)
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _sensor(p: QPainter, state: PlanState, sensor: Sensor, c: QPointF, radius: float) -> None:
    device = find(state.project.devices, sensor.device)
    family = device.family
    hue = family_hue(state.theme, family)
    turns = turnable(device)
    a = math.radians(sensor.yaw)
    if sensor.id in state.marked and sensor.id != state.selected:
        ring(p, c, radius + 5, mix(state.theme.ink, QColor("#FFFFFF"), state.night))
    if sensor.id == state.selected:
        ring(p, c, radius + 5, mix(state.theme.ink, QColor("#FFFFFF"), state.night))
        if turns:
            tip = c + QPointF(math.cos(a), -math.sin(a)) * HANDLE_REACH
            p.setPen(QPen(hue, 1.4))
            p.drawLine(c + QPointF(math.cos(a), -math.sin(a)) * (radius + 5), tip)
            p.setBrush(state.theme.card)
            p.drawEllipse(tip, 5, 5)
    if sensor.id in state.reporting:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(alpha(hue, 0.3))
        p.drawEllipse(c, radius + 6, radius + 6)
    p.save()
    p.translate(c)
    if turns:
        p.rotate(90 - sensor.yaw)
    reporting = sensor.id in state.reporting
    # At night only light glows: the discs take the colour of the ground.
    disc = mix(state.theme.card, state.theme.night, 0.85 * state.night)
    line = legible(mix(hue, QColor("#DDE4F7"), 0.55 * state.night), disc, MARKED)
    fill, mark = (hue, state.theme.card) if reporting else (disc, line)
    family_mark(p, family, QPointF(0, 0), radius, mark, fill)
    p.restore()


# -- people and causes -----------------------------------------------------------------------------------------------


def draw_people(p: QPainter, state: PlanState) -> None:
    """Everybody on this level at this moment."""
    with in_pixels(p) as at:
        _targets(p, state, at)
        for _, label, where, left_dark in state.people:
            c = at(*where)
            if label == "cat":
                glyphs.cat_mark(p, c, 7, mix(QColor("#8B8579"), QColor("#C9CFE4"), state.night), state.ground)
                continue
            fill = state.theme.dropped if left_dark else mix(state.theme.person, QColor("#3B4468"), state.night)
            glyphs.person_mark(p, c, 9.5, label, fill, QColor("#FFFFFF"), font(11, 600))


def _targets(p: QPainter, state: PlanState, at) -> None:  # type: ignore[no-untyped-def]
    """Where tracking radars take somebody to be: small crosses in their hue, which wander about people."""
    if not state.targets:
        return
    p.setPen(QPen(mix(family_hue(state.theme, "radar"), QColor("#DDE4F7"), 0.5 * state.night), 2.0))
    for _, where in state.targets:
        c = at(*where)
        p.drawLine(c + QPointF(-5, 0), c + QPointF(5, 0))
        p.drawLine(c + QPointF(0, -5), c + QPointF(0, 5))


def draw_scene(p: QPainter, state: PlanState) -> None:
    """The open incident: whom it happened to, and the sight line that failed or saw too much."""
    scene = state.scene
    if scene is None or scene.where is None:
        return
    with in_pixels(p) as at:
        c = at(*scene.where.at)
        red = mix(state.theme.dropped, QColor("#FF9A90"), state.night)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(red, 1.8))
        p.drawEllipse(c, 14, 14)
        for k, sight in enumerate(scene.sights[:2]):
            # The design may be ahead of the rehearsal that is shown, and the sensor gone.
            sensor = next((x for x in state.sensors if x.id == sight.sensor), None)
            if sensor is None:
                continue
            s = at(sensor.at[0], sensor.at[1])
            p.setPen(QPen(red if k == 0 else alpha(red, 0.5), 1.6, Qt.PenStyle.DashLine))
            line = QLineF(c, s)
            if line.length() > 30:
                line.setLength(line.length() - 13)
                start = QLineF(s, c)
                start.setLength(start.length() - 15)
                p.drawLine(QLineF(start.p2(), line.p2()))
