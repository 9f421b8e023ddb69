"""A stretch of days, simulated with the people against the design: what the house did, and how good that was."""

from vastwatch.rehearsal.run import Rehearsal, rehearse, replay
from vastwatch.rehearsal.scoring.scores import Scores

__all__ = ["Rehearsal", "Scores", "rehearse", "replay"]
