"""What a sensor can notice, where, and how soon."""

from vastwatch.sensing.coverage import CoverageMap, coverage
from vastwatch.sensing.figures import SUBJECTS, Subject

__all__ = ["SUBJECTS", "CoverageMap", "Subject", "coverage"]
