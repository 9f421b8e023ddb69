"""Sensors of the state of a room: damp, what plays."""
