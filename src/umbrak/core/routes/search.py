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

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations_with_replacement, product
from math import inf, log
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from umbrak.core.evaluate import findings_of_rule, usable_gib
from umbrak.core.evidence.claims import ABOUT_TOTAL, OF_FINDING, claims_about
from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.routes.bound import least_cost
from umbrak.core.routes.designs import EMPTY, KindClass, Space, Unit, UnitDesign, UnitSearch
from umbrak.core.routes.material import mills
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.purchase import Choice, Policy, Shop
from umbrak.core.routes.weighing import Key, Scales, Weighed
from umbrak.core.rules.finding import Severity

#: Rows of bounds held at once; more are left out, and said to be. [rows]
_MOST_ROWS = 1_500_000
_MOST_DESIGNS = 120_000

Rows = NDArray[np.int64]


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


def search(
    problem: Problem,
    seconds: float | None = None,
    report: Callable[[Progress], None] = lambda _: None,
    stopped: Callable[[], bool] = lambda: False,
) -> Found:
    """The routes that no other beats in cost, trouble, sustained bandwidth, usable capacity, free slots and touches.

    Parameters
        seconds   after which it ends with what it has; None = when all is done
        report    is told now and then how far it has come
        stopped   asked now and then whether somebody wants it to end
    """
    return _Search(problem, seconds, report, stopped).run()


