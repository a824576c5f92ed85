"""Hits as columns: texts become codes of append-only dictionaries, rows stand in the order of the rules.

Columns of a coded frame, a row per hit, sorted by `visitor`, `at`, `seq`:

| column | type | is |
|---|---|---|
| seq | i64 | number of arrival; breaks ties of time |
| at | i64 | milliseconds since 1970, UTC |
| kind | u8 | see `hits.Kind` |
| all names of CODED | u32 | code in the dictionary of the same name; 0 is nothing |
| value | f64 | worth of an event, total of an order; NaN when not given |
| engaged_ms | i64 | visible milliseconds of an engage, else 0 |
| robot, internal | bool | marks of the collector |

`items` are the lines of an order, a list in JSON.
"""

from __future__ import annotations

import threading
from typing import Any

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.definitions.text_tests import text_test

Ints = npt.NDArray[np.int64]
Codes = npt.NDArray[np.uint32]
Bools = npt.NDArray[np.bool_]
Floats = npt.NDArray[np.float64]

CODED = (
    "visitor", "url", "title", "referrer", "name", "props", "fields", "language", "timezone",
    "user_agent", "screen", "country", "currency", "order_id", "items",
)  # fmt: skip
PLAIN: dict[str, pl.DataType] = {
    "seq": pl.Int64(),
    "at": pl.Int64(),
    "kind": pl.UInt8(),
    "value": pl.Float64(),
    "engaged_ms": pl.Int64(),
    "robot": pl.Boolean(),
    "internal": pl.Boolean(),
}
RAW_SCHEMA: dict[str, pl.DataType] = PLAIN | {name: pl.String() for name in CODED}
# Bits of a number that stay clear of its sign.
KEY_BITS = 62
MAX_CHUNKS = 64
FEW_TEXTS = 100
# A dictionary of so many texts at most knows their codes by heart; beyond, that would take more memory than the texts.
SMALL = 1_000
# Bytes for each text besides its letters: of its hash and code, and where it is known by heart.
HASHED, BY_HEART = 12, 150
# So many texts that were asked for by themselves are remembered with their codes.
MAX_FOUND = 2_000
CODED_SCHEMA: dict[str, pl.DataType] = PLAIN | {name: pl.UInt32() for name in CODED}


class HashIndex:
    """Codes of texts by their hash, in sorted runs: a new text costs a search in each run, and runs of about the same length are joined."""

    def __init__(self) -> None:
        self._runs: list[tuple[npt.NDArray[np.uint64], Codes]] = []
        self._length = 0

    def __len__(self) -> int:
        return self._length

    def extend(self, texts: pl.Series) -> None:
        """Take in the texts that come next by code."""
        if not len(texts):
            return
        hashes, codes = texts.hash().to_numpy(), np.arange(self._length, self._length + len(texts), dtype=np.uint32)
        self._length += len(texts)
        while self._runs and len(self._runs[-1][0]) < 2 * len(hashes):
            before = self._runs.pop()
            hashes, codes = np.concatenate([before[0], hashes]), np.concatenate([before[1], codes])
        order = np.argsort(hashes, kind="stable")
        self._runs.append((hashes[order], codes[order]))

    def find(self, texts: pl.Series) -> tuple[Codes, Bools]:
        """The first code (u32) under the hash of each text, and whether there is one; 0 without."""
        wanted = texts.hash().to_numpy()
        codes, known = np.zeros(len(wanted), np.uint32), np.zeros(len(wanted), bool)
        for hashes, of in self._runs:
            place = np.minimum(np.searchsorted(hashes, wanted), len(hashes) - 1)
            here = ~known & (hashes[place] == wanted)
            codes[here] = of[place[here]]
            known |= here
        return codes, known


