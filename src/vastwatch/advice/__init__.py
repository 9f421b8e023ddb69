"""What to change: findings on the design, the timing tuner, remedies tried on the same days, and what to buy."""

from vastwatch.advice.choose import Option, choose
from vastwatch.advice.findings import Finding, findings
from vastwatch.advice.purchase import Purchase, purchases, starter_set
from vastwatch.advice.timing import TimingCurve, timing_curve, tuned

__all__ = [
    "Finding",
    "Option",
    "Purchase",
    "TimingCurve",
    "choose",
    "findings",
    "purchases",
    "starter_set",
    "timing_curve",
    "tuned",
]
