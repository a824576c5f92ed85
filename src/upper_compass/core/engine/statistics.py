"""How much of a figure may be chance. All functions take and give whole columns."""

from __future__ import annotations

from statistics import NormalDist

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

LEVEL = 0.95
Z = NormalDist().inv_cdf((1 + LEVEL) / 2)
FEW = 5
# Ratios are looked for between exp(-SPAN) and exp(SPAN), halved so often that what is left is less than is shown.
SPAN, HALVINGS = 46.0, 60


def wilson(successes: Floats, tries: Floats) -> tuple[Floats, Floats]:
    """The 95 % Wilson interval of shares (f64, 0 to 1, in their order); NaN over nothing (rules, decisions)."""
    # More than a second to read in, which only a process that reads reports shall take.
    from statsmodels.stats.proportion import proportion_confint

    with np.errstate(invalid="ignore", divide="ignore"):
        low, high = proportion_confint(successes, tries, alpha=1 - LEVEL, method="wilson")
    nothing = tries <= 0
    return np.where(nothing, np.nan, np.clip(low, 0, 1)), np.where(nothing, np.nan, np.clip(high, 0, 1))


def too_few(tries: Floats, share_of_all: float) -> npt.NDArray[np.bool_]:
    """Whether fewer than five successes, or failures, are expected at the share of all; at a half where all, or none, succeed (rules, decisions)."""
    if share_of_all in (0.0, 1.0):
        share_of_all = 0.5
    return (tries * share_of_all < FEW) | (tries * (1 - share_of_all) < FEW)


def koopman(hits_a: Floats, size_a: float, hits_b: Floats, size_b: float) -> tuple[Floats, Floats]:
    """Koopman's 95 % score interval of the ratio of two shares, a row each (rules, chapter 8).

    Without a unit in A it begins at 0, without one in B it has no end (inf); of an empty group, or of neither, there is none (NaN).
    """
    low, high = np.full(len(hits_a), np.nan), np.full(len(hits_a), np.nan)
    if size_a <= 0 or size_b <= 0:
        return low, high
    some = hits_a + hits_b > 0
    a, b = hits_a[some], hits_b[some]
    with np.errstate(divide="ignore", invalid="ignore"):
        middle = np.log(np.where((a > 0) & (b > 0), (a / size_a) / (b / size_b), 1.0))
    # Without a unit on one side the score falls all the way: the one end is looked for over the whole range.
    inside = np.stack([np.where(b > 0, middle, SPAN), np.where(a > 0, middle, -SPAN)])
    edges = _edges(a, size_a, b, size_b, outside=np.array([[-SPAN], [SPAN]]), inside=inside)
    low[some], high[some] = np.where(a > 0, edges[0], 0.0), np.where(b > 0, edges[1], np.inf)
    return low, high


def _edges(a: Floats, size_a: float, b: Floats, size_b: float, *, outside: Floats, inside: Floats) -> Floats:
    """The ratios at which the score reaches its bound, between the logarithms of one outside of the interval and of one inside, halved again and again."""
    for _ in range(HALVINGS):
        middle = (outside + inside) / 2
        beyond = _score(a, size_a, b, size_b, np.exp(middle)) > Z**2
        outside, inside = np.where(beyond, middle, outside), np.where(beyond, inside, middle)
    edges: Floats = np.exp(inside)
    return edges


def _score(a: Floats, size_a: float, b: Floats, size_b: float, ratio: Floats) -> Floats:
    """The score of a ratio: chi-square of the counts against the shares that fit best among those with this ratio."""
    linear = ratio * (size_a + b) + a + size_b
    root = np.sqrt(np.maximum(linear**2 - 4 * (size_a + size_b) * ratio * (a + b), 0))
    # The smaller root, written so that nothing cancels.
    share_b = np.clip(2 * (a + b) / (linear + root), 1e-300, 1 - 1e-15)
    share_a = np.clip(ratio * share_b, 1e-300, 1 - 1e-15)
    of_a = (a - size_a * share_a) ** 2 / (size_a * share_a * (1 - share_a))
    of_b = (b - size_b * share_b) ** 2 / (size_b * share_b * (1 - share_b))
    scored: Floats = of_a + of_b
    return scored


