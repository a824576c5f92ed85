"""The whole sequences of touches before conversions, in whole columns (rules, chapter 11)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.engine.credits import Credits, Touches
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection

# Of a longer sequence its last touches are told: so many.
MAX_LENGTH = 12
SEPARATOR = "\x1f"


def touch_sequences(selection: Selection, by: Credits) -> Tally:
    """By the values of the touches in reach, in order of time (`sequence`, a text with a separator), and how many there are (`length`, MAX_LENGTH + 1 of more).

    How many conversions (`count`), what they are worth (`value`), and the seconds from the first touch to each (`seconds`; none without a touch).
    """
    counted, made = selection.counted_conversions, selection.conversions
    touches = Touches.of(by, selection, counted)
    touches, of = touches.among_others(touches.stretches(selection, counted, by.crediting.reach))
    lengths = of.lengths
    told = np.minimum(lengths, MAX_LENGTH)
    conversion = np.repeat(np.arange(len(counted)), told)
    within = np.arange(len(conversion)) - np.repeat(np.cumsum(told) - told, told)
    places = np.repeat(of.stop - told, told) + within
    labels = selection.shard.lookups.labels
    codes = by.of_rows(selection, touches.rows[places])[0].astype(np.uint32) if len(places) else np.empty(0, np.uint32)
    seconds = np.full(len(counted), np.nan)
    touched = lengths > 0
    seconds[touched] = (made.at[counted[touched]] - touches.times[of.first[touched]]) / 1000
    facts = pl.DataFrame({
        "conversion": np.arange(len(counted)), "length": np.minimum(lengths, MAX_LENGTH + 1).astype(np.int64),
        "value": made.value[counted].astype(np.float64), "seconds": seconds,
    })  # fmt: skip
    lists = pl.DataFrame({"conversion": conversion, "code": codes}).group_by("conversion", maintain_order=True).agg("code")
    spans = pl.col("seconds").drop_nans().value_counts().struct.rename_fields(["value", "times"])
    counts = [pl.len().cast(pl.Int64).alias(name) for name in ("count", PRESENCE)]
    frame = facts.join(lists, on="conversion", how="left").group_by("code", "length").agg(*counts, pl.col("value").sum(), spans.alias("seconds"))
    texts = [SEPARATOR.join(labels.decode(np.array(one, np.uint32)).to_list()) if one is not None else "" for one in frame["code"].to_list()]
    frame = frame.drop("code").with_columns(pl.Series("sequence", texts, dtype=pl.String))
    return Tally(frame, {"sequence": None, "length": None}, {"count": "sum", "value": "sum", PRESENCE: "sum", "seconds": "counts"})
