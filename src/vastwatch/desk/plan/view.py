"""The plan view: panning, zooming, selecting, dragging, turning, placing, and the card that explains a point.

It owns no project data. Edits go to the document as new values; what to look at goes to the focus.
"""

from __future__ import annotations

from datetime import date
from functools import partial
from typing import Any

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
)  # fmt: skip
from PyQt6.QtWidgets import QGraphicsScene

from vastwatch.design.placed import at_hour
from vastwatch.design.places import room_at, room_of
from vastwatch.design.project import Project, find, find_any
from vastwatch.desk.plan import over_coverage_layer, walk_layer
from vastwatch.desk.plan.builder import Builder
from vastwatch.desk.plan.card import Card
from vastwatch.desk.plan.coverage_layer import lay_out_contours
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.gestures import STILL_PX, Band, Gesture, MoveMark, Pan
from vastwatch.desk.plan.layers import layers_of
from vastwatch.desk.plan.light_layer import show_lit
from vastwatch.desk.plan.moving import MoveMarked
from vastwatch.desk.plan.nudging import nudge
from vastwatch.desk.plan.overview import Overview
from vastwatch.desk.plan.painting import cosmetic, polygon
from vastwatch.desk.plan.picking import Picking
from vastwatch.desk.plan.placing import Placing
from vastwatch.desk.plan.playhead_state import show_moment
from vastwatch.desk.plan.readings import explain_rows, group_rows
from vastwatch.desk.plan.sensor_editing import Hanging, MoveSensor
from vastwatch.desk.plan.sheet import Sheet
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.plan.tools import Tools
from vastwatch.desk.plan.zones_drawn import show_zones
from vastwatch.desk.plan.zoning import ZoneHands
from vastwatch.desk.results.detection import SPILL, SWAYS, WALK, walk_in_and_out, walk_way
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.cycling import home_of
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme, alpha, mix
from vastwatch.sensing.hazards import on_date
from vastwatch.signals import DAY

# What a drag from a panel carries: a token of what to place, as UTF-8.
CARRIED = "application/x-vastwatch-thing"
# Pixels within which a click selects a mark, and of a rotate handle.
# An arrow with nothing to nudge moves the view, pixels.
KEY_PAN_PX = 40
NUDGE_M, BIG_NUDGE_M = 0.05, 0.25
TURN_DEG, BIG_TURN_DEG = 5.0, 15.0
# With more walls and furniture than this, moving plans are painted without smooth edges, for so long after the last
# movement, milliseconds.
LARGE_PLAN, REST_MS = 250, 160


