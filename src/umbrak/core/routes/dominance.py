"""Rows of whole numbers of which less is better: those that are the same, those that another beats."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

Rows = NDArray[np.signedinteger[Any]]

#: Odd, and of no pattern: the golden ratio's powers by 64 bits.
_FACTORS = np.array([pow(0x9E3779B97F4A7C15, n, 1 << 64) for n in range(1, 33)], np.uint64)


def distinct_rows(keys: Rows) -> tuple[Rows, Rows]:
    """(the distinct rows, which of them each row is)."""
    # Sorted by one number of 64 bits that equal rows share; should others share it too, by all columns.
    marks = (keys.astype(np.uint64) * _FACTORS[: keys.shape[1]]).sum(axis=1, dtype=np.uint64)
    order = np.argsort(marks)
    ordered = keys[order]
    new = np.ones(len(keys), bool)
    new[1:] = (ordered[1:] != ordered[:-1]).any(axis=1)
    if (new[1:] & (marks[order][1:] == marks[order][:-1])).any():
        order = np.lexsort(keys.T[::-1])
        ordered = keys[order]
        new[1:] = (ordered[1:] != ordered[:-1]).any(axis=1)
    group = np.empty(len(keys), np.int64)
    group[order] = np.cumsum(new) - 1
    return ordered[new], group


def beaten_by(keys: Rows, others: Rows) -> NDArray[np.bool_]:
    """Whether one of the others is at least as good in every column."""
    columns, theirs = np.ascontiguousarray(keys.T), np.ascontiguousarray(others.T)
    beaten = np.zeros(len(keys), bool)
    for start in range(0, len(keys), 8192):
        open_ = np.arange(start, min(start + 8192, len(keys)))
        # Few first: those that beat much leave little for the rest.
        for begin, end in _growing(others.shape[0]):
            if not len(open_):
                break
            better = theirs[0, begin:end, None] <= columns[0, open_]
            for mine, other in zip(columns[1:], theirs[1:], strict=True):
                better &= other[begin:end, None] <= mine[open_]
            worse = better.any(axis=0)
            beaten[open_[worse]] = True
            open_ = open_[~worse]
    return beaten


def least_first(keys: Rows, others: Rows) -> NDArray[np.float64]:
    """For each key the least of the first column of those others that are at least as good in every further column; infinite where
    none is."""
    order = np.argsort(others[:, 0], kind="stable")
    least = np.full(len(keys), np.inf)
    open_ = np.arange(len(keys))
    columns = np.ascontiguousarray(keys.T)
    # The least first: what is at least as good as one has found its own.
    for first, *further in others[order].tolist():
        covered = np.ones(len(open_), bool)
        for mine, other in zip(columns[1:], further, strict=True):
            covered &= other <= mine[open_]
        least[open_[covered]] = first
        open_ = open_[~covered]
    return least


def _growing(count: int) -> Iterator[tuple[int, int]]:
    """Spans of 8, 32, 128, 128, ... that cover so many."""
    begin, size = 0, 8
    while begin < count:
        yield begin, min(begin + size, count)
        begin, size = begin + size, min(size * 4, 128)


def unbeaten(keys: Rows) -> NDArray[np.bool_]:
    """Of distinct rows those that no other is at least as good as in every column.

    In ascending order of the columns' sum nothing later can beat anything earlier, so one pass does.
    """
    order = np.argsort(keys.sum(axis=1), kind="stable")
    kept = np.empty((0, keys.shape[1]), np.int64)
    keep = np.zeros(len(keys), bool)
    for start in range(0, len(order), 512):
        block = order[start : start + 512]
        block = block[~beaten_by(keys[block], kept)]
        here = keys[block]
        among: NDArray[np.bool_] = np.all(here[:, None] <= here[None, :], axis=2)
        np.fill_diagonal(among, False)
        block = block[~among.any(axis=0)]
        keep[block] = True
        kept = np.concatenate([kept, keys[block]])
    return keep
