"""The figures of rounds: `python -m bench.rounds`. Fleets of made-up machines in 12 classes and 6 waves, with kits, modules passed on and duty
groups, hours and money tight or loose, windows of four patterns or of each machine's own. Beside each: what going machine by machine in
the order of need would come to, under the same bounds.
"""

from __future__ import annotations

import random
import sys
from dataclasses import dataclass
from time import perf_counter

from umbrak.core.rounds.problem import (
    Bought,
    FleetMachine,
    FleetOffer,
    FleetRoute,
    Plan,
    Round,
    Served,
    Wave,
    broken,
    cost_of,
    passed,
)
from umbrak.core.rounds.solve import solve_round

CLASSES, WAVES = 12, 6
SIZES = ("8", "16", "32", "64")


@dataclass(frozen=True)
class Fleet:
    machines: int
    tight: bool
    own_windows: bool


def fleet(of: Fleet, seed: int) -> Round:
    rng = random.Random(seed)
    shapes = [_shape(rng) for _ in range(CLASSES)]
    patterns = [_windows(rng) for _ in range(4)]
    machines = []
    for i in range(of.machines):
        routes, penalty = rng.choice(shapes)
        windows = _windows(rng) if of.own_windows else rng.choice(patterns)
        group = f"group {i // 3}" if i % 2 else None
        machines.append(
            FleetMachine(name=f"m{i}", routes=routes, penalty=penalty, waves=windows, group=group, soak_days=3)
        )
    least_hours = sum(min(w.hours for w in m.routes) for m in machines)
    least_money = sum(min(3.1 * sum(int(k) * n for k, n in w.uses) for w in m.routes) for m in machines)
    hours = least_hours * (0.5 if of.tight else 1.3) / WAVES
    offers = []
    for k in SIZES:
        price = 25 * int(k) / 8
        offers += [
            FleetOffer(name=f"{k}", kind=k, price=round(price * 1.1, 2), lead_days=2),
            FleetOffer(name=f"{k} by 4", kind=k, price=round(price * 3.6, 2), kit=4, stock=160, lead_days=8),
            FleetOffer(name=f"{k} by 8", kind=k, price=round(price * 6.6, 2), kit=8, lead_days=15),
        ]
    return Round(
        machines=tuple(machines),
        waves=tuple(Wave(f"wave {t}", 7 * t + 2, hours) for t in range(WAVES)),
        shelf=(("16", of.machines // 4), ("32", of.machines // 8)),
        offers=tuple(offers),
        budget=least_money * (0.4 if of.tight else 1.2),
    )


def _shape(rng: random.Random) -> tuple[tuple[FleetRoute, ...], float]:
    slots, now = rng.choice([4, 8, 8, 16, 24]), rng.choice(SIZES[:3])
    routes = []
    for kind in (k for k in SIZES if int(k) >= int(now)):
        for count in (slots // 4, slots // 2, slots):
            frees = ((now, count),) if int(kind) > int(now) else ()
            hours, loss = 0.5 + count * 0.05 + rng.random(), rng.choice([0.5, 2, 5, 20, 60])
            routes.append(FleetRoute(f"{count} of {kind}", ((kind, count),), frees, round(hours, 2), 0, loss))
    return tuple(routes), round(60.0 * slots * rng.uniform(0.5, 2), 2)


def _windows(rng: random.Random) -> frozenset[int]:
    return frozenset(rng.sample(range(WAVES), k=rng.randint(2, WAVES)))


def one_by_one(r: Round) -> Plan:
    """Machine by machine in the order of need: the first wave and the cheapest route that there is room for, with modules
    bought singly for it alone where none are there."""
    single = {o.kind: i for i, o in enumerate(r.offers) if o.kit == 1}
    plan, hours, spent = Plan((), ()), [w.hours for w in r.waves], 0.0
    open_at: set[tuple[str, int]] = set()
    bought: dict[int, int] = {}
    for i in sorted(range(len(r.machines)), key=lambda i: -r.machines[i].penalty):
        m = r.machines[i]
        for k in sorted(range(len(m.routes)), key=lambda k: _alone(r, single, m.routes[k])):
            way = m.routes[k]
            price = _alone(r, single, way) - way.cost - way.loss
            first = max((r.first_wave(r.offers[single[kind]].lead_days) for kind, _ in way.uses), default=0)
            wave = next(
                (t for t in sorted(m.waves) if t >= first and way.hours <= hours[t] and (m.group, t) not in open_at),
                None,
            )
            if (
                wave is None
                or (r.budget is not None and spent + price > r.budget)
                or _alone(r, single, way) >= m.penalty
            ):
                continue
            # What lies on the Shelf or was pulled before serves it first.
            served = (*plan.served, Served(i, k, wave))
            for kind, n in way.uses:
                for more in range(n + 1):
                    tried = {**bought, single[kind]: bought.get(single[kind], 0) + more}
                    if passed(r, Plan(served, _list(tried))) is not None:
                        break
                bought = tried
            plan = Plan(served, _list(bought))
            spent = sum(r.offers[o].price * n for o, n in bought.items())
            hours[wave] -= way.hours
            if m.group:
                open_at.add((m.group, wave))
            break
    assert not broken(r, plan), broken(r, plan)
    return plan


def _list(bought: dict[int, int]) -> tuple[Bought, ...]:
    return tuple(Bought(o, n) for o, n in bought.items() if n)


def _alone(r: Round, single: dict[str, int], way: FleetRoute) -> float:
    return way.cost + way.loss + sum(r.offers[single[kind]].price * n for kind, n in way.uses)


def main(sizes: list[int]) -> None:
    for machines in sizes:
        wanted, seconds = (0.01, 30.0) if machines <= 300 else (0.02, 120.0)
        for tight in (True, False):
            for own in (False, True):
                r = fleet(Fleet(machines, tight, own), machines)
                began = perf_counter()
                found = solve_round(r, seconds, wanted)
                took = perf_counter() - began
                plain = one_by_one(r)
                print(
                    f"{machines:5} machines, {'tight' if tight else 'loose'}, windows {'of their own' if own else 'of 4 patterns':13}: "
                    f"{took:5.1f} s, gap {found.gap:.2%} ({found.ended}), cost {found.cost:.0f}, {len(found.plan.served)} served; "
                    f"one by one {cost_of(r, plain):.0f} ({cost_of(r, plain) / found.cost - 1:+.0%}), {len(plain.served)} served",
                    flush=True,
                )


if __name__ == "__main__":
    main([int(n) for n in sys.argv[1:]] or [20, 100, 300, 1000])
