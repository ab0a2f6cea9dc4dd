"""What a round may do with a machine: its routes, those by what is bought and those by what other machines give up."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.brief import shop_words
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.rounds.problem import Counts, FleetRoute
from umbrak.core.routes.material import left_out
from umbrak.core.routes.picks import is_in_warranty
from umbrak.core.routes.problem import Candidate, Origin, Problem
from umbrak.core.routes.search import search
from umbrak.core.routes.weighing import Weighed
from umbrak.core.rules.finding import could_harm
from umbrak.core.runsheet.make import run_sheet
from umbrak.core.runsheet.step import Work

#: Routes of one machine that a round chooses from.
MOST_WAYS = 14
#: How long the routes of all kinds of machine are sought, and of one of them at least and at most, each of three times. [s]
_ALL, _LEAST, _MOST = 120.0, 0.3, 4.0


def seconds_each(kinds: int) -> float:
    """How long the routes of one of so many kinds of machine are sought."""
    return max(_LEAST, min(_MOST, _ALL / 3 / max(kinds, 1)))


@dataclass(frozen=True)
class Way:
    """A route as a round has it, with what people are told of it."""

    route: FleetRoute
    goal: Layout
    installed_gib: float
    usable_gib: float
    trouble: float
    verdict: str
    in_warranty: bool
    #: "8 × 32 GB DDR4-2666 RDIMM"; what they take the place of.
    puts_in: str
    takes_out: str
    #: Slots of whose content nobody knows the size: the totals are at least so much.
    not_counted: int = 0


@dataclass(frozen=True)
class Kinds:
    """Kinds of module that a round moves about."""

    #: Equal for modules that may stand for each other.
    key_of: Callable[[Module], str]
    modules: dict[str, Module] = field(default_factory=dict)

    def key(self, module: Module) -> str:
        found = self.key_of(module)
        self.modules.setdefault(found, alike(module))
        return found

    def counts(self, of: Counter[Module]) -> Counts:
        return tuple(sorted((self.key(m), n) for m, n in of.items()))


@dataclass(frozen=True)
class Terms:
    """What routes of a round are weighed by."""

    kinds: Kinds
    #: What an hour of hands costs.
    hour: float
    soak_days: float
    #: What all machines of the round hold; nothing where used modules are not passed on.
    held: Counter[Module]
    #: How long the routes of one machine are sought, each of three times. [s]
    seconds: float = 4.0


def fitted(layout: Layout) -> Counter[Module]:
    """Modules of a layout by kind."""
    return Counter(alike(x) for x in layout.values() if isinstance(x, Module))


def words_of(modules: Counter[Module]) -> str:
    """As a shop lists them."""
    by_words: Counter[str] = Counter()
    for m, n in modules.items():
        by_words[shop_words(m)] += n
    return ", ".join(f"{n} × {words}" for words, n in sorted(by_words.items()))


@dataclass(frozen=True)
class Ways:
    #: Each with other modules; names are unique.
    ways: tuple[Way, ...]
    #: Whether every search came to its end: where there is no way, there is none.
    proved: bool
    #: Whether these are all that there are, and not the cheapest of more.
    whole: bool = True
    #: Offers and modules of the Shelf that were not used, and why.
    left_out: tuple[str, ...] = ()


def ways_of(problem: Problem, terms: Terms) -> Ways:
    """The routes that a round chooses from.

    It is searched with what is offered, with the Shelf beside it, and with what other machines of the round would give up: what is free
    would otherwise beat what has to be bought where the former runs out.
    """
    offered = [c for c in problem.candidates if c.origin is Origin.OFFER]
    searched = [offered, list(problem.candidates)]
    if others := terms.held - fitted(problem.layout):
        handed = [
            Candidate(m.part or m.short(), m, stock=n, origin=Origin.SHELF, pulled=True)
            for m, n in others.items()
            if m not in {alike(c.module) for c in problem.candidates if c.origin is Origin.SHELF}
        ]
        searched.append([*problem.candidates, *handed])
    made: dict[Counts, tuple[float, Way]] = {}
    kept: list[Counts] = []
    proved, cut = True, False
    for candidates in searched:
        found = search(replace(problem, candidates=tuple(candidates)), terms.seconds)
        proved &= found.proved
        ways = sorted((_way(problem, r, terms) for r in found.routes if _may(r)), key=lambda x: x[0])
        most = MOST_WAYS // len(searched) + 1
        cut |= len(ways) > most
        for cost, way in ways[:most]:
            if way.route.uses not in made or cost < made[way.route.uses][0]:
                made[way.route.uses] = (cost, way)
            if way.route.uses not in kept:
                kept.append(way.route.uses)
    names, told = set[str](), list[Way]()
    for uses in kept[:MOST_WAYS]:
        way = made[uses][1]
        name = way.route.name
        while name in names:
            name += "'"
        names.add(name)
        told.append(replace(way, route=replace(way.route, name=name)))
    whole = proved and not cut and len(kept) <= MOST_WAYS
    return Ways(tuple(told), proved, whole, left_out(problem.candidates))


def _may(r: Weighed) -> bool:
    return not r.stops and not could_harm(r.evaluation.findings)


def _way(problem: Problem, r: Weighed, terms: Terms) -> tuple[float, Way]:
    """(what it costs, with what is on the Shelf free; the way)"""
    now, goal = fitted(problem.layout), fitted(r.layout)
    uses, frees = goal - now, now - goal
    work = Work(now=problem.layout, goal=r.layout, soak_days=terms.soak_days)
    # The longest that run sheets say: a wave that is planned shorter does not end.
    hours = run_sheet(problem.sheet, problem.machine, work).hands_on.high / 60
    cost = terms.hour * hours
    puts_in = words_of(uses)
    route = FleetRoute(
        name=f"{r.measures.usable_gib:.0f} GB: {puts_in}",
        uses=terms.kinds.counts(uses),
        frees=terms.kinds.counts(frees),
        hours=round(hours, 2),
        cost=round(cost, 2),
        loss=round(r.trouble.expected_loss, 2),
    )
    return float(r.cost) + cost + route.loss, Way(
        route=route,
        goal=r.layout,
        installed_gib=r.evaluation.installed_gib,
        usable_gib=r.measures.usable_gib,
        not_counted=r.evaluation.not_counted,
        trouble=r.trouble.probability,
        verdict=r.evaluation.verdict.value,
        in_warranty=is_in_warranty(r),
        puts_in=puts_in,
        takes_out=words_of(frees),
    )


def onto(own: Layout, goal: Layout) -> Layout:
    """A goal of modules of their kinds as one of a machine's own modules, as far as it has them: what stays is itself, what moves too."""
    spare: dict[Module, list[Module]] = {}
    stays: dict[str, Occupant] = {}
    for slot, mine in own.items():
        if isinstance(mine, Module):
            if goal.get(slot) == alike(mine):
                stays[slot] = mine
            else:
                spare.setdefault(alike(mine), []).append(mine)
    made: dict[str, Occupant] = {}
    for slot, wanted in goal.items():
        had = spare.get(wanted, []) if isinstance(wanted, Module) else []
        made[slot] = stays[slot] if slot in stays else had.pop(0) if had else wanted
    return Layout(made)
