"""What the house makes of the reports: presence, darkness, and the lamps that follow."""
