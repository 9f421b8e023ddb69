"""The Brief stage: what is wanted of each room, who lives there, how it is wired, and what may be spent."""

from vastwatch.desk.stages.brief.panel import BriefPanel

__all__ = ["BriefPanel"]
