"""The walk test in the verdict: side-steps at the doors of the room in hand, and the way that was walked last."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QPushButton, QWidget

from vastwatch.advice.detection.walk_test import SidestepTest, Walk
from vastwatch.design.project import Project, find
from vastwatch.desk.plan.tools import TOOLS
from vastwatch.desk.results.detection import SWAYS, WALK
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import clear, column, label, row
from vastwatch.desk.verdict.light_strip import LightStrip

# Of what noticed a walker so many are told.
TOLD = 3


class WalkView(QWidget):
    """Shown where sensors are chosen, for a room that has some."""

    def __init__(self, results: Results, theme: Theme) -> None:
        super().__init__()
        self.results, self.theme = results, theme
        _, self._box = column(4)
        self.setLayout(self._box)
        results[SWAYS].changed.connect(self.refresh)
        results[WALK].changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is known."""
        clear(self._box)
        project = self.results.document.project
        doors = self.results[SWAYS].value or []
        if doors:
            self._box.addWidget(guide_label(self.tr("Side-steps at the door"), "doors", "head"))
        for sway in doors:
            how = label(_how(sway), "soft" if sway.good else "bad")
            self._box.addWidget(row(label(_from(sway), "soft"), how, stretch=0))
        button = QPushButton(self.tr("Draw a walk…"))
        button.setToolTip(self.tr("Draw a path on the plan and walk it a hundred times. (Return ends it)"))
        button.clicked.connect(self._arm)
        self._box.addWidget(button)
        walk = self.results[WALK].value
        if walk is not None:
            strip = LightStrip(self.theme)
            said = self.tr("Light along the path; {:.1f} s of it in the dark").format(walk.dark_s)
            strip.show_light(walk.lit_share, self.tr("starts"), f"{walk.seconds:.1f} s", said)
            self._box.addWidget(strip)
            self._box.addWidget(label(in_words(project, walk), "soft", True))

    def _arm(self) -> None:
        self.results.focus.set(placing="draw:walk")
        self.results.said.emit(TOOLS["walk"])


def _from(sway: SidestepTest) -> str:
    """Which door it is, by what lies beyond."""
    return "from outside" if sway.beyond == "outside" else f"from {sway.beyond.lower()}"


def _how(sway: SidestepTest) -> str:
    if not math.isfinite(sway.p90_s):
        return "never noticed"
    return f"noticed in {sway.p90_s:.1f} s"


def in_words(project: Project, walk: Walk) -> str:
    """What came of a way that was walked."""
    said = [
        f"{find(project.sensors, n.sensor).name} after {n.metres:.1f} m, {n.seconds:.1f} s"
        + (f" ({100 * n.share:.0f} %)" if n.share < 0.995 else "")
        for n in walk.noticings[:TOLD]
        if any(s.id == n.sensor for s in project.sensors)
    ]
    first = f"Noticed by {'; '.join(said)}." if said else "Nobody is noticed anywhere along it."
    dark = f" {walk.dark_s:.1f} s and {walk.dark_m:.1f} m of it in the dark." if walk.dark_s > 0.05 else ""
    return f"{walk.metres:.1f} m in {walk.seconds:.1f} s. {first}{dark}"
