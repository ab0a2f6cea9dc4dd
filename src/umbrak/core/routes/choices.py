"""The choices of a sort by what its slots want, and lists of them by columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from umbrak.core.routes.dominance import Rows, distinct_rows
from umbrak.core.routes.purchase import Choice, for_levels
from umbrak.core.routes.space import Sort

#: Ways to want something of a sort that are told apart by a table of all of them.
_MOST_WANTS = 100_000


class ChoicesOf:
    """The choices of a sort by what its slots want: how many of them are of each of its levels."""

    def __init__(self, sort: Sort, by_count: Mapping[int, Sequence[Choice]]) -> None:
        self.sort, self._by_count = sort, by_count
        self._choices: dict[tuple[int, ...], Sequence[Choice]] = {}
        self._ideal: dict[tuple[int, ...], Sequence[Choice]] = {}

    def choices(self, asked: tuple[int, ...]) -> Sequence[Choice]:
        if asked not in self._choices:
            above = tuple(sum(asked[i:]) for i in range(1, len(asked)))
            some = self._by_count.get(sum(asked), ())
            self._choices[asked] = for_levels(self.sort, some, above) if above else some
        return self._choices[asked]

    def ideal(self, asked: tuple[int, ...]) -> Sequence[Choice]:
        """One that is no worse than any of them in any respect, where there are any."""
        if asked not in self._ideal:
            some = self.choices(asked)
            self._ideal[asked] = [_at_best(some)] if some else ()
        return self._ideal[asked]


class Lists:
    """Lists of choices of one sort, laid end to end. `none`: of each, whether nothing is wanted."""

    def __init__(self, lists: Sequence[Sequence[Choice]], none: NDArray[np.bool_], fitted: int) -> None:
        flat = [c for each in lists for c in each]
        self.none = none
        self.lengths = np.array([len(each) for each in lists], np.int64)
        self.starts = np.cumsum(self.lengths) - self.lengths
        self.cost = np.array([c.cost for c in flat], np.float64)
        self.fine = np.array([c.fine for c in flat], np.float64)
        self.rated = np.array([c.rated for c in flat], np.float64)
        self.pulled = np.array([c.pulled for c in flat], np.float64)
        self.fitted = np.array([c.fitted for c in flat], np.int64).reshape(len(flat), fitted)

    def expand(self, which: Rows) -> tuple[Rows, Rows]:
        """(row, choice) for every choice of the list of every row; a row that wants nothing appears once, with -1; one for which
        there is none not at all."""
        lengths = np.where(self.none[which], 1, self.lengths[which])
        row = np.repeat(np.arange(len(which)), lengths)
        within = np.arange(len(row)) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        return row, np.where(self.none[which[row]], -1, self.starts[which[row]] + within)


def wants_of(counts: Rows) -> tuple[Rows, Rows]:
    """(what rows may want of the classes of a sort, which of them each row wants)."""
    most = counts.max(axis=0, initial=0) + 1
    if len(most) == 1:
        return np.arange(most[0])[:, None], counts[:, 0]
    if most.prod(dtype=np.float64) > _MOST_WANTS:
        return distinct_rows(counts)
    asked = np.ravel_multi_index(tuple(counts.T), tuple(most.tolist()))
    there = np.bincount(asked) > 0
    return np.column_stack(np.unravel_index(np.flatnonzero(there), tuple(most.tolist()))), (np.cumsum(there) - 1)[asked]


def _at_best(choices: Sequence[Choice]) -> Choice:
    """No worse than any of them in any respect."""
    return Choice(
        cost=min(c.cost for c in choices),
        fine=max(c.fine for c in choices),
        rated=max(c.rated for c in choices),
        pulled=min(c.pulled for c in choices),
        fitted=tuple(map(max, *(c.fitted for c in choices))) if len(choices) > 1 else choices[0].fitted,
        above=(),
        takes=(),
    )
