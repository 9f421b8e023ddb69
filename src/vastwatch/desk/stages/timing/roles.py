"""How a room's presence is put together: which sensors start it, which keep it, and for how long it holds."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from vastwatch.design.edits.sensors import readable_sensors, set_hold, set_roles
from vastwatch.design.presence import Roles, hold_of, parse_role_key, role_key, roles_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.shell.widgets import FigureField, clear, column_in, label, row
from vastwatch.sensing.zoned_sensor import programmed_zones
from vastwatch.words import duration_words

HOLD_STEP_S = 15.0
# What a sensor does for presence, and no longer does.
ROLES = {"starts": "turns presence on", "keeps": "keeps presence on"}
NO_LONGER = {"starts": "no longer turns presence on", "keeps": "no longer keeps presence on"}


class RolesEditor(QWidget):
    """The presence of the focused room. `say` carries what cannot be done."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        self._box = column_in(self, 6)
        self._shape: object = None
        self.hold: FigureField | None = None
        # Bound methods, not lambdas: Qt releases them when this editor is taken down.
        document.changed.connect(self.refresh)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "room":
            self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the presence; the widgets are made anew only when its sensors change."""
        project, room = self.document.project, self.focus.room
        presence = presence_of(project, room) if room else None
        roles = roles_of(presence.expr) if presence else None
        shape = (room, presence.id if presence else None, roles._replace(hold_s=0.0) if roles else None,
                 tuple((s.id, s.name, s.device) for s in project.sensors),
                 tuple((z.id, z.name, z.role) for z in project.zones))  # fmt: skip
        if shape != self._shape:
            self._shape = shape
            self._rebuild()
        if self.hold is not None and presence is not None and (hold := hold_of(presence.expr)) is not None:
            self.hold.set_value(hold)

    def _rebuild(self) -> None:
        clear(self._box)
        self.hold = None
        project, room_id = self.document.project, self.focus.room
        if room_id is None:
            return
        presence = presence_of(project, room_id)
        if presence is None:
            self._box.addWidget(
                label(self.tr("No presence yet. Place a sensor in this room to create it."), "soft", True)
            )
            return
        roles = roles_of(presence.expr)
        if roles is not None:
            self._table(roles, room_id, presence.id)
        if hold_of(presence.expr) is not None:
            self.hold = FigureField(
                self.tr("Hold time"), parse_time, duration_words, HOLD_STEP_S, 0.0, 7200.0,
                self.tr("How long presence lasts after the last report. Type 90 s or 2 min, or step with Up and Down."),
            )  # fmt: skip
            self.hold.entered.connect(self._set_hold)
            self.hold.wrong.connect(self.say)
            self.hold.setFixedWidth(96)
            self._box.addWidget(row(label(self.tr("Hold time")), self.hold, stretch=0))

    def _table(self, roles: Roles, room_id: str, presence: str) -> None:
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(0, 1)
        for column, words in ((1, self.tr("turns on")), (2, self.tr("keeps on"))):
            grid.addWidget(label(words, "soft"), 0, column, Qt.AlignmentFlag.AlignHCenter)
        for k, (ident, words) in enumerate(self._tellers(roles, room_id), 1):
            grid.addWidget(label(words, "" if parse_role_key(ident)[1] is None else "soft"), k, 0)
            for column, now, which in (
                (1, ident in roles.starts, "starts"), (2, ident in roles.keeps, "keeps"),
            ):  # fmt: skip
                box = QCheckBox()
                box.setChecked(now)
                box.setAccessibleName(f"{words.strip()} {ROLES[which]}")
                box.setToolTip(
                    self.tr("May turn presence on.")
                    if which == "starts"
                    else self.tr("Keeps presence on while it reports.")
                )
                box.clicked.connect(lambda on, s=ident, w=which, p=presence: self._set_role(p, s, w, on))
                grid.addWidget(box, k, column, Qt.AlignmentFlag.AlignHCenter)
        holder = QWidget()
        holder.setLayout(grid)
        self._box.addWidget(holder)

    def _tellers(self, roles: Roles, room_id: str) -> list[tuple[str, str]]:
        """What could tell of the room, by the names of roles and in words: sensors, and under each its zones."""
        project = self.document.project
        reading = {parse_role_key(t)[0] for t in roles.keeps}
        mine = [s for s in project.sensors if s.id in reading]
        mine += [s for s in readable_sensors(project, room_id) if s not in mine]
        out = []
        for sensor in mine:
            out.append((sensor.id, sensor.name))
            out += [
                (role_key(sensor.id, z.id), f"   {z.name}")
                for z in programmed_zones(project, sensor)
                if z.role != "ignore"
            ]
        return out

    def _set_role(self, presence: str, sensor: str, which: str, on: bool) -> None:
        project = self.document.project
        old = find(project.presences, presence)
        roles = roles_of(old.expr)
        if roles is None:
            return
        starts, keeps = list(roles.starts), list(roles.keeps)
        if which == "starts":
            starts = [*starts, sensor] if on else [s for s in starts if s != sensor]
            keeps = list(dict.fromkeys([*keeps, sensor]))
        else:
            keeps = [*keeps, sensor] if on else [s for s in keeps if s != sensor]
            starts = starts if on else [s for s in starts if s != sensor]
        if not starts:
            self.say.emit(self.tr("At least one sensor must turn presence on: let another do so first."))
            self._shape = None
            self.refresh()
            return
        of, zone = parse_role_key(sensor)
        name = find(project.sensors, of).name if zone is None else find(project.zones, zone).name
        new = set_roles(project, presence, Roles(tuple(starts), tuple(keeps), roles.hold_s))
        self.document.apply(new, f"{name} {ROLES[which] if on else NO_LONGER[which]}")

    def _set_hold(self, seconds: float) -> None:
        presence = presence_of(self.document.project, self.focus.room or "")
        if presence is not None:
            new = set_hold(self.document.project, presence.id, seconds)
            self.document.apply(
                new, f"Set the hold time of {presence.name.lower()} to {duration_words(seconds)}", f"hold-{presence.id}"
            )
