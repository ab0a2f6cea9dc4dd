"""What a round may do with each machine: its routes, found once for all machines that are alike."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.brief import shop_words
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.rounds.problem import Counts, FleetRoute
from umbrak.core.routes.picks import is_in_warranty
from umbrak.core.routes.problem import Candidate, Origin, Problem, Wishes
from umbrak.core.routes.search import search
from umbrak.core.routes.weighing import Weighed
from umbrak.core.rules.finding import could_harm
from umbrak.core.runsheet.make import run_sheet
from umbrak.core.runsheet.step import Work
from umbrak.formats.documents import like_key
from umbrak.services.known.loading import Loaded, sound_layout
from umbrak.services.rounds.asked import RoundAsked
from umbrak.services.routes.finding import problem_of

#: Routes of one machine that a round chooses from.
MOST_WAYS = 14
#: For one kind of machine. [s]
_SECONDS = 4.0


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


@dataclass(frozen=True)
class Kinds:
    """Kinds of module that a round moves about: key -> module."""

    modules: dict[str, Module]

    def key(self, module: Module) -> str:
        found = like_key(module)
        self.modules.setdefault(found, alike(module))
        return found


@dataclass(frozen=True)
class Wanted:
    """A machine that is to have more."""

    machine: Loaded
    need_gib: float


def ways_of(
    db: Connection,
    asked: RoundAsked,
    wanted: Sequence[Wanted],
    *,
    hour: float,
    kinds: Kinds,
    report: Callable[[int, int], None],
    stopped: Callable[[], bool],
) -> dict[UUID, tuple[Way, ...]]:
    """Machine -> the routes that no other of it beats, those by what is bought and those by what the others of the round give up.

    Parameters
        hour     what an hour of hands costs
        report   (kinds of machine looked at, of how many)
    """
    alike_machines: dict[object, list[Wanted]] = {}
    for w in wanted:
        alike_machines.setdefault(_likeness(w), []).append(w)
    pulled = Counter(alike(x) for w in wanted for x in sound_layout(w.machine).values() if isinstance(x, Module))
    found: dict[UUID, tuple[Way, ...]] = {}
    for n, same in enumerate(alike_machines.values()):
        report(n, len(alike_machines))
        if stopped():
            break
        first = same[0]
        problem = replace(problem_of(db, first.machine, _wishes(asked, first)), layout=_anyone(first.machine))
        ways = tuple(_ways(problem, asked, first, hour, kinds, pulled))
        for w in same:
            own = sound_layout(w.machine)
            found[w.machine.row.id] = tuple(replace(way, goal=onto(own, way.goal)) for way in ways)
    return found


def _likeness(w: Wanted) -> object:
    m = w.machine
    layout = tuple(sorted((s, like_key(x) if isinstance(x, Module) else "?") for s, x in sound_layout(m).items()))
    own = tuple(sorted(s.id for s in m.statements))
    return m.row.sheet_hash, m.row.facts.model_dump_json(), layout, w.need_gib, own


def _anyone(m: Loaded) -> Layout:
    """What is fitted without what only tells individuals apart."""
    return Layout({s: alike(x) if isinstance(x, Module) else x for s, x in sound_layout(m).items()})


def _wishes(asked: RoundAsked, w: Wanted) -> Wishes:
    return Wishes(
        usable_gib=w.need_gib,
        keep_warranty=asked.keep_warranty,
        third_party=asked.third_party,
        less_bandwidth=True,
    )


def _ways(
    problem: Problem, asked: RoundAsked, w: Wanted, hour: float, kinds: Kinds, pulled: Counter[Module]
) -> Iterator[Way]:
    offered = [c for c in problem.candidates if c.origin is Origin.OFFER]
    searched = [offered, list(problem.candidates)]
    if asked.passing_on:
        own = Counter(x for x in problem.layout.values() if isinstance(x, Module))
        others = pulled - own
        handed = [
            Candidate(m.part or m.short(), m, stock=n, origin=Origin.SHELF)
            for m, n in others.items()
            if m not in {alike(c.module) for c in problem.candidates if c.origin is Origin.SHELF}
        ]
        searched.append([*problem.candidates, *handed])
    made: dict[Counts, tuple[float, Way]] = {}
    kept: list[Counts] = []
    for candidates in searched:
        found = search(replace(problem, candidates=tuple(candidates)), _SECONDS).routes
        ways = sorted((_way(problem, r, hour, kinds, asked.soak_days) for r in found if _may(r)), key=lambda x: x[0])
        for cost, way in ways[: MOST_WAYS // len(searched) + 1]:
            if way.route.uses not in made or cost < made[way.route.uses][0]:
                made[way.route.uses] = (cost, way)
            if way.route.uses not in kept:
                kept.append(way.route.uses)
    names = set[str]()
    for uses in kept[:MOST_WAYS]:
        way = made[uses][1]
        name = way.route.name
        while name in names:
            name += "'"
        names.add(name)
        yield replace(way, route=replace(way.route, name=name))


def _may(r: Weighed) -> bool:
    return not r.stops and not could_harm(r.evaluation.findings)


def _way(problem: Problem, r: Weighed, hour: float, kinds: Kinds, soak_days: float) -> tuple[float, Way]:
    """(what it costs, what is on the Shelf free; the way)"""
    now = Counter(alike(x) for x in problem.layout.values() if isinstance(x, Module))
    goal = Counter(alike(x) for x in r.layout.values() if isinstance(x, Module))
    uses, frees = goal - now, now - goal
    work = Work(now=problem.layout, goal=r.layout, soak_days=soak_days)
    minutes = run_sheet(problem.sheet, problem.machine, work).hands_on
    hours = minutes.high / 60
    cost = hour * hours
    puts_in = _words(uses)
    route = FleetRoute(
        name=f"{r.measures.usable_gib:g} GB: {puts_in}",
        uses=counts_of(uses, kinds),
        frees=counts_of(frees, kinds),
        hours=round(hours, 2),
        cost=round(cost, 2),
        loss=round(r.trouble.expected_loss, 2),
    )
    return float(r.cost) + cost + route.loss, Way(
        route=route,
        goal=r.layout,
        installed_gib=r.evaluation.installed_gib,
        usable_gib=r.measures.usable_gib,
        trouble=r.trouble.probability,
        verdict=r.evaluation.verdict.value,
        in_warranty=is_in_warranty(r),
        puts_in=puts_in,
        takes_out=_words(frees),
    )


def counts_of(of: Counter[Module], kinds: Kinds) -> Counts:
    return tuple(sorted((kinds.key(m), n) for m, n in of.items()))


def _words(of: Iterable[Module] | Counter[Module]) -> str:
    counted = of if isinstance(of, Counter) else Counter(of)
    by_words: Counter[str] = Counter()
    for m, n in counted.items():
        by_words[shop_words(m)] += n
    return ", ".join(f"{n} × {words}" for words, n in sorted(by_words.items()))


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