class _Search:
    def __init__(
        self,
        problem: Problem,
        seconds: float | None,
        report: Callable[[Progress], None],
        stopped: Callable[[], bool],
    ) -> None:
        self.problem = problem
        self.scales = Scales(problem)
        self.space = Space(problem, self.scales.kinds)
        self.shop = Shop(problem, self.space, self.scales)
        self.started, self.seconds = monotonic(), seconds
        self.report, self.stopped = report, stopped
        #: Key -> the layout of that key that wins among its equals.
        self.known: dict[Key, Weighed] = {}
        self.weighed = 0
        self.rows = 0
        self.complete = True
        self._totals: dict[float, float] = {}

    def run(self) -> Found:
        for even in (True, False) if self.problem.wishes.uneven else (True,):
            self._phase(even)
        routes = sorted(self._front().values(), key=lambda w: (w.measures.cost, w.measures.key(self.problem.steps)))
        gap = 0.0 if routes else None
        if routes and not self.complete:
            least = least_cost(self.problem, self.scales.kinds, len(self.scales.live_slots))
            best = routes[0].measures.cost
            gap = max(0.0, (best - least) / best) if best else 0.0
        return Found(tuple(routes), self.complete, gap, self.weighed, monotonic() - self.started)

    def _over(self) -> bool:
        late = self.seconds is not None and monotonic() - self.started > self.seconds
        if late or self.stopped():
            self.complete = False
            return True
        return False

    def _tell(self) -> None:
        cheapest = min((w.measures.cost for w in self.known.values()), default=None)
        self.report(Progress(monotonic() - self.started, self.rows, self.weighed, len(self.known), cheapest))

    # -- designs and their combinations ---------------------------------------------------------------

    def _phase(self, even: bool) -> None:
        units = self.space.units(even)
        designs = self._designs(units, even)
        for policy in self.shop.policies():
            table = _Table(self, units, designs, policy)
            for chunk in self._combined(units, designs, policy, even):
                if self._over():
                    return
                table.add(chunk)
            table.settle()
            self._tell()

    def _designs(self, units: Sequence[Unit], even: bool) -> list[list[UnitDesign]]:
        """The designs of each unit; units that are alike share them."""
        made: dict[object, list[UnitDesign]] = {}
        for unit in units:
            if unit.alike not in made:
                found: list[UnitDesign] = []
                for design in UnitSearch(self.space, unit, even).designs(lambda: self._over()):
                    found.append(design)
                    if len(found) >= _MOST_DESIGNS:
                        self.complete = False
                        break
                made[unit.alike] = found
        return [made[u.alike] for u in units]

    def _combined(
        self, units: Sequence[Unit], designs: Sequence[Sequence[UnitDesign]], policy: Policy, even: bool
    ) -> Iterator[Rows]:
        """Design numbers of each unit, a row a combination, in chunks."""
        usable = {c.index for c in self.space.classes if any(k.index in policy.kinds for k in c.kinds)}
        fits = [[i for i, d in enumerate(ds) if all(n == 0 or c in usable for c, n in enumerate(d.counts))] for ds in designs]
        # Units that are alike may change places: they are chosen in ascending order only.
        runs: list[list[int]] = []
        for i, u in enumerate(units):
            run = next((r for r in runs if units[r[0]].alike == u.alike), None)
            if run is None:
                runs.append([i])
            else:
                run.append(i)
        shared: dict[object, list[list[int]]] = {}
        for i, ds in enumerate(designs):
            for d in fits[i]:
                shared.setdefault(ds[d].shared, [[] for _ in units])[i].append(d)
        made, rows = 0, []
        for bucket in shared.values() if even else [fits]:
            for chosen in product(*(combinations_with_replacement(bucket[r[0]], len(r)) for r in runs)):
                row = [0] * len(units)
                for r, picks in zip(runs, chosen, strict=True):
                    for i, pick in zip(r, picks, strict=True):
                        row[i] = pick
                rows.append(row)
                if len(rows) >= 20_000:
                    made += len(rows)
                    yield np.array(rows, np.int64)
                    rows = []
                    if made >= _MOST_ROWS:
                        self.complete = False
                        return
        if rows:
            yield np.array(rows, np.int64)

    # -- weighing -------------------------------------------------------------------------------------

    def take(self, layout: Layout) -> Key | None:
        """Weigh a layout and keep it if it may be had; its key, or None."""
        self.weighed += 1
        w = self.scales.weigh(layout)
        if w.stops or w.breaks or not any(isinstance(m, Module) for m in self._all_modules(layout)):
            return None
        key = w.measures.key(self.problem.steps)
        before = self.known.get(key)
        if before is None or w.parts < before.parts:
            self.known[key] = w
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

    def log_fine_of_total(self, total: float) -> float:
        """Log of "fine" of the claims that so much in the machine leaves open whatever the layout; what is claimed of
        single sockets, channels or slots is left to the weighing."""
        if total not in self._totals:
            self._totals[total] = sum(_log(self.scales.belief(c).mean()) for c in self._claims_of_total(total))
        return self._totals[total]

    def _claims_of_total(self, total: float) -> Iterator[object]:
        p = self.problem
        now = sum((m.capacity_gib or 0) for m in self._all_modules(p.layout) if isinstance(m, Module))
        if total <= now:
            return
        sheet, statements = _machine_wide(p.sheet), tuple(s for s in p.statements if s.scope == "machine")
        slot = next(iter(self.scales.live_slots), None)
        if slot is None:
            return
        soldered = sum((c.soldered.capacity_gib or 0) for c in sheet.channels.values() if c.soldered)
        stand_in = Layout({slot: Module(capacity_gib=total - soldered)})
        for code, kind in OF_FINDING.items():
            if kind in ABOUT_TOTAL and any(
                f.severity is Severity.RISK for f in findings_of_rule(code, sheet, p.machine, stand_in, statements)
            ):
                yield from claims_about(kind, p.sheet, p.machine, total, ())


def _log(mean: float) -> float:
    return log(mean) if mean else -inf


def _machine_wide(sheet: Sheet) -> Sheet:
    """The sheet with only those statements that are about the machine as a whole."""

    def only(statements: Sequence[Statement]) -> tuple[Statement, ...]:
        return tuple(s for s in statements if s.scope == "machine" and s.capacity_gib is not None)

    processors = {n: replace(p, limits=only(p.limits)) for n, p in sheet.processors.items()}
    return replace(sheet, limits=only(sheet.limits), processors=processors, hash=f"{sheet.hash} machine-wide")


