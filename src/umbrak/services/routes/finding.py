"""Routes of one machine: what may be asked, the optimiser's answer with every figure's terms, and a plan from a route."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Set
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from uuid import UUID

from pydantic import BaseModel, Field
from sqlalchemy import Connection, Engine

from umbrak.core.evaluate import Evaluation
from umbrak.core.evidence.levers import Experiment, Lever
from umbrak.core.evidence.table import Table
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import actions
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.routes.answer import Answer, Ended, Route, answer
from umbrak.core.routes.assumed import assumed_candidates
from umbrak.core.routes.material import left_out, sound
from umbrak.core.routes.problem import Origin, Problem, Wishes
from umbrak.services.evidence.telling import BeliefView, LossView, RangeView, belief_view, losses_of, range_view
from umbrak.services.evidence.trials import trials_of
from umbrak.services.known.judging import judge, seen_running
from umbrak.services.known.loading import Loaded, load_machine, sound_layout
from umbrak.services.known.moves import ActionView, action_views
from umbrak.services.people.settings import MoneySettings, evidence_table, money_settings
from umbrak.services.shelf.view import candidates_for
from umbrak.store.trials import trials_like


class BoughtView(BaseModel):
    """What is bought or taken of one candidate: modules in whole kits, and what all of them cost."""

    part: str
    origin: str = Field(serialization_alias="from")
    count: int
    kits: int
    price: Decimal
    lead_days: int | None


@dataclass(frozen=True, slots=True)
class BreakEvenView:
    """What a route saves against one that the maker stands behind, and what it risks for that."""

    #: Place of that route in the list.
    against: int
    saving: float
    expected_loss: float
    #: The probability of trouble at which the saving is eaten up; None where trouble costs nothing.
    trouble: float | None
    worth_it: bool
    #: Probability that it runs: only then the saving is had; the outcome that alone would eat the saving; whether the
    #: choice turns when trouble is looked at otherwise.
    runs: float
    eaten_by: str | None
    flips: bool


@dataclass(frozen=True, slots=True)
class RouteView:
    """A route under the names of the command line's contract, with its evaluation and what its trouble is made of."""

    #: Slot -> what it holds then, as a place in the answer's `modules`, None = nothing: of those that hold something else than now.
    changes: Mapping[str, int | None]
    #: Modules that the machine holds then.
    modules: int
    actions: tuple[ActionView, ...]
    buy: tuple[BoughtView, ...]
    cost: Decimal
    trouble: float
    #: Of that: that a module which comes in fails early. And, no part of it: that it runs and shows something oddly.
    fails_early: float
    quirks: float
    trouble_range: RangeView
    expected_loss: float
    losses: tuple[LossView, ...]
    beliefs: tuple[BeliefView, ...]
    break_even: BreakEvenView | None
    sustained_gbs: float
    usable_gib: float
    free_slots: int
    touches: int
    names: tuple[str, ...]
    in_warranty: bool
    #: As `changes`, after the first module alone, where the route is better done in two stages.
    first_stage: Mapping[str, int | None] | None
    #: What lowers trouble or its cost; which act would tell most, the best first.
    levers: tuple[Lever, ...]
    experiments: tuple[Experiment, ...]
    evaluation: Evaluation


@dataclass(frozen=True, slots=True)
class RoutesView:
    routes: tuple[RouteView, ...]
    #: Every kind of module that is fitted or that a route puts somewhere, once: a hundred slots hold few.
    modules: tuple[Module, ...]
    #: What the machine held when they were looked for: slot -> place in `modules`, None = not known what. Empty slots are left out.
    fitted: Mapping[str, int | None]
    money: MoneySettings
    #: Whether nothing was left out; otherwise how far the cheapest may be above the cheapest there is.
    proved: bool
    gap: float | None
    #: Where there is no route: the smallest sets of wishes to give up.
    relax: tuple[tuple[str, ...], ...]
    #: Whether that is all of them; False where time ended first.
    relax_proved: bool
    weighed: int
    seconds: float
    #: Candidates at hand for this machine: on the shelf, on offer.
    on_shelf: int
    on_offer: int
    #: As it is now.
    now: Evaluation
    ended: Ended
    #: Whether nobody offers what the routes are made of: more of what is fitted, and what the standards have and the sheet takes.
    assumed: bool
    #: Whether anything has a price; else no cost is told.
    priced: bool
    #: Whether ways were left out that would leave less bandwidth than now.
    slower: bool
    #: Wishes that were given up, since nothing met them.
    gave_up: tuple[str, ...]
    #: Why some of what is at hand was left out, each in one sentence.
    left_out: tuple[str, ...]


