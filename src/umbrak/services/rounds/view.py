"""A round as people see it: what is asked, what is proposed, how its plans stand, and what changed since."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from enum import StrEnum
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.rounds.problem import From
from umbrak.services.errors import NotFound
from umbrak.services.known.loading import load_machines
from umbrak.services.rounds.asked import ASKED, RoundAsked
from umbrak.services.rounds.proposal import PROPOSAL, Proposal
from umbrak.services.rounds.proposing import day_words, free_on_shelf, stamp_of
from umbrak.store import rounds as store
from umbrak.store.rounds import RoundPlanRow, RoundRow, how_stands


class RoundState(StrEnum):
    ASKED = "asked"
    SEARCHING = "searching"
    PROPOSED = "proposed"
    ACCEPTED = "accepted"
    DONE = "done"


class StateOfPlan(StrEnum):
    """A plan's own states, and that somebody took it from sight."""

    DRAFT = "draft"
    APPROVED = "approved"
    UNDER_WAY = "under way"
    PROVED = "proved"
    WAIVED = "waived"
    BACKED_OUT = "backed out"
    DISCARDED = "discarded"


@dataclass(frozen=True, slots=True)
class RoundBrief:
    id: UUID
    name: str
    state: RoundState
    machines: int
    waves: int
    #: Of those that were accepted: proved; plans of it in all.
    done: int
    plans: int
    first_day: date | None
    last_day: date | None
    updated_at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class PlanOfRound:
    machine_id: UUID
    plan_id: UUID
    plan: str
    state: StateOfPlan
    day: date
    hours: float
    #: Its wave is over and nobody began.
    missed: bool


@dataclass(frozen=True, slots=True)
class ProgressView:
    doing: str
    #: As far as it is: machines served, the proved gap; None before there is any.
    served: int | None
    gap: float | None
    seconds: float


@dataclass(frozen=True, slots=True)
class RoundView:
    id: UUID
    name: str
    version: int
    state: RoundState
    by: str
    updated_at: datetime
    asked: RoundAsked
    proposal: Proposal | None
    #: Whether the proposal answers what is asked now.
    fresh: bool
    #: What changed since it was proposed and what that does to it, in words.
    changed: tuple[str, ...]
    plans: tuple[PlanOfRound, ...]
    #: A search goes on.
    progress: ProgressView | None
    stopping: bool
    #: Why the last search came to nothing; "" where it did not.
    trouble: str


def list_rounds(engine: Engine) -> list[RoundBrief]:
    """The newest first."""
    with engine.connect() as db:
        rows = store.rounds(db)
        plans = store.plans_of_rounds(db, [r.id for r in rows])
        return [_brief(r, [p for p in plans if p.round_id == r.id]) for r in rows]


def see_round(engine: Engine, key: UUID) -> RoundView:
    """Raises NotFound."""
    with engine.connect() as db:
        return round_view(db, row_of(db, key))


def row_of(db: Connection, key: UUID) -> RoundRow:
    """Raises NotFound."""
    found = store.rounds(db, key)
    if not found:
        raise NotFound("round")
    return found[0]


def asked_of(row: RoundRow) -> RoundAsked:
    return ASKED.read(row.asked)


def proposal_of(row: RoundRow) -> Proposal | None:
    return PROPOSAL.read(row.proposal) if row.proposal else None


def round_view(db: Connection, row: RoundRow) -> RoundView:
    asked, proposal = asked_of(row), proposal_of(row)
    plans = store.plans_of_rounds(db, [row.id])
    today = datetime.now(UTC).date()
    searching = row.job_state in ("waiting", "running")
    progress = None
    if searching:
        told = row.progress or {}
        progress = ProgressView(
            doing=told.get("doing", "waits for its turn"),
            served=told.get("served"),
            gap=told.get("gap"),
            seconds=told.get("seconds", 0.0),
        )
    fresh = proposal is not None and proposal.version == row.version
    return RoundView(
        id=row.id, name=row.name, version=row.version, state=_state(row, plans), by=row.by, updated_at=row.updated_at, asked=asked,
        proposal=proposal, fresh=fresh, changed=changes(db, proposal, plans, today) if proposal else (),
        plans=tuple(_plan(p, today) for p in sorted(plans, key=lambda p: (p.day, str(p.machine_id)))), progress=progress,
        stopping=searching and row.stopping, trouble="" if searching else (row.progress or {}).get("trouble", ""),
    )  # fmt: skip


