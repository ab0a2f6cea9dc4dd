"""Fault search against a careful hand that halves: boots and minutes until somebody is named, how often wrongly, and how many
names an answer holds; on machines that are unlike what the search believes of them.

    PYTHONPATH=src python -m bench.faults [--cases 1200] [--machine first|second] [--clean 9] [--shown 2] [--workers 2]

Truths, in turn: a module, a slot, a contact (rates 0.6 to 1), an intermittent module (0.35), two faults, a slot that always hides
its neighbour, a module that hardly shows below two thirds filled, a contact that drawing cures with 0.6. Machines have 4 to 24
slots, two a channel; half of them tell where it shows, of the other half it is only seen whether. Sound parts err with 0.002
(0.005 where places are told). The second machine is another: three slots a channel, rates 0.5 to 1, intermittent 0.2 to 0.5, heat
below 1/3, 1/2 or 4/5 filled, cured with 0.4 to 0.8, errors half to double. A boot takes twelve minutes.

Right is an answer that has a true fault among its names. The hand believes that something shows once it has
shown so often (--shown; where a boot tells places, at once), and that it does not after so many boots without it (--clean). Where a boot tells places it goes by the first that was dark. Else half of the suspected modules
are left out until one place is left. Then that module is reseated, then moved to another slot.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from umbrak.core.proof.fault_search import look
from umbrak.core.proof.next_boot import DRAW_MIN, PUSH_MIN
from umbrak.core.proof.suspects import Boot, Case, Kind, Showing, Suspect

TRUTHS = ("module", "slot", "contact", "intermittent", "two", "hides", "hot", "perhaps cured")
#: Of one rate for plain truths; goals for how often a name may be wrong. All together 1.5 %.
PLAIN = ("module", "slot", "contact")
BOOT_MIN = 12.0
#: A search that has not ended by then has failed.
MOST = 120


@dataclass(frozen=True)
class Fault:
    kind: Kind
    #: The slot that it is at, or of its module at the start.
    slot: str
    rate: float
    #: Below this share filled it hardly shows.
    hot: float = 0.0
    hides: bool = False
    cure: float = 1.0

    @property
    def suspect(self) -> Suspect:
        return Suspect(self.kind, f"module {self.slot}" if self.kind is Kind.MODULE else self.slot)


@dataclass
class Machine:
    """A machine with its faults; a boot of it is what a hand would see."""

    case: Case
    faults: tuple[Fault, ...]
    errs: float
    chance: np.random.Generator
    boots: int = 0
    minutes: float = 0.0
    cured: set[str] = field(default_factory=set)
    now: Mapping[str, str] | None = None

    def boot(self, arrangement: Mapping[str, str], reseated: frozenset[str] = frozenset()) -> frozenset[str]:
        """Slots at which something shows."""
        before = self.now if self.now is not None else self.case.start
        drawn = {s for s in before if arrangement.get(s) != before[s]} | reseated
        pushed = {s for s in arrangement if before.get(s) != arrangement[s]} | reseated
        self.now = dict(arrangement)
        self.boots += 1
        self.minutes += DRAW_MIN * len(drawn) + PUSH_MIN * len(pushed) + BOOT_MIN
        at = {m: s for s, m in arrangement.items()}
        dark = {s for s in arrangement if self.chance.random() < self.errs}
        for f in self.faults:
            if f.kind is Kind.SEATING and f.slot in drawn and self.chance.random() < f.cure:
                self.cured.add(f.slot)
            place = at.get(f"module {f.slot}") if f.kind is Kind.MODULE else f.slot if f.slot in arrangement else None
            if place is None or (f.kind is Kind.SEATING and f.slot in self.cured):
                continue
            cold = len(arrangement) < f.hot * len(self.case.start)
            if self.chance.random() < (0.1 if cold else f.rate):
                dark.add(place)
                if f.hides:
                    dark |= {s for s in arrangement if self.case.channels[s] == self.case.channels[place]}
        return frozenset(dark)


Named = tuple[Suspect, ...]


def by_search(machine: Machine) -> tuple[Named, list[float]]:
    case = machine.case
    arrangement: Mapping[str, str] = case.start
    reseated: frozenset[str] = frozenset()
    boots: list[Boot] = []
    took = []
    while machine.boots < MOST:
        dark = machine.boot(arrangement, reseated)
        while not boots and not dark:  # nobody looks for what did not show
            dark = machine.boot(arrangement, reseated)
        boots.append(Boot(arrangement, reseated, dark if case.showing.told else frozenset(), bool(dark)))
        began = time.perf_counter()
        found = look(case, boots, BOOT_MIN, several=1)
        took.append(time.perf_counter() - began)
        if found.culprits:
            return found.culprits, took
        if not found.trials:
            break
        arrangement, reseated = found.trials[0].arrangement, found.trials[0].reseated
    return (), took


#: A hand believes that something does not show after so many boots in a row without it, and that it does once it has shown so often
#: (where a boot tells places, at once). Over 1200 cases of the first machine: believed at once, 24 % wrong after five clean boots (12.7
#: boots), 21.5 % after seven (16.0), 23 % after nine (19.0); believed the second time, 22 % after five (15.7), 19 % after seven (19.5), 18 %
#: after nine (22.7), 17 % after twelve (27.7).
CLEAN, SHOWN = 9, 2


class Hand:
    """A person who believes neither what shows nor what does not at the first boot."""

    def __init__(self, machine: Machine) -> None:
        self.machine, self.case = machine, machine.case

    def _seen(self, wanted: int, boots: Iterator[bool]) -> bool:
        shown = quiet = 0
        while shown < wanted and quiet < CLEAN:
            shows = next(boots)
            shown, quiet = (shown + 1, 0) if shows else (shown, quiet + 1)
        return shown == wanted

    def _boots(self, arrangement: Mapping[str, str], reseated: frozenset[str]) -> Iterator[frozenset[str]]:
        yield self.machine.boot(arrangement, reseated)
        while True:
            yield self.machine.boot(arrangement)

    def shows(self, arrangement: Mapping[str, str], reseated: frozenset[str] = frozenset()) -> bool:
        return self._seen(SHOWN, (bool(dark) for dark in self._boots(arrangement, reseated)))

    def shows_at(self, slot: str, arrangement: Mapping[str, str], reseated: frozenset[str] = frozenset()) -> bool:
        """Where places are told: whether it is dark there."""
        return self._seen(1, (slot in dark for dark in self._boots(arrangement, reseated)))

    def which(self, slot: str) -> Named:
        """Module, slot or seating, once the place is known: reseat it, then put the module elsewhere."""
        start = dict(self.case.start)
        other = next(s for s in self.case.slots if s != slot)
        told = self.case.showing.told
        if not (self.shows_at(slot, start, frozenset({slot})) if told else self.shows(start, frozenset({slot}))):
            return (Suspect(Kind.SEATING, slot),)
        there = {**{s: m for s, m in start.items() if s not in (slot, other)}, other: start[slot]}
        if self.shows_at(other, there) if told else self.shows(there):
            return (Suspect(Kind.MODULE, start[slot]),)
        return (Suspect(Kind.SLOT, slot),)


def by_halving(machine: Machine) -> Named:
    """Of the suspected places one half is left in. Where it does not show, the fault is with the other half, or was a
    seating there: so that is asked next, with everything back."""
    hand, start = Hand(machine), machine.case.start
    suspected = list(machine.case.slots)
    while not (dark := machine.boot(start)):
        pass
    if machine.case.showing.told:
        return hand.which(min(dark))
    while len(suspected) > 1:
        half, rest = suspected[: len(suspected) // 2], suspected[len(suspected) // 2 :]
        if hand.shows({s: start[s] for s in half}):
            suspected = half
        elif hand.shows(start):
            suspected = rest
        else:
            return tuple(Suspect(Kind.SEATING, s) for s in rest)
    return hand.which(suspected[0])


def make(number: int, second: bool) -> tuple[str, Case, tuple[Fault, ...], float]:
    """(truth, case, faults, how often sound parts err): the same for every way."""
    chance = np.random.default_rng(number + (10**7 if second else 0))
    truth, told = TRUTHS[number // 2 % len(TRUTHS)], number % 2 == 0
    deep = 3 if second else 2
    slots = [f"{c}{i}" for c in "ABCDEFGHIJKL" for i in range(1, deep + 1)]
    slots = slots[: deep * int(chance.integers(2, 24 // deep + 1))]
    errs = (0.005 if told else 0.002) * (float(chance.uniform(0.5, 2)) if second else 1.0)
    showing = Showing(told=told, errs=0.005 if told else 0.002, hides=0.0, watch_min=0)
    case = Case({s: s[0] for s in slots}, {s: f"module {s}" for s in slots}, showing)
    first, other = (str(s) for s in chance.choice(slots, 2, replace=False))
    rate = float(chance.uniform(0.5 if second else 0.6, 1))
    faint = float(chance.uniform(0.2, 0.5)) if second else 0.35
    heat = float(chance.choice([1 / 3, 1 / 2, 4 / 5])) if second else 2 / 3
    cure = float(chance.uniform(0.4, 0.8)) if second else 0.6
    faults: dict[str, tuple[Fault, ...]] = {
        "module": (Fault(Kind.MODULE, first, rate),),
        "slot": (Fault(Kind.SLOT, first, rate),),
        "contact": (Fault(Kind.SEATING, first, rate),),
        "intermittent": (Fault(Kind.MODULE, first, faint),),
        "two": (
            Fault(Kind.MODULE, first, rate),
            Fault(Kind.MODULE if chance.random() < 0.5 else Kind.SEATING, other, rate),
        ),
        "hides": (Fault(Kind.SLOT, first, rate, hides=True),),
        "hot": (Fault(Kind.MODULE, first, max(rate, 0.8), hot=heat),),
        "perhaps cured": (Fault(Kind.SEATING, first, rate, cure=cure),),
    }
    return truth, case, faults[truth], errs


@dataclass(frozen=True)
class Line:
    """One case: its truth, and what came of each way."""

    truth: str
    told: bool
    boots: tuple[int, int]
    minutes: tuple[float, float]
    wrong: tuple[bool, bool]
    names: int
    took: tuple[float, ...]


def run(number: int, second: bool) -> Line:
    truth, case, faults, errs = make(number, second)
    true = {f.suspect for f in faults}
    ours = Machine(case, faults, errs, np.random.default_rng(10**6 + number))
    named, took = by_search(ours)
    theirs = Machine(case, faults, errs, np.random.default_rng(10**6 + number))
    halved = by_halving(theirs)
    return Line(
        truth=truth, told=case.showing.told, boots=(ours.boots, theirs.boots), minutes=(ours.minutes, theirs.minutes),
        wrong=(not true & set(named), not true & set(halved)), names=len(named), took=tuple(took),
    )  # fmt: skip


def told_of(name: str, lines: list[Line]) -> str:
    boots = np.array([x.boots for x in lines])
    minutes = np.array([x.minutes for x in lines])
    wrong = np.array([x.wrong for x in lines]).mean(axis=0)
    names = np.array([x.names for x in lines if x.names])
    high = np.percentile(boots, 95, axis=0)
    return (
        f"  {name:14} {len(lines):5}  wrong {wrong[0]:6.1%} ({wrong[1]:5.1%})  boots {boots[:, 0].mean():5.1f} / {boots[:, 1].mean():5.1f} = {boots[:, 0].mean() / boots[:, 1].mean():.2f}"
        f"  95 % {high[0]:4.0f} / {high[1]:4.0f} = {high[0] / high[1]:.2f}  minutes {minutes[:, 0].mean() / minutes[:, 1].mean():.2f}"
        f"  names {names.mean():.2f}, at most {names.max(initial=0)}"
    )


def _set_hand(clean: int, shown: int) -> None:
    global CLEAN, SHOWN
    CLEAN, SHOWN = clean, shown


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--cases", type=int, default=1200)
    parser.add_argument("--machine", choices=("first", "second"), default="first")
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--clean", type=int, default=CLEAN)
    parser.add_argument("--shown", type=int, default=SHOWN)
    given = parser.parse_args()
    with ProcessPoolExecutor(given.workers, initializer=_set_hand, initargs=(given.clean, given.shown)) as pool:
        lines = list(pool.map(partial(run, second=given.machine == "second"), range(given.cases), chunksize=8))
    took = np.concatenate([x.took for x in lines]) * 1000
    print(
        f"{given.cases} cases of the {given.machine} machine; ours / halving by hand; {took.mean():.0f} ms a boot, 95 % {np.percentile(took, 95):.0f}"
    )
    for truth in TRUTHS:
        print(told_of(truth, [x for x in lines if x.truth == truth]))
    print(told_of("plain", [x for x in lines if x.truth in PLAIN]))
    print(told_of("places told", [x for x in lines if x.told]))
    print(told_of("whether only", [x for x in lines if not x.told]))
    print(told_of("all", lines))


if __name__ == "__main__":
    main()
