"""The search: designs times purchases as rows of bounds, of which those that nothing beats are weighed.

    designs of each unit  ->  combined over units  ->  x choices of kinds, policy by policy  =  rows
    a row's key is never worse than what the layout it stands for turns out to be, so:

        repeat   front = rows and weighed layouts that nothing beats
                 weigh every row of the front        (its layout stops, breaks a wish, or gets its true key)
        until    the front holds weighed layouts only

    What is left is the frontier: whatever was never weighed is beaten by something that was.

Nothing is thrown away on the strength of a bound that turned out wrong: a row that hid others leaves the table when it
is weighed, and those it hid come forward.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import islice
from math import inf
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from umbrak.core.evidence.belief import reach_at_best
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.routes.bound import least_cost
from umbrak.core.routes.choices import Wants
from umbrak.core.routes.columns import Combined, Options
from umbrak.core.routes.designs import UnitDesign, UnitSearch
from umbrak.core.routes.dominance import Rows, beaten_by, distinct_rows, least_first, unbeaten
from umbrak.core.routes.least_mixed import LeastMixed, as_they_are, least_mixed
from umbrak.core.routes.material import mills
from umbrak.core.routes.openers import neighbours, openers
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.purchase import Shop, log_of
from umbrak.core.routes.space import Space
from umbrak.core.routes.table import RowList, Sums, Table
from umbrak.core.routes.units import Unit, units_of
from umbrak.core.routes.weighing import Key, Scales, Weighed

#: Combinations of designs held before they are looked at with every choice of kinds.
_MOST_COMBINED = 100_000
#: Rows of bounds held before those that nothing beats are weighed.
_MOST_ROWS = 400_000
#: Up to so many slots nothing is gained by looking at layouts of few kinds first.
_SMALL = 4
#: Layouts near to what is fitted that are weighed before uneven ones are searched.
_NEARBY = 400
#: Layouts that are tried at first, and the share of the time that they may take.
_OPENINGS, _OPENING_SHARE = 30, 0.15
#: Share of the time after which nothing but what was found is weighed.
_LAST = 0.8
#: Share of the time that is left in which designs are made: the rest is for what comes of them.
_DESIGN_SHARE = 0.6
#: Designs of one unit; more are left out, and said to be.
_MOST_DESIGNS = 100_000


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a search has come."""

    seconds: float
    #: Rows of bounds made, and layouts weighed.
    rows: int
    weighed: int
    #: Routes so far, and the least cost among them in mills.
    routes: int
    cheapest: int | None


@dataclass(frozen=True)
class Found:
    """The frontier, or what of it was found in time."""

    #: Cheapest first.
    routes: tuple[Weighed, ...]
    #: Whether nothing was left out.
    proved: bool
    #: How far the cheapest route may be above the cheapest there is, as a share of its cost; None without a route.
    gap: float | None
    weighed: int
    seconds: float
    #: Whether anything may have been left out only since it leaves less bandwidth than there is now.
    slower: bool = False


def search(
    problem: Problem,
    seconds: float | None = None,
    report: Callable[[Progress], None] = lambda _: None,
    stopped: Callable[[], bool] = lambda: False,
    first: bool = False,
) -> Found:
    """The routes that no other beats in cost, trouble, sustained bandwidth, usable capacity, free slots and touches.

    Parameters
        seconds   after which it ends with what it has; None = when all is done
        report    is told now and then how far it has come
        stopped   asked now and then whether somebody wants it to end
        first     whether one route, whichever, is enough
    """
    return _Search(problem, seconds, report, stopped, first).run()


