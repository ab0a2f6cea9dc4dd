"""What is entered of a proof, checked against what only the machine can tell."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.proof.compare import (
    after_moves,
    contradicted,
)
from umbrak.formats.entries import EntryDoc, ProposalDoc, ReadingDoc, SurveyDoc, SymptomDoc, TestLogDoc
from umbrak.formats.test_log import read_test_log
from umbrak.services.bench.entering import add_entry, keep, under_way
from umbrak.services.bench.view import found_run
from umbrak.services.errors import Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.people.accounts import Role, need
from umbrak.services.proof import faults as fault_finding
from umbrak.services.proof.view import fresh_of, health_of
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.runs import RunRow


def enter(
    engine: Engine, account: Account, run_id: UUID, entry_id: UUID, entry: EntryDoc, at: datetime, now: datetime
) -> None:
    """Keep an entry (see `add_entry`) after checking what only the machine can tell: its slots, its reports.

    Raises NotFound, Refused, NotAllowed.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        row = found_run(db, run_id)
        m = load_machine(db, row.machine_id)
        _check(db, m, row, entry)
        # Ticks carry the bench's clock, since they may come late; what is measured counts from when it came.
        add_entry(db, account, run_id, entry_id, entry, at if entry.kind in _AT_THE_BENCH else now, now)
        if isinstance(entry, ProposalDoc):
            _doubt(db, account, m, row, entry)


#: Entries that are made without a connection.
_AT_THE_BENCH = ("done", "undone", "not-right", "note")


def add_log(
    engine: Engine, account: Account, run_id: UUID, entry_id: UUID, tool: str, raw: bytes, now: datetime
) -> None:
    """A memory test's log: searched for its verdict, and kept. Raises NotFound, Refused, InputError without a verdict."""
    need(account, Role.technician)
    found = read_test_log(raw)
    with engine.begin() as db:
        row = under_way(db, run_id)
        entry = TestLogDoc(
            kind="memory-test", tool=tool, passes=found.passes, errors=found.errors, because=list(found.because)
        )
        keep(db, account, row, entry_id, entry, now, (raw, "text/plain; charset=utf-8"))


def _check(db: Connection, m: Loaded, row: RunRow, entry: EntryDoc) -> None:
    slots: Sequence[str] = ()
    if isinstance(entry, SurveyDoc):
        if (entry.intake_id is None) == (
            entry.slots is None and entry.installed_gib is None and entry.usable_gib is None
        ):
            raise Refused("intake_id", "Give a report that was taken in, or what is seen by hand.")
        slots = [*entry.reports, *(entry.slots or {})]
        fresh_of(db, m, entry)
    elif isinstance(entry, ReadingDoc):
        slots = list(entry.slots)
        if not health_of(db, m, entry):
            raise Refused("slots", "This tells no counter and no temperature: enter one by hand.")
    elif isinstance(entry, ProposalDoc):
        try:
            after_moves(row.begun.goal, entry.moves)
        except ValueError as error:
            raise Refused("moves", f"{str(error)[0].upper()}{str(error)[1:]}.") from error
        slots = list(entry.moves.values())
    elif isinstance(entry, SymptomDoc):
        slots = entry.dark
    elif entry.kind == "boot":
        fault_finding.check_boot(row, entry)
    for slot in slots:
        if slot not in m.sheet.slots:
            raise Refused("slots", f"{m.sheet.title} has no slot {slot}.")


def _doubt(db: Connection, account: Account, m: Loaded, row: RunRow, entry: ProposalDoc) -> None:
    """Mark the clauses that a proposal contradicts, each once."""
    goal = row.begun.goal
    known = {(d.code, d.clause) for d in store.doubts_of(db, m.sheet.id)}
    for c in contradicted(judge(m, goal), judge(m, after_moves(goal, entry.moves))):
        if (c.code, c.clause) not in known:
            store.add_doubt(
                db, m.sheet.id, code=c.code, clause=c.clause, words=c.words, run_id=row.id, account_id=account.id
            )
