"""Rows of bounds: combinations of designs with every choice of kinds, policy by policy, each with a key that is never worse
than what its layout turns out to be."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate
from math import inf, log
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from umbrak.core.evaluate import usable_gib
from umbrak.core.memory.module import alike
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.routes.choices import COST, DOUBT, FITTED, PULLED, RATED, Choice, Lists, Wants, columns_of, nothing_of
from umbrak.core.routes.columns import Arrays, Combined, arrays_of, mapped
from umbrak.core.routes.designs import UnitDesign
from umbrak.core.routes.dominance import Rows, distinct_rows
from umbrak.core.routes.material import mills
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.purchase import Policy, Shop
from umbrak.core.routes.space import EMPTY, Sort, Space
from umbrak.core.routes.units import Unit
from umbrak.core.routes.weighing import SLACK, Scales


class Against(Protocol):
    """What rows are laid against: the problem, and what was weighed so far."""

    problem: Problem
    space: Space
    shop: Shop
    scales: Scales
    #: Rows that were looked at; whether one was left out because it would be slower than now.
    rows: int
    slower: bool

    def beaten(self, keys: Rows) -> NDArray[np.bool_]:
        """Which keys something weighed beats."""

    def dearest(self, keys: Rows) -> NDArray[np.float64]:
        """Of each key the least of the first column, in steps, of what was weighed and beats it in the others; infinite where nothing does."""

    def least_known(self) -> float:
        """What the cheapest that was weighed costs; infinite where there is none. [mills]"""

    def log_reach(self, total: float) -> float:
        """Log of the probability at best that the machine runs so large a total. [GiB]"""


@dataclass(frozen=True)
class Part:
    """Rows of one table: their keys and costs, the designs picked, the choices taken, whether they stand for others too."""

    table: Table
    keys: Rows
    #: In mills, to the mill.
    cost: NDArray[np.float64]
    picks: Rows
    taken: Rows
    merged: NDArray[np.bool_]


class RowList:
    """Rows that nothing weighed so far beats."""

    def __init__(self) -> None:
        self.parts: list[Part] = []
        self.count = 0

    def append(self, part: Part) -> None:
        if len(part.keys):
            self.parts.append(part)
            self.count += len(part.keys)


class Sums:
    """What designs come to by columns, and the counts of each sort that those of all units together may come to."""

    def __init__(self, space: Space, designs: Sequence[Sequence[UnitDesign]]) -> None:
        arrays = {id(ds): arrays_of(space, ds) for ds in designs}
        self.arrays = [arrays[id(ds)] for ds in designs]
        # Where no order binds the counts any may come: then searches for layouts of few kinds and of all share their choices.
        free = None if space.sheet.fills else sum(len(d[0].classes) if d else 0 for d in designs)
        self.wanted = [
            self._wanted(s) if free is None else frozenset(range(1, min(s.most, free) + 1)) for s in space.sorts
        ]

    def _wanted(self, of: Sort) -> frozenset[int]:
        sums = {0}
        for a in self.arrays:
            here = np.unique(a.counts[:, list(of.classes)].sum(axis=1)).tolist()
            sums = {n + m for n in sums for m in here}
        return frozenset(n for n in sums if 0 < n <= of.most)


def _add(worth: NDArray[np.float64], more: NDArray[np.float64], place: int) -> None:
    """To what rows are worth what a choice of one sort adds to each, by columns. `place`: of its first fitted kind."""
    worth[COST] += more[COST]
    worth[DOUBT] += more[DOUBT]
    np.maximum(worth[RATED], more[RATED], out=worth[RATED])
    worth[PULLED] += more[PULLED]
    worth[FITTED + place : FITTED + place + len(more) - FITTED] = more[FITTED:]


class Table:
    """The rows of one policy: combinations of designs, with the choices of kinds for their classes."""

    def __init__(
        self,
        search: Against,
        units: Sequence[Unit],
        designs: Sequence[Sequence[UnitDesign]],
        policy: Policy,
        sums: Sums,
    ) -> None:
        self.search, self.units, self.designs, self.policy = search, units, designs, policy
        self.problem, self.space = search.problem, search.space
        self.arrays = sums.arrays
        #: Sort -> choices.
        self.choices = [search.shop.choices(policy, s, sums.wanted[s.index]) for s in self.space.sorts]

    def may(self, combined: Combined) -> NDArray[np.bool_]:
        """Whether combinations could be what nothing weighed beats, were there an ideal choice for every count."""
        keys, fits, cost = self._at_best(combined)
        found = np.zeros(len(keys), bool)
        found[self._open(keys, cost, fits)] = True
        return found

    def dearest(self, combined: Combined) -> NDArray[np.float64]:
        """What combinations must cost less than, whatever they are of, or something weighed beats them. [mills]"""
        keys, fits, _ = self._at_best(combined)
        dearest = np.full(len(keys), -inf)
        dearest[fits] = self.search.dearest(keys[fits]) * mills(self.problem.steps.money)
        return np.where(fits, np.maximum(dearest, self.search.least_known()), dearest)

    def least_cost(self, wants: Wants) -> NDArray[np.float64]:
        """What is wanted costs no less by this policy; infinite where it is not to be had. [mills]"""
        of_sorts = zip(self.choices, wants.ways, wants.which, strict=True)
        return sum(
            (np.array([of.ideal(way)[COST] for way in ways])[which] for of, ways, which in of_sorts), np.zeros(())
        )

    def _at_best(self, combined: Combined) -> tuple[Rows, NDArray[np.bool_], NDArray[np.float64]]:
        """Of every combination, were there an ideal choice for every count: its key, whether it may meet the wishes, its cost."""
        n_rows = len(combined.picks)
        worth, wants = self._nothing(n_rows), Wants(self.space.sorts, combined.sums.counts)
        for of, place, ways, which in zip(self.choices, self._places, wants.ways, wants.which, strict=True):
            if any(map(any, ways)):
                ideal = columns_of([of.ideal(way) for way in ways], of.fitted)
                _add(worth, ideal[:, which], place)
        self.search.rows += n_rows
        return *self._keys(combined.sums, np.arange(n_rows), worth), worth[COST]

    def _open(self, keys: Rows, cost: NDArray[np.float64], fits: NDArray[np.bool_]) -> Rows:
        """Rows that nothing weighed beats, or that may be cheaper than all of it."""
        keep = np.flatnonzero(fits)
        distinct, group = distinct_rows(keys[keep])
        return keep[~self.search.beaten(distinct)[group] | (cost[keep] < self.search.least_known())]

    def add(self, combined: Combined, into: RowList) -> None:
        """Bounds of these combinations with every choice of kinds, without those that a wish rules out or that
        something weighed beats."""
        row, keys, cost, fits, taken = self._rows(combined)
        keep = self._open(keys, cost, fits)
        into.append(
            Part(
                table=self,
                keys=keys[keep],
                cost=cost[keep],
                picks=combined.picks[row[keep]],
                taken=taken[keep],
                merged=combined.merged_rows[row[keep]],
            )
        )

    def _rows(self, combined: Combined) -> tuple[Rows, Rows, NDArray[np.float64], NDArray[np.bool_], NDArray[np.int16]]:
        """Of every combination with every choice: which combination, its key and its cost at best, whether it may meet the wishes, the
        choice of each sort."""
        total, n_rows = combined.sums, len(combined.picks)
        taken = np.full((n_rows, len(self.choices)), -1, np.int16)
        worth, row = self._nothing(n_rows), np.arange(n_rows)
        wants = Wants(self.space.sorts, total.counts)
        for of, place, ways, which in zip(self.choices, self._places, wants.ways, wants.which, strict=True):
            if any(map(any, ways)):
                lists = Lists(of, ways)
                row_of, choice, at = lists.expand(which[row])
                row, worth, taken = row[row_of], worth[:, row_of], taken[row_of]
                _add(worth, lists.worth[:, choice], place)
                taken[:, of.sort.index] = at
        self.search.rows += len(row)
        keys, fits = self._keys(total, row, worth)
        return row, keys, worth[COST], fits, taken

    def _nothing(self, rows: int) -> NDArray[np.float64]:
        """What rows are worth without any module, by columns as in `Choice.worth`."""
        return np.repeat(columns_of([nothing_of(len(self.space.fitted))], len(self.space.fitted)), rows, axis=1)

    @cached_property
    def _places(self) -> Sequence[int]:
        """Of each sort where its fitted kinds begin among those of all."""
        return [0, *accumulate(of.fitted for of in self.choices)][:-1]

    def _keys(self, total: Arrays, row: Rows, worth: NDArray[np.float64]) -> tuple[Rows, NDArray[np.bool_]]:
        """The key of each row at best, and whether it may meet the wishes."""
        cost, fine, rated, pulled = worth[COST], -worth[DOUBT], -worth[RATED], worth[PULLED]
        fitted = -worth[FITTED:].T
        problem, space, wishes = self.problem, self.space, self.problem.wishes
        installed = total.gib
        usable = mapped(installed, lambda g: usable_gib(problem.sheet, problem.machine, g, g))[row]
        if self.policy.fitted_only:
            trouble = doubted = np.zeros(len(row))
        else:
            comes = total.filled[row] - fitted.sum(axis=1)
            untold = np.where(comes > 0, self.search.shop.untold.at_best(total)[row], 0.0)
            runs = fine + mapped(installed, self.search.log_reach)[row] + self.policy.fine + untold
            doubted = 1 - np.exp(runs)
            new, used = log(1 - problem.table["early.new"]), log(1 - problem.table["early.pulled"])
            trouble = 1 - np.exp(runs + (comes - pulled) * new + pulled * used)
            if self.policy.may_be_fitted:
                trouble[comes <= 0] = doubted[comes <= 0] = 0
        if space.one_rate:
            rate = mapped(np.minimum(rated, total.reach[row]), space.floored)
            rate[np.isinf(rate)] = 0
        else:
            rate = np.minimum(mapped(rated, space.floored), 1.0)
        sustained = total.per_mts[row] * rate
        live = len(self.search.scales.live_slots)
        free = live - total.filled[row]
        kept = np.minimum(fitted, total.kept[row]).sum(axis=1)
        touches = len(problem.layout) + total.filled[row] - 2 * kept
        steps = problem.steps
        fits = np.isfinite(cost)
        if wishes.usable_gib is not None:
            fits &= usable >= wishes.usable_gib - SLACK
        if wishes.budget is not None:
            fits &= cost <= mills(wishes.budget)
        if wishes.free_slots is not None:
            fits &= free >= wishes.free_slots
        if wishes.rate_mts is not None and space.one_rate:
            fits &= rate >= wishes.rate_mts
        if wishes.top_trouble is not None:
            fits &= doubted <= wishes.top_trouble + 1e-9
        now = self.search.scales.now
        if not wishes.less_memory:
            fits &= usable >= now.usable_gib - SLACK
        if wishes.keep_fitted:
            fits &= (fitted >= np.array([k.fitted for k in space.fitted], np.int64)).all(axis=1)
        if not wishes.less_bandwidth:
            # Sockets are told to a thousandth.
            as_fast = sustained + 0.001 * len(space.live) >= now.sustained_gbs - SLACK
            self.search.slower |= bool((fits & ~as_fast).any())
            fits &= as_fast
        keys = np.stack(
            [
                np.where(fits, cost, 0) // mills(steps.money),
                np.floor(np.round(trouble / steps.probability, 6)),
                # Sockets are told to a thousandth.
                -np.floor(np.round((sustained + 0.001 * len(space.live)) / steps.gbs, 6)),
                -np.floor(np.round(usable / 0.0001, 6)),
                -free,
                touches,
            ],
            axis=1,
        )
        return np.where(np.isfinite(keys), keys, 0).astype(np.int64), fits

    def layout(self, picks: Rows, taken: Rows) -> Layout:
        """The layout that a row stands for: kinds in the slots of their classes, fitted ones where they are."""
        classes: dict[str, int] = {}
        for unit, designs, pick in zip(self.units, self.designs, picks, strict=True):
            classes |= {s: c for s, c in zip(unit.slots, designs[pick].classes, strict=True) if c != EMPTY}
        slots: dict[str, Occupant] = {}
        for of in self.choices:
            level = {c: i for i, c in enumerate(of.sort.classes)}
            here = {s: level[c] for s in self.problem.sheet.slots if (c := classes.get(s, EMPTY)) in level}
            if here:
                counts = Counter(here.values())
                choice = of.choices(tuple(counts[i] for i in level.values()))[taken[of.sort.index]]
                slots |= self._deal(of.sort, here, choice)
        return Layout(slots)

    def _deal(self, of: Sort, slots: Mapping[str, int], choice: Choice) -> Mapping[str, Occupant]:
        """Modules of the kinds chosen into the slots of a sort, each of a level of the sort; those that can stay do, where opening
        ends the warranty before elsewhere."""
        now, sheet = self.problem.layout, self.problem.sheet
        left = {k.index: n for k, n in ((k, dict(choice.takes).get(k.index, 0)) for k in of.kinds)}
        its = {k.index: level for k, level in zip(of.kinds, of.levels, strict=True)}
        #: Level -> modules rated for it beyond what the slots of it and of higher ones want.
        over = [
            sum(n for k, n in left.items() if its[k] >= i) - sum(level >= i for level in slots.values())
            for i in range(len(of.classes))
        ]
        dealt: dict[str, Occupant] = {}
        by_slot = {s: k for k in of.kinds for s in k.slots}

        def order(slot: str) -> tuple[int, int, bool]:
            # What uses up least of what is rated higher than it need be.
            way = sheet.way_to(slot)
            return its[by_slot[slot].index], -slots[slot], not (way and way.ends_warranty)

        for slot in sorted((s for s in slots if s in by_slot and its[by_slot[s].index] >= slots[s]), key=order):
            kind = by_slot[slot]
            wasted = range(slots[slot] + 1, its[kind.index] + 1)
            if left[kind.index] and all(over[i] for i in wasted):
                dealt[slot] = now[slot]
                left[kind.index] -= 1
                for i in wasted:
                    over[i] -= 1
        spare = {k.index: [now[s] for s in k.slots if s not in dealt] for k in of.kinds}
        rest = sorted((s for s in slots if s not in dealt), key=lambda s: -slots[s])
        for kind in sorted(of.kinds, key=lambda k: -its[k.index]):
            for _ in range(left[kind.index]):
                fresh: Occupant = alike(kind.module) if kind.module else UNKNOWN
                dealt[rest.pop(0)] = spare[kind.index].pop(0) if spare[kind.index] else fresh
        return dealt
