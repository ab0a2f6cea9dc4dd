"""What the optimiser answers: the routes with their names and break-even, or why there is none."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from time import monotonic

from umbrak.core.evidence.levers import Experiment, Lever, experiments, levers_of
from umbrak.core.evidence.trouble import BreakEven, Range, break_even
from umbrak.core.plan.actions import Action, Do, actions
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.material import left_out
from umbrak.core.routes.picks import Relaxed, is_in_warranty, names_of, smallest_to_relax, without
from umbrak.core.routes.problem import Origin, Problem
from umbrak.core.routes.search import Progress, search
from umbrak.core.routes.stages import first_stage
from umbrak.core.routes.weighing import Gives, Scales, Weighed

#: Time for finding out which wishes stand in the way. [s]
_RELAX_SECONDS = 10.0
#: What is given up by itself where nothing meets it.
_SLOWER = ("less_bandwidth",)


@dataclass(frozen=True)
class Route:
    """One way from what is fitted to what is wanted."""

    weighed: Weighed
    actions: tuple[Action, ...]
    #: cheapest, in-warranty, safest, fastest, largest, most-room, least-handling.
    names: tuple[str, ...]
    #: Whether the maker stands behind it.
    in_warranty: bool
    #: What it saves against the cheapest route that the maker stands behind and that gives as much, and what it risks
    #: for that; None where there is no such route, or it is one.
    against_official: BreakEven | None
    #: Place of that route in the list.
    official: int | None
    #: What the machine holds after the first module, where the route is better done in two stages.
    first_stage: Layout | None
    #: How low and how high its trouble comes to, looked at otherwise.
    range: Range
    #: Whether the choice against the route that the maker stands behind turns within that range; None without such a route.
    flips: bool | None
    #: What lowers trouble or its cost; which act would tell most.
    levers: tuple[Lever, ...]
    experiments: tuple[Experiment, ...]


class Ended(StrEnum):
    """How a search came to its end."""

    FOUND = "found"
    #: There is no route: proved.
    NONE = "none"
    #: Nothing was found in the time there was; there may be routes.
    NO_TIME = "no time"


@dataclass(frozen=True)
class Answer:
    ended: Ended
    #: Cheapest first.
    routes: tuple[Route, ...]
    #: Whether nothing was left out.
    proved: bool
    #: How far the cheapest may be above the cheapest there is, as a share of its cost; None without a route.
    gap: float | None
    #: Where there is no route: the smallest sets of wishes to give up.
    relax: tuple[tuple[str, ...], ...]
    #: Whether that is all of them; False where time ended first: without any set there may be one all the same.
    relax_proved: bool
    weighed: int
    seconds: float
    #: What is fitted gives now; whether ways were left out that leave less bandwidth than that.
    now: Gives
    slower: bool
    #: Wishes that were given up, since nothing met them: that it runs no slower than now.
    gave_up: tuple[str, ...]
    #: Why candidates were left out.
    left_out: tuple[str, ...]


def answer(
    problem: Problem,
    seconds: float | None = None,
    report: Callable[[Progress], None] = lambda _: None,
    stopped: Callable[[], bool] = lambda: False,
) -> Answer:
    """The frontier as people are told it. Parameters as of `search`."""
    found = search(problem, seconds, report, stopped)
    gave_up: tuple[str, ...] = ()
    if found.proved and not found.routes and found.slower:
        # More memory often runs slower: rather than nothing that is shown, and said.
        slower = without(problem, _SLOWER)
        left = None if seconds is None else max(seconds - found.seconds, 0.5)
        if (anyway := search(slower, left, report, stopped)).routes or not anyway.proved:
            problem, found, gave_up = slower, anyway, _SLOWER
    relaxed = Relaxed((), True)
    ended = Ended.FOUND if found.routes else Ended.NONE if found.proved else Ended.NO_TIME
    if ended is Ended.NONE:
        ends = monotonic() + _RELAX_SECONDS

        def remaining() -> float:
            return 0.0 if stopped() else ends - monotonic()

        def possible(p: Problem, seconds: float) -> bool | None:
            one = search(p, max(seconds, 0.1), stopped=stopped, first=True)
            return True if one.routes else False if one.proved else None

        relaxed = smallest_to_relax(problem, possible, remaining)
    names, scales = names_of(found.routes, problem.layout), Scales(problem)
    routes = []
    for w, called in zip(found.routes, names, strict=True):
        official = _official_like(found.routes, w)
        spread = scales.range(w.resting)
        saving, flips = None, None
        if official is not None:
            other = found.routes[official]
            saving = break_even(float(other.cost - w.cost), w.trouble, other.trouble)
            flips = any(
                break_even(saving.saving, s.trouble, other.trouble).worth_it is not saving.worth_it for s in spread.ways
            )
        done = actions(problem.sheet, problem.layout, w.layout)
        fallback = float(found.routes[official].cost) if official is not None else None
        routes.append(
            Route(
                weighed=w, actions=done, names=called, in_warranty=is_in_warranty(w), against_official=saving, official=official, first_stage=first_stage(problem, w),
                range=spread, flips=flips,
                levers=_levers(problem, scales, w, done), experiments=_experiments(problem, w, fallback),
            )
        )  # fmt: skip
    return Answer(
        ended=ended,
        routes=tuple(routes),
        proved=found.proved,
        gap=found.gap,
        relax=relaxed.sets,
        relax_proved=relaxed.proved,
        weighed=found.weighed,
        seconds=found.seconds,
        now=scales.now,
        slower=found.slower,
        gave_up=gave_up,
        left_out=left_out(problem.candidates),
    )


def _levers(problem: Problem, scales: Scales, w: Weighed, done: tuple[Action, ...]) -> tuple[Lever, ...]:
    goes = sum(a.do is Do.TAKE_OUT and a.target is None for a in done)
    return levers_of(
        board=scales.board, trouble=w.trouble, costs=problem.costs, goes=goes, trials=problem.trials, today=problem.today,
        table=problem.table,
    )  # fmt: skip


def _experiments(problem: Problem, w: Weighed, fallback: float | None) -> tuple[Experiment, ...]:
    """None where there is no safe route to choose instead."""
    if fallback is None:
        return ()
    each = max((float(b.candidate.price) / b.candidate.kit for b in w.bought), default=0.0)
    shelf = [c.module for c in problem.candidates if c.origin is Origin.SHELF]
    return experiments(w.trouble, float(w.cost), fallback, problem.costs, each, shelf, problem.table)


def _official_like(routes: tuple[Weighed, ...], of: Weighed) -> int | None:
    """The cheapest route that the maker stands behind and that gives at least as much memory."""
    if is_in_warranty(of):
        return None
    return next(
        (
            i
            for i, w in enumerate(routes)
            if is_in_warranty(w) and w.measures.usable_gib >= of.measures.usable_gib - 1e-9
        ),
        None,
    )
