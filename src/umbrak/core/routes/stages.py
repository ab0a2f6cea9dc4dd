"""Staged routes: one module first, proved, then the rest; so that a doubt costs one module and not all of them."""

from __future__ import annotations

from collections import Counter

from umbrak.core.evaluate import evaluate
from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.weighing import Weighed
from umbrak.core.rules.finding import Severity

#: Slots tried for the first module.
_TRIES = 8


def first_stage(problem: Problem, route: Weighed) -> Layout | None:
    """What is fitted with the first of a route's new modules in its place: None where nothing is doubted, where fewer
    than two come in, or where no single one works by itself."""
    fitted = Counter(alike(m) for m in problem.layout.values() if isinstance(m, Module))
    wanted = Counter(alike(m) for m in route.layout.values() if isinstance(m, Module))
    new = wanted - fitted
    if not route.trouble.beliefs or new.total() < 2:
        return None
    # The part that is believed least shows most.
    doubted: dict[Module | None, float] = {
        b.doubt.module: b.works for b in route.trouble.beliefs if b.doubt.module is not None
    }
    slots = [s for s in problem.sheet.slots if isinstance(m := route.layout.get(s), Module) and alike(m) in new]
    slots = [s for s in slots if problem.layout.get(s) != route.layout[s]]
    slots.sort(key=lambda s: doubted.get(_module(route.layout, s), 1.0))
    for slot in slots[:_TRIES]:
        layout = Layout({**problem.layout, slot: route.layout[slot]})
        judged = evaluate(problem.sheet, problem.machine, layout, problem.statements, problem.layout)
        if not any(f.severity is Severity.STOP for f in judged.findings):
            return layout
    return None


def _module(layout: Layout, slot: str) -> Module | None:
    occupant = layout.get(slot)
    return alike(occupant) if isinstance(occupant, Module) else None
