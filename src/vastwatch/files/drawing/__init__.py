"""Drawings in and out: what a DXF holds, what is understood of it, how that comes into a project, and how a project is
written as one."""
