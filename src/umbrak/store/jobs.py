"""Work in the background: a job and its steps."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, bindparam, func, insert, select, text, update

from umbrak.formats.kept import JOB, JobOptions
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import job, job_step

PAGE_SIZE = 200


@dataclass(frozen=True, slots=True)
class NewStep:
    name: str
    raw: bytes | None = None
    machine_id: UUID | None = None


@dataclass(frozen=True, slots=True)
class JobRow:
    id: UUID
    kind: str
    state: str
    stop_asked: bool
    account_id: UUID
    #: Who started it, as shown.
    by: str
    title: str
    created_at: datetime
    ended_at: datetime | None
    #: Steps by state.
    counts: dict[str, int]


@dataclass(frozen=True, slots=True)
class StepRow:
    number: int
    name: str
    state: str
    machine_id: UUID | None
    intake_id: UUID | None
    outcome: str


def add_job(
    db: Connection, kind: str, account_id: UUID, title: str, options: JobOptions, steps: Sequence[NewStep]
) -> UUID:
    key = new_id()
    values = {"id": key, "kind": kind, "account_id": account_id, "title": title, "document": JOB.write(options)}
    db.execute(insert(job).values(values))
    rows = [
        {"job_id": key, "number": i, "name": s.name, "raw": s.raw, "machine_id": s.machine_id}
        for i, s in enumerate(steps, 1)
    ]
    if rows:
        db.execute(insert(job_step), rows)
    return key


def find_job(db: Connection, key: UUID) -> JobRow | None:
    return next(iter(_jobs(db, job.c.id == key)), None)


@dataclass(frozen=True, slots=True)
class JobHead:
    """What whoever does the next step has to know; its steps are not counted for that."""

    kind: str
    state: str
    stop_asked: bool
    account_id: UUID
    options: JobOptions


def job_head(db: Connection, key: UUID) -> JobHead | None:
    columns = (job.c.kind, job.c.state, job.c.stop_asked, job.c.account_id, job.c.document)
    row = db.execute(select(*columns).where(job.c.id == key)).one_or_none()
    return JobHead(row.kind, row.state, row.stop_asked, row.account_id, JOB.read(row.document)) if row else None


def newest_jobs(db: Connection, limit: int = 20) -> list[JobRow]:
    return _jobs(db, None, limit)


def unfinished_jobs(db: Connection) -> list[UUID]:
    return list(
        db.execute(select(job.c.id).where(job.c.state.in_(("waiting", "running"))).order_by(job.c.created_at)).scalars()
    )


def _jobs(db: Connection, condition: Any, limit: int = 1) -> list[JobRow]:
    query = select(job, account.c.shown_as).join(account)
    if condition is not None:
        query = query.where(condition)
    rows = db.execute(query.order_by(job.c.created_at.desc(), job.c.id.desc()).limit(limit)).all()
    counted: dict[UUID, dict[str, int]] = {r.id: {} for r in rows}
    by_state = select(job_step.c.job_id, job_step.c.state, func.count().label("n"))
    for r in db.execute(by_state.where(job_step.c.job_id.in_(counted)).group_by(job_step.c.job_id, job_step.c.state)):
        counted[r.job_id][r.state] = r.n
    return [
        JobRow(
            id=r.id, kind=r.kind, state=r.state, stop_asked=r.stop_asked, account_id=r.account_id, by=r.shown_as, title=r.title,
            created_at=r.created_at, ended_at=r.ended_at, counts=counted[r.id],
        )
        for r in rows
    ]  # fmt: skip


def steps_of(db: Connection, key: UUID, after: int = 0) -> list[StepRow]:
    """A page of steps, in order."""
    columns = (
        job_step.c.number,
        job_step.c.name,
        job_step.c.state,
        job_step.c.machine_id,
        job_step.c.intake_id,
        job_step.c.outcome,
    )
    query = select(*columns).where(job_step.c.job_id == key, job_step.c.number > after)
    return [StepRow(*r) for r in db.execute(query.order_by(job_step.c.number).limit(PAGE_SIZE))]


def next_steps(db: Connection, key: UUID, limit: int) -> list[tuple[StepRow, bytes | None]]:
    """The first steps that wait, each with what it works on."""
    query = select(job_step).where(job_step.c.job_id == key, job_step.c.state == "waiting")
    rows = db.execute(query.order_by(job_step.c.number).limit(limit))
    return [
        (
            StepRow(
                number=r.number,
                name=r.name,
                state=r.state,
                machine_id=r.machine_id,
                intake_id=r.intake_id,
                outcome=r.outcome,
            ),
            r.raw,
        )
        for r in rows
    ]


@dataclass(frozen=True, slots=True)
class Ended:
    """What came of a step: done or failed, in words, and what it brought."""

    number: int
    state: str
    outcome: str
    intake_id: UUID | None = None
    machine_id: UUID | None = None


def end_steps(db: Connection, key: UUID, ended: Sequence[Ended]) -> None:
    """`end_step`, of many in one go."""
    change = (
        update(job_step)
        .where(job_step.c.job_id == key, job_step.c.number == bindparam("n"))
        .values(
            state=bindparam("s"), outcome=bindparam("o"), intake_id=bindparam("i"), machine_id=bindparam("m"), raw=None
        )
    )
    rows = [{"n": e.number, "s": e.state, "o": e.outcome[:500], "i": e.intake_id, "m": e.machine_id} for e in ended]
    if rows:
        db.execute(change, rows)


def end_step(
    db: Connection,
    key: UUID,
    number: int,
    state: str,
    outcome: str,
    intake_id: UUID | None = None,
    machine_id: UUID | None = None,
) -> None:
    """A step is over: its bytes go, since an intake has them, or nothing could be read from them."""
    values: dict[str, Any] = {"state": state, "outcome": outcome[:500], "intake_id": intake_id, "raw": None}
    if machine_id is not None:
        values["machine_id"] = machine_id
    db.execute(update(job_step).where(job_step.c.job_id == key, job_step.c.number == number).values(values))


def set_state(db: Connection, key: UUID, state: str) -> None:
    values: dict[str, Any] = {"state": state}
    if state in ("done", "stopped"):
        values["ended_at"] = func.now()
    db.execute(update(job).where(job.c.id == key).values(values))


def leave_waiting(db: Connection, key: UUID) -> None:
    """Steps that still wait are not done any more."""
    waiting = (job_step.c.job_id == key) & (job_step.c.state == "waiting")
    db.execute(update(job_step).where(waiting).values(state="left", outcome="not done: it was stopped", raw=None))


def ask_to_stop(db: Connection, key: UUID) -> None:
    db.execute(update(job).where(job.c.id == key).values(stop_asked=True))


def claim(db: Connection, key: UUID) -> bool:
    """Hold a job for as long as this connection lives; False where another process has it."""
    # 64 bits of the id: two jobs that meet there wait for each other, no more.
    return bool(db.execute(text("SELECT pg_try_advisory_lock(:k)"), {"k": _lock(key)}).scalar())


def release(db: Connection, key: UUID) -> None:
    db.execute(text("SELECT pg_advisory_unlock(:k)"), {"k": _lock(key)})


def _lock(key: UUID) -> int:
    return (key.int & ((1 << 64) - 1)) - (1 << 63)


def counts_of_jobs(db: Connection) -> list[tuple[str, str, int]]:
    """(kind, state, how many)."""
    query = select(job.c.kind, job.c.state, func.count()).group_by(job.c.kind, job.c.state)
    return [(r[0], r[1], r[2]) for r in db.execute(query)]
