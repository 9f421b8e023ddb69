"""Test mode: every conclusion held for a moment only, to walk the building by, and the service values kept beside."""

from __future__ import annotations

from datetime import datetime

from msgspec.structs import replace

from vastwatch.design.edits.sensors import try_set_hold
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, ServiceHold, TestMode, find

# What everything is held for while a building is walked, seconds.
TEST_HOLD_S = 5.0


def begin_test(project: Project, now: datetime, hold_s: float = TEST_HOLD_S) -> Project:
    """With every single hold shortened, and what it was kept. Raises ValueError in test mode already, or where no
    conclusion has a hold to shorten."""
    hold_s = max(hold_s, 0.0)
    if project.brief.test_mode is not None:
        raise ValueError("the hold times are already shortened")
    kept = tuple(
        ServiceHold(presence=p.id, seconds=hold)
        for p in project.presences
        if (hold := hold_of(p.expr)) is not None and hold > hold_s
    )
    if not kept:
        raise ValueError("no conclusion has a hold time to shorten")
    for service in kept:
        project = try_set_hold(project, service.presence, hold_s)
    mode = TestMode(since=now.isoformat(timespec="minutes"), hold_s=hold_s, service=kept)
    return replace(project, brief=replace(project.brief, test_mode=mode))


def end_test(project: Project) -> Project:
    """With the service values back. What was set otherwise meanwhile, or has no single hold any more, stays as it was
    set. Raises ValueError out of test mode."""
    mode = project.brief.test_mode
    if mode is None:
        raise ValueError("no hold time is shortened")
    for service in mode.service:
        if hold_of(find(project.presences, service.presence).expr) == mode.hold_s:
            project = try_set_hold(project, service.presence, service.seconds)
    return replace(project, brief=replace(project.brief, test_mode=None))
