"""What layouts rest on that the sheet does not tell, at best: so that the bounds on trouble are near.

Two kinds of such facts. The **total** hangs on the sum alone and the **order** on which slots are filled (`at_best`). Others
hang on which kinds are used: one that is rated above what the processor lists asks by itself, x4 beside x8 asks together.
Those are settled beforehand, like makers
and kits: each of the `alternatives` says which kinds may be used and what that is surely doubted for. For every layout
one of them allows kinds that ask for no more than it does, and charges no more than what it is doubted for in truth: so no
kind has to be compared with one that asks for more.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from math import log

import numpy as np
from numpy.typing import NDArray

from umbrak.core.evidence.doubts import number_of
from umbrak.core.memory.module import Module
from umbrak.core.platform.fact import FACT_OF_AMOUNT
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.columns import Arrays
from umbrak.core.routes.material import Kind
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.space import Space
from umbrak.core.rules import RULES
from umbrak.core.rules.facts import MIXTURES, asks_total, live_slots, questions
from umbrak.core.rules.finding import Severity

#: A fact, and the number of the table of beliefs by which it is doubted.
_Asked = tuple[str, str]
#: Facts about amounts, which what ran at a place answers there.
_BY_PLACE = frozenset(FACT_OF_AMOUNT.values())


@dataclass(frozen=True, slots=True)
class Alternative:
    """Kinds that may be used (indices), and the log of the chance that what is sure to be untold of them hides nothing."""

    kinds: frozenset[int]
    fine: float


class Untold:
    """Of one problem."""

    def __init__(self, problem: Problem, space: Space) -> None:
        self.problem, self.space = problem, space
        #: What ran together elsewhere may have settled any of it: then nothing is sure to be doubted.
        self.settled = any(t.held.facts for t in problem.trials)
        self.ctx = problem.question(problem.layout)
        self.kinds = [k for s in space.sorts for k in s.kinds]

    def at_best(self, rows: Arrays) -> NDArray[np.float64]:
        """Log of the chance that an untold total, an untold order and sockets that may have no processor hide nothing, of each
        combination of designs that something comes into."""
        found = np.zeros(len(rows.gib))
        if not self.settled:
            untold = log(self.problem.table["untold"])
            for gib in np.unique(rows.gib):
                if asks_total(self.ctx, float(gib)):
                    found[rows.gib == gib] += untold
            if may_be_filled := self._counts_without_order():
                asked = ~np.isin(rows.filled, may_be_filled) & ~(rows.as_ran & bool(self.ctx.ran_modules))
                found[asked] += untold
            found += rows.maybe_bare * untold
        return found

    def _counts_without_order(self) -> list[int]:
        """How many slots some layout fills that does not ask for an untold order: all, or as many as were seen; none where it is
        told. Those that ran are told apart by their places."""
        missing = self.problem.sheet.not_told("population")
        if missing is None:
            return []
        seen = [len(s) for s in missing.seen if isinstance(s, frozenset)]
        return [len(live_slots(self.ctx)), *seen]

    @cached_property
    def alternatives(self) -> tuple[Alternative, ...]:
        """Which kinds may be used and what is doubted of that. One of them allows all."""
        pairs = product(self._by_themselves(), self._together())
        return tuple(Alternative(a.kinds & b.kinds, a.fine + b.fine) for a, b in pairs)

    def _doubt(self, number: str) -> float:
        return 0.0 if self.settled else log(self.problem.table[number])

    def _by_themselves(self) -> Iterator[Alternative]:
        """By the facts that single modules ask for, and how much each is doubted: each set of these with the kinds that ask for no
        other."""
        asked = {k.index: self._asked_by(k) for k in self.kinds}
        surely = {
            f: all(f in sure for may, sure in asked.values() if f in may) for may, _ in asked.values() for f in may
        }
        sets = {frozenset[_Asked]()}
        for may in {may for may, _ in asked.values()}:
            sets |= {some | may for some in sets}
        for some in sorted(sets, key=lambda s: (len(s), sorted(s))):
            allowed = frozenset(k for k, (may, _) in asked.items() if may <= some)
            # A fact is doubted once, as much as the least likely of what asks for it.
            doubts: dict[str, float] = {}
            for asks in some:
                if surely[asks]:
                    doubts[asks[0]] = min(doubts.get(asks[0], 0.0), self._doubt(asks[1]))
            yield Alternative(allowed, sum(doubts.values()))

    def _asked_by(self, kind: Kind) -> tuple[frozenset[_Asked], frozenset[_Asked]]:
        """Facts that a module asks for by itself in some slot that takes it, and in whichever, however much there is in all."""
        p = self.problem
        if kind.module is None:
            return frozenset(), frozenset()
        found = [self._asked_in(slot, kind.module) for slot in self.space.places_of(kind)]
        # Dies are asked for where the total is not; and no place is asked for as much as ran in it.
        unsure = {"limits.die_gbit"} if p.sheet.not_told("limits") else set()
        if _BY_PLACE.intersection(*({f for f, _ in asked} for asked in found)):
            ran = [s for s in self.space.slots_of(kind) if s in self.ctx.ran_modules]
            there = [{f for f, _ in self._asked_in(s, kind.module)} for s in ran]
            unsure |= _BY_PLACE - _BY_PLACE.intersection(*there)
        surely = set.intersection(*found) if found else set[_Asked]()
        return frozenset(set().union(*found)), frozenset(a for a in surely if a[0] not in unsure)

    def _asked_in(self, slot: str, module: Module) -> set[_Asked]:
        """Facts that a module asks for alone in a slot; without those of `at_best`."""
        p = self.problem
        ctx = p.question(Layout({slot: module}))
        asked = {(q.fact, number_of(ctx, q)) for q in questions(ctx) if q.could_be in (Severity.STOP, Severity.RISK)}
        # Where nothing tells what a processor runs, this rule tells what that may hide.
        rates = [f for f in RULES["speed.untold"].find(ctx) if f.could_be in (Severity.STOP, Severity.RISK)]
        named = {n.removeprefix("sheet.") for f in rates for n in f.needs if n.startswith("sheet.")}
        asked |= {
            (f, "untold.faster" if f.endswith(".faster_modules") else "untold") for f in named - {f for f, _ in asked}
        }
        return {a for a in asked if a[0] not in ("limits", "population")}

    def _together(self) -> Iterator[Alternative]:
        """By what habit does not mix: layouts that are all of one sort in every respect, those of one part, those that were seen,
        and all others."""
        every = frozenset(k.index for k in self.kinds)
        modules = {k.index: k.module for k in self.kinds if k.module}
        unknown = every - modules.keys()
        sorts = {k: tuple(member(m) for _, member in MIXTURES) for k, m in modules.items()}
        missing = self.problem.sheet.not_told("memory.never_together")
        if missing is None or (len(set(sorts.values())) == 1 and not any(None in s for s in sorts.values())):
            yield Alternative(every, 0.0)
            return
        for sort in sorted({s for s in sorts.values() if None not in s}):
            yield Alternative(unknown | {k for k, s in sorts.items() if s == sort}, 0.0)
        # Of what is not known to be of a sort: modules of one part are alike, and a single one is.
        for one, m in modules.items():
            same = {k for k, other in modules.items() if m.part and other.part == m.part}
            yield Alternative(unknown | same | {one}, 0.0)
        for tests in missing.seen:
            if isinstance(tests, tuple):
                yield Alternative(unknown | {k for k, m in modules.items() if any(t.matches(m) for t in tests)}, 0.0)
        yield Alternative(every, self._doubt("untold"))
