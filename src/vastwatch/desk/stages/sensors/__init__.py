"""The Sensors stage: the shelf, types of one's own, types side by side."""
