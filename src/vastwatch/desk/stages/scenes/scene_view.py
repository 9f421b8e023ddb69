"""A scene at sliders: a lamp a row, with what it is on at and draws, and how slowly the scene is gone to."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from vastwatch.design.ladders import achievable_level, as_wired, lamps_for
from vastwatch.design.project import Project
from vastwatch.design.records import Lamp, Scene
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.shell.widgets import FigureField, Slide, clear, column_in, label, row
from vastwatch.words import duration_words

LONGEST_FADE_S = 600.0


class SceneView(QWidget):
    """`levelled` a lamp to a level while its slider moves; `faded` the scene to so many seconds; `touched` by hand."""

    levelled = pyqtSignal(str, float)
    faded = pyqtSignal(float)
    touched = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        box = column_in(self, 6)
        self.title = label("", "head")
        self.fade = FigureField(
            self.tr("Fade time"), parse_time, duration_words, 1.0, 0.0, LONGEST_FADE_S,
            self.tr("How long the change to this scene takes: 2 s, 1 min."),
        )  # fmt: skip
        self.fade.setFixedWidth(64)
        self.fade.entered.connect(self.faded)
        self._fades = label(self.tr("fade time"), "soft")
        box.addWidget(row(self.title, self._fades, self.fade, stretch=0))
        self._body = QVBoxLayout()
        self._body.setSpacing(4)
        box.addLayout(self._body)
        self.sliders: dict[str, Slide] = {}
        self._figures: dict[str, tuple[QLabel, QLabel]] = {}
        self._of: tuple[tuple[Lamp, ...], str] | None = None

    def show_scene(self, project: Project, scene: Scene | None, group: str | None = None) -> None:
        """Show a scene's levels of the lamps that a room's own ladder takes from it, or that of a group; None shows
        nothing."""
        self.setVisible(scene is not None)
        if scene is None:
            self._of = None
            return
        lamps = lamps_for(project, scene.room, group)
        self.title.setText(self.tr("Scene “{}”").format(scene.name))
        self.fade.set_value(max((x.fade_s for x in scene.levels), default=0.0))
        if self._of is None or self._of[1] != scene.id or len(lamps) != len(self._of[0]) or any(
            a is not b for a, b in zip(lamps, self._of[0])
        ):  # fmt: skip
            self._build(lamps)
            self._of = lamps, scene.id
        levels = {x.lamp: x.level for x in scene.levels}
        for lamp in lamps:
            slider = self.sliders[lamp.id]
            level = levels.get(lamp.id, 0.0)
            if not slider.isSliderDown():
                slider.blockSignals(True)
                slider.setValue(round(100 * level))
                slider.blockSignals(False)
            share, watts = self._figures[lamp.id]
            burns = achievable_level(as_wired(project, lamp), level)
            named = lamp.id in levels
            share.setText(f"{100 * burns:.0f} %" if named or lamp.zone is None else self.tr("its zone"))
            share.setToolTip("" if named else self.tr("No scene uses it yet: it follows presence, or its zone."))
            standby = min(lamp.standby_w, lamp.watts)
            watts.setText(f"{standby + burns * (lamp.watts - standby):.1f} W" if named else "")

    def _build(self, lamps: tuple[Lamp, ...]) -> None:
        clear(self._body)
        self.sliders, self._figures = {}, {}
        body = QWidget()
        grid = QGridLayout(body)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        for k, lamp in enumerate(lamps):
            slider = Slide()
            slider.setRange(0, 100)
            slider.setPageStep(10)
            slider.setAccessibleName(self.tr("{}, percent").format(lamp.name))
            slider.setMinimumHeight(24)
            slider.valueChanged.connect(lambda v, ident=lamp.id: self._moved(ident, v))
            share, watts = label(""), label("", "soft")
            for figure, wide in ((share, 52), (watts, 48)):
                figure.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                figure.setFixedWidth(wide)
            name = label(lamp.name)
            name.setFixedWidth(104)
            name.setToolTip(lamp.name)
            name.setText(name.fontMetrics().elidedText(lamp.name, Qt.TextElideMode.ElideRight, 104))
            for column, widget in enumerate((name, slider, share, watts)):
                grid.addWidget(widget, k, column)
            self.sliders[lamp.id], self._figures[lamp.id] = slider, (share, watts)
        self._body.addWidget(body)

    def _moved(self, lamp: str, value: int) -> None:
        self.touched.emit()
        self.levelled.emit(lamp, value / 100.0)
