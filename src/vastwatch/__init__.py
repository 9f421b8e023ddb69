"""Vast Watch: where a person is noticed and how soon, where they are left in the dark, and why."""

__version__ = "0.1.0"
