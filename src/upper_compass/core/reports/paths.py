"""The ways of visits from a centre, forwards and backwards, node by node (rules, chapter 10)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import polars as pl

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.paths import (
    USUAL_BRANCHES,
    OpenedNode,
    PathBranches,
    PathCount,
    PathNode,
    PathRest,
    PathsRequest,
    PathsResult,
)
from upper_compass.core.definitions.ways import WayStep
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.protocol import Counting
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.walks import KINDS, Direction
from upper_compass.core.engine.ways import chains

# So many steps are counted at once; what is opened beyond them, below the node that it lies behind.
STRIDE = 3
# Where nothing is said to be opened: so many of the largest of each step from the centre.
USUAL: dict[Direction, tuple[int, ...]] = {"forward": (2, 1), "backward": (2,)}


@dataclass
class _Side:
    """One side of the centre: what was counted of it, now and in the versus period, by the chain below which it was counted."""

    context: ReportContext
    request: PathsRequest
    asks: Sequence[ReportFilter]
    direction: Direction
    counted: dict[tuple[WayStep, ...], list[pl.DataFrame]] = field(default_factory=dict)

    def branches(self, node: OpenedNode) -> PathBranches:
        """The next steps of a node."""
        chain = tuple(node.chain)
        of, nexts = KINDS[self.request.steps], [self._next(frame, chain) for frame in self._below(chain)]
        now, *versus = nexts
        earlier = {(value, kind): visits for value, kind, visits, _ in versus[0].iter_rows()} if versus else None
        going = now.filter(pl.col("value") != "")
        shown, rest = going.head(node.most), going.slice(node.most)
        nodes = [
            PathNode(step=WayStep.model_validate({"of": of[kind], "value": value}), visits=visits, converted=converted, before=_at(earlier, value, kind))
            for value, kind, visits, converted in shown.iter_rows()
        ]
        before_more = None if earlier is None else sum(earlier.values()) - sum(one.before or 0 for one in nodes) - earlier.get(("", 0), 0)
        more = PathRest(values=len(rest), visits=rest["visits"].sum(), converted=rest["converted"].sum(), before=before_more)
        [ended] = now.filter(pl.col("value") == "").select("visits", "converted").rows() or [(0, 0)]
        return PathBranches(chain=node.chain, nodes=nodes, more=more, ended=PathCount(visits=ended[0], converted=ended[1], before=_at(earlier, "", 0)))

    def _below(self, chain: tuple[WayStep, ...]) -> list[pl.DataFrame]:
        self._count([chain])
        return self.counted[_within(chain)]

    def _count(self, opened: Sequence[tuple[WayStep, ...]]) -> None:
        """Count below all of these at once, so that the steps of the visits are found once for them."""
        missing = [within for within in dict.fromkeys(map(_within, opened)) if within not in self.counted]
        by = [Counting(chains, (self.request.steps, self.request.centre, self.direction, within, STRIDE)) for within in missing]
        tallies = iter(self.context.tallies([(ask, one) for one in by for ask in self.asks]))
        for within in missing:
            self.counted[within] = [next(tallies).as_texts().frame for _ in self.asks]

    def _next(self, frame: pl.DataFrame, chain: tuple[WayStep, ...]) -> pl.DataFrame:
        """Next steps behind a chain: their value (empty: the visit ends), kind, visits, converted; the commonest first."""
        of = KINDS[self.request.steps]
        rest = chain[len(chain) // STRIDE * STRIDE :]
        for place, step in enumerate(rest):
            fits = (pl.col(f"key_{place}") == step.value) & (pl.col(f"of_{place}") == (of.index(step.of) if step.of in of else len(of)))
            frame = frame.filter(fits)
        by = [pl.col(f"key_{len(rest)}").alias("value"), pl.col(f"of_{len(rest)}").alias("kind")]
        found = frame.group_by(by).agg(pl.col("visits").sum(), pl.col("converted").sum())
        return found.sort("visits", "value", "kind", descending=[True, False, False])

    def opened(self) -> list[PathBranches]:
        """All that is opened; where nothing is said to be, the largest."""
        asked = self.request.forward if self.direction == "forward" else self.request.backward
        if asked is not None:
            self._count([tuple(node.chain) for node in asked])
            return [self.branches(node) for node in asked]
        found = level = [self.branches(OpenedNode())]
        for count in USUAL[self.direction]:
            level = [
                self.branches(OpenedNode(chain=[*one.chain, node.step], most=USUAL_BRANCHES)) for one in level for node in one.nodes[:count] if node.visits > 0
            ]
            found = [*found, *level]
        return found

    def total(self) -> PathCount:
        """All visits that hold the centre."""
        now, *versus = self._below(())
        before = int(versus[0]["visits"].sum()) if versus else None
        return PathCount(visits=int(now["visits"].sum()), converted=int(now["converted"].sum()), before=before)


def paths(context: ReportContext, request: PathsRequest, goals: Mapping[int, Goal]) -> PathsResult:
    """What visits did before and behind the centre. Raises UnknownNameError."""
    context.dimension(request.centre.dimension, "centre.dimension")
    goal = goals.get(request.goal) if request.goal is not None else None
    versus = request.period.versus(request.versus)
    now = question(context, request.period, (request.segment,), goal=goal)
    start, stop = versus.bounds(context.zone) if versus else (0, 0)
    asks = [now, *([replace(now, start=start, stop=stop)] if versus else [])]
    forward, backward = (_Side(context, request, asks, direction) for direction in ("forward", "backward"))
    return PathsResult(period=request.period, versus=versus, centre=forward.total(), forward=forward.opened(), backward=backward.opened())


def _within(chain: tuple[WayStep, ...]) -> tuple[WayStep, ...]:
    """Those first steps of a chain below which it was counted."""
    return chain[: len(chain) // STRIDE * STRIDE]


def _at(earlier: Mapping[tuple[str, int], int] | None, value: str, kind: int) -> int | None:
    return None if earlier is None else earlier.get((value, kind), 0)
