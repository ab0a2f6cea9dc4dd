"""A plan on the optimiser's scales: what it rests on that nobody vouches for, and what it buys."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from decimal import Decimal
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.buying.lines import stands_for
from umbrak.core.evaluate import Evaluation
from umbrak.core.evidence.doubts import Resting, resting_of
from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.material import MILLS, Bought, purchase_cost
from umbrak.core.routes.problem import Origin, Problem, Wishes
from umbrak.core.routes.weighing import Scales
from umbrak.core.rules.finding import Verdict
from umbrak.services.evidence.telling import RangeView, range_view
from umbrak.services.known.judging import judged_question
from umbrak.services.people.settings import money_settings
from umbrak.services.plans.view import OpenPlan, open_plan
from umbrak.services.routes.finding import problem_of


@dataclass(frozen=True, slots=True)
class WeighedPlan:
    """A plan with what it rests on that nobody vouches for."""

    plan: OpenPlan
    problem: Problem
    scales: Scales
    judged: Evaluation
    resting: Resting
    purchase: Purchase

    @property
    def needed(self) -> bool:
        """Whether it runs only with a lead's word."""
        return self.judged.verdict in (Verdict.AT_RISK, Verdict.UNDECIDED) or bool(self.lacking)

    @property
    def lacking(self) -> tuple[str, ...]:
        """What it rests on that somebody's word is missing for, or against."""
        return tuple(d.words for d in self.resting.doubts if d.lacks_word(self.problem.table))


def weigh_plan(db: Connection, plan: OpenPlan) -> WeighedPlan:
    m = plan.machine
    problem = problem_of(db, m, Wishes())
    scales = Scales(problem)
    ctx, judged = judged_question(plan.then, plan.goal, plan.now)
    resting, purchase = resting_of(ctx, judged, problem.layout, scales.listed), purchase_of(scales, plan.goal)
    resting = replace(resting, pulled=min(purchase.pulled, resting.comes))
    return WeighedPlan(plan=plan, problem=problem, scales=scales, judged=judged, resting=resting, purchase=purchase)


@dataclass(frozen=True, slots=True)
class WorthView:
    """What a plan costs and risks."""

    #: Of the modules put in that have a price; those from the Shelf cost nothing.
    cost: Decimal
    currency: str
    from_shelf: int
    bought: int
    #: Modules put in that are neither on the Shelf nor offered in that number: what they cost is not known.
    unpriced: int
    #: Part -> how many of it were reckoned for modules that were given without a part number.
    stand_ins: dict[str, int]
    #: Probability that it does not run, or that a module which comes in fails early; of that the latter.
    trouble: float
    fails_early: float
    trouble_range: RangeView
    #: Probability that it runs and something is displayed oddly: no part of trouble.
    quirks: float
    #: What it rests on that somebody's word is missing for, in words.
    rests_on: tuple[str, ...]


def see_worth(engine: Engine, key: UUID) -> WorthView:
    """What a plan costs and risks. Raises NotFound."""
    with engine.connect() as db:
        w = weigh_plan(db, open_plan(db, key))
        trouble = w.scales.trouble(w.resting)
        bought = w.purchase
        return WorthView(
            cost=bought.cost,
            currency=money_settings(db).currency,
            from_shelf=bought.from_shelf,
            bought=sum(b.modules for b in bought.bought) - bought.from_shelf,
            unpriced=bought.unpriced,
            stand_ins=bought.stand_ins,
            trouble=trouble.probability,
            fails_early=trouble.early,
            trouble_range=range_view(w.scales.range(w.resting)),
            quirks=trouble.quirks,
            rests_on=w.lacking,
        )


@dataclass(frozen=True, slots=True)
class Purchase:
    """What a goal holds beyond what is fitted."""

    cost: Decimal
    bought: tuple[Bought, ...]
    #: Modules that cannot be had.
    unpriced: int
    #: Part -> how many of it stand for modules that were given without a part number.
    stand_ins: dict[str, int]

    @property
    def from_shelf(self) -> int:
        return sum(b.modules for b in self.bought if b.candidate.origin is Origin.SHELF)

    @property
    def pulled(self) -> int:
        """Modules that ran in another machine before."""
        return sum(b.modules for b in self.bought if b.candidate.pulled)


def purchase_of(scales: Scales, goal: Layout) -> Purchase:
    """The least that the goal's modules cost. One without a part number is any of its organisation and rate: the Shelf's
    first, then the cheapest."""
    wanted = Counter(alike(x) for x in goal.values() if isinstance(x, Module))
    kinds = [k for k in scales.kinds if k.module]
    counts = {k.index: min(wanted[k.module], len(k.cost) - 1) for k in kinds if k.module}
    known = {k.module: k for k in kinds}
    missing, stand_ins = 0, Counter[str]()
    for module, count in wanted.items():
        lacks = count - (counts[known[module].index] if module in known else 0)
        while lacks and module.part is None:
            # What is fitted and goes out is not had again for nothing: one more is one beyond it.
            had = {k.index: max(counts[k.index], k.fitted) for k in kinds}
            like = [k for k in kinds if k.module and stands_for(k.module, module) and had[k.index] < len(k.cost) - 1]
            price = {k.index: k.cost[had[k.index] + 1] - k.cost[had[k.index]] for k in like}
            next_one = min(like, key=lambda k: (price[k.index], k.index), default=None)
            if next_one is None or next_one.module is None:
                break
            counts[next_one.index] = had[next_one.index] + 1
            stand_ins[next_one.module.part or ""] += 1
            lacks -= 1
        missing += lacks
    bought = tuple(b for k in kinds for b in k.bought(counts[k.index]))
    return Purchase(Decimal(purchase_cost(kinds, counts)) / MILLS, bought, missing, dict(stand_ins))
