"""The risk of a plan as a lead sees it before taking it, and the lead's word for it."""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.evidence.levers import Lever, levers_of
from umbrak.core.evidence.trouble import Range, break_even
from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.actions import Do, actions
from umbrak.core.routes.picks import is_in_warranty
from umbrak.core.routes.problem import Wishes
from umbrak.core.routes.search import search
from umbrak.core.rules.finding import Finding, Severity, Verdict, could_harm
from umbrak.formats.documents import layout_json
from umbrak.formats.kept import MODEL, Taken
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.evidence.telling import BeliefView, LossView, RangeView, belief_view, losses_of, range_view
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import money_settings, team_settings
from umbrak.services.plans.editing import not_stale
from umbrak.services.plans.view import OpenPlan, open_plan
from umbrak.services.plans.weighed import WeighedPlan, weigh_plan
from umbrak.services.routes.finding import problem_of
from umbrak.store import plans as plan_store
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

#: How long the cheapest way that the maker stands behind is looked for. [s]
_SECONDS = 2.0


@dataclass(frozen=True, slots=True)
class ApprovalView:
    by: str
    at: datetime
    #: False where what was approved has changed since: then it is asked anew.
    stands: bool
    #: Whether whoever gave it began the plan or changed it.
    own: bool


@dataclass(frozen=True, slots=True)
class SavingView:
    """What the plan saves against the cheapest way that the maker stands behind and that gives as much."""

    cost: Decimal
    official_cost: Decimal
    saving: float
    #: The probability of trouble at which the saving is eaten up; None where trouble costs nothing.
    trouble: float | None
    worth_it: bool
    #: Probability that it runs: only then the saving is had; what the official way risks itself.
    runs: float
    official_loss: float
    #: The outcome that alone would eat the saving; None where none would.
    eaten_by: str | None
    #: Whether the choice turns when trouble is looked at otherwise.
    flips: bool


@dataclass(frozen=True, slots=True)
class RiskView:
    verdict: Verdict
    #: Whether a lead has to take it before it runs.
    needed: bool
    #: The newest.
    approval: ApprovalView | None
    #: Those that stand, of different people; how many it takes.
    approvals: tuple[ApprovalView, ...]
    wanted: int
    #: Up to which trouble and cost a technician may take the risk of somebody else's plan; nothing: leads alone.
    delegated_trouble: float
    delegated_cost: float
    #: What speaks against it: risks, and facts that are not known.
    reasons: tuple[Finding, ...]
    trouble: float
    #: Slots of the goal of which nobody knows how much is in them: what that is adds to the trouble.
    not_counted: int
    fails_early: float
    quirks: float
    trouble_range: RangeView
    expected_loss: float
    losses: tuple[LossView, ...]
    beliefs: tuple[BeliefView, ...]
    levers: tuple[Lever, ...]
    #: None where its parts are not all at hand with a price, or nothing that the maker stands behind gives as much.
    saving: SavingView | None
    currency: str
    #: Whether this installation has said what anything costs; without that no loss can be told.
    costs_told: bool


def may_run(db: Connection, plan: OpenPlan) -> str:
    """Why a plan may not run yet for want of a lead's word; "" where it may."""
    w = weigh_plan(db, plan)
    given = _approvals(db, w)
    standing, wanted = _standing(given), team_settings(db).approvals
    if not w.needed or len(standing) >= wanted:
        return ""
    if standing:
        return f"It is at risk: {standing[0].by} has approved it, and one more has to."
    if given:
        return "It has changed since it was approved: ask again."
    return f"It is at risk: {'a lead has' if wanted == 1 else 'two have'} to approve it first."


def _fingerprint(w: WeighedPlan) -> str:
    """What an approval is of: the goal, the sheet, and everything that speaks against it, as it stands now."""
    plan, judged = w.plan, w.judged
    against = [[f.code, f.severity.value, list(f.slots), f.message] for f in judged.findings if f.severity in _AGAINST]
    seen = [layout_json(plan.goal), plan.row.sheet_hash, against, list(w.lacking)]
    seen += [plan.row.runs_with.model_dump(exclude_unset=True)] if plan.row.runs_with else []
    return hashlib.sha256(json.dumps(seen, sort_keys=True).encode()).hexdigest()


#: Why a plan over a fact that could hide harm is nobody's to take.
HARM = "A fact that is not known could hide harm to the machine or its modules: find it first; Fit says which."
_AGAINST = (Severity.STOP, Severity.ASK, Severity.RISK)


def _approvals(db: Connection, w: WeighedPlan) -> list[ApprovalView]:
    """Of each person the newest, the newest first."""
    mark, writers = _fingerprint(w), plan_store.writers_of(db, w.plan.row.id)
    found: dict[UUID, ApprovalView] = {}
    for row in store.approvals_of(db, w.plan.row.id):
        view = ApprovalView(by=row.by, at=row.at, stands=row.fingerprint == mark, own=row.account_id in writers)
        found.setdefault(row.account_id, view)
    return list(found.values())


def _standing(given: Sequence[ApprovalView]) -> tuple[ApprovalView, ...]:
    return tuple(a for a in given if a.stands)


def see_risk(engine: Engine, key: UUID) -> RiskView:
    """What a plan risks, with everything that a lead should see before taking it. Raises NotFound."""
    with engine.connect() as db:
        return _risk(db, weigh_plan(db, open_plan(db, key)))


