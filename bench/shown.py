"""Whether routes have something to show in time, whatever the board: every sheet that ships and the demo's, without offers.

python -m bench.shown [SECONDS]

Each board empty, every other slot filled, one slot or all not looked into, and filled at random with what does not go together;
a line each where nothing was found though it may be there, or where it took over a tenth longer than it had. Ends with 1 where
there is such a line.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from datetime import date
from importlib.resources import files
from random import Random

import scipy.optimize  # noqa: F401  (loaded with the first search, which takes as long as a third of it)

from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.routes.assumed import assumed_candidates
from umbrak.core.routes.problem import Problem, Wishes
from umbrak.core.routes.search import search
from umbrak.formats.sheet.reading import read_sheet, shipped_sheets

_TODAY = date(2026, 12, 1)


def boards() -> Iterator[Sheet]:
    yield from (r.sheet for r in shipped_sheets().values())
    for path in sorted(files("umbrak.demo").joinpath("sheets").iterdir(), key=lambda p: p.name):
        yield read_sheet(path.read_text("utf-8")).sheet


def problems(sheet: Sheet) -> Iterator[tuple[str, Problem]]:
    """(how it is filled, what is asked): four GB more than there are."""
    machine = Machine(processors={s.id: s.processors[0] for s in sheet.sockets.values() if s.processors})
    modules = [c.module for c in assumed_candidates(sheet, machine, Layout({}))]
    if not modules:
        return
    r, slots = Random(sheet.id), list(sheet.slots)
    small = min(modules, key=lambda m: m.capacity_gib or 0)
    half: dict[str, Occupant] = dict.fromkeys(slots[::2], small)
    ways: dict[str, dict[str, Occupant]] = {
        "empty": {},
        "half": half,
        "one not known": {**half, slots[-1]: UNKNOWN},
        "none known": dict.fromkeys(slots, UNKNOWN),
        "at odds": {s: r.choice(modules) for s in r.sample(slots, max(1, len(slots) // 3))},
    }
    for how, filled in ways.items():
        held = Layout(filled)
        now = sum((c.soldered.capacity_gib or 0) for c in sheet.channels.values() if c.soldered)
        now += sum(getattr(m, "capacity_gib", None) or 0 for m in filled.values())
        wishes = Wishes(usable_gib=now + 4)
        yield how, Problem(sheet, machine, held, assumed_candidates(sheet, machine, held), wishes, today=_TODAY)


def main(seconds: float = 3.0) -> int:
    asked = wrong = 0
    for sheet in boards():
        for how, problem in problems(sheet):
            found = search(problem, seconds)
            asked += 1
            nothing, late = not found.routes and not found.proved, found.seconds > seconds * 1.1
            if nothing or late:
                wrong += 1
                print(f"{sheet.id}, {len(sheet.slots)} slots, {how}: {len(found.routes)} routes, {found.seconds:.1f} s")
    print(f"{asked} asked for {seconds:g} s each, {wrong} without an answer or late")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(*map(float, sys.argv[1:2])))
