"""What holds a round back: which bound, moved by a little, would make it better, and what that little brings.

Each bound is moved by itself, by no more than one machine takes, and the round is solved again: what is told is a round that was found,
not a price at the margin.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from time import monotonic

from umbrak.core.rounds.problem import FleetMachine, Plan, Round, Served, total
from umbrak.core.rounds.solve import RoundAnswer, solve_round

#: Hours are asked for by halves.
_STEP_HOURS = 0.5
#: Where every machine is served: how much more money is tried, as a share of what there is.
_MORE_MONEY = 0.25


class HeldBy(StrEnum):
    HOURS = "hours"
    BUDGET = "budget"
    #: Modules of a kind of which suppliers have only so many.
    STOCK = "stock"
    WINDOW = "window"
    GROUP = "group"
    PIN = "pin"


@dataclass(frozen=True)
class Hold:
    by: HeldBy
    #: The wave that it is of; None: of none.
    wave: int | None
    #: The machine that it is of; the kind of module.
    machine: int | None
    kind: str
    #: Hours, money or modules more that this takes; 0 where nothing is counted.
    more: float
    #: By how much the whole costs less.
    gain: float
    #: Whether that is more than what the round as it is may be away from the best.
    sure: bool
    #: Machines that come in, that go out.
    comes_in: tuple[int, ...]
    goes_out: tuple[int, ...]
    plan: Plan


def holds(
    r: Round,
    found: RoundAnswer,
    seconds: float,
    stopped: Callable[[], bool] = lambda: False,
) -> tuple[Hold, ...]:
    """What holds a round back, what brings most first.

    Parameters
        seconds   for all of them; what there is no time for is not told
    """
    ends, made = monotonic() + seconds, list[Hold]()
    moves = list(_moves(r, found.plan))
    for n, (by, wave, machine, kind, moved) in enumerate(moves):
        left = ends - monotonic()
        if left <= 0 or stopped():
            break
        then = solve_round(moved, max(0.2, left / (len(moves) - n)), found.gap, start=found.plan, stopped=stopped)
        gain = found.cost - then.cost
        if gain <= max(1e-6 * abs(found.cost), 0.01):
            continue
        was, now = _machines(found.plan), _machines(then.plan)
        made.append(
            Hold(
                by=by,
                wave=wave,
                machine=machine,
                kind=kind,
                more=_more(r, then, by, wave, kind),
                gain=gain,
                sure=gain > found.gap_money,
                comes_in=tuple(sorted(now - was)),
                goes_out=tuple(sorted(was - now)),
                plan=then.plan,
            )
        )
    return tuple(sorted(made, key=lambda h: -h.gain))


_Move = tuple[HeldBy, int | None, int | None, str, Round]


def _moves(r: Round, plan: Plan) -> Iterator[_Move]:
    done = _machines(plan)
    undone = [i for i, m in enumerate(r.machines) if i not in done and m.routes and not (m.pin and m.pin.out)]
    ways = [w for i in undone for w in r.machines[i].routes] or [w for m in r.machines for w in m.routes]
    if r.budget is not None:
        more = max((_price(r, w.uses) for w in ways), default=0.0) if undone else r.budget * _MORE_MONEY
        yield HeldBy.BUDGET, None, None, "", replace(r, budget=r.budget + more)
    hours = math.ceil(max((w.hours for w in ways), default=0.0) / _STEP_HOURS) * _STEP_HOURS
    for t, wave in enumerate(r.waves):
        if _hours(r, plan.served, t) + hours > wave.hours:
            waves = tuple(replace(w, hours=w.hours + hours) if w is wave else w for w in r.waves)
            yield HeldBy.HOURS, t, None, "", replace(r, waves=waves)
    for kind in sorted({o.kind for o in r.offers if o.stock is not None}):
        # So many more at the same price: what lies on the Shelf and is used up is bought, where somebody offers it.
        if more := max((total(w.uses).get(kind, 0) for w in ways), default=0):
            offers = tuple(
                replace(o, stock=o.stock + more) if o.kind == kind and o.stock is not None else o for o in r.offers
            )
            yield HeldBy.STOCK, None, None, kind, replace(r, offers=offers)
    every = frozenset(range(len(r.waves)))
    for i in undone:
        m = r.machines[i]
        if m.waves != every:
            yield HeldBy.WINDOW, None, i, "", _with(r, i, replace(m, waves=every))
        if m.group is not None:
            yield HeldBy.GROUP, None, i, "", _with(r, i, replace(m, group=None))
    for i, m in enumerate(r.machines):
        if m.pin is not None:
            yield HeldBy.PIN, None, i, "", _with(r, i, replace(m, pin=None))


def _with(r: Round, at: int, machine: FleetMachine) -> Round:
    return replace(r, machines=tuple(machine if i == at else m for i, m in enumerate(r.machines)))


def _machines(plan: Plan) -> set[int]:
    return {s.machine for s in plan.served}


def _hours(r: Round, served: tuple[Served, ...], wave: int) -> float:
    return sum(r.machines[s.machine].routes[s.route].hours for s in served if s.wave == wave)


def _price(r: Round, uses: tuple[tuple[str, int], ...]) -> float:
    """What modules cost singly, or by the smallest kit."""
    cost = 0.0
    for kind, n in uses:
        each = [math.ceil(n / o.kit) * o.price for o in r.offers if o.kind == kind]
        cost += min(each, default=0.0)
    return cost


def _more(r: Round, then: RoundAnswer, by: HeldBy, wave: int | None, kind: str) -> float:
    """How much more than there was is used."""
    if by is HeldBy.BUDGET:
        return max(0.0, then.spent - (r.budget or 0.0))
    if by is HeldBy.HOURS and wave is not None:
        over = _hours(r, then.plan.served, wave) - r.waves[wave].hours
        return max(0.0, math.ceil(over / _STEP_HOURS - 1e-9) * _STEP_HOURS)
    if by is HeldBy.STOCK:
        bought = [(b, r.offers[b.offer]) for b in then.plan.bought]
        return float(max([b.kits * o.kit - o.stock for b, o in bought if o.kind == kind and o.stock is not None] + [0]))
    return 0.0