def _state(row: RoundRow, plans: Sequence[RoundPlanRow]) -> RoundState:
    if row.closed_at:
        return RoundState.DONE
    if row.job_state in ("waiting", "running"):
        return RoundState.SEARCHING
    if plans:
        return RoundState.ACCEPTED
    return RoundState.PROPOSED if row.proposal else RoundState.ASKED


def _plan(p: RoundPlanRow, today: date) -> PlanOfRound:
    state = StateOfPlan.DISCARDED if p.discarded_at else StateOfPlan(p.state)
    missed = p.day < today and state in (StateOfPlan.DRAFT, StateOfPlan.APPROVED)
    return PlanOfRound(
        machine_id=p.machine_id, plan_id=p.plan_id, plan=p.plan, state=state, day=p.day, hours=p.hours, missed=missed
    )


def changes(db: Connection, proposal: Proposal, plans: Sequence[RoundPlanRow], today: date) -> tuple[str, ...]:
    """What changed since a proposal was made: machines, the Shelf, waves that are over."""
    said = []
    begun = {p.machine_id for p in plans if p.state in ("under way", "proved", "waived")}
    machines = {m.row.id: m for m in load_machines(db, [r.machine_id for r in proposal.rows])}
    for r in proposal.rows:
        m = machines.get(r.machine_id)
        if m is None:
            said.append(f"{r.machine} is gone: its route and its modules fall out")
        elif stamp_of(m) != r.stamp and r.machine_id not in begun:
            rests = " and its route may not fit any more" if r.served else ", and may be served now"
            said.append(f"{r.machine} is not what it was{rests}")
    # What is under way has its modules in hand.
    from_shelf = Counter[str]()
    for x in proposal.passed:
        if x.source is From.SHELF and x.to not in begun:
            from_shelf[x.kind] += x.count
    free = free_on_shelf(db, plans) if from_shelf else {}
    for kind, n in from_shelf.items():
        if free.get(kind, 0) < n:
            said.append(f"of {n} modules that come from the Shelf {free.get(kind, 0)} are left: somebody took them")
    served = {p.machine_id: p for p in plans}
    for r in proposal.rows:
        plan = served.get(r.machine_id)
        if r.served and r.served.day < today and (plan is None or plan.state in ("draft", "approved")):
            said.append(
                f"{r.machine} missed its wave of {day_words(r.served.day)}: what was to come out of it comes later"
            )
        known = plan is not None and proposal.knew.get(str(plan.plan_id)) == how_stands(plan)
        if plan and plan.edited and not known and plan.discarded_at is None and plan.state in ("draft", "approved"):
            said.append(
                f"{r.machine}: somebody changed the plan {plan.plan} by hand, so what is bought and handed on may not be what it "
                "puts in; solved and accepted anew it gives way"
            )
        if plan and plan.state == "backed out" and proposal.knew.get(str(plan.plan_id)) != how_stands(plan):
            said.append(f"{r.machine} went back to what it was: nothing came out of it, and it is still short")
    return tuple(said)


def _brief(row: RoundRow, plans: Sequence[RoundPlanRow]) -> RoundBrief:
    asked = asked_of(row)
    days = [w.day for w in asked.waves]
    return RoundBrief(
        id=row.id,
        name=row.name,
        state=_state(row, plans),
        machines=len(asked.machines),
        waves=len(asked.waves),
        done=sum(p.state in ("proved", "waived") for p in plans),
        plans=len(plans),
        first_day=min(days, default=None),
        last_day=max(days, default=None),
        updated_at=row.updated_at,
        by=row.by,
    )
