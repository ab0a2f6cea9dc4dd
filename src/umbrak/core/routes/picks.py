"""The routes that a person asks for first, and which wishes to give up where there is none."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence, Set
from dataclasses import dataclass, fields, replace
from itertools import combinations, groupby

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.problem import Problem, Wishes
from umbrak.core.routes.weighing import Weighed
from umbrak.core.rules.finding import Verdict

#: Name -> what a route of that name has least of; of several the cheapest, then the one of sizes that are in the machine already.
_PICKS: Mapping[str, Callable[[Weighed], float]] = {
    "cheapest": lambda w: w.measures.cost,
    "in-warranty": lambda w: w.measures.cost,
    "safest": lambda w: w.measures.trouble,
    "fastest": lambda w: -w.measures.sustained_gbs,
    "largest": lambda w: -w.measures.usable_gib,
    "most-room": lambda w: -w.measures.free_slots,
    "least-handling": lambda w: w.measures.touches,
}


def names_of(routes: Sequence[Weighed], fitted: Layout) -> list[tuple[str, ...]]:
    """For each route the names that are its. `fitted`: what is in the machine."""
    sizes = {m.capacity_gib for m in fitted.values() if isinstance(m, Module)} - {None}
    found: list[list[str]] = [[] for _ in routes]
    for name, least in _PICKS.items():
        of = [i for i, w in enumerate(routes) if name not in _MAY_BE_CALLED or _MAY_BE_CALLED[name](w)]
        if of:
            best = min(
                of, key=lambda i: (least(routes[i]), routes[i].measures.cost, _unlike(routes[i].layout, sizes), i)
            )
            found[best].append(name)
    return [tuple(names) for names in found]


def _unlike(layout: Layout, sizes: Set[float | None]) -> int:
    """How many modules are of a size that the machine has none of."""
    return sum(isinstance(m, Module) and m.capacity_gib not in sizes for m in layout.values()) if sizes else 0


#: Name -> what a route must be to be called so.
_MAY_BE_CALLED: Mapping[str, Callable[[Weighed], bool]] = {
    "in-warranty": lambda w: is_in_warranty(w),
    "safest": lambda w: w.evaluation.verdict is not Verdict.UNDECIDED,
    "fastest": lambda w: w.evaluation.rates_told,
    "most-room": lambda w: w.measures.free_slots > 0,
}


def is_in_warranty(w: Weighed) -> bool:
    """Whether the maker is known to stand behind it: listed parts, within what it states officially, nothing opened that
    ends it, nothing undecided."""
    codes = {f.code for f in w.evaluation.findings}
    known = w.evaluation.over_official is False and w.evaluation.verdict is not Verdict.UNDECIDED
    return known and w.all_listed and not codes & {"risk.warranty", "risk.unlisted", "kind.uncertified"}


#: What asks for nothing at all.
_NOTHING = Wishes(uneven=True, less_memory=True, less_bandwidth=True, move_content=True)


def wishes_made(problem: Problem) -> tuple[str, ...]:
    """Names of the wishes that ask for something, in order."""
    made = (f.name for f in fields(Wishes) if getattr(problem.wishes, f.name) != getattr(_NOTHING, f.name))
    return tuple(n for n in made if n != "move_content" or problem.stays)


def without(problem: Problem, names: Sequence[str]) -> Problem:
    """The problem with these wishes given up; giving up on evenness is allowing unevenness."""
    return replace(problem, wishes=replace(problem.wishes, **{n: getattr(_NOTHING, n) for n in names}))


#: What a set of wishes is given at first to show a route, and how many times as long in each round after that. [s]
_FIRST_SHARE, _LONGER = 1.0, 4.0


@dataclass(frozen=True, slots=True)
class Relaxed:
    """Sets of wishes without which there is a route, as small as were found."""

    sets: tuple[tuple[str, ...], ...]
    #: Whether these are all of their size, and no smaller one does; False where time ended first.
    proved: bool


def smallest_to_relax(
    problem: Problem, possible: Callable[[Problem, float], bool | None], left: Callable[[], float]
) -> Relaxed:
    """The smallest sets of wishes without which there is a route: all of that size; none where giving up all of them
    does not help.

    One set that takes long does not keep the others from being tried: each has a short time at first, and what that does
    not decide has a longer one only where nothing was found.

    Parameters
        possible   whether there is any route, found out in so many seconds; None where that was not enough
        left       how much time there is. [s]
    """
    made = wishes_made(problem)
    share = _FIRST_SHARE
    if possible(without(problem, made), min(share * _LONGER, left())) is False:
        return Relaxed((), True)
    undecided = [names for size in range(1, len(made) + 1) for names in combinations(made, size)]
    while undecided:
        still: list[tuple[str, ...]] = []
        for _, of_a_size in groupby(undecided, key=len):
            found: list[tuple[str, ...]] = []
            for names in of_a_size:
                if left() <= 0:
                    return Relaxed(tuple(found), False)
                there_is = possible(without(problem, names), min(share, left()))
                if there_is is None:
                    still.append(names)
                elif there_is:
                    found.append(names)
            if found:
                return Relaxed(tuple(found), not still)
        undecided, share = still, share * _LONGER
    return Relaxed((), True)
