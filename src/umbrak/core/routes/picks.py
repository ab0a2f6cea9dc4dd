"""The routes that a person asks for first, and which wishes to give up where there is none."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields, replace
from itertools import combinations

from umbrak.core.routes.problem import Problem, Wishes
from umbrak.core.routes.weighing import Weighed
from umbrak.core.rules.finding import Verdict

#: Name -> what a route of that name has least of; of several the cheapest.
_PICKS: Mapping[str, Callable[[Weighed], float]] = {
    "cheapest": lambda w: w.measures.cost,
    "in-warranty": lambda w: w.measures.cost,
    "safest": lambda w: w.measures.trouble,
    "fastest": lambda w: -w.measures.sustained_gbs,
    "largest": lambda w: -w.measures.usable_gib,
    "most-room": lambda w: -w.measures.free_slots,
    "least-handling": lambda w: w.measures.touches,
}


def names_of(routes: Sequence[Weighed]) -> list[tuple[str, ...]]:
    """For each route the names that are its."""
    found: list[list[str]] = [[] for _ in routes]
    for name, least in _PICKS.items():
        of = [i for i, w in enumerate(routes) if name not in _MAY_BE_CALLED or _MAY_BE_CALLED[name](w)]
        if of:
            best = min(of, key=lambda i: (least(routes[i]), routes[i].measures.cost, i))
            found[best].append(name)
    return [tuple(names) for names in found]


#: Name -> what a route must be to be called so.
_MAY_BE_CALLED: Mapping[str, Callable[[Weighed], bool]] = {
    "in-warranty": lambda w: is_in_warranty(w),
    "safest": lambda w: w.evaluation.verdict is not Verdict.UNDECIDED,
    "fastest": lambda w: w.evaluation.rates_told,
}


def is_in_warranty(w: Weighed) -> bool:
    """Whether the maker is known to stand behind it: listed parts, within what it states officially, nothing opened that
    ends it, nothing undecided."""
    codes = {f.code for f in w.evaluation.findings}
    known = w.evaluation.over_official is False and w.evaluation.verdict is not Verdict.UNDECIDED
    return known and w.all_listed and not codes & {"risk.warranty", "risk.unlisted", "kind.uncertified"}


#: What asks for nothing at all.
_NOTHING = Wishes(uneven=True, less_memory=True, less_bandwidth=True)


def wishes_made(wishes: Wishes) -> tuple[str, ...]:
    """Names of the wishes that ask for something, in order."""
    return tuple(f.name for f in fields(Wishes) if getattr(wishes, f.name) != getattr(_NOTHING, f.name))


def without(problem: Problem, names: Sequence[str]) -> Problem:
    """The problem with these wishes given up; giving up on evenness is allowing unevenness."""
    return replace(problem, wishes=replace(problem.wishes, **{n: getattr(_NOTHING, n) for n in names}))


def smallest_to_relax(
    problem: Problem, possible: Callable[[Problem], bool], over: Callable[[], bool]
) -> tuple[tuple[str, ...], ...]:
    """The smallest sets of wishes without which there is a route: all of that size; none where giving up all of them
    does not help.

    Parameters
        possible   whether there is any route
        over       whether there is no more time
    """
    made = wishes_made(problem.wishes)
    if not possible(without(problem, made)):
        return ()
    for size in range(1, len(made) + 1):
        found: list[tuple[str, ...]] = []
        for names in combinations(made, size):
            if over():
                return tuple(found)
            if possible(without(problem, names)):
                found.append(names)
        if found:
            return tuple(found)
    return ()
