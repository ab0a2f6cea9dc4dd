"""What is removed once it is old: never what was read, ticked or decided, only the bulk that came with it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime

from sqlalchemy import Connection, Engine, delete, select, text, update

from umbrak.store.tables import intake, job, run, run_entry

#: Rows of one transaction.
BATCH = 500
#: Of an advisory lock: one process removes at a time.
_REMOVING = 0x72656D6F


@contextmanager
def removing(engine: Engine) -> Iterator[bool]:
    """Whether this process alone removes now; no transaction stays open meanwhile."""
    with engine.connect() as held:
        alone = bool(held.execute(text("SELECT pg_try_advisory_lock(:key)"), {"key": _REMOVING}).scalar())
        held.commit()
        try:
            yield alone
        finally:
            if alone:
                held.execute(text("SELECT pg_advisory_unlock(:key)"), {"key": _REMOVING})
                held.commit()


def forget_raw(db: Connection, before: datetime) -> int:
    """Take the bytes from reports that were taken in before; what was read of them stays."""
    old = select(intake.c.id).where(intake.c.created_at < before, intake.c.raw.is_not(None)).limit(BATCH)
    return db.execute(update(intake).where(intake.c.id.in_(old)).values(raw=None)).rowcount


def forget_attachments(db: Connection, before: datetime) -> int:
    """Take photos and logs from runs that ended before; that there was one stays."""
    old = (
        select(run_entry.c.id)
        .join(run, run.c.id == run_entry.c.run_id)
        .where(run.c.ended_at < before, run_entry.c.attachment.is_not(None))
        .limit(BATCH)
    )
    taken = update(run_entry).where(run_entry.c.id.in_(old)).values(attachment=None, media_type="")
    return db.execute(taken).rowcount


def forget_jobs(db: Connection, before: datetime) -> int:
    """Jobs that ended before, with their steps; what they brought stays."""
    old = select(job.c.id).where(job.c.ended_at < before).limit(BATCH)
    return db.execute(delete(job).where(job.c.id.in_(old))).rowcount
