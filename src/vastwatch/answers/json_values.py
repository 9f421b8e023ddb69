"""What all answers share: figures as JSON takes them, needs, and the refusal."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vastwatch.advice.detection.messages import Messages
    from vastwatch.advice.judging.requirements import RequirementCheck


class RequestError(Exception):
    """The request cannot be met; the message is one sentence."""


def number(value: float | None, digits: int = 4) -> float | None:
    """A figure as JSON takes it: rounded, and None where it is not finite."""
    return None if value is None or not math.isfinite(value) else round(float(value), digits)


def needs_json(needs: Iterable[RequirementCheck]) -> dict[str, Any]:
    """Needs by their names: `{NEED: {"met", "value", "limit", "low", "high"}}`."""
    return {
        m.need: {
            "met": m.passed, "value": number(m.value), "limit": number(m.limit), "low": number(m.low),
            "high": number(m.high),
        }
        for m in needs
    }  # fmt: skip


def messages_json(sent: Messages) -> dict[str, Any]:
    """What a device sends: `{"reports_per_day", "most_in_an_hour", "battery_years"}`, the last None without cells."""
    return {
        "reports_per_day": number(sent.per_day, 1),
        "most_in_an_hour": number(sent.most_in_an_hour, 1),
        "battery_years": number(sent.battery_years, 2),
    }
