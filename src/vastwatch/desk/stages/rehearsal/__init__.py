"""The Rehearsal stage: the days at the left."""
