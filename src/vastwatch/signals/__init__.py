"""On/off facts in time and their algebra. No domain words."""

from vastwatch.signals.signal import Signal, all_of, any_of, at_least

__all__ = ["Signal", "all_of", "any_of", "at_least"]