class _Search:
    def __init__(
        self,
        problem: Problem,
        seconds: float | None,
        report: Callable[[Progress], None],
        stopped: Callable[[], bool],
        first: bool,
    ) -> None:
        self.problem = problem
        self.first = first
        self.scales = Scales(problem)
        self.space = Space(problem, self.scales.kinds)
        self.started, self.seconds = monotonic(), seconds
        self.report, self.stopped = report, stopped
        self.shop = Shop(problem, self.space, self.scales, self._over)
        #: Key -> the layout of that key that wins among its equals.
        self.known: dict[Key, Weighed] = {}
        #: The least that any costs, to the mill: steps hide nothing behind the name "cheapest".
        self.cheapest: Weighed | None = None
        self.weighed = 0
        self.rows = 0
        self.complete = True
        self.slower = False
        self._totals: dict[float, float] = {}
        #: What nothing weighed beats, and how many had been weighed when that was found.
        self._best: Rows = np.empty((0, 6), np.int64)
        self._front_of = 0

    def run(self) -> Found:
        least = self._least() if self.first else 0
        if least is None:
            return Found(routes=(), proved=True, gap=None, weighed=0, seconds=monotonic() - self.started)
        if self.first or self.seconds is not None:
            self._first()
        # Layouts of few kinds first: they are few, mostly what is wanted, and beat most of the rest.
        small = len(self.scales.live_slots) <= _SMALL
        for even in (True, False) if self.problem.wishes.uneven else (True,):
            if not even and not small:
                self._nearby()
            for pure in (False,) if small else (True, False):
                self._phase(even, pure)
        routes = sorted(self._with_cheapest(), key=lambda w: (w.measures.cost, w.measures.key(self.problem.steps)))
        gap = 0.0 if routes else None
        if routes and not self.complete:
            least, best = self._least() or 0, routes[0].measures.cost
            gap = max(0.0, (best - least) / best) if best else 0.0
        return Found(
            routes=tuple(routes),
            proved=self.complete,
            gap=gap,
            weighed=self.weighed,
            seconds=monotonic() - self.started,
            slower=self.slower,
        )

    def _with_cheapest(self) -> list[Weighed]:
        """What nothing beats, and what is cheaper than all of it, by however little."""
        front, cheapest = list(self._front().values()), self.cheapest
        if cheapest and all(w.measures.cost > cheapest.measures.cost for w in front):
            front.append(cheapest)
        return front

    def _least(self) -> int | None:
        """A lower bound on what any route costs; None where there can be none."""
        least = least_cost(self.problem, self.scales.kinds, len(self.scales.live_slots))
        budget = self.problem.wishes.budget
        return None if least is None or (budget is not None and least > mills(budget)) else least

    def _over(self, share: float = _LAST) -> bool:
        """Whether there is no more time. The last of it is for weighing what was found."""
        late = self.seconds is not None and monotonic() - self.started > self.seconds * share
        if late or self.stopped() or (self.first and self.known):
            self.complete = False
            return True
        return False

    def _tell(self) -> None:
        cheapest = self.cheapest.measures.cost if self.cheapest else None
        self.report(Progress(monotonic() - self.started, self.rows, self.weighed, len(self.known), cheapest))

    def least_known(self) -> float:
        return self.cheapest.measures.cost if self.cheapest else inf

    # -- designs and their combinations ---------------------------------------------------------------

    def _first(self) -> None:
        """Weigh what a hand would try first, so that there is something to show."""

        def over() -> bool:
            # However little time there is, one is weighed.
            return self.weighed > 0 and self._over(_OPENING_SHARE)

        for layout in islice(openers(self.problem, self.scales, self.space, over), _OPENINGS):
            self.take(layout)
        self.complete = True  # it is not the search that ended

    def _nearby(self) -> None:
        """Weigh those of all uneven layouts that are most asked for."""
        for layout in islice(neighbours(self.problem, self.scales, self.space), _NEARBY):
            if self._over():
                return
            self.take(layout)

    def _phase(self, even: bool, pure: bool) -> None:
        units = units_of(self.space, even)
        designs = self._designs(units, even, pure)
        self._merged_astray = False
        least = {id(ds): least_mixed(ds, self.space.classes, self.shop) for ds in designs}
        self._walk(units, [least[id(ds)] for ds in designs], even, merging=True)
        if self._merged_astray:
            self._walk(units, [as_they_are(ds) for ds in designs], even, merging=False)

    def _walk(self, units: Sequence[Unit], of: Sequence[LeastMixed], even: bool, merging: bool) -> None:
        """Every combination of designs once, without kinds; those that nothing weighed beats at best with every choice of kinds."""
        designs = [x.designs for x in of]
        sums = Sums(self.space, designs)
        ideal = Table(self, units, designs, self.shop.anything, sums)
        parts: list[Combined] = []
        for chunk in self._combined(ideal, [x.stands_for_more for x in of], even, merging):
            parts.append(chunk.only(ideal.may(chunk)))
            if sum(len(p.picks) for p in parts) > _MOST_COMBINED:
                self._with_kinds(ideal, sums, parts)
                parts = []
            if self._over():
                break
        self._with_kinds(ideal, sums, parts)

    def _with_kinds(self, ideal: Table, sums: Sums, parts: Sequence[Combined]) -> None:
        if not parts:
            return
        combined, rows = Combined.all_of(parts), RowList()
        wants, dearest = Wants(self.space.sorts, combined.sums.counts), ideal.dearest(combined)
        for policy in self.shop.policies:
            if self._over():
                break
            table = Table(self, ideal.units, ideal.designs, policy, sums)
            here = combined.only(table.least_cost(wants) < dearest)
            for part in here.in_parts(np.ones(int(here.shared.max(initial=0)) + 1, np.int64)):
                if self._over():
                    break
                table.add(part.only(np.flatnonzero(table.may(part))), rows)
                if rows.count > _MOST_ROWS:
                    self._settle(rows)
                    rows = RowList()
            self._tell()
        self._settle(rows)

    def _designs(self, units: Sequence[Unit], even: bool, pure: bool) -> list[list[UnitDesign]]:
        """The designs of each unit; units that are alike share them."""
        made: dict[object, list[UnitDesign]] = {}
        for unit in units:
            if unit.alike not in made:
                found: list[UnitDesign] = []
                until = self._until(_DESIGN_SHARE, found)
                for design in UnitSearch(self.space, unit, even, pure).designs(until):
                    found.append(design)
                    if len(found) >= _MOST_DESIGNS:
                        self.complete = False
                        break
                if even and (self.space.sizeless or any(self.problem.layout.get(s) is UNKNOWN for s in unit.slots)):
                    found += self._over_unknown(unit, pure, set(found))
                made[unit.alike] = found
        return [made[u.alike] for u in units]

    def _until(self, share: float, found: Sequence[UnitDesign]) -> Callable[[], bool]:
        """Whether a share of the time that is left now has passed; as long as nothing is found, all of it."""
        passed = 0.0 if self.seconds is None else (monotonic() - self.started) / max(self.seconds, 1e-9)
        part = passed + max(_LAST - passed, 0.0) * share
        return lambda: self._over(part if found else _LAST)

    def _over_unknown(self, unit: Unit, pure: bool, known: set[UnitDesign]) -> list[UnitDesign]:
        """Designs that hold what nobody knows, or of what size: it decides nothing, so neither the order nor level channels bind its
        unit; what of them is against an order all the same is refused when it is weighed."""
        if self.problem.sheet.evens:
            # What sockets must have in common is not known of one that holds it: such layouts are left out, and it is said.
            self.complete = False
            return []
        unknown = [s for s in unit.slots if self.problem.layout.get(s) is UNKNOWN]
        found: list[UnitDesign] = []
        until = self._until(_DESIGN_SHARE, found)
        for design in self._holding(unit, unknown, pure, until):
            loose = replace(design, shared=(False,))
            if loose not in known:
                found.append(loose)
            if len(found) >= _MOST_DESIGNS:
                self.complete = False
                break
        return found

    def _holding(
        self, unit: Unit, unknown: Sequence[str], pure: bool, until: Callable[[], bool]
    ) -> Iterator[UnitDesign]:
        """Every design, by no order, that holds some of what nobody knows, or of what size; once."""
        # Each slot that stays, without those before it.
        for i, slot in enumerate(unknown):
            stays = {**dict.fromkeys(unknown[:i], False), slot: True}
            yield from UnitSearch(self.space, unit, False, pure, stays).designs(until)
        sizeless = self.space.sizeless
        for design in (
            UnitSearch(self.space, unit, False, pure, dict.fromkeys(unknown, False)).designs(until) if sizeless else ()
        ):
            if any(c in sizeless for c in design.classes):
                yield design

    def _combined(
        self, table: Table, stand: Sequence[NDArray[np.bool_]], even: bool, merging: bool
    ) -> Iterator[Combined]:
        """Every combination of the units' designs, in chunks.

        Combinations that come to the same in every column (they only differ in which unit holds what) are one row
        when `merging`. Should such a row turn out worse than its bound, one of those it stands for might not: then
        the walk is repeated without merging.
        """
        ids: dict[object, int] = {}
        shared = [
            np.array([ids.setdefault(d.shared if even else (), len(ids)) for d in ds], np.int64) for ds in table.designs
        ]
        options = []
        for unit, a, of, more in zip(table.units, table.arrays, shared, stand, strict=True):
            rows: Rows = np.arange(len(of))
            if even and self.space.unsure.issuperset(unit.sockets):
                # An empty one whose processors nobody knows goes with whatever the others have in common.
                rows, of = _with_any(rows, of, np.flatnonzero(a.filled == 0), len(ids))
            options.append(Options(a, rows, of, len(ids), more))
        first = options[0]
        so_far = Combined(
            first.rows[:, None], table.arrays[0].of(first.rows), first.shared, first.stands_for_more[first.rows]
        )
        for i, option in enumerate(options[1:], start=1):
            last = i == len(options) - 1
            alike = [j for j in range(i) if table.units[j].alike == table.units[i].alike]
            grown = []
            for part in so_far.in_parts(option.lengths):
                joined = self._may_live(part.times(option))
                # Of combinations of more units those that stand for others may be in any order.
                if alike and (not merging or i == 1):
                    joined = joined.only(joined.picks[:, alike[-1]] <= joined.picks[:, i])
                joined = joined.merged() if merging else joined
                if last:
                    yield joined
                else:
                    grown.append(joined)
                if self._over():
                    return
            if not last:
                so_far = Combined.all_of(grown) if grown else so_far.only(np.zeros(0, np.int64))
                so_far = so_far.merged() if merging and len(grown) > 1 else so_far
        if len(options) == 1:
            yield from so_far.in_parts(np.ones(len(ids), np.int64))

    def _may_live(self, combined: Combined) -> Combined:
        """Those without classes that may not live in one machine: units are designed each by itself."""
        if not self._apart.any():
            return combined
        holds = combined.sums.counts > 0
        return combined.only(np.flatnonzero(~(holds & (holds @ self._apart)).any(axis=1)))

    @cached_property
    def _apart(self) -> NDArray[np.bool_]:
        """Whether modules of two classes may not live in one machine."""
        n = range(len(self.space.classes))
        return np.array([[not self.space.together(i, j) for j in n] for i in n], bool).reshape(len(n), len(n))

    # -- weighing -------------------------------------------------------------------------------------

    def _settle(self, rows: RowList) -> None:
        """Weigh rows until nothing that is not weighed is left that nothing beats."""
        if not rows.parts:
            return
        keys = np.concatenate([p.keys for p in rows.parts])
        starts = np.cumsum([0, *(len(p.keys) for p in rows.parts)])
        distinct, group = distinct_rows(keys)
        cost = np.concatenate([p.cost for p in rows.parts])
        order = np.lexsort((cost, group))
        ends = np.searchsorted(group[order], np.arange(len(distinct) + 1))
        #: Per distinct key: how many of its rows have been weighed.
        done = np.zeros(len(distinct), np.int64)
        open_ = np.ones(len(distinct), bool)
        while open_.any():
            candidates = np.flatnonzero(open_)
            beaten = self.beaten(distinct[candidates])
            # Of those that are beaten only one that is cheaper than all, the cheapest first.
            least = cost[order[ends[candidates] + done[candidates]]]
            cheaper = least < self.least_known()
            open_[candidates[beaten & ~cheaper]] = False
            front = candidates[~beaten]
            front = front[unbeaten(distinct[front])]
            if cheaper.any():
                front = np.unique(np.append(front, candidates[np.argmin(least)]))
            for g in front:
                if self._over(1.0):
                    return
                i = int(order[ends[g] + done[g]])
                n = int(np.searchsorted(starts, i, "right")) - 1
                part, at = rows.parts[n], i - int(starts[n])
                key = self.take(part.table.layout(part.picks[at], part.taken[at]))
                # It may be better than its row: another row of a higher level stands for it too.
                if part.merged[at] and (key is None or any(a > b for a, b in zip(key, keys[i].tolist(), strict=True))):
                    self._merged_astray = True
                done[g] += 1
                open_[g] = done[g] < ends[g + 1] - ends[g]
                self._tell()

    def beaten(self, keys: Rows) -> NDArray[np.bool_]:
        """Whether a layout that has been weighed is at least as good."""
        return beaten_by(keys, self._unbeaten())

    def _unbeaten(self) -> Rows:
        """Keys of what was weighed that nothing weighed beats."""
        if self._front_of != len(self.known):
            known = np.array(list(self.known), np.int64).reshape(-1, self._best.shape[1])
            self._best, self._front_of = known[unbeaten(known)], len(self.known)
        return self._best

    def dearest(self, keys: Rows) -> NDArray[np.float64]:
        """Of each key the least cost, in steps, of what was weighed and beats it in all else; infinite where nothing does."""
        return least_first(keys, self._unbeaten())

    def take(self, layout: Layout) -> Key | None:
        """Weigh a layout and keep it if it may be had; its key, or None."""
        self.weighed += 1
        w = self.scales.weigh(layout)
        if w.stops or w.breaks or not any(isinstance(m, Module) for m in self._all_modules(layout)):
            return None
        key = w.measures.key(self.problem.steps)
        before = self.known.get(key)
        if before is None or (w.measures.cost, w.parts) < (before.measures.cost, before.parts):
            self.known[key] = w
        if self.cheapest is None or w.measures.cost < self.cheapest.measures.cost:
            self.cheapest = w
        return key

    def _all_modules(self, layout: Layout) -> Iterator[Occupant]:
        """What the machine would hold: nobody plans a machine without any memory."""
        yield from layout.values()
        yield from (c.soldered for c in self.problem.sheet.channels.values() if c.soldered)

    def _front(self) -> dict[Key, Weighed]:
        keys = list(self.known)
        if not keys:
            return {}
        keep = unbeaten(np.array(keys, np.int64))
        return {k: self.known[k] for k, kept in zip(keys, keep, strict=True) if kept}

    def log_reach(self, total: float) -> float:
        """Log of the chance that so much runs, at best, whatever the layout: what hangs on its sockets, channels and slots
        is left to the weighing."""
        if total not in self._totals:
            p, scales = self.problem, self.scales
            chance = reach_at_best(scales.board, scales.reach_at_best, total, p.trials, p.today, p.table)
            self._totals[total] = log_of(chance)
        return self._totals[total]


def _with_any(rows: Rows, shared: Rows, of: Rows, ids: int) -> tuple[Rows, Rows]:
    """(rows, what each shares), with each of some rows once for whatever may be shared."""
    others = np.setdiff1d(rows, of)
    return np.concatenate([others, np.repeat(of, ids)]), np.concatenate(
        [shared[others], np.tile(np.arange(ids), len(of))]
    )
