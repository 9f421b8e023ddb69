"""The left-hand panel of the Rehearsal stage: the days."""

from __future__ import annotations

from vastwatch.desk.stages.rehearsal.days import DaysPanel

make = DaysPanel
