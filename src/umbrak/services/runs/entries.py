"""Runs and their entries, as every use case of them reads and keeps them.

Everything that happens at the bench is an entry under an id that the bench made: sent twice it is kept once, and what is kept
is never changed. What a step's state is, and what is proved, follows from the entries.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import TypeVar
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.platform.machine import Layout
from umbrak.formats.entries import KeptEntry
from umbrak.services.errors import NotFound, Refused
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.runs import EntryRow, RunRow

T = TypeVar("T")
#: States of a run that has brought its machine back on duty: with everything proved, or with something waived.
ON_DUTY = ("proved", "waived")


def found_run(db: Connection, key: UUID) -> RunRow:
    """Raises NotFound."""
    row = store.find_run(db, key)
    if row is None:
        raise NotFound("run")
    return row


def under_way(db: Connection, key: UUID) -> RunRow:
    """A run that has not ended, locked. Raises NotFound, Refused."""
    row = store.find_run(db, key, lock=True)
    if row is None:
        raise NotFound("run")
    if row.state != "under way":
        raise Refused("run", f"This run is {row.state}: nothing of it changes any more.")
    return row


def layouts_of(row: RunRow) -> tuple[Layout, Layout, frozenset[str]]:
    """(before, goal, failed slots) of a run."""
    return row.begun.now, row.begun.goal, row.begun.failed


def every(entries: Sequence[EntryRow], kind: type[T]) -> list[tuple[EntryRow, T]]:
    """Entries of a kind with what each says, in the order of arrival."""
    return [(e, e.entry) for e in entries if isinstance(e.entry, kind)]


def newest(entries: Sequence[EntryRow], kind: type[T]) -> tuple[EntryRow, T] | None:
    return next(iter(reversed(every(entries, kind))), None)


def ticks_of(entries: Sequence[EntryRow]) -> dict[str, EntryRow]:
    """Step -> the tick that stands. Of several the first counts, until it is taken back."""
    standing: dict[str, EntryRow] = {}
    for e in entries:
        if e.kind == "done" and e.step is not None:
            standing.setdefault(e.step, e)
        elif e.kind in ("undone", "not-right") and e.step is not None:
            standing.pop(e.step, None)
    return standing


def last_tick(row: RunRow, entries: Sequence[EntryRow]) -> EntryRow | None:
    """The last tick of a step that is no hold point: who did that does not look at it as a second person."""
    holds = {s.key for s in row.begun.sheet.steps if s.hold}
    return next((e for e in reversed(entries) if e.kind == "done" and e.step not in holds), None)


def keep(
    db: Connection,
    account: Account,
    row: RunRow,
    entry_id: UUID,
    entry: KeptEntry,
    at: datetime,
    attachment: tuple[bytes, str] | None = None,
) -> None:
    """Append an entry, with (bytes, media type) beside it, and tell everybody who looks at the machine."""
    store.add_entry(db, entry_id, row.id, account.id, entry, at, attachment)
    step = getattr(entry, "step", None)
    record(db, f"run {entry.kind}", account.id, row.machine_id, row.plan_id, run=str(row.id), step=step)


def is_known(db: Connection, run_id: UUID, entry_id: UUID) -> bool:
    """Whether the run has an entry of this id already. Raises Refused where another run has."""
    known = store.entry_run(db, entry_id)
    if known is not None and known != run_id:
        raise Refused("entry_id", "Another run has an entry of this id.")
    return known is not None
