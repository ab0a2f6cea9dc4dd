"""Designs and their combinations by columns: what adds up is added up for thousands of them at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from umbrak.core.routes.designs import UnitDesign
from umbrak.core.routes.dominance import Rows
from umbrak.core.routes.space import Space

#: Combinations looked at in one go.
CHUNK = 20_000


@dataclass(frozen=True)
class Arrays:
    """Designs, or combinations of them, by columns."""

    counts: Rows
    filled: Rows
    gib: NDArray[np.float64]
    kept: Rows
    reach: NDArray[np.float64]
    per_mts: NDArray[np.float64]
    as_ran: NDArray[np.bool_]
    maybe_bare: Rows

    def of(self, rows: Rows) -> Arrays:
        return Arrays(
            counts=self.counts[rows],
            filled=self.filled[rows],
            gib=self.gib[rows],
            kept=self.kept[rows],
            reach=self.reach[rows],
            per_mts=self.per_mts[rows],
            as_ran=self.as_ran[rows],
            maybe_bare=self.maybe_bare[rows],
        )

    def plus(self, other: Arrays) -> Arrays:
        """Row by row: everything adds up but the rate, which is the slower one's."""
        return Arrays(
            counts=self.counts + other.counts,
            filled=self.filled + other.filled,
            gib=self.gib + other.gib,
            kept=self.kept + other.kept,
            reach=np.minimum(self.reach, other.reach),
            per_mts=np.round(self.per_mts + other.per_mts, 6),
            as_ran=self.as_ran & other.as_ran,
            maybe_bare=self.maybe_bare + other.maybe_bare,
        )

    def columns(self) -> NDArray[np.float64]:
        return np.column_stack(
            [self.counts, self.kept, np.minimum(self.reach, 1e9), self.per_mts, self.gib, self.as_ran, self.maybe_bare]
        )


class Options:
    """Designs of one unit (`rows`), sorted by what they must share with the other units' (`shared`, of each row)."""

    def __init__(self, arrays: Arrays, rows: Rows, shared: Rows, ids: int, stands_for_more: NDArray[np.bool_]) -> None:
        self.arrays, self.stands_for_more = arrays, stands_for_more
        order = np.argsort(shared, kind="stable")
        self.rows, self.shared = rows[order], shared[order]
        self.lengths = np.bincount(self.shared, minlength=ids)
        self.starts = np.cumsum(self.lengths) - self.lengths


@dataclass(frozen=True)
class Combined:
    """Combinations of designs: which of each unit, what they come to, what they share, whether they stand for others."""

    picks: Rows
    sums: Arrays
    shared: Rows
    merged_rows: NDArray[np.bool_]

    def only(self, rows: Rows | NDArray[np.bool_]) -> Combined:
        at: Rows = np.flatnonzero(rows) if rows.dtype == np.bool_ else rows.astype(np.int64)
        return Combined(self.picks[at], self.sums.of(at), self.shared[at], self.merged_rows[at])

    def in_parts(self, lengths: Rows) -> Iterator[Combined]:
        """Parts that come to some `CHUNK` rows when each row is joined with so many others."""
        ends = np.cumsum(lengths[self.shared])
        start = 0
        while start < len(self.picks):
            done = ends[start - 1] if start else 0
            end = max(start + 1, int(np.searchsorted(ends, done + CHUNK, "right")))
            yield self.only(np.arange(start, min(end, len(self.picks))))
            start = end

    def times(self, option: Options) -> Combined:
        """Every row with every design of one more unit that shares what it must."""
        lengths = option.lengths[self.shared]
        mine = np.repeat(np.arange(len(self.picks)), lengths)
        within = np.arange(len(mine)) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        theirs = option.rows[option.starts[self.shared[mine]] + within]
        picks = np.column_stack([self.picks[mine], theirs]).astype(np.int64)
        sums = self.sums.of(mine).plus(option.arrays.of(theirs))
        return Combined(picks, sums, self.shared[mine], self.merged_rows[mine] | option.stands_for_more[theirs])

    @staticmethod
    def all_of(parts: Sequence[Combined]) -> Combined:
        sums = [p.sums for p in parts]
        joined = Arrays(*(np.concatenate([getattr(x, f.name) for x in sums]) for f in fields(Arrays)))
        return Combined(
            np.concatenate([p.picks for p in parts]),
            joined,
            np.concatenate([p.shared for p in parts]),
            np.concatenate([p.merged_rows for p in parts]),
        )

    def merged(self) -> Combined:
        """One row for all that come to the same in every column."""
        columns = np.column_stack([self.sums.columns(), self.shared])
        # A sum weighted by fixed irrational factors tells nearly all apart; equal sums are then compared in full.
        weights = np.sqrt(np.arange(2, 2 + columns.shape[1]))
        marks = np.round(columns @ weights, 7)
        order = np.lexsort((*columns.T, marks)) if len(marks) < 1000 else np.argsort(marks, kind="stable")
        ordered = columns[order]
        new = np.ones(len(order), bool)
        new[1:] = (ordered[1:] != ordered[:-1]).any(axis=1)
        group = np.cumsum(new) - 1
        stands_for_more = np.bincount(group) > 1
        before = np.bincount(group, weights=self.merged_rows[order].astype(np.float64)) > 0
        first = order[new]
        return Combined(self.picks[first], self.sums.of(first), self.shared[first], stands_for_more | before)


def arrays_of(space: Space, designs: Sequence[UnitDesign]) -> Arrays:
    n = len(designs)
    return Arrays(
        counts=np.array([d.counts for d in designs], np.int64).reshape(n, len(space.classes)),
        filled=np.array([d.filled for d in designs], np.int64),
        gib=np.array([d.gib for d in designs], np.float64),
        kept=np.array([d.kept for d in designs], np.int64).reshape(n, len(space.fitted)),
        reach=np.array([d.reach for d in designs], np.float64),
        per_mts=np.array([d.per_mts for d in designs], np.float64),
        as_ran=np.array([d.as_ran for d in designs], bool),
        maybe_bare=np.array([d.maybe_bare for d in designs], np.int64),
    )


def mapped(values: NDArray[np.float64], of: Callable[[float], float]) -> NDArray[np.float64]:
    """A function of each value, asked once for every distinct one."""
    distinct, where = np.unique(values, return_inverse=True)
    return np.array([of(float(v)) for v in distinct], np.float64)[where.reshape(-1)]
