"""Layouts that are weighed before any is searched for: so that there is something to show, however short the time is."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from itertools import combinations

from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.arrange import next_set
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.material import Kind
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.space import Space
from umbrak.core.routes.units import channel_type
from umbrak.core.routes.weighing import Scales

#: Steps by the order that are tried of each kind, from where it may come to what is wished.
_STEPS = 4


def openers(problem: Problem, scales: Scales, space: Space, over: Callable[[], bool]) -> Iterator[Layout]:
    """What a hand would try first, till it is `over`: each kind step by step by the order, beside what is fitted and instead of
    it; the cheapest first, of what costs the same the largest, which comes to what is wished in the fewest steps."""
    level = not problem.wishes.uneven and any(e.even_over_sockets for e in problem.sheet.evens)
    for kind in sorted(scales.kinds, key=lambda k: (k.cost[-1] / len(k.cost), -_gib(k))):
        if kind.module is None or len(kind.cost) <= kind.fitted + 1:
            continue
        # Instead of what is fitted only another kind: those that are fitted are individuals.
        for layout in (problem.layout,) if kind.slots else (problem.layout, problem.stays):
            told = 0
            while told < _STEPS and not over():
                grown = next_set(problem.sheet, problem.machine, layout, kind.module)
                if grown is None or grown == layout or not _is_at_hand(scales, grown):
                    break
                layout = grown
                if _is_enough(problem, layout) and (not level or _is_level(space, layout)):
                    told += 1
                    yield layout


def neighbours(problem: Problem, scales: Scales, space: Space) -> Iterator[Layout]:
    """What differs from now in one slot, then in two."""
    now = dict(problem.layout)
    options = [(slot, m) for slot in _unlike_slots(scales, space) for m in _first_of_each_class(problem, space, slot)]
    changes = [{s: m} for s, m in options] + [{s: m, t: n} for (s, m), (t, n) in combinations(options, 2) if s != t]
    for change in changes:
        layout = Layout({s: m for s, m in {**now, **change}.items() if m is not None})
        if _is_at_hand(scales, layout):
            yield layout


def _gib(kind: Kind) -> float:
    return (kind.module.capacity_gib or 0.0) if kind.module else 0.0


def _is_at_hand(scales: Scales, layout: Layout) -> bool:
    counts = Counter(alike(m) if isinstance(m, Module) else None for m in layout.values())
    return all(n < len(k.cost) for k in scales.kinds if (n := counts[k.module]))


def _is_enough(problem: Problem, layout: Layout) -> bool:
    """Whether its sum may come to what is wished."""
    soldered = (c.soldered for c in problem.sheet.channels.values() if c.soldered)
    modules = (m for m in (*layout.values(), *soldered) if isinstance(m, Module))
    return sum(m.capacity_gib or 0 for m in modules) >= (problem.wishes.usable_gib or 0)


def _is_level(space: Space, layout: Layout) -> bool:
    """Whether each socket that may hold memory has as many modules as the others."""
    return len({sum(s in layout for c in space.sheet.channels_of[k] for s in c.slots) for k in space.live}) == 1


def _unlike_slots(scales: Scales, space: Space) -> list[str]:
    """Two slots of each kind of place: what goes into one goes into any like it."""
    by_type: dict[object, list[str]] = {}
    for slot in scales.live_slots:
        channel = space.sheet.channels[space.sheet.slots[slot].channel]
        by_type.setdefault((channel_type(space, channel), channel.slots.index(slot)), []).append(slot)
    return [s for slots in by_type.values() for s in dict.fromkeys((slots[0], slots[-1]))]


def _first_of_each_class(problem: Problem, space: Space, slot: str) -> list[Module | None]:
    """The cheapest module of each class that may be put into a slot; None empties it."""
    free = problem.wishes.third_party
    found: list[Module | None] = []
    for c in space.takes[slot]:
        kinds = [k for k in space.classes[c].kinds if k.module and len(k.cost) > k.fitted + 1 and (free or k.listed)]
        cheapest = min(kinds, key=lambda k: (k.cost[k.fitted + 1], k.index), default=None)
        found += [cheapest.module] if cheapest else []
    return [*dict.fromkeys(found), *([None] if slot in problem.layout else [])]
