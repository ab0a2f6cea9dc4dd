"""What any layout of a row rests on that the sheet does not tell, so that its trouble is bounded nearer: the total beyond what ran
there, modules rated above what the processor lists, kinds that habit does not mix. Each only where it is sure to be asked."""

from __future__ import annotations

from functools import cached_property
from math import log

import numpy as np
from numpy.typing import NDArray

from umbrak.core.evaluate import question
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.columns import Arrays
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.space import KindClass, Space
from umbrak.core.rules.facts import MIXTURES, asks_total, questions

_FASTER = ".faster_modules"


class Untold:
    """Of one problem."""

    def __init__(self, problem: Problem, space: Space) -> None:
        self.problem, self.space = problem, space
        #: What ran together elsewhere may have settled any of it: then nothing is sure to be doubted.
        self.settled = any(t.held.facts for t in problem.trials)
        self.ctx = question(problem.sheet, problem.machine, problem.layout, problem.statements, problem.layout)

    def at_best(self, total: Arrays) -> NDArray[np.float64]:
        """Log of the chance that what nobody tells hides nothing, at best, of each combination in which something comes in."""
        found = np.zeros(len(total.gib))
        if self.settled:
            return found
        table = self.problem.table
        whole, faster = log(table["untold"]), log(table["untold.faster"])
        for gib in np.unique(total.gib):
            if asks_total(self.ctx, float(gib)):
                found[total.gib == gib] += whole
        for classes in self._faster.values():
            found[(total.counts[:, classes] > 0).any(axis=1)] += faster
        if self._mixes:
            new = (total.counts[:, [c.index for c in self._unfitted]] > 0).any(axis=1)
            mixed = np.zeros(len(found), bool)
            for yes, no in self._mixes:
                mixed |= (total.counts[:, yes] > 0).any(axis=1) & (total.counts[:, no] > 0).any(axis=1)
            found[new & mixed] += whole
        return found

    @cached_property
    def _unfitted(self) -> list[KindClass]:
        """Classes of which nothing is fitted: whatever is of them comes in."""
        return [c for c in self.space.classes if c.module and not any(k.slots for k in c.kinds)]

    @cached_property
    def _faster(self) -> dict[str, list[int]]:
        """Fact -> classes of which one module by itself asks for it."""
        found: dict[str, list[int]] = {}
        for c in self._unfitted:
            slot = next((s for s, takes in self.space.takes.items() if c.index in takes), None)
            if slot is None or c.module is None:
                continue
            p = self.problem
            ctx = question(p.sheet, p.machine, Layout({slot: c.module}), p.statements, p.layout)
            for q in questions(ctx):
                if q.fact.endswith(_FASTER):
                    found.setdefault(q.fact, []).append(c.index)
        return found

    @cached_property
    def _mixes(self) -> list[tuple[list[int], list[int]]]:
        """Classes that are so, and that are surely not, of each mixture that nobody allows or forbids."""
        missing = self.problem.sheet.not_told("memory.never_together")
        modules = [k.module for c in self.space.classes for k in c.kinds if k.module]
        parts = {m.part for m in modules}
        if missing is None or missing.seen or len(parts) < len(modules) or None in parts:
            return []
        found = []
        for _, member in MIXTURES:
            told = [(c.index, member(c.module)) for c in self.space.classes if c.module]
            yes, no = [i for i, v in told if v is True], [i for i, v in told if v is False]
            if yes and no:
                found.append((yes, no))
        return found
