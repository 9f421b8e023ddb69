"""Calibration from a walk (M13): where a tracking radar is mounted, which way it looks and how much too long it reads,
by robust least squares of what it read at known places; with standard deviations, and what the walk cannot tell.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.sensing.tracker import Pose, Scatter, positions_of, readings

Array = NDArray[np.float64]

# Readings farther off than so many spreads count less and less (soft L1 loss).
ROBUST = 2.5
# A unit is taken for another where that fits so many times better.
UNIT_BETTER = 3.0
# A log in this unit reads so many times too far or too near at the most, for the pose is about where it is drawn.
UNIT_OFF = 2.2
UNITS_M = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}
# The aim is drawn no farther off than this, degrees.
TURNED_DEG = 60.0
# From a walk with a larger error than this nothing is concluded, metres: it is of another room.
FARTHEST_OFF_M = 1.0
# So well it fits with nothing amiss, a reading: two squares of spreads, halved.
FITS = 1.2
# Known places nearer to each other than this are one, metres.
ONE_PLACE_M = 0.3
# Known places whose spread across their line is less than this lie all in one line, metres.
IN_LINE_M = 0.35
# A parameter with a larger standard deviation than these the walk does not tell: metres, degrees.
TELLS_M, TELLS_DEG = 0.3, 8.0


class ReferenceReadings(NamedTuple):
    """Readings at known places, row by row: what was read (n, 2) in the log's unit, where that is on the plan (n, 2),
    and how high the chest was, (n,)."""

    read: Array
    at: Array
    chest: Array


class Calibration(NamedTuple):
    """What was found. `sd`: standard deviations of x, y, yaw, bias in metres and degrees; `residual_m`: root mean
    square of what is left; `n` readings; `mirrored`: x grows to the other side than it should; `swapped`: x and y
    change places; `unit`: of the log; `undetermined`: what the walk cannot tell, in words."""

    pose: Pose
    sd: tuple[float, float, float, float]
    residual_m: float
    n: int
    mirrored: bool
    swapped: bool
    unit: str
    undetermined: tuple[str, ...]


class CalibrationError(Exception):
    """Nothing can be concluded: one sentence."""


def _least_squares() -> Any:
    # Loaded where something is fitted: it takes half a second, which the window's start can spare.
    from scipy.optimize import least_squares

    return least_squares


def calibrate(known: ReferenceReadings, drawn: Pose, scatter: Scatter, unit: str = "") -> Calibration:
    """The pose that explains the readings best, beginning from the one that is drawn; unit and order of the axes are
    found where they are not told. Raises CalibrationError."""
    if len(known.read) < 4:
        raise CalibrationError("fewer than four readings have a mark: sit or stand at known positions and mark them")
    places = _distinct(known.at)
    if len(places) < 2:
        raise CalibrationError(
            "all marked readings are from one position, which gives neither the sensor's location nor its aim; "
            "mark a second and a third position"
        )
    # Spreads come once for every place: readings of somebody who sits err alike for seconds.
    expected = float(np.median(np.hypot(*readings(drawn, known.at, known.chest).T)))

    def amiss(fit: _Fit) -> float:
        """What does not fit; and an aim far from the drawn one, for axes that are turned about look like that."""
        turned = abs((fit.pose.yaw - drawn.yaw + 180.0) % 360.0 - 180.0)
        return fit.cost + (10.0 * len(known.read) if turned > TURNED_DEG else 0.0)

    found: list[tuple[_Fit, bool, bool, str]] = []
    # As it should be first: where that fits, nothing else needs to be tried.
    for swapped, mirrored in ((False, False), (True, False), (False, True), (True, True)):
        if any(amiss(f[0]) < FITS * len(known.read) for f in found):
            break
        for name in [unit] if unit else UNITS_M:
            read = _turned(known.read * UNITS_M[name], swapped, mirrored)
            # A unit that makes all of it several times too far or too near is not the log's.
            ratio = np.median(np.hypot(*read.T)) / max(expected, 0.1)
            if not unit and not 1.0 / UNIT_OFF < ratio < UNIT_OFF:
                continue
            found.append((_fit(known._replace(read=read), drawn, scatter), mirrored, swapped, name))
    if not found:
        raise CalibrationError("the readings are farther away than any sensor sees: check their unit")

    plain = min((f for f in found if not f[1] and not f[2]), key=lambda f: amiss(f[0]), default=found[0])
    best = min(found, key=lambda f: amiss(f[0]))
    # What is not clearly better otherwise is as it should be.
    if amiss(plain[0]) < UNIT_BETTER * max(amiss(best[0]), len(known.read) * 0.05):
        best = plain
    fit, mirrored, swapped, name = best
    if fit.residual > FARTHEST_OFF_M:
        raise CalibrationError(
            f"the readings fit no location of this sensor (they are {fit.residual:.1f} m off): the walk may be "
            "from another room, or the marks from other positions"
        )
    untold = _untold(places, fit)
    return Calibration(fit.pose, fit.sd, fit.residual, len(known.read), mirrored, swapped, name, untold)


class _Fit(NamedTuple):
    pose: Pose
    sd: tuple[float, float, float, float]
    residual: float
    cost: float


def _turned(read: Array, swapped: bool, mirrored: bool) -> Array:
    out = read[:, ::-1] if swapped else read
    return out * (-1.0, 1.0) if mirrored else out


def _fit(known: ReferenceReadings, drawn: Pose, scatter: Scatter) -> _Fit:
    """Robust least squares over x, y, yaw and bias."""
    away = np.hypot(*(known.read).T)
    spread_r = math.hypot(scatter.range_m, scatter.wander_m)
    spread_a = np.hypot(scatter.angle * np.maximum(away, 0.3), scatter.wander_m)

    def pose(p: Array) -> Pose:
        return Pose(float(p[0]), float(p[1]), drawn.height, float(p[2]), float(p[3]))

    angle = np.arctan2(known.read[:, 0], known.read[:, 1])

    def off(p: Array) -> Array:
        # In range and in angle, as a device measures them: as x and y the scatter of the angle would shorten both.
        expected = readings(pose(p), known.at, known.chest)
        turned = angle - np.arctan2(expected[:, 0], expected[:, 1])
        turned = (turned + math.pi) % (2.0 * math.pi) - math.pi
        return np.concatenate([(away - np.hypot(*expected.T)) / spread_r, turned * away / spread_a])

    best = None
    for turn in (0.0, 90.0, 180.0, -90.0):
        begin = np.array([drawn.x, drawn.y, drawn.yaw + turn, drawn.bias])
        bounds = ([-np.inf, -np.inf, -np.inf, -1.0], [np.inf, np.inf, np.inf, 1.5])
        begin[3] = min(max(begin[3], -0.9), 1.4)
        result = _least_squares()(
            off, begin, bounds=bounds, loss="soft_l1", f_scale=ROBUST, x_scale=(1.0, 1.0, 30.0, 0.3), max_nfev=60
        )
        if best is None or result.cost < best.cost - 1e-9:
            best = result
        if turn == 0.0 and result.cost < FITS * len(known.read):
            break
    assert best is not None
    found = pose(best.x)
    left = known.read - readings(found, known.at, known.chest)
    return _Fit(
        found._replace(yaw=(found.yaw + 180.0) % 360.0 - 180.0), _sd(best.jac, off(best.x), known.at),
        float(np.sqrt(np.median((left**2).sum(axis=1)) / 1.386 * 2.0)), float(best.cost),
    )  # fmt: skip


def _sd(jacobian: Array, off: Array, at: Array) -> tuple[float, float, float, float]:
    """Standard deviations, with the readings of each place taken as far as they err alike: by places (sandwich)."""
    _, group = np.unique(np.round(at, 2), axis=0, return_inverse=True)
    group = np.tile(group.ravel(), 2)
    bread = np.linalg.pinv(jacobian.T @ jacobian, rcond=1e-10)
    weight = np.clip(off, -3.0, 3.0)
    scores = np.zeros((int(group.max()) + 1, jacobian.shape[1]))
    np.add.at(scores, group, jacobian * weight[:, None])
    few = len(scores) / max(len(scores) - 1, 1)
    sandwich = bread @ (scores.T @ scores) @ bread * few
    plain = bread * max(float((weight**2).mean()), 1e-6)
    # With a handful of places the first is a guess of few: never less than if all readings erred alone.
    both = np.maximum(np.diag(sandwich), np.diag(plain))
    singular = np.linalg.svd(jacobian / np.maximum(np.linalg.norm(jacobian, axis=0), 1e-12), compute_uv=False)
    if singular[-1] < 1e-4 * singular[0]:
        both = np.full(4, math.inf)
    sd = np.sqrt(both)
    return float(sd[0]), float(sd[1]), float(sd[2]), float(sd[3])


def _distinct(at: Array) -> Array:
    out: list[Array] = []
    for p in at:
        if all(math.dist(p, q) > ONE_PLACE_M for q in out):
            out.append(p)
    return np.array(out)


def _untold(places: Array, fit: _Fit) -> tuple[str, ...]:
    out = []
    spread = np.linalg.svd(places - places.mean(axis=0), compute_uv=False) / math.sqrt(len(places))
    if len(places) == 2:
        out.append("two positions leave no check: mark a third, off their line")
    elif spread[-1] < IN_LINE_M:
        out.append(
            "all positions are in one line, so offset and distance can hardly be told apart; mark one off that line"
        )
    x, y, yaw, bias = fit.sd
    if max(x, y) > TELLS_M:
        out.append(f"its location is known to {max(x, y):.2f} m only")
    if yaw > TELLS_DEG:
        out.append(f"its aim is known to {yaw:.0f} degrees only")
    if bias > TELLS_M:
        out.append(f"its distance offset is known to {bias:.2f} m only")
    return tuple(out)


class RangeScale(NamedTuple):
    """Of a radar that tells distance alone: how much too long it reads, times what, and their standard deviations."""

    bias_m: float
    scale: float
    bias_sd_m: float
    scale_sd: float
    residual_m: float


def fit_scale(tape_m: Array, reading_m: Array) -> RangeScale:
    """Bias and scale of pairs of tape (the slant range) and reading: reading = scale * tape + bias, robustly. With two
    pairs, or all of one distance, the scale is 1. Raises CalibrationError with fewer than two."""
    tape, read = np.asarray(tape_m, float), np.asarray(reading_m, float)
    good = np.isfinite(tape) & np.isfinite(read)
    tape, read = tape[good], read[good]
    if len(tape) < 2:
        raise CalibrationError("at least two pairs of tape and sensor distance are needed")
    free = len(tape) > 2 and float(np.ptp(tape)) > 0.5
    design = np.column_stack([np.ones(len(tape)), tape]) if free else np.ones((len(tape), 1))
    target = read if free else read - tape

    def off(p: Array) -> Array:
        return np.asarray((design @ p - target) / 0.1, float)

    found = _least_squares()(off, np.linalg.lstsq(design, target, rcond=None)[0], loss="cauchy", f_scale=1.0)
    left = design @ found.x - target
    spread = math.sqrt(float((left**2).sum()) / max(len(tape) - design.shape[1], 1))
    sd = np.sqrt(np.diag(np.linalg.inv(design.T @ design))) * spread
    return RangeScale(
        float(found.x[0]), float(found.x[1]) if free else 1.0, float(sd[0]), float(sd[1]) if free else 0.0,
        float(np.sqrt((left**2).mean())),
    )  # fmt: skip


def zone_from_walk(pose: Pose, read: Array, chest: float, margin_m: float = 0.25) -> tuple[tuple[float, float], ...]:
    """An outline on the plan from what was read of somebody who sat in a zone, or walked its corners: the smallest
    rectangle along the device's axes that holds nearly all of it, and a margin. Raises CalibrationError."""
    read = read[np.isfinite(read).all(axis=1)]
    if len(read) < 3:
        raise CalibrationError("at least three readings are needed for a zone")
    low, high = np.percentile(read, 3.0, axis=0) - margin_m, np.percentile(read, 97.0, axis=0) + margin_m
    corners = np.array([(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1])])
    return tuple((round(float(x), 2), round(float(y), 2)) for x, y in positions_of(pose, corners, chest))
