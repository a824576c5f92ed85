"""Sharing out what conversions are worth among the touches before them, in whole columns (rules, chapter 11).

Touches and conversions stand in order of visitor and time, so that the touches of a conversion are a stretch of them, and stretches never go back:
`first` and `stop` (i64, places among the touches, ascending both) bound it. Time and memory grow with touches and conversions, however many of the one lie
before the other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats, Ints
from upper_compass.core.definitions.attribution import PositionBased, TimeDecay
from upper_compass.core.engine.group_by import sums

Array = npt.NDArray[np.generic]
DAY = 86_400_000
# Of what is so many half-lives older than the last touch nothing is left that a figure could show.
FAR = 100.0
# Powers of two are taken from the start of a stretch of so many half-lives, for else they would have no end.
EPOCH = 2 * FAR
# Stretches of up to so many touches are looked at touch by touch.
SHORT = 32


@dataclass(frozen=True)
class Stretches:
    """The touches of each conversion, one or more: those from `first` to before `stop`."""

    first: Ints
    stop: Ints

    @property
    def lengths(self) -> Ints:
        """How many touches each conversion has."""
        lengths: Ints = self.stop - self.first
        return lengths

    def only(self, kept: npt.NDArray[np.bool_]) -> Stretches:
        """Those of some conversions."""
        return Stretches(self.first[kept], self.stop[kept])


def spread(first: Ints, stop: Ints, amounts: Floats, count: int) -> Floats:
    """To each of `count` touches the sum of the amounts of the stretches that it lies in."""
    edges = sums(first, count + 1, amounts) - sums(stop, count + 1, amounts)
    covered: Floats = np.cumsum(edges)[:count]
    return covered


def linear(stretches: Stretches, amounts: Floats, count: int) -> Floats:
    """The same to each touch."""
    return spread(stretches.first, stretches.stop, amounts / stretches.lengths, count)


def position_based(model: PositionBased, stretches: Stretches, amounts: Floats, count: int) -> Floats:
    """So much to the first and to the last touch, and so much shared by those between. Where none lies between, the two share it all."""
    lengths, ends = stretches.lengths, model.first + model.last
    total = np.where(lengths > 2, ends + model.between, ends)
    nothing = total == 0  # the ends weigh nothing: halves of two, and of one all
    of_first = np.where(lengths == 1, 1.0, np.where(nothing, 0.5, model.first / np.where(nothing, 1.0, total)))
    of_last = np.where(lengths == 1, 0.0, np.where(nothing, 0.5, model.last / np.where(nothing, 1.0, total)))
    credit = sums(stretches.first, count, amounts * of_first) + sums(stretches.stop - 1, count, amounts * of_last)
    many = lengths > 2
    if many.any():
        each = amounts[many] * (1.0 - of_first[many] - of_last[many]) / (lengths[many] - 2)
        credit += spread(stretches.first[many] + 1, stretches.stop[many] - 1, each, count)
    return credit


def time_decay(model: TimeDecay, stretches: Stretches, amounts: Floats, count: int, visitors: Ints, times: Ints) -> Floats:
    """In proportion to 2^(−age ÷ half-life). `visitors` (ascending) and `times` (ms, ascending within a visitor): of each touch."""
    half_life = model.half_life_days * DAY
    long = stretches.lengths > SHORT
    credit = _decayed_each(stretches.only(~long), amounts[~long], count, times, half_life)
    return credit + _decayed_by_sums(stretches.only(long), amounts[long], count, visitors, times, half_life) if long.any() else credit


def _decayed_each(stretches: Stretches, amounts: Floats, count: int, times: Ints, half_life: float) -> Floats:
    """Touch by touch: each of few."""
    lengths = stretches.lengths
    of = np.repeat(np.arange(len(lengths)), lengths)
    places = np.arange(len(of)) + np.repeat(stretches.first - (np.cumsum(lengths) - lengths), lengths)
    weights = np.exp2((times[places] - times[stretches.stop - 1][of]) / half_life)
    return sums(places, count, weights * (amounts / sums(of, len(lengths), weights))[of])


def _decayed_by_sums(stretches: Stretches, amounts: Floats, count: int, visitors: Ints, times: Ints, half_life: float) -> Floats:
    """Sums of such powers are differences of running sums, taken within an epoch, of which a stretch that matters meets two at most."""
    ages = (times - times.min()) / half_life
    epochs = np.floor(ages / EPOCH)
    fresh = np.append(True, (visitors[1:] != visitors[:-1]) | (epochs[1:] != epochs[:-1]))
    starts, epoch = np.flatnonzero(fresh), np.cumsum(fresh) - 1
    powers = np.exp2(ages - epochs * EPOCH)
    running = _running(powers, epoch)
    last = stretches.stop - 1
    # A clock that goes on from visitor to visitor finds the first touch that is near enough to the last one.
    clock = visitors * (float(ages.max()) + 2 * FAR) + ages
    first = np.maximum(stretches.first, np.searchsorted(clock, clock[last] - FAR, side="left"))
    here = starts[epoch[last]]
    near = np.maximum(first, here)
    summed = running[last] - _before(running, near, here)
    over = np.flatnonzero(first < here)  # those that begin in the epoch before
    end = here[over] - 1
    shift = np.exp2((epochs[end] - epochs[last[over]]) * EPOCH)
    summed[over] += shift * (running[end] - _before(running, first[over], starts[epoch[end]]))
    share = amounts / summed
    # Going backwards the shares grow, so that what is taken away again leaves nothing behind that could be seen.
    edges = sums(last, count, share) + sums(end, count, share[over] * shift)
    for begin, block, part in ((near, here, share), (first[over], starts[epoch[end]], share[over] * shift)):
        inside = begin > block
        edges -= sums(begin[inside] - 1, count, part[inside])
    credit: Floats = powers * _running(edges, epoch, reverse=True)
    return credit


def _running(values: Floats, group: Ints, *, reverse: bool = False) -> Floats:
    """Running sums within each group."""
    return pl.DataFrame({"group": group, "value": values}).select(pl.col("value").cum_sum(reverse=reverse).over("group"))["value"].to_numpy()


def _before(running: Floats, places: Ints, starts: Ints) -> Floats:
    """The running sum before each place; nothing where a group starts there."""
    return np.where(places > starts, running[np.maximum(places - 1, 0)], 0.0)


def every_touch(stretches: Stretches, amounts: Floats, visitors: Ints, groups: Ints, count: int) -> Floats:
    """To each of `count` groups the amounts of the conversions that have a touch of the group, once. `visitors`, `groups`: of each touch."""
    touches = len(groups)
    order = np.lexsort((np.arange(touches), groups, visitors))
    again = np.flatnonzero((visitors[order][1:] == visitors[order][:-1]) & (groups[order][1:] == groups[order][:-1]))
    following = np.full(touches, touches, np.int64)  # the next touch of the same visitor and group
    following[order[again]] = order[again + 1]
    # A conversion counts at its last touch of the group: those whose stretch holds this one and ends before the next one.
    place = np.arange(touches)
    low = np.searchsorted(stretches.stop, place, side="right")
    high = np.minimum(np.searchsorted(stretches.stop, following, side="right"), np.searchsorted(stretches.first, place, side="right"))
    running = np.concatenate([[0.0], np.cumsum(amounts)])
    return sums(groups, count, np.where(high > low, running[np.maximum(high, low)] - running[low], 0.0))
