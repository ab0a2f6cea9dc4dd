"""Choices of kinds for the slots of a sort: what they are worth, those that no other beats, and lists of them by columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import inf
from operator import itemgetter, le
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from umbrak.core.routes.dominance import Rows, distinct_rows
from umbrak.core.routes.space import Sort

#: Ways to want something of a sort that are told apart by a table of all of them.
_MOST_WANTS = 100_000

#: Places in what a choice is worth; from `FITTED` on one for each fitted kind of its sort.
COST, DOUBT, RATED, PULLED, FITTED = range(5)


class Choice(NamedTuple):
    """So many of each kind for the slots of one sort."""

    #: Less is better in each: cost in mills; minus the log of the probability that every part runs on this board; minus the lowest
    #: rating in MT/s; modules that were pulled, which fail early more often than new ones; minus how many are there of each fitted
    #: kind, since more may stay where they are; for each level of the sort above its lowest, minus how many are rated for it.
    worth: tuple[float, ...]
    #: Kind's index -> count.
    takes: tuple[tuple[int, int], ...]


def nothing_of(fitted: int, levels: int = 1) -> tuple[float, ...]:
    """What a choice of no module is worth, in a sort of so many fitted kinds and levels."""
    return (0, 0.0, -inf, 0, *(0,) * (fitted + levels - 1))


def unbeaten_choices(choices: Sequence[Choice]) -> list[Choice]:
    """Choices that no other is as good as in every respect; of those that are the same the first."""
    kept: list[Choice] = []
    # What beats another comes before it, so that each is only held against those before.
    for c in sorted(choices, key=itemgetter(0)) if len(choices) > 1 else choices:
        if not any(all(map(le, x.worth, c.worth)) for x in kept):
            kept.append(c)
    return kept


class ChoicesOf:
    """The choices of a sort by what its slots want: how many of them are of each of its levels."""

    def __init__(self, sort: Sort, by_count: Mapping[int, Sequence[Choice]]) -> None:
        self._by_count = by_count
        self.sort = sort
        #: Kinds of it that are fitted.
        self.fitted = sum(1 for k in sort.kinds if k.slots)
        # What is had beyond what a level wants is no matter, unless some are fitted: what is rated higher than its slot wants may stay
        # there if others serve where it is wanted.
        self._may_stay = any(k.slots and level for k, level in zip(sort.kinds, sort.levels, strict=True))
        self._choices: dict[tuple[int, ...], Sequence[Choice]] = {}
        self._ideal: dict[tuple[int, ...], tuple[float, ...]] = {}

    def choices(self, asked: tuple[int, ...]) -> Sequence[Choice]:
        if asked not in self._choices:
            some, levels = self._enough(asked), FITTED + self.fitted
            if not self._may_stay:
                some = [Choice(c.worth[:levels], c.takes) for c in some]
            self._choices[asked] = unbeaten_choices(some)
        return self._choices[asked]

    def ideal(self, asked: tuple[int, ...]) -> tuple[float, ...]:
        """What is no worse than any of them in any respect; of infinite cost where there is none."""
        if asked not in self._ideal:
            some, nothing = [c.worth for c in self._enough(asked)], nothing_of(self.fitted)
            best = tuple(map(min, zip(*some, strict=True)))[: len(nothing)] if some else (inf, *nothing[1:])
            self._ideal[asked] = best if any(asked) else nothing
        return self._ideal[asked]

    def _enough(self, asked: tuple[int, ...]) -> Sequence[Choice]:
        """Those that have so many modules for each level above the lowest."""
        some, levels = self._by_count.get(sum(asked), ()), FITTED + self.fitted
        at_least = [-sum(asked[i:]) for i in range(1, len(asked))]
        return [c for c in some if all(map(le, c.worth[levels:], at_least))] if any(at_least) else some


class Lists:
    """The choices for each way to want something of a sort, laid end to end."""

    def __init__(self, of: ChoicesOf, ways: Sequence[tuple[int, ...]]) -> None:
        lists = [of.choices(way) for way in ways]
        compared = FITTED + of.fitted
        worth = [*(c.worth[:compared] for each in lists for c in each), nothing_of(of.fitted)]
        #: What each choice is worth, by columns; the last one is nothing.
        self.worth = columns_of(worth, of.fitted)
        #: Of each way, whether nothing is wanted.
        self.none = np.array([not any(way) for way in ways], bool)
        self.lengths = np.array([len(each) for each in lists], np.int64)
        self.starts = np.cumsum(self.lengths) - self.lengths

    def expand(self, which: Rows) -> tuple[Rows, Rows, Rows]:
        """(row, choice, its place in the list) for every choice of the list of every row; a row that wants nothing appears once, with -1;
        one for which there is none not at all."""
        lengths = np.where(self.none, 1, self.lengths)[which]
        row = np.repeat(np.arange(len(which)), lengths)
        within = np.arange(len(row)) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        none = self.none[which[row]]
        return row, np.where(none, -1, self.starts[which[row]] + within), np.where(none, -1, within)


def columns_of(worth: Sequence[Sequence[float]], fitted: int) -> NDArray[np.float64]:
    return np.ascontiguousarray(np.array(worth, np.float64).reshape(-1, len(nothing_of(fitted))).T)


class Wants:
    """What combinations want of each sort: the ways to want something of it, as counts by level, and which of them each wants."""

    def __init__(self, sorts: Sequence[Sort], counts: Rows) -> None:
        found = [_wants_of(counts[:, list(s.classes)]) for s in sorts]
        self.ways: list[list[tuple[int, ...]]] = [list(map(tuple, ways.tolist())) for ways, _ in found]
        self.which: list[Rows] = [which for _, which in found]


def _wants_of(counts: Rows) -> tuple[Rows, Rows]:
    """(what rows may want of the classes of a sort, which of them each row wants)."""
    most = counts.max(axis=0, initial=0) + 1
    if len(most) == 1:
        return np.arange(most[0])[:, None], counts[:, 0]
    if most.prod(dtype=np.float64) > _MOST_WANTS:
        return distinct_rows(counts)
    asked = np.ravel_multi_index(tuple(counts.T), tuple(most.tolist()))
    there = np.bincount(asked) > 0
    return np.column_stack(np.unravel_index(np.flatnonzero(there), tuple(most.tolist()))), (np.cumsum(there) - 1)[asked]
