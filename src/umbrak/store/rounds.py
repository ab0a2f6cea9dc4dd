"""Rounds, what was proposed for them, and the plans that were made of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Text, cast, column, delete, exists, func, literal, select, true, update
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import job, plan, plan_command, round_, round_plan


@dataclass(frozen=True, slots=True)
class RoundRow:
    id: UUID
    name: str
    asked: Mapping[str, Any]
    proposal: Mapping[str, Any] | None
    progress: Mapping[str, Any] | None
    job_id: UUID | None
    #: Of the search that goes on, or went on last; None: there was none.
    job_state: str | None
    stopping: bool
    version: int
    by: str
    updated_at: datetime
    accepted_at: datetime | None
    closed_at: datetime | None


@dataclass(frozen=True, slots=True)
class RoundPlanRow:
    round_id: UUID
    machine_id: UUID
    plan_id: UUID
    plan: str
    state: str
    #: None: nobody took it from sight.
    discarded_at: datetime | None
    version: int
    day: date
    hours: float
    #: Whether somebody changed by hand what it puts in and takes out.
    edited: bool


def how_stands(p: RoundPlanRow) -> str:
    """Its state, and that somebody changed it by hand: what a search for a round has to know of the plans that there are."""
    return f"{p.state}, edited" if p.edited and p.state in ("draft", "approved") else p.state


def add_round(db: Connection, account_id: UUID, name: str, asked: Mapping[str, Any]) -> UUID | None:
    """The new round's id; None where there is one of that name."""
    values = {"id": new_id(), "name": name, "asked": asked, "account_id": account_id}
    return db.execute(upsert(round_).values(values).on_conflict_do_nothing().returning(round_.c.id)).scalar()


def rounds(db: Connection, key: UUID | None = None, open_ones: bool = False) -> list[RoundRow]:
    """One round, all, or those that are not done, the newest first."""
    query = (
        select(round_, account.c.shown_as, job.c.state.label("job_state"), job.c.stop_asked)
        .join(account, account.c.id == round_.c.account_id)
        .outerjoin(job, job.c.id == round_.c.job_id)
    )
    if key is not None:
        query = query.where(round_.c.id == key)
    if open_ones:
        query = query.where(round_.c.closed_at.is_(None))
    return [
        RoundRow(
            id=r.id, name=r.name, asked=r.asked, proposal=r.proposal, progress=r.progress, job_id=r.job_id, job_state=r.job_state,
            stopping=bool(r.stop_asked), version=r.version, by=r.shown_as, updated_at=r.updated_at, accepted_at=r.accepted_at,
            closed_at=r.closed_at,
        )
        for r in db.execute(query.order_by(round_.c.created_at.desc(), round_.c.id.desc()))
    ]  # fmt: skip


def lock_round(db: Connection, key: UUID) -> None:
    """Nobody else changes it until the transaction ends."""
    db.execute(select(round_.c.id).where(round_.c.id == key).with_for_update())


def change_round(db: Connection, key: UUID, version: int, **values: Any) -> bool:
    """Whether it still had that version; it then has the next."""
    changed = (
        update(round_)
        .where(round_.c.id == key, round_.c.version == version)
        .values(version=version + 1, updated_at=func.clock_timestamp(), **values)
    )
    return db.execute(changed).rowcount == 1


def set_progress(db: Connection, key: UUID, progress: Mapping[str, Any] | None) -> None:
    db.execute(update(round_).where(round_.c.id == key).values(progress=progress))


def keep_proposal(db: Connection, key: UUID, proposal: Mapping[str, Any]) -> None:
    db.execute(update(round_).where(round_.c.id == key).values(proposal=proposal))


def set_accepted(db: Connection, key: UUID) -> None:
    db.execute(update(round_).where(round_.c.id == key).values(accepted_at=func.now()))


def set_closed(db: Connection, key: UUID) -> None:
    db.execute(update(round_).where(round_.c.id == key).values(closed_at=func.now()))


def set_job(db: Connection, key: UUID, job_id: UUID) -> None:
    db.execute(update(round_).where(round_.c.id == key).values(job_id=job_id, progress=None))


#: What is learnt of modules, and a new name, are commands that change no slot.
_EDITED = exists().where(
    plan_command.c.plan_id == round_plan.c.plan_id,
    plan_command.c.changes["slots"].is_not(None),
    plan_command.c.changes["slots"] != cast(literal("{}"), JSONB),
)


def plans_of_rounds(db: Connection, keys: Sequence[UUID]) -> list[RoundPlanRow]:
    query = (
        select(round_plan, plan.c.name, plan.c.state, plan.c.discarded_at, plan.c.version, _EDITED.label("edited"))
        .join(plan, plan.c.id == round_plan.c.plan_id)
        .where(round_plan.c.round_id.in_(keys))
    )
    return [
        RoundPlanRow(
            round_id=r.round_id, machine_id=r.machine_id, plan_id=r.plan_id, plan=r.name, state=r.state, discarded_at=r.discarded_at,
            version=r.version, day=r.day, hours=r.hours, edited=r.edited,
        )
        for r in db.execute(query)
    ]  # fmt: skip


def keep_plan(
    db: Connection,
    round_id: UUID,
    machine_id: UUID,
    *,
    plan_id: UUID,
    day: date,
    hours: float,
    expects: Mapping[str, Mapping[str, int]],
) -> None:
    values = {"plan_id": plan_id, "day": day, "hours": hours, "expects": expects}
    made = upsert(round_plan).values(round_id=round_id, machine_id=machine_id, **values)
    db.execute(made.on_conflict_do_update(index_elements=["round_id", "machine_id"], set_=values))


def handed_on(db: Connection) -> dict[UUID, Counter[str]]:
    """Plan -> kinds of module that are to come out of other machines of its round: of those whose own plan is not ended yet."""
    donor, theirs = round_plan.alias("donor"), plan.alias("theirs")
    each = func.jsonb_each(round_plan.c.expects).table_valued("key", column("value", JSONB), name="each")
    query = (
        select(round_plan.c.plan_id, each.c.value)
        .select_from(round_plan)
        .join(each, true())
        .join(round_, round_.c.id == round_plan.c.round_id)
        .join(donor, (donor.c.round_id == round_plan.c.round_id) & (cast(donor.c.machine_id, Text) == each.c.key))
        .join(theirs, theirs.c.id == donor.c.plan_id)
        .where(
            round_.c.closed_at.is_(None),
            theirs.c.state.in_(("draft", "approved", "under way")),
            theirs.c.discarded_at.is_(None),
        )
    )
    found: dict[UUID, Counter[str]] = {}
    for r in db.execute(query):
        found.setdefault(r.plan_id, Counter()).update(r.value)
    return found


def drop_plan(db: Connection, round_id: UUID, machine_id: UUID) -> None:
    gone = (round_plan.c.round_id == round_id, round_plan.c.machine_id == machine_id)
    db.execute(delete(round_plan).where(*gone))
