"""The plan: the one big shared object that every stage works on."""

from vastwatch.desk.plan.view import PlanView

__all__ = ["PlanView"]