class Dictionary:
    """Texts by code, append-only, so that a code keeps its meaning for as long as the dictionary lives. Code 0 is the empty text."""

    def __init__(self, texts: pl.Series | None = None) -> None:
        self._texts = pl.Series("text", [""], dtype=pl.String) if texts is None else texts.rename("text")
        self._index = HashIndex()
        self._growing = threading.Lock()
        self._found: dict[str, int] = {}
        self._codes: dict[str, int] | None = None
        if len(self._texts) <= SMALL:
            self._codes = {text: code for code, text in enumerate(self._texts.to_list())}

    def __len__(self) -> int:
        return len(self._texts)

    @property
    def texts(self) -> pl.Series:
        """All texts, by code."""
        return self._texts

    @property
    def size(self) -> int:
        """About how many bytes it holds."""
        texts, count = int(self._texts.estimated_size()), len(self._texts)
        return texts + HASHED * count + (0 if self._codes is None else texts + BY_HEART * count)

    def since(self, length: int) -> pl.Series:
        """The texts that came after the dictionary had `length` of them."""
        return self._texts.slice(length)

    def encode(self, texts: pl.Series) -> Codes:
        """Codes (u32) of texts, in their order (null is the empty text, 0); texts not seen before are taken in."""
        if len(texts) <= FEW_TEXTS:
            return self._encode_few(texts.to_list())
        asked = texts.fill_null("").rename("text")
        if (asked == "").all():
            return np.zeros(len(asked), np.uint32)
        distinct = asked.unique(maintain_order=True)
        codes = self._taken_in(distinct)
        if len(distinct) == 1:
            return np.full(len(asked), codes[0], np.uint32)
        coded = pl.DataFrame({"text": distinct, "code": codes})
        return asked.to_frame().join(coded, on="text", how="left", maintain_order="left")["code"].to_numpy()

    def _encode_few(self, texts: list[str | None]) -> Codes:
        """Of few texts, planning what is done with a column takes longer than doing it."""
        distinct = list(dict.fromkeys(text for text in texts if text))
        if not distinct:
            return np.zeros(len(texts), np.uint32)
        codes = self._few_taken_in(distinct)
        return np.array([codes[text] if text else 0 for text in texts], np.uint32)

    def _few_taken_in(self, distinct: list[str]) -> dict[str, int]:
        """Distinct texts with their codes, and perhaps others; those not seen before are taken in."""
        with self._growing:
            codes = self._codes
            if codes is not None:
                if fresh := [text for text in distinct if text not in codes]:
                    self._append(pl.Series("text", fresh, dtype=pl.String))
                return codes
        return dict(zip(distinct, self._taken_in(pl.Series("text", distinct, dtype=pl.String)).tolist(), strict=True))

    def _taken_in(self, distinct: pl.Series) -> Codes:
        """Codes (u32) of distinct texts; those not seen before are taken in."""
        with self._growing:
            codes, known = self._looked_up(distinct)
            if not known.all():
                codes[~known] = np.arange(len(self._texts), len(self._texts) + int((~known).sum()), dtype=np.uint32)
                self._append(distinct.filter(~known))
        return codes

    def _append(self, fresh: pl.Series) -> None:
        """Texts that come next by code; whoever grows the dictionary alone may call this."""
        if self._codes is not None:
            self._codes.update(zip(fresh.to_list(), range(len(self._texts), len(self._texts) + len(fresh)), strict=True))
        self._texts = pl.concat([self._texts, fresh], rechunk=self._texts.n_chunks() > MAX_CHUNKS)
        if len(self._texts) > SMALL:
            self._codes = None

    def find(self, text: str) -> int | None:
        """The code of a text, or None when it was never seen."""
        if (small := self._codes) is not None:
            return small.get(text)
        if (code := self._found.get(text)) is not None:  # it stays what it is
            return code
        with self._growing:
            codes, known = self._looked_up(pl.Series("text", [text], dtype=pl.String))
            if not known[0]:
                return None
            if len(self._found) >= MAX_FOUND:
                self._found.clear()
            return self._found.setdefault(text, int(codes[0]))

    def _looked_up(self, distinct: pl.Series) -> tuple[Codes, Bools]:
        """The code of each text, and whether there is one. Where two texts have the same hash, all texts are looked through."""
        self._index.extend(self._texts.slice(len(self._index)))
        codes, known = self._index.find(distinct)
        if not known.any():
            return codes, known
        other = np.flatnonzero(known & (self._texts.gather(codes) != distinct).to_numpy())
        for place in other:
            found = self._texts.index_of(distinct[int(place)])
            codes[place], known[place] = found or 0, found is not None
        return codes, known

    def passing(self, codes: npt.NDArray[Any], test: str, pattern: str) -> Bools:
        """Which of the codes (any unsigned integers) stand for a text that passes a test; each distinct text is tested once."""
        present = np.zeros(int(codes.max(initial=0)) + 1, bool)
        present[codes] = True
        distinct = np.flatnonzero(present)
        present[distinct] = text_test(self.decode(distinct), test, pattern).to_numpy()
        return present[codes]

    def decode(self, codes: npt.NDArray[Any]) -> pl.Series:
        """Texts (String) of codes (any unsigned integers), in their order."""
        return self._texts[pl.Series(codes)]


