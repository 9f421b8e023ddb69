"""The project file: reading, checking, saving, the crash journal, and the shipped demo."""

from vastwatch.files.check import ProjectError
from vastwatch.files.project_file import load_demo, load_project, save_project

__all__ = ["ProjectError", "load_demo", "load_project", "save_project"]
