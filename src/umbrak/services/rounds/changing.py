"""Rounds made, asked otherwise, searched, accepted and closed."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from math import isfinite
from time import monotonic
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.rounds.solve import RoundProgress
from umbrak.formats.kept import GOAL, JobOptions, Unreadable
from umbrak.services.errors import Refused, ServiceError, Stale
from umbrak.services.known.loading import load_machines
from umbrak.services.people.accounts import Role, need
from umbrak.services.plans.editing import discard_plan_within, start_plan_within
from umbrak.services.rounds.asked import ASKED, RoundAsked, check
from umbrak.services.rounds.proposal import PROPOSAL, Proposal, ProposedRow
from umbrak.services.rounds.proposing import propose
from umbrak.services.rounds.view import RoundView, asked_of, changes, proposal_of, round_view, row_of
from umbrak.store import jobs
from umbrak.store import rounds as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.plans import find_plan, plans_of
from umbrak.store.rounds import RoundPlanRow, RoundRow

#: How long the best round is sought, and how often it is told how far that is. [s]
SECONDS = 30.0
_TELL_EVERY = 0.5


def make_round(engine: Engine, account: Account, name: str, asked: RoundAsked) -> RoundView:
    """Raises Refused, naming what cannot be."""
    need(account, Role.technician)
    check(asked)
    with engine.begin() as db:
        _known(db, asked)
        chosen = name.strip() or _next_name(db)
        key = store.add_round(db, account.id, chosen, ASKED.write(asked))
        if key is None:
            raise Refused("name", f"There is a round {chosen} already.")
        record(db, "round made", account.id, id=str(key), name=chosen, machines=len(asked.machines))
        return round_view(db, row_of(db, key))


def _next_name(db: Connection) -> str:
    names = {r.name for r in store.rounds(db)}
    return next(n for i in range(1, len(names) + 2) if (n := f"Round {i}") not in names)


def _known(db: Connection, asked: RoundAsked) -> None:
    there = {m.row.id for m in load_machines(db, asked.machines)}
    if missing := [str(k) for k in asked.machines if k not in there]:
        raise Refused("machines", f"There is no machine {missing[0]}.")


def ask_otherwise(engine: Engine, account: Account, key: UUID, version: int, asked: RoundAsked) -> RoundView:
    """Change what is asked. What was proposed stays to be seen until it is searched again.

    Raises
        NotFound, Refused
        Stale   somebody asked otherwise meanwhile
    """
    need(account, Role.technician)
    check(asked)
    with engine.begin() as db:
        store.lock_round(db, key)
        row = _open(db, key)
        _known(db, asked)
        if row.version != version:
            raise Stale(
                "Somebody changed this round meanwhile; nothing of yours was saved.", round_view(db, row), asked
            )
        store.change_round(db, key, version, asked=ASKED.write(asked))
        record(db, "round asked otherwise", account.id, id=str(key), version=version + 1)
        return round_view(db, row_of(db, key))


def _open(db: Connection, key: UUID) -> RoundRow:
    row = row_of(db, key)
    if row.closed_at:
        raise Refused("round", f"{row.name} is done: make another.")
    return row


def search_round(engine: Engine, account: Account, key: UUID) -> UUID:
    """Have its best proposal sought in the background; the job's id. One that goes on already is gone on with.

    Raises NotFound, Refused.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        store.lock_round(db, key)
        row = _open(db, key)
        check(asked_of(row))
        if row.job_id and row.job_state in ("waiting", "running"):
            return row.job_id
        step = jobs.NewStep(row.name, str(key).encode())
        job_id = jobs.add_job(db, "round", account.id, f"Solve {row.name}", JobOptions(), [step])
        store.set_job(db, key, job_id)
        return job_id


