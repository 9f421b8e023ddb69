"""What a sensor can notice, where, and how soon."""

from vastwatch.sensing.bodies import SUBJECTS, Subject
from vastwatch.sensing.coverage import CoverageMap, coverage

__all__ = ["SUBJECTS", "CoverageMap", "Subject", "coverage"]
