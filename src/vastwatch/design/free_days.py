"""Days that are free besides weekends, and days on which nobody lives there, as the brief says: dates as ISO texts."""

from __future__ import annotations

from datetime import date, timedelta

from vastwatch.design.project import Brief, Holiday, Project, Vacation
from vastwatch.memo import memoised


def free_days(brief: Brief) -> tuple[str, ...]:
    """The dates of its holidays, ascending, each once."""
    return _free(brief.holidays)


@memoised
def _free(holidays: tuple[Holiday, ...]) -> tuple[str, ...]:
    return tuple(sorted({h.on for h in holidays}))


def days_away(brief: Brief) -> tuple[str, ...]:
    """The dates of its vacations, ascending, each once."""
    return _away(brief.vacations)


@memoised
def _away(vacations: tuple[Vacation, ...]) -> tuple[str, ...]:
    out = set()
    for v in vacations:
        begin, end = date.fromisoformat(v.begin), date.fromisoformat(v.end)
        out |= {(begin + timedelta(days=k)).isoformat() for k in range((end - begin).days + 1)}
    return tuple(sorted(out))


def with_holidays(project: Project, more: tuple[Holiday, ...]) -> Project:
    """A project with further holidays, in order of date; of one date the newer name counts."""
    from msgspec.structs import replace

    by_date = {h.on: h for h in (*project.brief.holidays, *more)}
    holidays = tuple(by_date[on] for on in sorted(by_date))
    return replace(project, brief=replace(project.brief, holidays=holidays))
