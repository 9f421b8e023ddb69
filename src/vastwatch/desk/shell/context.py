"""`Context`: what a part of the window is given to work with, in place of the window itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vastwatch.desk.plan.view import PlanView
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.playhead import Playhead
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.stages.sensors.own_types import OwnTypes


@dataclass(frozen=True)
class Context:
    """`own` are the user's device types; `say` tells one line below the plan."""

    document: Document
    focus: Focus
    results: Results
    theme: Theme
    own: OwnTypes
    plan: PlanView
    playhead: Playhead
    say: Callable[[str], None]