def find_routes(
    engine: Engine,
    machine_id: UUID,
    wishes: Wishes,
    seconds: float,
    assume: bool | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> RoutesView:
    """The routes of a machine from the Shelf and the offers. Raises NotFound.

    Parameters
        seconds   after which the best so far is told, with its proved gap
        assume    whether to look among what the standards have instead of what is at hand; None: where nothing at hand goes in
    """
    with engine.connect() as db:
        m = load_machine(db, machine_id)
        money = money_settings(db)
        problem = problem_of(db, m, wishes)
    at_hand = sound(problem.candidates)
    odd = left_out(problem.candidates)
    if assume or (assume is None and not at_hand):
        guess = money.guess()
        assumed = assumed_candidates(m.sheet, m.machine, problem.layout, m.statements, guess)
        problem = replace(problem, candidates=assumed)
    found = answer(problem, seconds, stopped=stopped)
    on_shelf = sum(1 for c in at_hand if c.origin == Origin.SHELF)
    return _view(
        found,
        problem,
        money,
        fitted=m.layout,
        failed=frozenset(m.survey.content.failed),
        on_shelf=on_shelf,
        on_offer=len(at_hand) - on_shelf,
        now=judge(m, m.layout),
        odd=odd,
    )


def problem_of(db: Connection, m: Loaded, wishes: Wishes) -> Problem:
    """What is asked of the optimiser for a machine, with all that is at hand for it today."""
    fitted = [p for p in m.machine.processors.values() if p]
    return Problem(
        sheet=m.sheet,
        machine=m.machine,
        layout=sound_layout(m),
        candidates=candidates_for(db, m.sheet, m.row.id),
        wishes=wishes,
        statements=m.statements,
        trials=trials_of(db, trials_like(db, m.sheet.id, fitted)),
        costs=money_settings(db).costs(),
        table=evidence_table(db),
        today=datetime.now(UTC).date(),
        ran=seen_running(m),
    )


def _view(
    found: Answer,
    problem: Problem,
    money: MoneySettings,
    *,
    fitted: Layout,
    failed: Set[str],
    on_shelf: int,
    on_offer: int,
    now: Evaluation,
    odd: tuple[str, ...],
) -> RoutesView:
    """Layouts are told as what they change of the one that is fitted; modules in `failed` slots, with which nobody plans, leave."""
    modules: dict[Module, int] = {}

    def at(x: Occupant | None) -> int | None:
        return modules.setdefault(x, len(modules)) if isinstance(x, Module) else None

    def changes(layout: Layout) -> dict[str, int | None]:
        return {s: at(layout.get(s)) for s in layout.changed_from(fitted)}

    held = {s: at(x) for s, x in fitted.items()}
    routes = tuple(_route(r, problem.table, changes) for r in found.routes)
    if leaving := failed & fitted.keys():
        done = (actions(problem.sheet, fitted, r.weighed.layout, leaving) for r in found.routes)
        routes = tuple(
            replace(r, actions=action_views(a), touches=r.touches + len(leaving))
            for r, a in zip(routes, done, strict=True)
        )
    assumed = any(c.origin == Origin.ASSUMED for c in problem.candidates)
    priced = not assumed or money.guess().told
    if not priced:
        routes = tuple(replace(r, break_even=None, names=tuple(n for n in r.names if n != "cheapest")) for r in routes)
    return RoutesView(
        ended=found.ended, assumed=assumed, priced=priced, slower=found.slower, gave_up=found.gave_up, left_out=odd,
        routes=routes, modules=tuple(modules), fitted=held, money=money, proved=found.proved, gap=found.gap, relax=found.relax, relax_proved=found.relax_proved, weighed=found.weighed,
        seconds=round(found.seconds, 3), on_shelf=on_shelf, on_offer=on_offer, now=now,
    )  # fmt: skip


def _route(r: Route, table: Table, changes: Callable[[Layout], dict[str, int | None]]) -> RouteView:
    w, saving = r.weighed, r.against_official
    against = None
    if saving is not None and r.official is not None:
        against = BreakEvenView(
            against=r.official,
            saving=round(saving.saving, 2),
            expected_loss=round(saving.expected_loss, 2),
            trouble=saving.trouble,
            worth_it=saving.worth_it,
            runs=saving.runs,
            eaten_by=saving.eaten_by.outcome if saving.eaten_by else None,
            flips=bool(r.flips),
        )
    return RouteView(
        changes=changes(w.layout),
        modules=sum(isinstance(x, Module) for x in w.layout.values()),
        actions=action_views(r.actions),
        buy=tuple(
            BoughtView(
                part=b.candidate.part,
                origin=b.candidate.origin.value,
                count=b.modules,
                kits=b.kits,
                price=b.price,
                lead_days=b.candidate.lead_days,
            )
            for b in w.bought
        ),
        cost=w.cost,
        trouble=w.trouble.probability,
        fails_early=w.trouble.early,
        quirks=w.trouble.quirks,
        trouble_range=range_view(r.range),
        expected_loss=round(w.trouble.expected_loss, 2),
        losses=losses_of(w.trouble),
        beliefs=tuple(belief_view(b, table) for b in w.trouble.beliefs),
        break_even=against,
        sustained_gbs=round(w.measures.sustained_gbs, 3),
        usable_gib=w.measures.usable_gib,
        free_slots=w.measures.free_slots,
        touches=w.measures.touches,
        names=r.names,
        in_warranty=r.in_warranty,
        first_stage=None if r.first_stage is None else changes(r.first_stage),
        levers=r.levers,
        experiments=r.experiments,
        evaluation=w.evaluation,
    )