def stop_search(engine: Engine, account: Account, key: UUID) -> None:
    """End it with the best so far. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = row_of(db, key)
        if row.job_id:
            jobs.ask_to_stop(db, row.job_id)


def do_search(engine: Engine, job_id: UUID, key: UUID, seconds: float = SECONDS) -> str:
    """The search itself, as a job's step: what came of it, in words. Raises NotFound.

    What somebody asks otherwise meanwhile is not answered: the proposal says which question it answers.
    """
    with engine.connect() as db:
        row = row_of(db, key)
        plans = store.plans_of_rounds(db, [key])
    told = [0.0]

    def stopped() -> bool:
        with engine.connect() as db:
            head = jobs.job_head(db, job_id)
        return head is None or head.stop_asked

    def report(doing: str, progress: RoundProgress | None) -> None:
        if progress is not None and monotonic() - told[0] < _TELL_EVERY:
            return
        told[0] = monotonic()
        far: dict[str, float | None] = {}
        if progress:
            gap = progress.gap if isfinite(progress.gap) else None
            far = {"served": progress.served, "gap": gap, "seconds": progress.seconds}
        with engine.begin() as db:
            store.set_progress(db, key, {"doing": doing, **far})

    try:
        found = propose(
            engine, asked_of(row), row.version, plans, seconds=seconds, now=datetime.now(UTC), report=report,
            stopped=stopped,
        )  # fmt: skip
    except Exception as error:
        words = (
            str(error)
            if isinstance(error, ServiceError | Unreadable)
            else "An error of Umbrak's own; its log says more."
        )
        with engine.begin() as db:
            store.set_progress(db, key, {"trouble": words})
        raise
    with engine.begin() as db:
        store.keep_proposal(db, key, PROPOSAL.write(found))
        store.set_progress(db, key, None)
    served = sum(r.served is not None for r in found.rows)
    return f"{served} of {len(found.rows)} machines"


def accept_round(engine: Engine, account: Account, key: UUID, version: int) -> RoundView:
    """Make plans of what is proposed, each for its wave. What was accepted before and is not begun gives way to it.

    Raises
        NotFound
        Stale     somebody changed the round meanwhile
        Refused   nothing is proposed, or it answers another question; machines, Shelf or days are not what they were
    """
    need(account, Role.technician)
    with engine.begin() as db:
        store.lock_round(db, key)
        row = _open(db, key)
        if row.version != version:
            raise Stale("Somebody changed this round meanwhile: look at it again.", round_view(db, row), None)
        proposal, plans = proposal_of(row), store.plans_of_rounds(db, [key])
        if proposal is None or proposal.version != row.version:
            raise Refused("round", "What is proposed answers another question: solve it again first.")
        today = datetime.now(UTC).date()
        if since := changes(db, proposal, plans, today):
            raise Refused("round", f"{since[0]}. Solve it again first.")
        before = {p.machine_id: p for p in plans}
        for r in proposal.rows:
            _accept_row(db, account, row, r, before=before.get(r.machine_id), expects=_expects(proposal, r.machine_id))
        if not row.accepted_at:
            store.set_accepted(db, key)
        record(db, "round accepted", account.id, id=str(key), machines=sum(r.served is not None for r in proposal.rows))
        return round_view(db, row_of(db, key))


def _accept_row(
    db: Connection,
    account: Account,
    row: RoundRow,
    r: ProposedRow,
    *,
    before: RoundPlanRow | None,
    expects: Mapping[str, Mapping[str, int]],
) -> None:
    if before and before.state not in ("draft", "approved", "backed out"):
        return
    goal = GOAL.read(r.served.goal) if r.served else None
    if before and before.discarded_at is None and before.state != "backed out":
        kept = find_plan(db, before.plan_id)
        if r.served and kept is not None and kept.goal == goal:
            store.keep_plan(
                db, row.id, r.machine_id, plan_id=kept.id, day=r.served.day, hours=r.served.hours, expects=expects
            )
            return
        discard_plan_within(db, account, before.plan_id, before.version, True)
    if before:
        store.drop_plan(db, row.id, r.machine_id)
    if r.served is None or goal is None:
        return
    made = start_plan_within(db, account, r.machine_id, name=_free_name(db, r.machine_id, row.name), wanted=goal)
    store.keep_plan(db, row.id, r.machine_id, plan_id=made.id, day=r.served.day, hours=r.served.hours, expects=expects)


def _expects(proposal: Proposal, machine: UUID) -> dict[str, dict[str, int]]:
    """Machine -> kinds of module, and how many, that come out of it for this one."""
    found: dict[str, dict[str, int]] = {}
    for x in proposal.passed:
        if x.donor and x.to == machine:
            kinds = found.setdefault(str(x.donor), {})
            kinds[x.kind] = kinds.get(x.kind, 0) + x.count
    return found


def _free_name(db: Connection, machine_id: UUID, name: str) -> str:
    names = {p.name for p in plans_of(db, machine_id)}
    return next(n for i in range(1, len(names) + 2) if (n := name if i == 1 else f"{name}, {i}") not in names)


def close_round(engine: Engine, account: Account, key: UUID) -> None:
    """It is done: its plans stay. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = row_of(db, key)
        if not row.closed_at:
            store.set_closed(db, key)
            record(db, "round closed", account.id, id=str(key))
