"""Other ways from where a plan is: what more would meet the need, and the same total with less of the machine opened."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import combinations, islice
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.routes.problem import Candidate, Wishes
from umbrak.core.routes.same_total import layouts_of_total
from umbrak.core.routes.search import search
from umbrak.core.routes.weighing import Weighed
from umbrak.core.rules.finding import Verdict
from umbrak.services.known.judging import judge
from umbrak.services.people.settings import money_settings
from umbrak.services.plans.view import OpenPlan, open_plan
from umbrak.services.plans.weighed import weigh_plan
from umbrak.services.routes.sizing import need_gib

#: How long more memory is looked for. [s]
_SECONDS = 2.0
#: A board that leaves room beside it, and how many layouts are judged there.
_MOST_SLOTS = 8
_MOST_WEIGHED = 60
_BEST_FIRST = (Verdict.GO, Verdict.AT_RISK, Verdict.UNDECIDED, Verdict.NO_GO)


@dataclass(frozen=True, slots=True)
class MoreView:
    """The least that meets a machine's need from where a plan is."""

    changes: dict[str, Occupant | None]
    usable_gib: float
    installed_gib: float
    #: Beyond what the plan costs already.
    cost: Decimal
    currency: str
    verdict: Verdict
    #: Part, of one without a number what it is -> how many are put in.
    parts: dict[str, int]


def more_for(engine: Engine, key: UUID) -> MoreView | None:
    """What more a plan takes to meet its machine's need, from the Shelf and the offers that it leaves: the best verdict,
    then the least cost, then the least handling. None where nothing was found in two seconds, or nothing is lacking.
    Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, key)
        need = need_gib(db, plan.row.machine_id)
        if need is None:
            return None
        w = weigh_plan(db, plan)
        currency = money_settings(db).currency
    if w.judged.usable_gib >= need:
        return None
    taken = {id(b.candidate): b.modules for b in w.purchase.bought}
    asked = replace(
        w.problem,
        machine=plan.then.machine,
        layout=plan.goal,
        candidates=tuple(left for c in w.problem.candidates if (left := _less(c, taken.get(id(c), 0)))),
        wishes=Wishes(usable_gib=need, less_bandwidth=True),
    )
    best = min(search(asked, _SECONDS).routes, key=lambda r: _rank(plan, r), default=None)
    if best is None:
        return None
    judged = judge(plan.then, best.layout, plan.now)
    changed = best.layout.changed_from(plan.goal)
    comes = Counter(x.part or x.short() for s in changed if isinstance(x := best.layout.get(s), Module))
    return MoreView(
        changes={s: best.layout.get(s) for s in changed},
        usable_gib=judged.usable_gib,
        installed_gib=judged.installed_gib,
        cost=best.cost,
        currency=currency,
        verdict=judged.verdict,
        parts=dict(comes),
    )


@dataclass(frozen=True, slots=True)
class SameTotalView:
    """A way to a total that a plan comes to, and what it takes in hands."""

    #: Against the plan's goal; nothing for the plan itself.
    changes: dict[str, Occupant | None]
    #: What comes in: slot -> module.
    puts_in: dict[str, Occupant]
    takes_out: tuple[str, ...]
    #: Opening and closing of every way that is taken; None where nobody tells how long one takes.
    minutes: float | None
    bays_out: tuple[int, ...]
    #: None where nobody tells of a way that is taken.
    ends_warranty: bool | None
    sustained_gbs: float | None
    cost: Decimal
    #: False where a module that comes in has no price.
    priced: bool
    currency: str
    verdict: Verdict


def same_total(engine: Engine, key: UUID) -> tuple[SameTotalView, ...]:
    """A plan and the best other way to its total that opens less of the machine: the plan first. Empty where there is no
    other, where nobody tells how long a way takes, or on boards of many slots. Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, key)
        w = weigh_plan(db, plan)
        currency = money_settings(db).currency
    sheet, touched = plan.machine.sheet, plan.goal.changed_from(plan.now)
    ways = {s: sheet.way_to(s) for s in sheet.slots}
    if len(ways) > _MOST_SLOTS or not touched or not all(way and way.minutes for way in ways.values()):
        return ()
    price = w.purchase
    own = _same(plan, plan.goal, w.judged, price.cost, not price.unpriced, currency)
    found = []
    for some in _some_ways({way.id: way.minutes for way in ways.values() if way}, own.minutes or 0):
        slots = [s for s, way in ways.items() if way and way.id in some]
        kept = judge(plan.then, Layout({s: m for s, m in plan.now.items() if s not in slots}), plan.now)
        made = layouts_of_total(w.scales.kinds, plan.now, slots, w.judged.installed_gib - kept.installed_gib)
        for layout in islice((x for x in made if x != plan.goal), _MOST_WEIGHED):
            weighed = w.scales.weigh(layout)
            if not weighed.stops:
                judged = judge(plan.then, layout, plan.now)
                found.append(_same(plan, layout, judged, weighed.cost, True, currency))
    return (own, min(found, key=lambda v: (_BEST_FIRST.index(v.verdict), v.minutes or 0, v.cost))) if found else ()


def _some_ways(minutes: Mapping[str, float], less_than: float) -> Iterator[tuple[str, ...]]:
    """Sets of ways that take less time together."""
    for count in range(1, len(minutes) + 1):
        yield from (some for some in combinations(minutes, count) if sum(minutes[w] for w in some) < less_than)


def _same(
    plan: OpenPlan, layout: Layout, judged: Evaluation, cost: Decimal, priced: bool, currency: str
) -> SameTotalView:
    changed = layout.changed_from(plan.now)
    ways = {way.id: way for s in changed if (way := plan.machine.sheet.way_to(s))}
    told = all(plan.machine.sheet.way_to(s) for s in changed)
    ends = [way.ends_warranty for way in ways.values()]
    gbs = [s.sustained_gbs for s in judged.sockets if s.gib]
    return SameTotalView(
        changes={s: layout.get(s) for s in layout.changed_from(plan.goal)},
        puts_in={s: x for s in changed if (x := layout.get(s)) is not None},
        takes_out=tuple(s for s in changed if plan.now.get(s) is not None),
        minutes=sum(way.minutes for way in ways.values())
        if told and all(way.minutes for way in ways.values())
        else None,
        bays_out=tuple(sorted({b for way in ways.values() for b in way.bays_out})),
        ends_warranty=True if True in ends else None if None in ends or not told else False,
        sustained_gbs=sum(g for g in gbs if g is not None) if None not in gbs else None,
        cost=cost,
        priced=priced,
        currency=currency,
        verdict=judged.verdict,
    )


def _rank(plan: OpenPlan, route: Weighed) -> tuple[int, int, int]:
    verdict = judge(plan.then, route.layout, plan.now).verdict
    return _BEST_FIRST.index(verdict), route.measures.cost, route.measures.touches


def _less(c: Candidate, taken: int) -> Candidate | None:
    """What is left of a source after so many were taken; None where nothing is."""
    if c.stock is None:
        return c
    return replace(c, stock=c.stock - taken) if c.stock > taken else None
