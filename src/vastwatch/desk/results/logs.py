"""What a recording that is looked at says: which hold it asks for, and which habits it shows."""

from __future__ import annotations

from vastwatch.advice.logs.habits import LogHabits, habits_of_log
from vastwatch.advice.logs.replay import LogCurve, log_curve
from vastwatch.control.house import HouseRun
from vastwatch.design.presence import hold_of
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.registry import Kind, Results


def _of_log(results: Results, _: object) -> tuple[HouseRun] | None:
    house = results.recorded
    return None if house is None else (house,)


def _of_curve(results: Results, _: object) -> tuple[HouseRun, Conclusion] | None:
    house = results.recorded
    presence = None if house is None else presence_of(house.project, results.focus.room or "")
    tunable = presence is not None and hold_of(presence.expr) is not None
    return (house, presence) if house is not None and presence is not None and tunable else None


LOG_CURVE: Kind[LogCurve] = Kind(
    "hold time curve of the log", _of_curve, lambda task, house, presence: log_curve(house, presence), forgetful=True
)  # fmt: skip
LOG_HABITS: Kind[LogHabits] = Kind(
    "usage in the log", _of_log, lambda task, house: habits_of_log(house), forgetful=True
)  # fmt: skip
