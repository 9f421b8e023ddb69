"""Edits: functions from a project to a new project. What an edit does not touch is shared with the old one."""
