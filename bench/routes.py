"""The optimiser's figures: `python -m bench.routes`. Each with the machine it is of; docs/benchmarks.md says what is wanted.

The baseline of the large even case is a plain mixed-integer program over slots (tests/core/slot_milp.py) solved by SciPy
in the same run, for one optimum of the same value.
"""

from __future__ import annotations

import sys
import time
import tracemalloc
from dataclasses import replace
from datetime import date
from decimal import Decimal
from random import Random

from tests.core.routes_cases import random_problem
from tests.core.slot_milp import offers, optimum, server_sheet

from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.routes.problem import Candidate, Problem, Wishes
from umbrak.core.routes.search import Found, search
from umbrak.formats.sheet.reading import sheet_from_data

DAY = date(2026, 3, 1)


def server(candidates: tuple[Candidate, ...], alike: list[str] | None = None, **wishes: object) -> Problem:
    """Four sockets of eight channels of three, 96 slots, the first slot of every channel filled."""
    data = server_sheet(4, 8, 3)
    if alike is not None:
        data["repeat"]["population"][0]["alike_in_set"] = alike
    data["listed"] = [{"part": f"P{i:02}", "source": "guide"} for i in range(0, 60, 9)]
    sheet = sheet_from_data(data)
    held = replace(decode_label("16GB 1Rx8 PC5-4800B-RC0").module, part="OLD", maker="Aldermoor")
    now = Layout({s: replace(held, serial=s) for s in sheet.slots if s.endswith("1")})
    return Problem(sheet, Machine(), now, candidates, Wishes(**wishes), today=DAY)  # type: ignore[arg-type]


def odd_offers(count: int) -> tuple[Candidate, ...]:
    """The hard case: everything in kits of 3, 5, 6 or 7 and short in stock, no size twice at the same price a GB."""
    r = Random(5)
    made = []
    for c in offers(r, count):
        kit = r.choice([3, 5, 6, 7])
        price = Decimal(round((c.module.capacity_gib or 0) * r.uniform(3.2, 5.0) * kit))
        made.append(replace(c, kit=kit, price=price, stock=r.choice([21, 30, 42, None])))
    return tuple(made)


def appliance() -> Problem:
    """Two slots, sixty candidates."""
    sheet = sheet_from_data(server_sheet(1, 2, 1))
    held = replace(decode_label("16GB 1Rx8 PC5-4800B-RC0").module, part="OLD", maker="Aldermoor")
    return Problem(sheet, Machine(), Layout({"P1.A1": held}), offers(Random(2), 60), Wishes(usable_gib=48), today=DAY)


def run(name: str, problem: Problem, seconds: float | None = None) -> tuple[Found, float]:
    began = time.perf_counter()
    found = search(problem, seconds)
    took = time.perf_counter() - began
    gap = "-" if found.gap is None else f"{found.gap:.2%}"
    print(f"{name:44} {took:7.3f} s  routes {len(found.routes):4}  weighed {found.weighed:5}  proved {found.proved!s:5}  gap {gap}", flush=True)  # fmt: skip
    return found, took


def main() -> None:
    search(random_problem(3))  # what is loaded and compiled at first use is not the figure
    sixty = offers(Random(1), 60)
    even = server(sixty, usable_gib=2000.0)
    found, took = run("96 slots, 60 candidates, even", even)
    began = time.perf_counter()
    least = optimum(even, "cost", time_limit=600, presolve=True)
    baseline = time.perf_counter() - began
    ours = min(w.measures.cost for w in found.routes) / 1000
    print(f"  one optimum by a program over slots {baseline:.1f} s ({least}), the frontier {took:.2f} s ({ours:g}): {baseline / took:.0f} times")  # fmt: skip
    tracemalloc.start()
    search(even)
    print(f"  memory at most {tracemalloc.get_traced_memory()[1] / 1e6:.0f} MB")
    tracemalloc.stop()
    _, small = run("2 slots, 60 candidates", appliance())
    for seconds in (1.0, 10.0):
        run(f"96 slots, 60 candidates, uneven, {seconds:g} s", server(sixty, usable_gib=2000.0, uneven=True), seconds)
    for seconds in (1.0, 10.0, 60.0):
        run(f"hard: 40 offers in odd kits, {seconds:g} s", server(odd_offers(40), ["capacity_gib"], usable_gib=2000.0), seconds)  # fmt: skip
    if took > 1 or small > 0.05 or baseline < 20 * took or least is None or ours // 10 != least // 10:
        sys.exit("a figure is not what is wanted")


if __name__ == "__main__":
    main()