class Dictionaries:
    """The dictionaries of one site's hits, one for each coded column."""

    def __init__(self, texts: dict[str, pl.Series] | None = None) -> None:
        self._by_name = {name: Dictionary(texts[name] if texts else None) for name in CODED}

    def __getitem__(self, name: str) -> Dictionary:
        return self._by_name[name]


def encode_hits(raw: pl.DataFrame, dictionaries: Dictionaries) -> pl.DataFrame:
    """Raw rows (columns of RAW_SCHEMA, texts as texts) as a frame of CODED_SCHEMA, in their order; new texts go into the dictionaries."""
    columns = {name: raw[name].cast(kind) for name, kind in PLAIN.items()}
    columns["value"] = columns["value"].fill_null(float("nan"))
    columns["engaged_ms"] = columns["engaged_ms"].fill_null(0)
    for name in CODED:
        columns[name] = pl.Series(name, dictionaries[name].encode(raw[name]), dtype=pl.UInt32)
    return in_order(pl.DataFrame(columns))


def in_order(hits: pl.DataFrame) -> pl.DataFrame:
    """The rows of a frame of CODED_SCHEMA in the order of the rules (chapter 1): by `visitor`, by `at`, equal times by `seq`."""
    if not len(hits):
        return hits.rechunk()
    visitor, at = hits["visitor"].to_numpy().astype(np.int64), hits["at"].to_numpy()
    earliest = int(at.min())
    width = (int(at.max()) - earliest).bit_length()
    if int(visitor.max()).bit_length() + width > KEY_BITS:
        return hits.sort("visitor", "at", "seq").rechunk()
    # One number holds visitor and time, so that one plain sort does; the few that are equal are put in order of arrival behind it.
    key = (visitor << width) | (at - earliest)
    order = pl.Series(key).arg_sort().to_numpy().copy()
    ordered = key[order]
    equal = np.flatnonzero(ordered[1:] == ordered[:-1])
    if len(equal):
        rows = np.union1d(equal, equal + 1)
        tied = order[rows]
        order[rows] = tied[np.lexsort((hits["seq"].to_numpy()[tied], ordered[rows]))]
    return hits[pl.Series(order)].rechunk()


def repeated_orders(orders: pl.DataFrame) -> Ints:
    """`seq` (i64, ascending) of the order hits whose order id a hit had earlier (rules, chapter 1).

    `orders`: columns seq, at, order_id (0: no id, such an order always counts), of all order hits of the site.
    """
    named = orders.filter(pl.col("order_id") > 0).sort("at", "seq")
    return named.filter(~pl.col("order_id").is_first_distinct())["seq"].sort().to_numpy()


def sharing_ids(orders: pl.DataFrame, new: pl.DataFrame) -> pl.DataFrame:
    """The orders (columns as in `repeated_orders`, and more) that bear an id of the new ones, which are among them."""
    ids = new["order_id"].unique().implode()
    return orders.filter((pl.col("order_id") > 0) & pl.col("order_id").is_in(ids))


def repeated_with(repeated: Ints, orders: pl.DataFrame, new: pl.DataFrame) -> Ints:
    """`seq` (i64, ascending) of all repeated orders when new ones came, which are among them: only those that share an id with one are judged again."""
    if not len(new):
        return repeated
    sharing = sharing_ids(orders, new)
    return np.union1d(np.setdiff1d(repeated, sharing["seq"].to_numpy()), repeated_orders(sharing))
