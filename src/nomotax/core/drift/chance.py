"""How likely a thing is by chance, and where numbers crowd.

Some two thousand questions are asked of a delivery (kinds of findings times columns), so that each
must be far less likely than one in a thousand to be told (Bonferroni's inequality).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import bdtrc

#: The chance at which a thing is taken for more than chance.
LIKELY = 1e-5
#: The chance at which a share that is large by itself is more than the chance of few rows.
FEW_ROWS = 3e-3


def unusual(hits: int, of: int, rate: float, chance: float = LIKELY) -> bool:
    """Whether so many ``hits`` hardly ever come of ``of`` draws at this usual ``rate``."""
    if hits <= 0 or of <= 0:
        return False
    return bool(bdtrc(hits - 1, of, min(max(rate, 0.0), 1.0)) < chance)


@dataclass(frozen=True)
class Crowd:
    """Where values crowd: their middle, and which of them are there."""

    middle: float
    members: NDArray[np.bool_]

    @property
    def size(self) -> int:
        """How many are there."""
        return int(self.members.sum())


def crowd(values: NDArray[np.float64], width: float) -> Crowd | None:
    """The densest window of a ``width`` among values; None of none."""
    if len(values) == 0:
        return None
    ordered = np.sort(values)
    ends = np.searchsorted(ordered, ordered + width, side="right")
    at = int(np.argmax(ends - np.arange(len(ordered))))
    middle = float(np.median(ordered[at : ends[at]]))
    members = np.abs(values - middle) <= width
    return Crowd(float(np.median(values[members])), members)


def middle(values: NDArray[np.float64]) -> float:
    """The median, 0 of none."""
    return float(np.median(values)) if len(values) else 0.0


def high(values: NDArray[np.float64], quantile: float) -> float:
    """A quantile, 0 of none."""
    return float(np.quantile(values, quantile)) if len(values) else 0.0