class _Table:
    """The rows of one policy: combinations of designs, with the choices of kinds for their classes."""

    def __init__(
        self, search: _Search, units: Sequence[Unit], designs: Sequence[Sequence[UnitDesign]], policy: Policy
    ) -> None:
        self.search, self.units, self.designs, self.policy = search, units, designs, policy
        self.problem, self.space = search.problem, search.space
        self.arrays = [_arrays(self.space, ds) for ds in designs]
        most = len(search.scales.live_slots)
        #: Class -> count -> choices.
        self.choices = [search.shop.choices(policy, c, most) for c in self.space.classes]
        self.keys: list[Rows] = []
        self.picks: list[Rows] = []
        self.taken: list[Rows] = []

    def add(self, picks: Rows) -> None:
        """Bounds of these combinations with every choice of kinds, those that a wish rules out left away."""
        space, problem = self.space, self.problem
        total = _sum(self.arrays, picks)
        taken = np.full((len(picks), len(space.classes)), -1, np.int64)
        cost, fine = np.zeros(len(picks)), np.zeros(len(picks))
        rated = np.full(len(picks), inf)
        fitted = np.zeros((len(picks), len(space.fitted)), np.int64)
        row = np.arange(len(picks))
        place = 0
        for c, choices in zip(space.classes, self.choices, strict=True):
            here = sum(1 for k in c.kinds if k.slots)
            lists = _Lists(choices, here, int(total.counts[:, c.index].max(initial=0)))
            n = total.counts[row, c.index]
            row_of, choice = lists.expand(n)
            row, cost, fine, rated = row[row_of], cost[row_of], fine[row_of], rated[row_of]
            fitted, taken = fitted[row_of], taken[row_of]
            some = choice >= 0
            cost[some] += lists.cost[choice[some]]
            fine[some] += lists.fine[choice[some]]
            rated[some] = np.minimum(rated[some], lists.rated[choice[some]])
            fitted[some, place : place + here] = lists.fitted[choice[some]]
            taken[:, c.index] = np.where(some, choice - lists.starts[np.minimum(n[row_of], len(lists.starts) - 1)], -1)
            place += here
        self.search.rows += len(row)
        keys, fits = self._keys(total, row, cost, fine, rated, fitted)
        self.keys.append(keys[fits])
        self.picks.append(picks[row[fits]])
        self.taken.append(taken[fits])

    def _keys(
        self, total: _Arrays, row: Rows, cost: NDArray[np.float64], fine: NDArray[np.float64],
        rated: NDArray[np.float64], fitted: Rows,
    ) -> tuple[Rows, NDArray[np.bool_]]:  # fmt: skip
        """The key of each row at best, and whether it may meet the wishes."""
        problem, space, wishes = self.problem, self.space, self.problem.wishes
        installed = total.gib
        usable = _mapped(installed, lambda g: usable_gib(problem.sheet, problem.machine, g, g))[row]
        if self.policy.fitted_only:
            trouble = np.zeros(len(row))
        else:
            about_total = _mapped(installed, self.search.log_fine_of_total)[row]
            trouble = 1 - np.exp(fine + about_total + self.policy.fine)
        if space.one_rate:
            rate = _mapped(np.minimum(rated, total.reach[row]), space.floored)
            rate[np.isinf(rate)] = 0
        else:
            rate = np.minimum(_mapped(rated, space.floored), 1.0)
        sustained = total.per_mts[row] * rate
        live = len(self.search.scales.live_slots)
        free = live - total.filled[row]
        kept = np.minimum(fitted, total.kept[row]).sum(axis=1)
        touches = len(problem.layout) + total.filled[row] - 2 * kept
        steps = problem.steps
        fits = np.isfinite(cost)
        if wishes.usable_gib is not None:
            fits &= usable >= wishes.usable_gib
        if wishes.budget is not None:
            fits &= cost <= mills(wishes.budget)
        if wishes.free_slots is not None:
            fits &= free >= wishes.free_slots
        if wishes.rate_mts is not None and space.one_rate:
            fits &= rate >= wishes.rate_mts
        if wishes.top_trouble is not None:
            fits &= trouble <= wishes.top_trouble + 1e-9
        if wishes.keep_fitted:
            fits &= (fitted >= np.array([k.fitted for k in space.fitted], np.int64)).all(axis=1)
        keys = np.stack(
            [
                cost // mills(steps.money),
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

    def settle(self) -> None:
        """Weigh rows until nothing that is not weighed is left that nothing beats."""
        if not self.keys:
            return
        keys, picks, taken = np.concatenate(self.keys), np.concatenate(self.picks), np.concatenate(self.taken)
        if not len(keys):
            return
        distinct, group = _distinct(keys)
        waiting: list[list[int]] = [[] for _ in range(len(distinct))]
        for i in np.argsort(group, kind="stable"):
            waiting[group[i]].append(int(i))
        open_ = np.ones(len(distinct), bool)
        while open_.any():
            known = np.array(list(self.search.known), np.int64).reshape(-1, distinct.shape[1])
            # What is as good as something weighed already is not looked at, save for the lower part number.
            candidates = np.flatnonzero(open_)
            beaten = beaten_by(distinct[candidates], known)
            open_[candidates[beaten]] = False
            candidates = candidates[~beaten]
            front = candidates[unbeaten(distinct[candidates])]
            if not len(front):
                return
            for g in front:
                if self.search._over():
                    return
                i = waiting[g].pop(0)
                self.search.take(self._layout(picks[i], taken[i]))
                if not waiting[g]:
                    open_[g] = False

    def _layout(self, picks: Rows, taken: Rows) -> Layout:
        """The layout that a row stands for: kinds in the slots of their classes, fitted ones where they are."""
        space = self.space
        classes: dict[str, int] = {}
        for unit, designs, pick in zip(self.units, self.designs, picks, strict=True):
            classes |= {s: c for s, c in zip(unit.slots, designs[pick].classes, strict=True) if c != EMPTY}
        slots: dict[str, Occupant] = {}
        for c, choices in zip(space.classes, self.choices, strict=True):
            here = [s for s in self.problem.sheet.slots if classes.get(s) == c.index]
            if here:
                slots |= self._deal(c, here, choices[len(here)][taken[c.index]])
        return Layout(slots)

    def _deal(self, of: KindClass, slots: Sequence[str], choice: Choice) -> Mapping[str, Occupant]:
        """Modules of the kinds chosen into the slots of a class; those that can stay do, where opening ends the
        warranty before elsewhere."""
        now, sheet = self.problem.layout, self.problem.sheet
        left = {k.index: n for k, n in ((k, dict(choice.takes).get(k.index, 0)) for k in of.kinds)}
        dealt: dict[str, Occupant] = {}
        by_slot = {s: k for k in of.kinds for s in k.slots}

        def dear(slot: str) -> bool:
            way = sheet.way_to(slot)
            return not (way and way.ends_warranty)

        for slot in sorted((s for s in slots if s in by_slot), key=dear):
            kind = by_slot[slot]
            if left[kind.index]:
                dealt[slot] = now[slot]
                left[kind.index] -= 1
        spare = {k.index: [now[s] for s in k.slots if s not in dealt] for k in of.kinds}
        rest = [s for s in slots if s not in dealt]
        for kind in of.kinds:
            for _ in range(left[kind.index]):
                fresh: Occupant = alike(kind.module) if kind.module else UNKNOWN
                dealt[rest.pop(0)] = spare[kind.index].pop(0) if spare[kind.index] else fresh
        return dealt


@dataclass(frozen=True)
class _Arrays:
    """Designs, or combinations of them, by columns."""

    counts: Rows
    filled: Rows
    gib: NDArray[np.float64]
    kept: Rows
    reach: NDArray[np.float64]
    per_mts: NDArray[np.float64]


def _arrays(space: Space, designs: Sequence[UnitDesign]) -> _Arrays:
    n = len(designs)
    return _Arrays(
        np.array([d.counts for d in designs], np.int64).reshape(n, len(space.classes)),
        np.array([d.filled for d in designs], np.int64),
        np.array([d.gib for d in designs], np.float64),
        np.array([d.kept for d in designs], np.int64).reshape(n, len(space.fitted)),
        np.array([d.reach for d in designs], np.float64),
        np.array([d.per_mts for d in designs], np.float64),
    )


def _sum(units: Sequence[_Arrays], picks: Rows) -> _Arrays:
    """Combinations: everything adds up but the rate, which is the slowest unit's."""
    chosen = [(a, picks[:, i]) for i, a in enumerate(units)]
    first, *others = [
        _Arrays(a.counts[p], a.filled[p], a.gib[p], a.kept[p], a.reach[p], a.per_mts[p]) for a, p in chosen
    ]
    for o in others:
        first = _Arrays(
            first.counts + o.counts,
            first.filled + o.filled,
            first.gib + o.gib,
            first.kept + o.kept,
            np.minimum(first.reach, o.reach),
            first.per_mts + o.per_mts,
        )
    return first


class _Lists:
    """Choices of one class by count, laid end to end."""

    def __init__(self, choices: Mapping[int, Sequence[Choice]], fitted: int, most: int) -> None:
        flat = [c for n in range(1, most + 1) for c in choices.get(n, ())]
        lengths = np.array([0, *(len(choices.get(n, ())) for n in range(1, most + 1))], np.int64)
        self.lengths = lengths
        self.starts = np.concatenate([[0], np.cumsum(lengths)[:-1]]).astype(np.int64)
        self.cost = np.array([c.cost for c in flat], np.float64)
        self.fine = np.array([c.fine for c in flat], np.float64)
        self.rated = np.array([c.rated for c in flat], np.float64)
        self.fitted = np.array([c.fitted for c in flat], np.int64).reshape(len(flat), fitted)

    def expand(self, counts: Rows) -> tuple[Rows, Rows]:
        """(row, choice) for every choice of every row; a row that needs none appears once, with -1; one for which
        there is none not at all."""
        lengths = np.where(counts == 0, 1, self.lengths[counts])
        row = np.repeat(np.arange(len(counts)), lengths)
        within = np.arange(len(row)) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        return row, np.where(counts[row] == 0, -1, self.starts[counts[row]] + within)


def _mapped(values: NDArray[np.float64], of: Callable[[float], float]) -> NDArray[np.float64]:
    """A function of each value, asked once for every distinct one."""
    distinct, where = np.unique(values, return_inverse=True)
    return np.array([of(float(v)) for v in distinct], np.float64)[where.reshape(-1)]


def _distinct(keys: Rows) -> tuple[Rows, Rows]:
    """(the distinct rows, which of them each row is)."""
    order = np.lexsort(keys.T[::-1])
    ordered = keys[order]
    new = np.ones(len(keys), bool)
    new[1:] = (ordered[1:] != ordered[:-1]).any(axis=1)
    group = np.empty(len(keys), np.int64)
    group[order] = np.cumsum(new) - 1
    return ordered[new], group


def beaten_by(keys: Rows, others: Rows) -> NDArray[np.bool_]:
    """Whether one of the others is at least as good in every column."""
    beaten = np.zeros(len(keys), bool)
    for start in range(0, len(keys), 4096):
        part = keys[start : start + 4096]
        worse = np.zeros(len(part), bool)
        for block in range(0, len(others), 256):
            rest = np.flatnonzero(~worse)
            if not len(rest):
                break
            worse[rest] = (others[None, block : block + 256] <= part[rest][:, None]).all(axis=2).any(axis=1)
        beaten[start : start + 4096] = worse
    return beaten


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
        among = (here[:, None] <= here[None, :]).all(axis=2)
        np.fill_diagonal(among, False)
        block = block[~among.any(axis=0)]
        keep[block] = True
        kept = np.concatenate([kept, keys[block]])
    return keep

