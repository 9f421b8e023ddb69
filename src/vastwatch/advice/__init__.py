"""What to change: findings on the design, the timing tuner, and remedies tried on the same days."""

from vastwatch.advice.choose import Option, choose
from vastwatch.advice.findings import Finding, findings
from vastwatch.advice.timing import TimingCurve, timing_curve

__all__ = ["Finding", "Option", "TimingCurve", "choose", "findings", "timing_curve"]
