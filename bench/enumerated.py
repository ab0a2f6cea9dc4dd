"""The search against its judges; the suite holds a sample of both. What differs is printed with its seed, and makes it end with 1.

python -m bench.enumerated [FIRST LAST]   every layout of small problems, seeds 0 to 200 of each family
python -m bench.enumerated programs       the least cost, the most memory and the fewest touches of 40 servers of 24 to 96 slots, each
                                          by a program over slots that has two minutes
"""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

from tests.core.routes_cases import FAMILIES, astray
from tests.core.slot_milp import LARGER, optimum, server_problem

from umbrak.core.routes.search import search


def one(case: tuple[str, int]) -> tuple[str, int, str | None]:
    family, seed = case
    return family, seed, astray(FAMILIES[family](seed))


def best(seed: int) -> tuple[int, int, list[str]]:
    """How many of the three optima the program told in its time, and where the search differs from it."""
    p = server_problem(seed, LARGER)
    found = search(p)
    ours = [w.measures for w in found.routes]
    told, wrong = 0, [] if found.proved else ["not proved"]
    for measure in ("cost", "usable", "touches"):
        program = optimum(p, measure, time_limit=120, presolve=True)
        if program is None:
            continue
        told += 1
        if not ours:
            wrong.append(f"{measure}: {program:g}, no route")
            continue
        here = {
            "cost": min(m.cost for m in ours) / 1000,
            "usable": max(m.usable_gib for m in ours),
            "touches": min(m.touches for m in ours),
        }[measure]
        if abs(here - program) > 0.005:
            wrong.append(f"{measure}: {here:g}, the program {program:g}")
    return seed, told, wrong


def programs() -> int:
    astray = optima = 0
    with ProcessPoolExecutor(2) as pool:
        for seed, told, wrong in pool.map(best, range(40)):
            optima += told
            if wrong:
                astray += 1
                print(f"server {seed}: {'; '.join(wrong)}", flush=True)
    print(f"40 servers, {optima} optima told in time, {astray} servers astray")
    return int(astray > 0)


def main() -> int:
    if sys.argv[1:] == ["programs"]:
        return programs()
    first, last = map(int, sys.argv[1:3]) if len(sys.argv) > 2 else (0, 200)
    counts: Counter[tuple[str, str]] = Counter()
    with ProcessPoolExecutor(2) as pool:
        cases = [(family, seed) for seed in range(first, last) for family in FAMILIES]
        for family, seed, wrong in pool.map(one, cases, chunksize=8):
            counts[family, "not proved" if wrong is None else "astray" if wrong else "equal"] += 1
            if wrong:
                print(f"{family}, seed {seed}: {wrong}", flush=True)
    for (family, how), n in sorted(counts.items()):
        print(f"{family:24} {how:10} {n:5}")
    return int(any(how == "astray" for _, how in counts))


if __name__ == "__main__":
    raise SystemExit(main())
