"""`Stage`: all that the window, the plan and the inspector need to know of a stage."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from vastwatch.design.project import Project
from vastwatch.rehearsal.run import Rehearsal

# How wide the panel at the left is unless its stage wants more, pixels.
LEFT_WIDTH = 222


class Standing(NamedTuple):
    """What the lamp of a stage is judged by; `rules` are those of the open findings that are wrong or a risk."""

    project: Project
    rehearsal: Rehearsal | None
    rules: frozenset[str]


@dataclass(frozen=True)
class Stage:
    """One step of the work.

    Its panel at the left comes from `panel.py` of its folder, when it is first wanted; `width` and `narrow` say how
    wide that is in a usual and in a narrow window. `lamp` says how far the stage is: unlit, half or lit. `hint` is the
    line of keys below the plan; `hints` others, by the collection of what is selected.
    """

    name: str
    lamp: Callable[[Standing], Literal["unlit", "half", "lit"]]
    hint: str
    hints: Mapping[str, str] = field(default_factory=dict)
    width: int = LEFT_WIDTH
    narrow: int | None = None
    # What of the building the mouse selects: nothing, sockets and switches alone, or all of it.
    shapes: Literal["nothing", "fixtures", "building"] = "nothing"
    # Whether the plan shows where somebody is noticed, and offers for which figure.
    covers: bool = False
    # Whether the plan shows the moment of the playhead: who is where, which lamps are on.
    follows_time: bool = False
    # The panel shows the roles of the room's sensors, so that the inspector need not.
    has_roles: bool = False
    # Whether the room's own sensor is chosen here, beside its findings.
    chooses: bool = False
    # Whether the plan shows the zones of a tracking radar, and the mouse selects them.
    zones: bool = False
    # Whether the plan shows how much light there is, and at the spots against what they ask for.
    lights: bool = False
    # Results that are computed only while this stage is shown, by name.
    results: frozenset[str] = frozenset()
