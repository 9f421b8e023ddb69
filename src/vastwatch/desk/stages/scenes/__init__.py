"""The Scenes stage: what the house does with its light, row by row, and what else it switches."""

from __future__ import annotations

from typing import Literal

from vastwatch.desk.stages.stage import Stage, Standing


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    if not standing.project.rules:
        return "unlit"
    return "half" if any(rule.startswith("scene") for rule in standing.rules) else "lit"


STAGE = Stage(
    "Scenes", _lamp, "Space plays   drag a row to move it   Alt+↑ ↓ moves it   Return edits it",
    width=348, narrow=318, follows_time=True, lights=True, results=frozenset({"ladder"}),
)  # fmt: skip
