"""One layout judged by the real rules: what it measures, what it risks, which wishes it breaks.

The search only ever guesses, and guesses well of a layout rather than ill; what it keeps has been weighed here.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from math import floor

from umbrak.core.evaluate import Evaluation, evaluate_in
from umbrak.core.evidence.belief import Belief, believe
from umbrak.core.evidence.board import Board, board_of, reach_ladder_at_best
from umbrak.core.evidence.doubt import Doubt
from umbrak.core.evidence.doubts import Resting, resting_of
from umbrak.core.evidence.ladder import Ladder
from umbrak.core.evidence.trouble import Range, Trouble, range_of, trouble_of
from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.actions import touches
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.material import MILLS, Bought, Kind, kinds_of, mills, purchase_cost, told_of_parts
from umbrak.core.routes.problem import Problem, Steps
from umbrak.core.rules.context import ByPlace
from umbrak.core.rules.finding import Finding, Severity

#: What no evenness is asked of where memory is soldered: its channel holds what it holds.
_EXCUSED_BY_SOLDERED = ("order.balance", "order.channel-single")

#: By how much a total may fall short of what is wanted and a bandwidth of what there is: the last digits of a sum. [GiB, GB/s]
SLACK = 1e-6

#: A route's values, all such that less is better, floored to the steps: what dominance compares.
Key = tuple[int, int, int, int, int, int]


@dataclass(frozen=True, slots=True)
class Measures:
    """The six by which routes are compared."""

    #: In mills.
    cost: int
    #: Probability that it does not run, or that a module that comes in fails early.
    trouble: float
    #: Over all sockets; nothing where the rate cannot be told. [GB/s]
    sustained_gbs: float
    usable_gib: float
    free_slots: int
    touches: int

    def key(self, steps: Steps) -> Key:
        return (
            self.cost // mills(steps.money),
            steps_of(self.trouble, steps.probability),
            -steps_of(self.sustained_gbs, steps.gbs),
            -steps_of(self.usable_gib, 0.0001),
            -self.free_slots,
            self.touches,
        )


def steps_of(value: float, step: float) -> int:
    """Whole steps in a value; sums and products that end a hair below a step are at it."""
    return floor(round(value / step, 6))


@dataclass(frozen=True)
class Weighed:
    """A layout and all that is said of it."""

    layout: Layout
    evaluation: Evaluation
    resting: Resting
    trouble: Trouble
    measures: Measures
    bought: tuple[Bought, ...]
    #: Names of the wishes that it breaks, in the order of `Wishes`.
    breaks: tuple[str, ...]
    #: Whether everything put in is on the maker's list.
    all_listed: bool

    @property
    def stops(self) -> bool:
        return any(f.severity is Severity.STOP for f in self.evaluation.findings)

    @property
    def parts(self) -> tuple[str, ...]:
        """Part numbers that it takes, sorted: among equals the lower win."""
        return tuple(sorted({m.part or "" for m in self.layout.values() if isinstance(m, Module)}))

    @property
    def cost(self) -> Decimal:
        return Decimal(self.measures.cost) / MILLS


@dataclass(frozen=True, slots=True)
class Gives:
    """What a machine has of it; 0 of what is not known."""

    usable_gib: float
    sustained_gbs: float
    #: Whether every socket that holds memory tells its bandwidth.
    rates_told: bool


def meets(usable_gib: float, wanted_gib: float) -> bool:
    """Whether so much is as much as wanted: a need that came through other hands may differ in its last digits."""
    return usable_gib >= wanted_gib - SLACK


class Scales:
    """Weighs layouts for one problem."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self._beliefs: dict[Doubt, Belief] = {}
        #: Of the layout that was weighed last.
        self._near: ByPlace = {}

    @cached_property
    def live_slots(self) -> tuple[str, ...]:
        """Slots of sockets that hold, or may hold, a processor."""
        sheet, fitted = self.problem.sheet, self.problem.machine.processors
        return tuple(s for s in sheet.slots if fitted.get(sheet.socket_of_slot[s], "?") is not None)

    @cached_property
    def kinds(self) -> tuple[Kind, ...]:
        p = self.problem
        return kinds_of(p.sheet, p.layout, p.candidates, len(p.sheet.slots))

    @cached_property
    def listed(self) -> Mapping[str, bool]:
        """Part -> whether the maker lists it, as the candidates tell."""
        return told_of_parts(self.problem.candidates)

    @cached_property
    def board(self) -> Board:
        p = self.problem
        return board_of(p.sheet, p.machine, p.statements)

    @cached_property
    def reach_at_best(self) -> Ladder:
        """For a bound on any layout of a total."""
        p = self.problem
        return reach_ladder_at_best(p.sheet, p.machine, p.statements, p.layout)

    @cached_property
    def now(self) -> Gives:
        """What is fitted gives now: nothing where it does not run."""
        p = self.problem
        judged = evaluate_in(p.question(p.layout))
        if any(f.severity is Severity.STOP for f in judged.findings):
            return Gives(0.0, 0.0, True)
        return Gives(judged.usable_gib, sum(s.sustained_gbs or 0 for s in judged.sockets), judged.rates_told)

    def belief(self, doubt: Doubt) -> Belief:
        if doubt not in self._beliefs:
            p = self.problem
            self._beliefs[doubt] = believe(self.board, doubt, p.trials, p.today, p.table)
        return self._beliefs[doubt]

    def trouble(self, resting: Resting) -> Trouble:
        p = self.problem
        return trouble_of([self.belief(d) for d in resting.doubts], p.costs, p.table, resting.comes, resting.pulled)

    def range(self, resting: Resting) -> Range:
        """How low and how high trouble comes to when it is looked at otherwise."""
        p = self.problem
        return range_of(self.board, resting, p.trials, p.today, p.costs, p.table)

    def weigh(self, layout: Layout) -> Weighed:
        """Judge one layout. Its modules are of kinds that are at hand in that number."""
        p = self.problem
        ctx = p.question(layout, self._near)
        judged = evaluate_in(ctx)
        self._near = ctx.by_place  # the next layout is mostly like this one
        by_kind = Counter(alike(m) if isinstance(m, Module) else None for m in layout.values())
        counts = {k.index: by_kind[k.module] for k in self.kinds}
        pulled = sum(k.pulled[counts[k.index]] for k in self.kinds)
        resting = replace(resting_of(ctx, judged, p.layout, self.listed), pulled=pulled)
        trouble = self.trouble(resting)
        new = [k for k in self.kinds if counts[k.index] > k.fitted]
        measures = Measures(
            cost=purchase_cost(self.kinds, counts),
            trouble=trouble.probability,
            sustained_gbs=sum(s.sustained_gbs or 0 for s in judged.sockets),
            usable_gib=judged.usable_gib,
            free_slots=sum(s not in layout for s in self.live_slots),
            touches=touches(p.sheet, p.layout, layout),
        )
        kept = all(counts[k.index] >= k.fitted for k in self.kinds)
        listed = all(k.listed for k in new)
        return Weighed(
            layout=layout,
            evaluation=judged,
            resting=resting,
            trouble=trouble,
            measures=measures,
            bought=tuple(b for k in self.kinds for b in k.bought(counts[k.index])),
            breaks=tuple(self._breaks(judged, measures, trouble.doubted, kept, listed)),
            all_listed=listed,
        )

    def _breaks(self, judged: Evaluation, m: Measures, doubted: float, kept: bool, listed: bool) -> Iterator[str]:
        w = self.problem.wishes
        codes = {f.code for f in judged.findings if f.severity is Severity.RISK}
        if w.usable_gib is not None and not meets(m.usable_gib, w.usable_gib):
            yield "usable_gib"
        if w.budget is not None and m.cost > mills(w.budget):
            yield "budget"
        if w.keep_warranty and "risk.warranty" in codes:
            yield "keep_warranty"
        if not w.third_party and not listed:
            yield "third_party"
        if not w.over_official and judged.over_official is not False:
            yield "over_official"
        if w.free_slots is not None and m.free_slots < w.free_slots:
            yield "free_slots"
        if w.rate_mts is not None and (judged.data_rate_mts or 0) < w.rate_mts:
            yield "rate_mts"
        if w.keep_fitted and not kept:
            yield "keep_fitted"
        if w.top_trouble is not None and steps_of(doubted, 1e-6) > steps_of(w.top_trouble, 1e-6):
            yield "top_trouble"
        if not w.uneven and self.is_uneven(judged.findings):
            yield "uneven"
        if not w.less_memory and not meets(m.usable_gib, self.now.usable_gib):
            yield "less_memory"
        if not w.move_content and "risk.content" in codes:
            yield "move_content"
        if not w.less_bandwidth and m.sustained_gbs < self.now.sustained_gbs - SLACK:
            yield "less_bandwidth"

    def is_uneven(self, findings: Sequence[Finding]) -> bool:
        """Whether the population order or the channels' evenness is against it; where memory is soldered, what only
        that causes is excused. What is not known of its modules is not against it: it stays undecided."""
        channels = self.problem.sheet.channels_of
        return any(
            f.code.startswith("order.")
            and not (f.severity is Severity.ASK and not any(n.startswith("sheet.") for n in f.needs))
            and not (
                f.code in _EXCUSED_BY_SOLDERED
                # Channels that fall short and have no slot are soldered ones.
                and (not f.slots or any(c.soldered for c in channels[self.problem.sheet.socket_of_slot[f.slots[0]]]))
            )
            for f in findings
        )
