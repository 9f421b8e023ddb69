"""The slim strip on top: the project's name and the stages, each with its small lamp."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolButton, QWidget

from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell import glyphs
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import MARGIN, Theme, font
from vastwatch.desk.shell.widgets import Clickable, label, row_in
from vastwatch.desk.stages import STAGES
from vastwatch.desk.stages.stage import Standing
from vastwatch.words import duration_words

HEIGHT = 46
WHY = {
    "unlit": "nothing here yet",
    "half": "has problems",
    "lit": "holds",
}


class StageTab(Clickable):
    """One stage: its lamp and its name."""

    def __init__(self, stage: str, number: int, theme: Theme) -> None:
        super().__init__(f"{stage} stage")
        self.stage, self.theme, self.number = stage, theme, number
        self.state, self.current = "unlit", False
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        from PyQt6.QtGui import QFontMetrics

        return QSize(QFontMetrics(font(14, 600)).horizontalAdvance(self.stage) + 44, 30)

    def set_state(self, state: str, current: bool) -> None:
        """Lamp and whether this is where one is; painted anew only where that is another."""
        if self.toolTip() and (state, current) == (self.state, self.current):
            return
        self.state, self.current = state, current
        self.setToolTip(f"{self.stage}: {WHY[state]}. (Ctrl+{self.number})")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self.theme
        if self.current or self.underMouse() or self.hasFocus():
            p.setPen(QPen(t.ink if self.hasFocus() else t.hairline, 1))
            p.setBrush(t.card if self.current else Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 14, 14)
        glyphs.stage_lamp(p, QPointF(17, self.height() / 2), 5.2, self.state, t.lamp, t.soft)
        p.setPen(t.ink)
        p.setFont(font(14, 600 if self.current else 500))
        p.drawText(QRectF(29, 0, self.width() - 29, self.height()), Qt.AlignmentFlag.AlignVCenter, self.stage)


class Strip(QWidget):
    """Name, stages, and at the right the menus."""

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        self.setFixedHeight(HEIGHT)
        self.setAutoFillBackground(True)
        palette = self.palette()
        palette.setColor(self.backgroundRole(), theme.chrome)
        self.setPalette(palette)
        box = row_in(self, 2, (MARGIN, 0, MARGIN - 4, 0))
        self._name = label()
        self._name.setFont(font(16, 600))
        self._edited = label("", "soft")
        box.addWidget(self._name)
        box.addSpacing(6)
        box.addWidget(self._edited)
        # A reminder that cannot be overlooked for as long as holds are shortened.
        self.testing = QToolButton()
        self.testing.setFont(font(13, 600))
        self.testing.setStyleSheet(
            f"QToolButton {{ background: {theme.ink.name()}; color: {theme.card.name()}; border-radius: 9px; "
            "padding: 2px 9px; }"
        )
        self.testing.clicked.connect(partial(focus.set, stage="Timing"))
        box.addWidget(self.testing)
        box.addSpacing(20)
        self.tabs: dict[str, StageTab] = {}
        for k, stage in enumerate(STAGES, 1):
            tab = StageTab(stage.name, k, theme)
            tab.chosen.connect(partial(focus.set, stage=stage.name))
            box.addWidget(tab)
            self.tabs[stage.name] = tab
        box.addStretch(1)
        self.menu = QToolButton()
        self.menu.setText(self.tr("Project"))
        self.help = QToolButton()
        self.help.setText(self.tr("Help"))
        for b in (self.menu, self.help):
            b.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            b.setFont(font(13, 500))
            box.addWidget(b)
        self._of: tuple[object, ...] = ()
        document.state_changed.connect(self.refresh)
        document.changed.connect(self.refresh)
        focus.shift.connect(self._shifted)
        for derived in (results.week, results[FINDINGS]):
            derived.changed.connect(self.refresh)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "stage":
            self.refresh()

    def refresh(self, *_: object) -> None:
        """Name, whether it is edited, and the stage lamps; nothing where none of it is another."""
        of = (
            self.document.project, self.document.modified, self.results.rehearsal, self.results[FINDINGS].value,
            self.focus.stage,
        )  # fmt: skip
        if len(of) == len(self._of) and all(a is b for a, b in zip(of, self._of)):
            return
        self._of = of
        self._name.setText(self.document.project.name)
        self._edited.setText(self.tr("modified") if self.document.modified else "")
        mode = self.document.project.brief.test_mode
        self.testing.setVisible(mode is not None)
        if mode is not None:
            self.testing.setText(self.tr("test mode, {}").format(duration_words(mode.hold_s)))
            words = self.tr("Hold times are shortened since {}. Click to go to the page that restores them.")
            self.testing.setToolTip(words.format(mode.since.replace("T", " ")))
        rules = {f.rule for f in self.results[FINDINGS].value or () if f.severity in ("wrong", "risk")}
        standing = Standing(self.document.project, self.results.rehearsal, frozenset(rules))
        for stage in STAGES:
            self.tabs[stage.name].set_state(stage.lamp(standing), stage is self.focus.here)
