"""What is entered of a proof, checked against what only the machine can tell."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.proof.proposal import after_moves, contradicted
from umbrak.core.proof.standing import State, may_soak
from umbrak.core.proof.wanted import Wanted
from umbrak.formats.entries import (
    BootDoc,
    BootUndoneDoc,
    ChangedDoc,
    DoubtDoc,
    EntryDoc,
    FoundDoc,
    LabelDoc,
    ProposalDoc,
    ReadingDoc,
    SoakDoc,
    SurveyDoc,
    SymptomDoc,
    TestWithdrawnDoc,
    WaivedDoc,
)
from umbrak.formats.faults import InputError
from umbrak.formats.sheet.answers import changed
from umbrak.formats.sheet.reading import read_sheet
from umbrak.formats.sheet.reordered import reordered
from umbrak.services.errors import Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded
from umbrak.services.people.accounts import Role, need
from umbrak.services.proof import faults as fault_finding
from umbrak.services.proof.memory_tests import check_withdrawn
from umbrak.services.proof.state import ProofState, fresh_of, health_of
from umbrak.services.sheets.doubts import proposed
from umbrak.services.shelf.changing import put_away
from umbrak.services.shelf.view import StockState
from umbrak.services.surveys.intake import load_intake
from umbrak.services.surveys.resurvey import check_of
from umbrak.store import runs as store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account
from umbrak.store.runs import EntryRow, RunRow


def check_evidence(
    db: Connection, account: Account, m: Loaded, row: RunRow, entry: EntryDoc, entries: Sequence[EntryRow], state: ProofState
) -> None:  # fmt: skip
    """Raises Refused where an entry is of what there is none of, or does not go with what is known by now; NotAllowed where
    somebody else has to say it."""
    slots: Sequence[str] = ()
    if isinstance(entry, SurveyDoc | ReadingDoc) and entry.intake_id is not None:
        check_of(db, m, UUID(entry.intake_id))
    if isinstance(entry, SurveyDoc):
        if (entry.intake_id is None) == (
            entry.slots is None and entry.installed_gib is None and entry.usable_gib is None
        ):
            raise Refused("intake_id", "Give a report that was taken in, or what is seen by hand.")
        slots = [*entry.reports, *(entry.slots or {})]
        fresh_of(db, m, entry)
    elif isinstance(entry, ReadingDoc):
        slots = list(entry.slots)
        if entry.channels and m.sheet.not_told("channels"):
            raise Refused(
                "channels", f"Which slots of {m.sheet.title} share a channel is not told: enter the counters by slot."
            )
        if wrong := next((c for c in entry.channels if c not in m.sheet.channels), None):
            raise Refused("channels", f"{m.sheet.title} has no channel {wrong}.")
        if not any(health_of(db, m, entry)):
            raise Refused("slots", _no_counter(db, entry))
    elif isinstance(entry, ProposalDoc):
        try:
            after_moves(row.begun.goal, entry.moves)
        except ValueError as error:
            raise Refused("moves", f"{str(error)[0].upper()}{str(error)[1:]}.") from error
        slots = list(entry.moves.values())
    elif isinstance(entry, SymptomDoc):
        slots = entry.dark
    elif isinstance(entry, BootDoc):
        fault_finding.check_boot(row, entry)
    elif isinstance(entry, BootUndoneDoc):
        fault_finding.check_undone(entries, entry)
    elif isinstance(entry, TestWithdrawnDoc):
        check_withdrawn(account, entries, entry)
    elif isinstance(entry, FoundDoc):
        _check_found(row, entry, state)
    elif isinstance(entry, LabelDoc | ChangedDoc):
        slots = [entry.slot] if isinstance(entry, LabelDoc) else entry.slots
    elif isinstance(entry, WaivedDoc):
        _check_waiver(account, entry, state)
    elif isinstance(entry, SoakDoc) and (why := may_soak(state.items)):
        raise Refused("soak", f"The soak cannot begin yet: {why}.")
    for slot in slots:
        if slot not in m.sheet.slots:
            raise Refused("slots", f"{m.sheet.title} has no slot {slot}.")


def _no_counter(db: Connection, entry: ReadingDoc) -> str:
    """Why nothing is counted by a reading."""
    reading = load_intake(db, UUID(entry.intake_id)).reading if entry.intake_id else None
    named = [s.locator or "?" for s in reading.slots if s.health is not None] if reading else []
    if named:
        more = f" and {len(named) - 4} more" if len(named) > 4 else ""
        return f"It counts for {', '.join(named[:4])}{more}, and no slot has such a name: enter the counters by hand."
    return "This tells no counter and no temperature: enter one by hand."


def _check_waiver(account: Account, entry: WaivedDoc, state: ProofState) -> None:
    need(account, Role.lead)
    item = next((i for i in state.items if i.what.value == entry.what), None)
    if item is None:
        raise Refused("what", "Nothing of that kind is wanted of this run.")
    if item.state is State.AGAINST:
        raise Refused("what", f"What speaks against it cannot be waived: {item.words}.")
    if item.state is State.THERE:
        raise Refused("what", f"Nothing is lacking there: {item.words}.")


def _check_found(row: RunRow, entry: FoundDoc, state: ProofState) -> None:
    if not any(i.what is Wanted.SEARCH for i in state.items):
        raise Refused("found", "No fault search is open.")
    if entry.module is not None and not isinstance(row.begun.goal.get(entry.module), Module):
        raise Refused("module", f"No module was planned for {entry.module}.")


def follow(db: Connection, account: Account, m: Loaded, row: RunRow, entry: EntryDoc, state: ProofState) -> None:
    """What an entry brings about beside itself: clauses in doubt, a culprit on the Shelf."""
    if isinstance(entry, ProposalDoc):
        _doubt(db, account, m, row, entry)
    elif isinstance(entry, DoubtDoc):
        step = next((s for s in row.begun.sheet.steps if s.key == entry.step), None)
        question, edits = proposed(m.sheet, step.slots if step else (), step.bays if step else (), entry)
        store.add_doubt(
            db,
            m.sheet.id,
            code="bench",
            clause=step.text if step else "",
            words=entry.text,
            run_id=row.id,
            account_id=account.id,
            question=question,
            edits=edits or None,
        )
    elif isinstance(entry, FoundDoc) and entry.module is not None:
        module = row.begun.goal.get(entry.module)
        assert isinstance(module, Module)
        serial = entry.serial or state.serials.get(entry.module) or module.serial
        put_away(
            db,
            account,
            replace(module, serial=serial or None),
            state=StockState.TO_RETURN if entry.fate == "to-return" else StockState.SUSPECT,
            place=entry.place,
            note=f"from {m.row.name}, slot {m.sheet.slots[entry.module].printed}: {entry.text or 'found at fault'}",
            reference=entry.reference,
            due_on=entry.due_on,
        )


def _doubt(db: Connection, account: Account, m: Loaded, row: RunRow, entry: ProposalDoc) -> None:
    """Mark the clauses that a proposal contradicts, each once."""
    goal = row.begun.goal
    proposed_layout = after_moves(goal, entry.moves)
    known = {(d.code, d.clause) for d in store.doubts_of(db, m.sheet.id)}
    edits = _agreeing(db, m, goal, proposed_layout)
    for c in contradicted(judge(m, goal), judge(m, proposed_layout)):
        if (c.code, c.clause) not in known:
            store.add_doubt(
                db,
                m.sheet.id,
                code=c.code,
                clause=c.clause,
                words=c.words,
                run_id=row.id,
                account_id=account.id,
                question="population",
                edits=edits,
            )


def _agreeing(db: Connection, m: Loaded, goal: Layout, proposal: Layout) -> list[Any] | None:
    """[[path, value], ...] that make the newest revision say what the machine proposes; None where nothing simple does."""
    revisions = sheet_store.revisions_of(db, m.sheet.id)
    text = sheet_store.text_of_sheet(db, revisions[0].hash) if revisions else None
    if text is None:
        return None
    try:
        edits = reordered(text, {s for s, held in proposal.items() if held is not None})
        agreeing = replace(m, sheet=read_sheet(changed(text, edits)).sheet) if edits else None
    except InputError:
        return None
    if agreeing is None or contradicted(judge(agreeing, goal), judge(agreeing, proposal)):
        return None
    return [[list(path), value] for path, value in edits]
