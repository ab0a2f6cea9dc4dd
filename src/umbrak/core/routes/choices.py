"""Choices of kinds for the slots of a sort: what they are worth, those that no other beats, and lists of them by columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import inf
from operator import ge, le
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
    #: kind, since more may stay where they are.
    worth: tuple[float, ...]
    #: For each level of the sort above its lowest: how many modules are rated for it.
    above: tuple[int, ...]
    #: Kind's index -> count.
    takes: tuple[tuple[int, int], ...]

    def beats(self, other: Choice, above: bool = True) -> bool:
        """At least as good in every respect, or in all but `above`."""
        return all(map(le, self.worth, other.worth)) and (not above or covers(self.above, other.above))


def covers(some: Sequence[int], others: Sequence[int]) -> bool:
    """Whether there are at least as many of each."""
    return all(map(ge, some, others))


def nothing_of(fitted: int) -> tuple[float, ...]:
    """What a choice of no module is worth, in a sort of so many fitted kinds."""
    return (0, 0.0, -inf, 0, *(0,) * fitted)


class ChoicesOf:
    """The choices of a sort by what its slots want: how many of them are of each of its levels."""

    def __init__(self, sort: Sort, by_count: Mapping[int, Sequence[Choice]]) -> None:
        self.sort, self._by_count = sort, by_count
        self._choices: dict[tuple[int, ...], Sequence[Choice]] = {}
        self._ideal: dict[tuple[int, ...], tuple[float, ...]] = {}
        #: Kinds of it that are fitted.
        self.fitted = sum(1 for k in sort.kinds if k.slots)

    def choices(self, asked: tuple[int, ...]) -> Sequence[Choice]:
        if asked not in self._choices:
            some = self._by_count.get(sum(asked), ())
            self._choices[asked] = _for_levels(self.sort, some, _above(asked)) if len(asked) > 1 else some
        return self._choices[asked]

    def ideal(self, asked: tuple[int, ...]) -> tuple[float, ...]:
        """What is no worse than any of them in any respect; of infinite cost where there is none."""
        if asked not in self._ideal:
            above = _above(asked)
            some = [c.worth for c in self._by_count.get(sum(asked), ()) if covers(c.above, above)]
            nothing = nothing_of(self.fitted)
            self._ideal[asked] = tuple(map(min, zip(*some, strict=True))) if some else (inf, *nothing[1:])
            if not any(asked):
                self._ideal[asked] = nothing
        return self._ideal[asked]


def _above(asked: tuple[int, ...]) -> tuple[int, ...]:
    """How many of what is wanted are of each level above the lowest, or of a higher one."""
    return tuple(sum(asked[i:]) for i in range(1, len(asked)))


def _for_levels(of: Sort, choices: Sequence[Choice], above: Sequence[int]) -> list[Choice]:
    """Of choices those that have so many modules for each level above the lowest. What they have beyond is no matter, unless some are
    fitted: what is rated higher than its slot wants may stay there if others serve where it is wanted."""
    may_stay = any(k.slots and level for k, level in zip(of.kinds, of.levels, strict=True))
    return unbeaten_choices([c for c in choices if covers(c.above, above)], above=may_stay)


def unbeaten_choices(choices: Sequence[Choice], above: bool = True) -> list[Choice]:
    """Choices that no other beats; of those that are the same in every respect the first."""
    kept: list[Choice] = []
    # What beats another comes before it, so that each is only held against those before.
    for c in sorted(choices, key=lambda c: (c.worth, [-n for n in c.above] if above else ())):
        if not any(x.beats(c, above) for x in kept):
            kept.append(c)
    return kept


class Lists:
    """The choices for each way to want something of a sort, laid end to end."""

    def __init__(self, of: ChoicesOf, ways: Sequence[tuple[int, ...]]) -> None:
        lists = [of.choices(way) for way in ways]
        #: What each choice is worth, by columns; the last one is nothing.
        self.worth = columns_of([*(c.worth for each in lists for c in each), nothing_of(of.fitted)], of.fitted)
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
