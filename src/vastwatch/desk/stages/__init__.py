"""The stages, in the order of the work. A new one is a folder here, whose `STAGE` is one line of this list."""

from vastwatch.desk.stages import brief, plan, rehearsal, scenes, sensors, timing, zones
from vastwatch.desk.stages.stage import Stage

STAGES: tuple[Stage, ...] = (
    brief.STAGE, plan.STAGE, sensors.STAGE, zones.STAGE, timing.STAGE, scenes.STAGE, rehearsal.STAGE,
)  # fmt: skip
STAGE_NAMES = tuple(stage.name for stage in STAGES)
_BY_NAME = {stage.name: stage for stage in STAGES}


def stage_named(name: str) -> Stage:
    """A stage by its name. Raises KeyError for one there is not."""
    return _BY_NAME[name]
