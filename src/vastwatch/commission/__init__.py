"""Putting a design into service: what is found on a walk with the device that is mounted."""
