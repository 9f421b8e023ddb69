"""On/off facts and numbers in time, their algebra, and the calendar they run on. No domain words."""

from vastwatch.signals.calendar import DAY, Calendar
from vastwatch.signals.signal import Signal, all_of, any_of, at_least
from vastwatch.signals.time_series import TimeSeries, first_active, pointwise_max

__all__ = ["DAY", "Calendar", "Signal", "TimeSeries", "all_of", "any_of", "at_least", "first_active", "pointwise_max"]
