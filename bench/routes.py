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
from umbrak.core.routes.assumed import Guess, assumed_candidates
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


def family(order: bool, alike: bool) -> Problem:
    """Two sockets of six channels of two, 24 slots, half of them filled: with an order or without, all sockets at one rate or each
    at its own; 60 offers."""
    data = server_sheet(2, 6, 2)
    if not order:
        del data["repeat"]["population"], data["population"]
    if not alike:
        del data["rate_alike"]
    sheet = sheet_from_data(data)
    held = replace(decode_label("16GB 1Rx8 PC5-4800B-RC0").module, part="OLD", maker="Aldermoor")
    now = Layout({s: replace(held, serial=s) for s in sheet.slots if s.endswith("1")})
    wishes = Wishes(usable_gib=700.0, less_bandwidth=True)
    return Problem(sheet, Machine(), now, offers(Random(1), 60), wishes, today=DAY)


def against_program(found: Found, took: float, problem: Problem) -> bool:
    """Prints the ratio to one optimum by the program over slots; whether it agrees."""
    began = time.perf_counter()
    least = optimum(problem, "cost", time_limit=120, presolve=True)
    baseline = time.perf_counter() - began
    ours = min(w.measures.cost for w in found.routes) / 1000
    how = f"{least:g}" if least is not None else "nothing in its time"
    print(f"  one optimum by a program over slots {baseline:.1f} s ({how}; ours {ours:g}): {baseline / took:.1f} times", flush=True)  # fmt: skip
    return least is None or abs(ours - least) < 0.01


def main() -> None:
    search(random_problem(3))  # what is loaded and compiled at first use is not the figure
    sixty = offers(Random(1), 60)
    right = True
    for order in (True, False):
        for alike in (True, False):
            words = f"24 slots, 60 offers, {'an' if order else 'no'} order, {'one rate' if alike else 'a rate each'}"
            problem = family(order, alike)
            run(words + ", 2 s", problem, 2.0)
            found, took = run(words + ", 20 s", problem, 20.0)
            right &= took < 22 and bool(found.routes) and against_program(found, took, problem)
    for alike in (True, False):
        # A machine that nobody wrote a sheet for, and nobody has an offer for.
        problem = family(False, alike)
        assumed = assumed_candidates(problem.sheet, problem.machine, problem.layout, (), Guess(Decimal(8), Decimal(4)))
        words = f"24 slots, {len(assumed)} of the standards, no order, {'one rate' if alike else 'a rate each'}"
        run(words, replace(problem, candidates=assumed), 30.0)
    even = server(sixty, usable_gib=2000.0, less_bandwidth=True)
    found, took = run("96 slots, 60 candidates, even", even)
    right &= found.proved and against_program(found, took, even)
    tracemalloc.start()
    search(even)
    print(f"  memory at most {tracemalloc.get_traced_memory()[1] / 1e6:.0f} MB")
    tracemalloc.stop()
    run("2 slots, 60 candidates", appliance())
    for seconds in (1.0, 10.0):
        late = run(f"96 slots, 60 candidates, uneven, {seconds:g} s", replace(even, wishes=replace(even.wishes, uneven=True)), seconds)[1]  # fmt: skip
        right &= late < 1.1 * seconds + 0.05
    for seconds in (1.0, 10.0, 60.0):
        run(f"hard: 40 offers in odd kits, {seconds:g} s", server(odd_offers(40), ["capacity_gib"], usable_gib=2000.0, less_bandwidth=True), seconds)  # fmt: skip
    if not right:
        sys.exit("a figure is not what is wanted")


if __name__ == "__main__":
    main()
