"""How much of a figure may be chance. All functions take and give whole columns."""

from __future__ import annotations

from statistics import NormalDist

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

LEVEL = 0.95
Z = NormalDist().inv_cdf((1 + LEVEL) / 2)
FEW = 5


def wilson(successes: Floats, tries: Floats) -> tuple[Floats, Floats]:
    """The 95 % Wilson interval of shares (f64, 0 to 1, in their order); NaN over nothing (rules, decisions)."""
    # More than a second to read in, which only a process that reads reports shall take.
    from statsmodels.stats.proportion import proportion_confint

    with np.errstate(invalid="ignore", divide="ignore"):
        low, high = proportion_confint(successes, tries, alpha=1 - LEVEL, method="wilson")
    nothing = tries <= 0
    return np.where(nothing, np.nan, np.clip(low, 0, 1)), np.where(nothing, np.nan, np.clip(high, 0, 1))


def too_few(tries: Floats, share_of_all: float) -> npt.NDArray[np.bool_]:
    """Whether fewer than five successes, or failures, are expected at the share of all (rules, decisions)."""
    return (tries * share_of_all < FEW) | (tries * (1 - share_of_all) < FEW)


def is_significant(kind: str, now: tuple[Floats, ...], before: tuple[Floats, ...]) -> npt.NDArray[np.bool_]:
    """Whether two figures of periods of the same length differ by more than 95 % of chance, a row each (rules, decisions).

    count: as of events that come independently (Poisson). share: two shares, pooled. mean: (sum, sum of squares, count), unpooled. sum:
    (sum, sum of squares) of independent amounts. Anything else is never beyond chance.
    """
    with np.errstate(invalid="ignore", divide="ignore"):
        gap, spread = _gap(kind, now, before)
        return np.asarray(np.abs(gap) > Z * spread) & (spread > 0)


def _gap(kind: str, now: tuple[Floats, ...], before: tuple[Floats, ...]) -> tuple[Floats, Floats]:
    if kind == "count":
        return now[0] - before[0], np.sqrt(now[0] + before[0])
    if kind == "share":
        pooled = (now[0] + before[0]) / (now[1] + before[1])
        return now[0] / now[1] - before[0] / before[1], np.sqrt(pooled * (1 - pooled) * (1 / now[1] + 1 / before[1]))
    if kind == "mean":
        return now[0] / now[2] - before[0] / before[2], np.sqrt(_variance_of_mean(*now) + _variance_of_mean(*before))
    if kind == "sum":
        return now[0] - before[0], np.sqrt(now[1] + before[1])
    return np.zeros_like(now[0]), np.zeros_like(now[0])


def _variance_of_mean(total: Floats, squares: Floats, count: Floats) -> Floats:
    return np.maximum(squares - total**2 / count, 0) / (count - 1) / count