def chi_square_p(hits_a: Floats, size_a: float, hits_b: Floats, size_b: float) -> Floats:
    """The two-sided p of Pearson's chi-square that two shares differ, a row each; 1 where nothing can differ (rules, chapter 8)."""
    from scipy.special import erfc

    together = hits_a + hits_b
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = hits_a * (size_b - hits_b) - hits_b * (size_a - hits_a)
        chi = (size_a + size_b) * (apart / together) * (apart / (size_a + size_b - together)) / (size_a * size_b)
    p: Floats = np.where(np.isfinite(chi), erfc(np.sqrt(np.maximum(chi, 0) / 2)), 1.0)
    return p


def corrected(p: Floats) -> Floats:
    """P-values corrected together by Benjamini and Hochberg, in their order (rules, chapter 8)."""
    from scipy.stats import false_discovery_control

    return np.asarray(false_discovery_control(p, method="bh"), np.float64) if len(p) else p


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


def poisson_p(counts: Floats, expected: Floats) -> Floats:
    """The two-sided p that counts come of a Poisson process with these means, a row each: twice the smaller tail."""
    from scipy.special import pdtr, pdtrc

    below, above = pdtr(counts, expected), np.where(counts > 0, pdtrc(counts - 1, expected), 1.0)
    return np.asarray(np.minimum(2 * np.minimum(below, above), 1.0), np.float64)


def binomial_p(successes: Floats, tries: Floats, share: float) -> Floats:
    """The two-sided p that successes come of so many tries of one share, a row each: twice the smaller tail."""
    from scipy.special import bdtr, bdtrc

    whole = tries.astype(np.int64)
    below = np.where(successes < tries, bdtr(successes, whole, share), 1.0)
    above = np.where(successes > 0, bdtrc(successes - 1, whole, share), 1.0)
    return np.asarray(np.minimum(2 * np.minimum(below, above), 1.0), np.float64)


def beyond_spread_p(now: Floats, before: Floats) -> Floats:
    """The two-sided p that figures (a row each) are one more of those before (a row each, a column a window), which spread as they do.

    Student's t of a new observation; the variance is never taken smaller than that of independent events (Poisson).
    """
    from scipy.special import stdtr

    count = before.shape[1]
    mean = before.mean(axis=1)
    variance = np.maximum(before.var(axis=1, ddof=1), mean)
    with np.errstate(divide="ignore", invalid="ignore"):
        t = np.abs(now - mean) / np.sqrt(variance * (1 + 1 / count))
    return np.asarray(np.where(variance > 0, 2 * stdtr(count - 1, -t), 1.0), np.float64)


# Of a hundred days one lies outside a band of so many times the spread.
BAND = NormalDist().inv_cdf(0.995)
WEEK = 7
# The median distance from the median, of the normal distribution, is its standard deviation divided by this.
MAD = 1.4826


def expected_band(values: Floats, count: int, *, is_count: bool) -> tuple[Floats, Floats]:
    """Lower and upper edge of what is expected of daily values (f64, in their order), also of days that follow, `count` in all.

    A robust STL tells trend and weekday from the rest; the band is as wide as the rest spreads, by its median, and for counts never narrower than
    independent events would spread (Poisson). Days beyond the last value are expected as the same weekday of the last week is.
    """
    from statsmodels.tsa.seasonal import STL

    fitted = STL(values, period=WEEK, robust=True).fit()
    middle = np.asarray(fitted.trend + fitted.seasonal, np.float64)
    rest = np.asarray(fitted.resid, np.float64)
    spread = MAD * float(np.median(np.abs(rest - np.median(rest))))
    beyond = [middle[len(middle) - WEEK + place % WEEK] for place in range(max(count - len(middle), 0))]
    middle = np.maximum(np.concatenate([middle, np.array(beyond)]), 0)[:count]
    width = np.maximum(spread, np.sqrt(np.maximum(middle, 1)) if is_count else 0.0)
    return np.maximum(middle - BAND * width, 0), middle + BAND * width
