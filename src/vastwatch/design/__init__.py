"""The design: sensors placed, presences, lamps, the whole Project value, and the edits that make new ones."""

from vastwatch.design.project import Project

__all__ = ["Project"]
