"""What a choice needs besides sensors, and what devices are fixed to."""
