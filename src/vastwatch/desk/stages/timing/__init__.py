"""The Timing stage: roles in presence, and the timing curve."""