class PlanView(Sheet):
    """See the module's text. `say` carries one-line messages for the status line."""

    say = pyqtSignal(str)
    # A room was drawn; two points of the underlay were chosen whose distance is to be asked for.
    drawn = pyqtSignal()
    # The ground has another colour.
    shaded = pyqtSignal()
    scale_asked = pyqtSignal(object, object)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        self.setObjectName("plan")
        self.setAccessibleName("Plan of the building")
        self.state = PlanState(document.project, theme, focus.level)
        scene = QGraphicsScene(self)
        self.setScene(scene)
        self._layers = layers_of(self.state, self._draw_tools)
        for layer in self._layers.values():
            scene.addItem(layer)
        self.card = Card(self, theme)
        self.bench = EditContext(
            document, focus, self.state, self, self.card, say=self.say.emit, repaint=self._repaint,
            drawn=self.drawn.emit, scale_asked=self.scale_asked.emit, walked=partial(walk_way, results),
            walk_in_and_out=partial(walk_in_and_out, results),
        )  # fmt: skip
        self.builder = Builder(self.bench)
        self.hanging = Hanging(self.bench)
        self.placing = Placing(self.bench)
        self.zones = ZoneHands(self.bench)
        self.tools = Tools(self.bench, self.zones)
        self.picking = Picking(self.bench, self.builder)
        self.overview = Overview(self, self.state)
        self._gesture: Gesture | None = None
        # Where the left button was pressed last, what was selected then, and whether with Shift; the last click.
        self._press: tuple[QPointF, str | None, bool] | None = None
        self._last_click: QPointF | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._rested)
        document.changed.connect(self._project_changed)
        focus.shift.connect(self._shifted)
        results.week.changed.connect(self._results_updated)
        for derived in (results[SWAYS], results[WALK], results[SPILL]):
            derived.changed.connect(self._repaint)
        self._painted: tuple[object, ...] = ()
        self._set_areas()
        self.refresh()

    def _draw_tools(self, p: QPainter, state: PlanState) -> None:
        self.tools.draw(p, state)
        ink = mix(state.theme.ink, state.theme.paper, state.night)
        p.setPen(cosmetic(ink, 1.3, Qt.PenStyle.DashLine))
        p.setBrush(alpha(ink, 0.08))
        for outline in self.bench.foreseen or ():
            p.drawPolygon(polygon(outline))

    def _foresee(self, pixel: QPointF) -> None:
        """Show where what is in the hand would go."""
        token = self.focus.placing
        if token is None or token.startswith("draw:"):
            foreseen = None
        else:
            foreseen = (self.placing if ":" in token else self.hanging).foresee(token, *self.plan_at(pixel))
        self.bench.show_foreseen(foreseen)

    # -- what is shown -----------------------------------------------------------------------------------------

    def _set_areas(self) -> None:
        points = [p for r in self.document.project.rooms for p in r.outline]
        for u in (level.underlay for level in self.document.project.levels):
            if u is not None:
                points += [u.at, (u.at[0] + u.width_px * u.metres_per_px, u.at[1] + u.height_px * u.metres_per_px)]
        points = points or [(0.0, 0.0), (10.0, 8.0)]
        xs, ys = [p[0] for p in points], [-p[1] for p in points]
        box = QRectF(min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys))
        self.extent = box
        # Some room around, so that a dragged wall does not make every picture anew.
        if self._layers["ground"].area.contains(box):
            return
        area = box.adjusted(-3, -3, 3, 3)
        for layer in self._layers.values():
            layer.spread(area)
        wide = area.adjusted(-200, -200, 200, 200)
        self.setSceneRect(wide)

    def _project_changed(self, old: Project, new: Project) -> None:
        self.state.project = new
        drawn = ("walls", "openings", "furnishings", "rooms", "spots", "lamps", "outputs", "buttons", "levels",
                 "hazards", "sockets", "switches", "circuits", "place", "brief", "photometries", "scenes")  # fmt: skip
        same_site = all(getattr(old, name) is getattr(new, name) for name in drawn)
        if old.rooms is not new.rooms or old.levels is not new.levels:
            self._set_areas()
        self.refresh(site=not same_site)

    def _shifted(self, what: str) -> None:
        if what == "placing":
            self.tools.put_away()
            self.bench.foreseen = None
            if not (self.focus.placing or "").startswith("draw:tape"):
                self.bench.measured = None
        self.refresh(
            site=what in ("level", "room", "time", "incident", "stage", "selected", "marked", "ghost", "scene")
        )

    def _results_updated(self) -> None:
        self.refresh(site=self.focus.here.follows_time)

    def _repaint(self) -> None:
        self.refresh(site=False)

    def refresh(self, site: bool = True) -> None:
        """Bring the state up to date and repaint."""
        state, focus = self.state, self.focus
        state.theme = self.theme
        state.level, state.figure = focus.level, focus.figure
        state.selected, state.room = focus.selected, focus.room
        state.contours = focus.here.covers
        state.second = focus.time % DAY
        show_moment(state, focus, self.results.house, self.results.rehearsal)
        show_lit(state, focus, self.results.house)
        lay_out_contours(state)
        walk_layer.show_walked(state, focus, self.results)
        show_zones(state, focus)
        over_coverage_layer.show_beyond(state, focus, self.results)
        if site:
            self._look_up()
            for layer in self._layers.values():
                layer.look_again()
        chrome = self.theme.panel if state.night < 0.02 else state.ground
        if chrome != self.backgroundBrush().color():
            self.setBackgroundBrush(chrome)
            self.shaded.emit()
        shown = self._shown()
        if site or shown != self._painted:
            # A new hold time changes nothing of the plan: then nothing of it is painted.
            self._painted = shown
            self.viewport().update()  # type: ignore[union-attr]

    def _shown(self) -> tuple[object, ...]:
        """What the layers paint that keep no picture, as far as it can change without the building."""
        state = self.state
        laid = tuple((s, paths) for s, _, paths in state.laid)
        return (
            state.project.sensors, state.project.devices, state.selected, state.room, state.marked, laid,
            state.reporting, tuple(state.people), state.scene, state.night, state.theme, state.level,
            self.bench.foreseen, state.dragging, state.sways, state.walk, state.spills, state.project.zones,
            state.zones, state.targets, state.pools, state.spot_lux,
        )  # fmt: skip

    def _look_up(self) -> None:
        """What the fixtures layer shows of the project."""
        state, focus = self.state, self.focus
        state.shapes, state.marked, state.ghost = focus.here.shapes, focus.marked, focus.ghost
        project = state.project
        lamp = next((x.id for x in project.lamps if x.id == focus.selected), None)
        state.traced = frozenset(
            {c.id for c in project.circuits if lamp is not None and lamp in c.lamps}
            | {s.circuit for s in project.switches if s.id == focus.selected}
        )
        day = date.fromisoformat(project.brief.rehearse_from)
        mine = (on_date(project, h, day) for h in project.hazards if h.level == focus.level)
        state.hazards = [h for h in mine if h is not None]

    def hurry(self) -> None:
        """Paint without smooth edges until the hand has rested a moment, on plans that are large."""
        project = self.document.project
        if len(project.walls) + len(project.furnishings) > LARGE_PLAN:
            self.state.hurried = True
            self._rest.start()

    def _rested(self) -> None:
        self.state.hurried = False
        for layer in self._layers.values():
            layer.update()

    # -- mouse -------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.button() == Qt.MouseButton.MiddleButton:
            self._gesture = Pan(self.bench, event.position(), None, clicks=False)
        elif event.button() == Qt.MouseButton.LeftButton and self.tools.name:
            self.tools.press(event.position(), event.modifiers())
        elif event.button() == Qt.MouseButton.LeftButton and self.focus.placing is not None:
            self.place(self.focus.placing, *self.plan_at(event.position()))
        elif event.button() == Qt.MouseButton.LeftButton:
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._press = event.position(), self.focus.selected, shift
            self._gesture = self._begun(event.position(), shift)

    def _begun(self, pixel: QPointF, shift: bool) -> Gesture | None:
        """What a press begins: handles come first, then marks, then what is built, then the ground."""
        turning = self.hanging.take_hold(pixel) or self.builder.take_handle(pixel)
        if turning is not None:
            return turning
        group = None if shift else self.picking.group(pixel)
        if group is not None:
            self.focus.set(room=group.room, selected=group.room)
            self.bring_into_view(find(self.document.project.rooms, group.room).outline)
            return None
        ident = self.picking.mark(pixel)
        building = self.focus.here.shapes != "nothing"
        if building and shift:
            return self._mark_or_band(pixel, ident)
        if building and ident is not None and ident in self.focus.marked:
            return MoveMarked(self.bench, pixel)
        if ident is not None:
            # A seat lies in the middle of its zone: it is the zone that is dragged by it.
            sensor = any(s.id == ident for s in self.state.sensors)
            zone = None if sensor else self.zones.take_hold(pixel, ident)
            return zone or self._mark_held(pixel, ident)
        held = self.builder.take_hold(pixel) if building else self.zones.take_hold(pixel)
        if held is not None:
            return held
        room = room_at(self.document.project, self.focus.level, *self.plan_at(pixel))
        return Pan(self.bench, pixel, None if room is None else room.id)

    def _mark_held(self, pixel: QPointF, ident: str) -> Gesture:
        """Select a sensor, lamp, other output or spot, and begin to drag it."""
        found = find_any(self.document.project, ident)
        assert found is not None
        collection, record = found
        home = room_of(self.document.project, record) if collection == "sensors" else None
        self.focus.set(selected=ident, room=record.room if home is None else home.id)
        if collection == "sensors":
            return MoveSensor(self.hanging, pixel, record)
        return MoveMark(self.bench, pixel, collection, record)

    def _mark_or_band(self, pixel: QPointF, ident: str | None) -> Gesture | None:
        """With Shift: add what is there to the selection or take it out; from bare ground a frame is drawn."""
        if ident is None:
            found = self.builder.under(pixel)
            ident = found[1].id if found is not None and found[0] not in ("corner", "room") else None
        if ident is None:
            return Band(self.bench, pixel, self.builder.within)
        marked = set(self.focus.marked) | ({self.focus.selected} if self._markable(self.focus.selected) else set())
        marked ^= {ident}
        chosen = ident if ident in marked else next(iter(marked), self.focus.room)
        self.focus.set(selected=chosen, marked=frozenset(x for x in marked if x is not None))
        self.say.emit(f"{len(marked)} selected." if marked else "Nothing selected.")
        return None

    def _markable(self, ident: str | None) -> bool:
        found = find_any(self.document.project, ident or "")
        return found is not None and found[0] not in ("rooms", "levels", "people", "devices", "presences", "circuits")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._gesture is not None:
            self._gesture.move(event.position(), event.modifiers())
        elif self.tools.name:
            self.tools.move(event.position(), event.modifiers())
        else:
            self._hover(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        gesture, self._gesture = self._gesture, None
        if gesture is not None:
            gesture.finish()
            self._put_down()
            if event is not None:
                self._clicked_again(event.position())
        elif self.tools.name and event is not None:
            self.tools.release(event.position(), event.modifiers())

    def _clicked_again(self, pixel: QPointF) -> None:
        """A click where the last one was selects what lies under what that has selected."""
        if self._press is None:
            return
        (start, was, shift), last, self._press = self._press, self._last_click, None
        still = (pixel - start).manhattanLength() < STILL_PX and not shift
        self._last_click = start if still else None
        if still and last is not None and (start - last).manhattanLength() < STILL_PX:
            ident = self.picking.next_after(pixel, was)
            if ident is not None:
                home = home_of(self.document.project, ident)
                self.focus.set(selected=ident, room=self.focus.room if home is None else home.id)

    def _put_down(self) -> None:
        """After a gesture nothing is in the hand."""
        self.state.dragging, self.state.coarseness = False, 1
        self.bench.show_foreseen(None)
        self.card.hide()
        self.refresh(site=False)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.card.hide()
        self.bench.show_foreseen(None)
        super().leaveEvent(event)

    # -- cards -------------------------------------------------------------------------------------------------

    def _hover(self, pixel: QPointF) -> None:
        """Over a plan with a selected sensor: how somebody at the pointer is noticed, and why."""
        self._foresee(pixel)
        sensor = self.hanging.selected()
        x, y = self.plan_at(pixel)
        over = self.hanging.on_handle(pixel) or self.builder.on_handle(pixel) is not None
        group = self.picking.group(pixel)
        if group is not None:
            self.viewport().setCursor(Qt.CursorShape.PointingHandCursor)  # type: ignore[union-attr]
            self.card.show_at(pixel, group_rows(self.document.project, group))
            return
        over = over or bool(self.picking.marks(pixel))
        if not over and self.focus.here.shapes != "nothing":
            over = self.builder.under(pixel) is not None
        cursor = (
            Qt.CursorShape.CrossCursor
            if self.focus.placing
            else (Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
        )
        self.viewport().setCursor(cursor)  # type: ignore[union-attr]
        if sensor is None or over or not self.focus.here.covers:
            self.card.hide()
            return
        room = room_at(self.document.project, self.focus.level, x, y)
        if room is None:
            self.card.hide()
            return
        self.card.show_at(pixel, self.explain_point(sensor, x, y))

    def explain_point(self, sensor: Any, x: float, y: float) -> list[tuple[str, str]]:
        """Two-column rows that say how the figure at a point is noticed by a sensor."""
        now = at_hour(sensor, self.state.second)
        return explain_rows(self.document.project, now, self.focus.figure, x, y)

    # -- placing -----------------------------------------------------------------------------------------------

    def place(self, token: str, x: float, y: float) -> bool:
        """Place what was chosen, a device from the device list or a part of the building, at a plan point; False where
        it cannot go."""
        if token.startswith("draw:"):
            return self.tools.drop(token, x, y)
        return (self.placing if ":" in token else self.hanging).place(token, x, y)

    def turn(self, degrees: float) -> None:
        """Turn what is selected, positive to the left."""
        if not self.hanging.turn(degrees):
            self.builder.turn(degrees)

    def delete(self) -> None:
        """Delete what is selected and say what went with it."""
        if not self.hanging.delete():
            self.builder.delete()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and event.mimeData() is not None and event.mimeData().hasFormat(CARRIED):  # type: ignore[union-attr]
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            self._foresee(event.position())
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self.card.hide()
        self.bench.show_foreseen(None)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None or event.mimeData() is None:
            return
        token = bytes(event.mimeData().data(CARRIED).data()).decode()  # type: ignore[union-attr]
        if self.place(token, *self.plan_at(event.position())):
            event.acceptProposedAction()

    # -- keyboard ----------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        arrows = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        key = event.key()
        if self.tools.name and self.tools.key(key):
            return
        if key in arrows:
            dx, dy = arrows[key]  # type: ignore[index]
            step = BIG_NUDGE_M if shift else NUDGE_M
            whole = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            if not self.nudge(dx * step, dy * step, whole):
                self.pan(-dx * KEY_PAN_PX, dy * KEY_PAN_PX)
        elif key == Qt.Key.Key_R:
            self.turn(-(BIG_TURN_DEG if shift else TURN_DEG))
        elif key == Qt.Key.Key_L:
            self.turn(BIG_TURN_DEG if shift else TURN_DEG)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.delete()
        elif key == Qt.Key.Key_Escape and self._gesture is not None:
            gesture, self._gesture = self._gesture, None
            gesture.cancel()
            self._put_down()
        elif key == Qt.Key.Key_Escape:
            self.focus.set(placing=None, selected=self.focus.room, marked=frozenset(), incident=-1)
            self.bench.measured = None
            self.refresh(site=False)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom(0.8)
        elif key == Qt.Key.Key_F:
            self.fit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.focus.placing:
            x, y = self.plan_at(QPointF(self.viewport().rect().center()))  # type: ignore[union-attr]
            room = next((r for r in self.state.rooms if r.id == self.focus.room), None)
            if room is not None and ":" not in self.focus.placing:
                self.hanging.place_in(self.focus.placing, room)
                return
            if room is not None:
                from vastwatch.geometry import polygons

                x, y = polygons.centroid(room.outline)
            if self.tools.name:
                self.tools.by_key(x, y)
            else:
                self.place(self.focus.placing, x, y)
        else:
            super().keyPressEvent(event)

    def put_down(self) -> None:
        """Put what is in the hand where Return puts it, no matter who has the keys."""
        self.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier))

    def nudge(self, dx: float, dy: float, whole: bool = False) -> bool:
        """Move the selected mark a little; False when nothing movable is selected. A room moves only when the `whole`
        of it is meant: else the arrows scroll."""
        return nudge(self.bench, self.builder, dx, dy, whole)