def approve(engine: Engine, account: Account, key: UUID, version: int) -> RiskView:
    """A word for a plan as it is now: a lead's, or what a lead has left to technicians of plans that are not their own.

    Raises
        NotFound, NotAllowed
        Stale     the plan was changed since it was seen
        Refused   it cannot run at all, or needs no approval
    """
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        w = weigh_plan(db, plan)
        _may_approve(db, account, w)
        not_stale(plan, version, {"approve": True})
        if w.judged.verdict is Verdict.NO_GO:
            raise Refused("plan", "This plan cannot work: change it in Fit until nothing stops it.")
        if could_harm(w.judged.findings):
            raise Refused("plan", HARM)
        if not w.needed:
            raise Refused("plan", "Nothing in this plan is at risk: it needs no approval.")
        risk = _risk(db, w)
        seen = Taken(
            verdict=risk.verdict,
            trouble=risk.trouble,
            reasons=tuple(f.message for f in risk.reasons),
            version=version,
            model=MODEL,
            saving=risk.saving.saving if risk.saving else None,
            currency=risk.currency,
        )
        store.add_approval(db, key, _fingerprint(w), seen, account.id)
        if plan.row.state == "draft" and not may_run(db, plan):
            plan_store.set_state(db, key, "approved")
        record(
            db,
            "plan approved",
            account.id,
            plan.row.machine_id,
            key,
            name=plan.row.name,
            trouble=risk.trouble,
            version=version,
        )
        return _risk(db, weigh_plan(db, open_plan(db, key)))


def _may_approve(db: Connection, account: Account, w: WeighedPlan) -> None:
    """Raises NotAllowed where it takes a lead."""
    if Role[account.role] >= Role.lead:
        return
    team = team_settings(db)
    if not team.delegated_trouble:
        need(account, Role.lead)
    if account.id in plan_store.writers_of(db, w.plan.row.id):
        raise NotAllowed("It is your own plan: somebody else has to take its risk.")
    if w.judged.not_counted:
        raise NotAllowed(
            f"Its risk is a lead’s to take: how much is in {w.judged.not_counted} of its slots is not known, and so is its trouble."
        )
    trouble, price = w.scales.trouble(w.resting).probability, w.purchase
    if trouble > team.delegated_trouble or price.unpriced or float(price.cost) > team.delegated_cost:
        raise NotAllowed(
            f"Its risk is a lead’s to take: a technician’s word goes up to {team.delegated_trouble:.0%} trouble and "
            f"modules of {team.delegated_cost:.2f}, all of them priced."
        )


def _risk(db: Connection, w: WeighedPlan) -> RiskView:
    plan, problem, judged, m = w.plan, w.problem, w.judged, w.plan.machine
    trouble, spread = w.scales.trouble(w.resting), w.scales.range(w.resting)
    done = actions(m.sheet, plan.now, plan.goal, m.survey.content.failed)
    goes = sum(a.do is Do.TAKE_OUT and a.target is None for a in done)
    given, team = _approvals(db, w), team_settings(db)
    return RiskView(
        verdict=judged.verdict,
        needed=w.needed,
        approval=given[0] if given else None,
        approvals=_standing(given),
        wanted=team.approvals,
        delegated_trouble=team.delegated_trouble,
        delegated_cost=team.delegated_cost,
        reasons=tuple(f for f in judged.findings if f.severity in _AGAINST),
        trouble=trouble.probability,
        not_counted=judged.not_counted,
        fails_early=trouble.early,
        quirks=trouble.quirks,
        trouble_range=range_view(spread),
        expected_loss=round(trouble.expected_loss, 2),
        losses=losses_of(trouble),
        beliefs=tuple(belief_view(b, problem.table) for b in trouble.beliefs),
        levers=levers_of(
            board=w.scales.board,
            trouble=trouble,
            costs=problem.costs,
            goes=goes,
            trials=problem.trials,
            today=problem.today,
            table=problem.table,
        ),
        saving=_saving(db, w, spread),
        currency=money_settings(db).currency,
        costs_told=problem.costs.told,
    )


def _saving(db: Connection, w: WeighedPlan, spread: Range) -> SavingView | None:
    """Against the cheapest way in the maker's word to as much memory; it is looked for only while somebody's word lacks."""
    plan, scales = w.plan, w.scales
    wanted = Counter(alike(x) if isinstance(x, Module) else None for x in plan.goal.values())
    at_hand = {k.module: len(k.cost) - 1 for k in scales.kinds}
    if not w.lacking or any(count > at_hand.get(kind, 0) for kind, count in wanted.items()):
        return None
    own = scales.weigh(plan.goal)
    safe = Wishes(
        usable_gib=own.measures.usable_gib,
        keep_warranty=True,
        third_party=False,
        over_official=False,
        less_bandwidth=True,
    )
    found = [r for r in search(problem_of(db, plan.machine, safe), _SECONDS).routes if is_in_warranty(r)]
    official = min(found, key=lambda r: r.cost, default=None)
    if official is None:
        return None
    saved = break_even(float(official.cost - own.cost), own.trouble, official.trouble)
    others = (break_even(saved.saving, s.trouble, official.trouble) for s in spread.ways)
    return SavingView(
        cost=own.cost,
        official_cost=official.cost,
        saving=round(saved.saving, 2),
        trouble=saved.trouble,
        worth_it=saved.worth_it,
        runs=saved.runs,
        official_loss=round(official.trouble.expected_loss, 2),
        eaten_by=saved.eaten_by.outcome if saved.eaten_by else None,
        flips=any(o.worth_it is not saved.worth_it for o in others),
    )
