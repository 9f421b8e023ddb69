"""How a lamp spreads its light, as a table of intensities: what must hold of one, and what it gives in a direction."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.records import Photometry

Array = NDArray[np.float64]

# Of what the lamp's lumens say so much at least, and at most, lies in the table: more or less is of another lamp.
LEAST_SHARE, MOST_SHARE = 0.02, 1.2


def photometry_faults(p: Photometry) -> Iterator[str]:
    """What contradicts itself in a photometry, each as a sentence."""
    c, gamma = np.array(p.c_deg), np.array(p.gamma_deg)
    if len(p.candela) != len(c):
        yield f"'{p.name}' has {len(p.candela)} rows of intensities for {len(c)} planes"
        return
    for k, row in enumerate(p.candela):
        if len(row) != len(gamma):
            yield f"'{p.name}' has {len(row)} intensities in plane {k + 1} for {len(gamma)} angles"
            return
    if not (np.diff(c) > 0).all() or c[0] != 0 or c[-1] >= 360:
        yield f"the planes of '{p.name}' must rise from 0 to below 360 degrees"
    elif not (np.diff(gamma) > 0).all() or gamma[0] < 0 or gamma[-1] > 180:
        yield f"the angles of '{p.name}' must rise from 0 to 180 degrees"
    else:
        share = share_of_lumens(p)
        if not LEAST_SHARE <= share <= MOST_SHARE:
            yield f"the intensities of '{p.name}' add up to {share * 1000:.0f} of 1,000 lumens"


def intensity(p: Photometry, c_deg: ArrayLike, gamma_deg: ArrayLike) -> Array:
    """Candela per 1,000 lumens in some directions, any shape: `c_deg` about the vertical, `gamma_deg` from straight
    down; straight between the table's figures, nothing beyond its last angle, round about from its last plane to its
    first."""
    gammas = np.array(p.gamma_deg)
    table = np.array(p.candela)
    planes = np.append(p.c_deg, 360.0)
    table = np.concatenate([table, table[:1]])
    c, g = np.broadcast_arrays(np.mod(np.asarray(c_deg, float), 360.0), np.asarray(gamma_deg, float))
    i = np.clip(np.searchsorted(planes, c, side="right") - 1, 0, len(planes) - 2)
    j = np.clip(np.searchsorted(gammas, g, side="right") - 1, 0, len(gammas) - 2)
    u = (c - planes[i]) / (planes[i + 1] - planes[i])
    v = (g - gammas[j]) / (gammas[j + 1] - gammas[j])
    inside = (g >= gammas[0] - 1e-9) & (g <= gammas[-1] + 1e-9)
    v = np.clip(v, 0.0, 1.0)
    low = table[i, j] * (1 - v) + table[i, j + 1] * v
    high = table[i + 1, j] * (1 - v) + table[i + 1, j + 1] * v
    return np.where(inside, low * (1 - u) + high * u, 0.0)


def share_of_lumens(p: Photometry) -> float:
    """Of the lamp's lumens, the share that the table's intensities come to: their integral over all directions."""
    gammas = np.array(p.gamma_deg)
    planes = np.append(p.c_deg, 360.0)
    table = np.array(p.candela)
    table = np.concatenate([table, table[:1]])
    # Over the planes at each angle, then over the angles in steps that the sine is straight enough in.
    fine = np.unique(np.concatenate([gammas, np.arange(gammas[0], gammas[-1], 0.5)]))
    mean = np.trapezoid(table, np.radians(planes), axis=0)
    around = np.interp(fine, gammas, mean)
    return float(np.trapezoid(around * np.sin(np.radians(fine)), np.radians(fine))) / 1000.0
