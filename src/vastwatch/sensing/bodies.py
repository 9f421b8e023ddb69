"""The bodies a sensor looks for: how tall, how fast, how often they move a little.

A figure is a vertical body, sampled at a few heights (M1 of docs/models.md). Activities set how often somebody who
stays at a spot moves a hand or the head (M6).
"""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

Subject = Literal["across", "towards", "seated", "lying", "pet"]
SUBJECTS: tuple[Subject, ...] = ("across", "towards", "seated", "lying", "pet")

# How many heights a body is sampled at.
SAMPLES = 10

# Walking speed of the figures on a coverage map, m/s.
WALKING_SPEED = 1.1
PET_SPEED = 0.6


class Body(NamedTuple):
    """From `low` to `high` metres above the floor; `size` scales the range of any sensor on it (1 for an adult).
    `visible_share`: the share of its warm surface that nothing lies over."""

    low: float
    high: float
    size: float = 1.0
    visible_share: float = 1.0

    @property
    def heights(self) -> NDArray[np.float64]:
        """The sampled heights, the middles of SAMPLES equal parts."""
        return self.low + (np.arange(SAMPLES) + 0.5) / SAMPLES * (self.high - self.low)

    @property
    def middle(self) -> float:
        """Height of the body's middle."""
        return 0.5 * (self.low + self.high)


STANDING = Body(0.1, 1.7)
SEATED = Body(0.4, 1.3)
LYING = Body(0.45, 0.75)
# Of a sleeper the bedding leaves the head and an arm: to infrared, not to radar or to a strip.
ABED = LYING._replace(visible_share=0.3)
# A cat shows about a sixth of an adult's warm surface; range goes with the square root of it.
PET = Body(0.05, 0.4, size=0.4)

# A body of which nobody said otherwise, and a pet, kilograms.
ADULT_KG, PET_KG = 70.0, 4.0

BODIES = {"standing": STANDING, "seated": SEATED, "lying": LYING, "pet": PET}


def body_of(posture: str, activity: str) -> Body:
    """The body of somebody who stays so and does that: who sleeps is covered."""
    return ABED if posture == "lying" and activity == "sleeping" else BODIES[posture]


class Walker(NamedTuple):
    """Somebody who walks, m/s: at an angle `psi_deg` to the sight line, or else on a heading on the plan, at each
    point. `kg`: how heavy, where that counts; `pace`: their speed at each point as a share of that, (n,)."""

    body: Body
    speed: float
    psi_deg: float | None = None
    heading_deg: ArrayLike | None = None
    kg: float = ADULT_KG
    pace: ArrayLike = 1.0

    def take(self, at: NDArray[np.intp]) -> Walker:
        """At some of the points alone."""
        heading = None if self.heading_deg is None else np.asarray(self.heading_deg, float)[at]
        pace = self.pace if np.ndim(self.pace) == 0 else np.asarray(self.pace, float)[at]
        return self._replace(heading_deg=heading, pace=pace)


class Stayer(NamedTuple):
    """Somebody who stays, facing so on the plan, at each point; without a facing, all sides count alike."""

    body: Body
    facing_deg: ArrayLike | None = None
    kg: float = ADULT_KG

    def take(self, at: NDArray[np.intp]) -> Stayer:
        """At some of the points alone."""
        if self.facing_deg is None or np.ndim(self.facing_deg) == 0:
            return self
        return self._replace(facing_deg=np.asarray(self.facing_deg, float)[at])


class PersonAt(NamedTuple):
    """Somebody at one place on the plan: staying with an activity, facing so or any way; or walking by, the way they
    face, or across the sight line where they face any way."""

    at: tuple[float, float]
    body: Body
    activity: str
    facing: float | None = None
    walking_by: bool = False


class MinorMotion(NamedTuple):
    """Gaps between small movements: log-normal, with this median in seconds and this sigma."""

    median_s: float
    sigma: float

    @property
    def rate(self) -> float:
        """Movements per second on average: the mean of a log-normal is median * exp(sigma^2 / 2)."""
        return 1.0 / (self.median_s * math.exp(0.5 * self.sigma**2))


# Median gap and spread by activity (M6).
MINOR_MOTION = {
    "passing": MinorMotion(8.0, 1.0),
    "hands-on": MinorMotion(4.0, 1.0),
    "washing": MinorMotion(5.0, 1.0),
    "desk": MinorMotion(25.0, 1.1),
    "reading": MinorMotion(75.0, 1.2),
    "film": MinorMotion(120.0, 1.2),
    "sleeping": MinorMotion(900.0, 1.3),
    "away": MinorMotion(900.0, 1.0),
}

# Half of the movements are large: an arm or the trunk by 0.25 m. The others are a hand or the head by 0.10 m.
LARGE_SHARE = 0.5
LARGE_M = 0.25
SMALL_M = 0.10
# Anybody who sits or lies down settles, and rises again, with about so many large movements within so many seconds.
SETTLING, SETTLING_S = 3, 6.0
# A large movement takes about this long, seconds.
LARGE_S = 1.0

# What the still figures of a coverage map are doing.
FIGURE_ACTIVITY = {"seated": "desk", "lying": "sleeping"}
