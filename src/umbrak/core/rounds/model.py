"""A round as a mixed-integer program: `x[cell, route, wave]` machines opened, `y[offer]` kits bought, `u[cell]` pins not held, and a
one that bears what leaving every machine as it is weighs (a solver's gap is a share of what it sees).

A kit is bought at once and is there from its lead time on: buying it later costs the same and serves less, so when is no choice.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from umbrak.core.rounds.cells import Fleet, taken_apart
from umbrak.core.rounds.problem import Bought, Plan, Round, total

if TYPE_CHECKING:
    from scipy.sparse import csr_array

#: What a machine costs more for each wave that it is later, so that waves are not all alike. [money]
LATER = 1e-3


@dataclass(frozen=True)
class Bound:
    """What a row of the model holds: "hours" of a wave, "budget", "offer", "stock" of a kind, "group"."""

    what: str
    #: The wave, offer or type of group; -1: none.
    at: int = -1
    kind: str = ""


@dataclass
class Model:
    """Minimise `costs @ v`, `low <= rows @ v <= high`, `least <= v <= most`, v whole. Built by `model_of`."""

    #: (cell, route, wave) of the first variables; places of offers of those after them; cells of those after these.
    openings: list[tuple[int, int, int]]
    offers: list[int]
    pinned: list[int]
    costs: NDArray[np.float64]
    least: NDArray[np.float64]
    most: NDArray[np.float64]
    rows: csr_array
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    #: What each row holds, that of all pins that are not held last; None: what is so whatever somebody would give.
    bounds: list[Bound | None]

    @property
    def pins(self) -> slice:
        """The variables of pins that are not held."""
        return slice(len(self.openings) + len(self.offers), len(self.costs) - 1)

    def counts(self, values: NDArray[np.float64]) -> dict[tuple[int, int, int], int]:
        """Machines opened: {(cell, route, wave): how many}."""
        whole = np.rint(values[: len(self.openings)]).astype(int)
        return {self.openings[i]: int(whole[i]) for i in np.flatnonzero(whole)}

    def bought(self, values: NDArray[np.float64]) -> tuple[Bought, ...]:
        at = len(self.openings)
        whole = np.rint(values[at : at + len(self.offers)]).astype(int)
        return tuple(Bought(self.offers[i], int(whole[i])) for i in np.flatnonzero(whole))


@dataclass
class _Rows:
    """Rows of a sparse matrix, one entry after the other."""

    at: list[int] = field(default_factory=list)
    column: list[int] = field(default_factory=list)
    value: list[float] = field(default_factory=list)
    low: list[float] = field(default_factory=list)
    high: list[float] = field(default_factory=list)
    bounds: list[Bound | None] = field(default_factory=list)

    def add(self, entries: list[tuple[int, float]], high: float, bound: Bound | None, low: float = -np.inf) -> None:
        for column, value in entries:
            self.at.append(len(self.high))
            self.column.append(column)
            self.value.append(value)
        self.low.append(low)
        self.high.append(high)
        self.bounds.append(bound)

    def matrix(self, columns: int) -> csr_array:
        from scipy.sparse import csr_array  # loaded where a program is made, as in look.py

        return csr_array((self.value, (self.at, self.column)), shape=(len(self.high), columns))


def model_of(r: Round, fleet: Fleet) -> Model:
    waves = len(r.waves)
    arrives = [r.first_wave(o.lead_days) for o in r.offers]
    openings = [
        (c, k, t)
        for c, cell in enumerate(fleet.cells)
        for k, way in enumerate(cell.like.routes)
        for t in sorted(cell.like.waves)
        if cell.like.may(k, t) and way.hours <= r.waves[t].hours + 1e-9
    ]
    offers = [o for o in range(len(r.offers)) if arrives[o] < waves]
    pinned = [c for c, cell in enumerate(fleet.cells) if cell.like.wanted]
    first_offer, first_pin = len(openings), len(openings) + len(offers)
    columns = first_pin + len(pinned) + 1
    costs, most, rows = np.zeros(columns), np.ones(columns), _Rows()
    costs[-1] = sum(m.penalty for m in r.machines)

    by_cell, by_hour = defaultdict[int, list[tuple[int, float]]](list), defaultdict[int, list[tuple[int, float]]](list)
    by_group = defaultdict[tuple[int, int], list[tuple[int, float]]](list)
    changes = defaultdict[str, list[list[tuple[int, float]]]](lambda: [[] for _ in range(waves)])
    used = set[str]()
    for v, (c, k, t) in enumerate(openings):
        cell = fleet.cells[c]
        way = cell.like.routes[k]
        costs[v] = way.cost + way.loss - cell.like.penalty + LATER * t
        most[v] = len(cell.machines)
        by_cell[c].append((v, 1.0))
        by_hour[t].append((v, way.hours))
        by_group[cell.kind, t].append((v, 1.0))
        for kind, n in total(way.uses).items():
            changes[kind][t].append((v, float(n)))
            used.add(kind)
        ready = max(t + 1, r.first_wave(r.waves[t].day + cell.like.soak_days))
        if r.passing_on and ready < waves:
            for kind, n in total(way.frees).items():
                changes[kind][ready].append((v, -float(n)))
    for i, o in enumerate(offers):
        offer, v = r.offers[o], first_offer + i
        costs[v] = offer.price
        most[v] = np.inf if offer.stock is None else offer.stock // offer.kit
        changes[offer.kind][arrives[o]].append((v, -float(offer.kit)))

    for c, cell in enumerate(fleet.cells):
        many = float(len(cell.machines))
        if cell.like.wanted:
            pin = first_pin + pinned.index(c)
            most[pin] = many
            rows.add([*by_cell[c], (pin, 1.0)], many, None, low=many)
        else:
            rows.add(by_cell[c], many, None)
    for t in range(waves):
        rows.add(by_hour[t], r.waves[t].hours, Bound("hours", t))
    for of, groups in enumerate(fleet.groups):
        members = sum(len(at) for at in groups[0].values())
        for t in range(waves) if members > 1 else ():
            rows.add(by_group[of, t], float(len(groups)), Bound("group", t))
    shelf = total(r.shelf)
    for kind in sorted(used):
        so_far: list[tuple[int, float]] = []
        for t in range(waves):
            so_far += changes[kind][t]
            if any(n > 0 for _, n in changes[kind][t]):
                rows.add(list(so_far), float(shelf.get(kind, 0)), Bound("stock", t, kind))
    if r.budget is not None:
        spent = [(first_offer + i, r.offers[o].price) for i, o in enumerate(offers)]
        rows.add(spent, r.budget, Bound("budget"))
    rows.add([(v, 1.0) for v in range(first_pin, columns - 1)], np.inf, None)
    least = np.zeros(columns)
    least[-1] = 1.0
    return Model(
        openings=openings,
        offers=offers,
        pinned=pinned,
        costs=costs,
        least=least,
        most=most,
        rows=rows.matrix(columns),
        low=np.array(rows.low),
        high=np.array(rows.high),
        bounds=rows.bounds,
    )


def plan_of(r: Round, fleet: Fleet, model: Model, values: NDArray[np.float64]) -> Plan:
    """The plan that a solution is."""
    return Plan(taken_apart(fleet, model.counts(values)), model.bought(values))


def values_of(fleet: Fleet, model: Model, plan: Plan) -> NDArray[np.float64] | None:
    """A plan as a solution; None where it opens what the model does not."""
    at = {opening: v for v, opening in enumerate(model.openings)}
    cells = {i: c for c, cell in enumerate(fleet.cells) for i in cell.machines}
    values = model.least.copy()
    values[model.pins] = model.most[model.pins]
    for s in plan.served:
        cell = cells[s.machine]
        if (v := at.get((cell, s.route, s.wave))) is None:
            return None
        values[v] += 1
        if cell in model.pinned:
            values[model.pins.start + model.pinned.index(cell)] -= 1
    for b in plan.bought:
        if b.offer not in model.offers:
            return None
        values[len(model.openings) + model.offers.index(b.offer)] = b.kits
    return values
