"""Fault search against halving and one-at-a-time by hand: boots until a culprit is named, and how often it is the wrong one.

    PYTHONPATH=src python -m bench.faults [--faults 1000]

A thousand single faults (module, slot or seating, one third each) in machines of 4 to 24 slots, two a channel. A fault shows at a
boot with probability 0.8, a sound part errs with 0.01. Half of the faults tell where they show; of the other half it is only
seen whether anything shows. All three ways see the same machine.

A culprit is right when it is the fault, or the fault is among seatings that are named together because all are cured.
By hand, each question is asked until two answers agree. Halving: half of the suspected modules are left out, until one place is
left; then that module is reseated, then moved to another slot. One at a time: each module in turn is left out, until the fault is
gone; then the same questions.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from umbrak.core.proof.fault_search import look
from umbrak.core.proof.suspects import Boot, Case, Kind, Showing, Suspect

SHOWS, ERRS = 0.8, 0.01
#: A search that has not ended by then has failed.
MOST = 200


@dataclass
class Machine:
    """A machine with one fault; a boot of it is what a hand would see."""

    case: Case
    fault: Suspect
    chance: np.random.Generator
    drawn: bool = False
    boots: int = 0

    def boot(self, arrangement: Mapping[str, str], reseated: frozenset[str] = frozenset()) -> frozenset[str]:
        """Slots at which something shows."""
        self.boots += 1
        at = {m: s for s, m in arrangement.items()}
        kind, name = self.fault.kind, self.fault.name
        if kind is Kind.SEATING and (name in reseated or arrangement.get(name) != self.case.start[name]):
            self.drawn = True
        place = at.get(name) if kind is Kind.MODULE else name if name in arrangement and not self.drawn else None
        dark = {s for s in arrangement if self.chance.random() < ERRS}
        if place is not None and self.chance.random() < SHOWS:
            dark.add(place)
        return frozenset(dark)


#: What a search names: one culprit, or several seatings that are cured and cannot be told apart any more.
Named = tuple[Suspect, ...]


def by_search(machine: Machine) -> Named:
    case = machine.case
    arrangement: Mapping[str, str] = case.start
    reseated: frozenset[str] = frozenset()
    boots: list[Boot] = []
    while machine.boots < MOST:
        dark = machine.boot(arrangement, reseated)
        boots.append(Boot(arrangement, reseated, dark, bool(dark)))
        found = look(case, boots, 5.0, several=1)
        if found.culprits:
            return found.culprits
        arrangement, reseated = found.trials[0].arrangement, found.trials[0].reseated
    return ()


class Hand:
    """A person who asks each question until two answers agree."""

    def __init__(self, machine: Machine) -> None:
        self.machine, self.case = machine, machine.case

    def shows(self, arrangement: Mapping[str, str], reseated: frozenset[str] = frozenset()) -> bool:
        answers = [bool(self.machine.boot(arrangement, reseated)), bool(self.machine.boot(arrangement))]
        return answers[0] if answers[0] == answers[1] else bool(self.machine.boot(arrangement))

    def which(self, slot: str) -> Named:
        """Module, slot or seating, once the place is known: reseat it, then put the module elsewhere."""
        start = dict(self.case.start)
        if not self.shows(start, frozenset({slot})):
            return (Suspect(Kind.SEATING, slot),)
        other = next(s for s in self.case.slots if s != slot)
        if self.shows({**{s: m for s, m in start.items() if s not in (slot, other)}, other: start[slot]}):
            return (Suspect(Kind.MODULE, start[slot]),)
        return (Suspect(Kind.SLOT, slot),)


def by_halving(machine: Machine) -> Named:
    """Of the suspected places one half is left in. Where it does not show, the fault is with the other half, or was a
    seating there: so that is asked next, with everything back."""
    hand = Hand(machine)
    start = machine.case.start
    suspected = list(machine.case.slots)
    machine.boot(start)
    while len(suspected) > 1:
        half, rest = suspected[: len(suspected) // 2], suspected[len(suspected) // 2 :]
        if hand.shows({s: start[s] for s in half}):
            suspected = half
        elif hand.shows(start):
            suspected = rest
        else:
            return tuple(Suspect(Kind.SEATING, s) for s in rest)
    return hand.which(suspected[0])


def by_one_at_a_time(machine: Machine) -> Named:
    """Each module in turn is left out until it does not show; where it does not with everything back either, it was its
    seating."""
    hand = Hand(machine)
    start = machine.case.start
    machine.boot(start)
    for slot in machine.case.slots:
        if not hand.shows({s: m for s, m in start.items() if s != slot}):
            return hand.which(slot) if hand.shows(start) else (Suspect(Kind.SEATING, slot),)
    return hand.which(machine.case.slots[-1])


WAYS: Mapping[str, Callable[[Machine], Named]] = {
    "search": by_search,
    "halving": by_halving,
    "one at a time": by_one_at_a_time,
}


def make(number: int) -> tuple[Case, Suspect]:
    """The same fault for every way."""
    chance = np.random.default_rng(number)
    slots = [f"{c}{i}" for c in "ABCDEFGHIJKL" for i in (1, 2)][: 2 * int(chance.integers(2, 13))]
    showing = Showing(told=number % 2 == 0, shows=SHOWS, errs=ERRS, hides=0.0, watch_min=0)
    case = Case(
        {s: s[0] for s in slots}, {s: f"module {s}" for s in slots}, showing,
        priors=dict.fromkeys((Kind.MODULE, Kind.SLOT, Kind.SEATING), (1.0, 1.0)),
    )  # fmt: skip
    kind = (Kind.MODULE, Kind.SLOT, Kind.SEATING)[number // 2 % 3]
    slot = slots[int(chance.integers(len(slots)))]
    return case, Suspect(kind, case.start[slot] if kind is Kind.MODULE else slot)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--faults", type=int, default=1000)
    count = parser.parse_args().faults
    boots: dict[tuple[str, bool], list[int]] = {}
    wrong: dict[tuple[str, bool], int] = {}
    seconds = 0.0
    for number in range(count):
        case, fault = make(number)
        for way, search in WAYS.items():
            machine = Machine(case, fault, np.random.default_rng(10**6 + number))
            began = time.perf_counter()
            named = search(machine)
            if way == "search":
                seconds += time.perf_counter() - began
            key = (way, case.showing.told)
            boots.setdefault(key, []).append(machine.boots)
            wrong[key] = wrong.get(key, 0) + (fault not in named)
    print(
        f"{count} faults; {seconds / sum(sum(boots[k]) for k in boots if k[0] == 'search') * 1000:.1f} ms a boot of ours"
    )
    for told in (True, False, None):
        print({True: "places told", False: "only whether it shows", None: "all"}[told])
        figures = {}
        for way in WAYS:
            mine = [b for k, many in boots.items() if k[0] == way and told in (k[1], None) for b in many]
            missed = sum(w for k, w in wrong.items() if k[0] == way and told in (k[1], None))
            figures[way] = (np.median(mine), np.percentile(mine, 95))
            print(
                f"  {way:14} median {np.median(mine):5.1f}  95 % {np.percentile(mine, 95):5.1f} boots  wrong {missed / len(mine):6.1%}"
            )
        for way in ("halving", "one at a time"):
            print(f"  against {way:14} 95 %: {figures['search'][1] / figures[way][1]:.2f}")


if __name__ == "__main__":
    main()
