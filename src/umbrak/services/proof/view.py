"""The page of a run's proof: how it stands, and everything that was entered of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.proof.alerts import alert_is_expected
from umbrak.core.proof.proposal import after_moves, contradicted
from umbrak.core.proof.standing import Item, may_soak
from umbrak.core.rules.finding import Verdict
from umbrak.formats.entries import AlertDoc, AllocationDoc, ProposalDoc, SignedDoc
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.proof.at_once import Prices
from umbrak.services.proof.faults import FaultView, see_faults
from umbrak.services.proof.memory_tests import TestView
from umbrak.services.proof.state import SeenView, SoakView, proof_state, unlisted
from umbrak.services.runs.entries import every, found_run, layouts_of, newest
from umbrak.store import runs as store
from umbrak.store.runs import EntryRow, RunRow


@dataclass(frozen=True, slots=True)
class AlertView:
    text: str
    #: True, False, or None where neither its words nor a person say.
    expected: bool | None
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class AllocationView:
    share_gib: float
    used_gib: float
    #: Whether the machine really gave it.
    given: bool
    text: str
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class ProposalView:
    moves: Mapping[str, str]
    verdict: Verdict
    #: Clauses of the sheet that it contradicts.
    contradicts: tuple[str, ...]
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class ItemView:
    """One thing that the proof is made of, and how it stands."""

    what: str
    #: there, lacking, against or waived.
    state: str
    words: str
    #: Slots that lack evidence.
    slots: tuple[str, ...]
    #: Why it was waived, by whom and when.
    reason: str
    by: str
    at: datetime | None


@dataclass(frozen=True, slots=True)
class AllocationHow:
    """How an allocation trial is made on this model, as far as its sheet says."""

    do: str
    needs: str
    sharing_hides: bool | None


@dataclass(frozen=True, slots=True)
class SignedView:
    outcome: str
    note: str
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class ProofView:
    run_id: UUID
    state: str
    #: Everything that is wanted, in the order of the work.
    items: tuple[ItemView, ...]
    #: Whether it can be signed off: everything is there, or waived.
    complete: bool
    #: Why the soak cannot begin yet; "" where it can.
    soak_waits: str
    seen: SeenView | None
    alerts: tuple[AlertView, ...]
    #: What came back after clearing; None = not cleared yet.
    cleared: str | None
    tests: tuple[TestView, ...]
    allocations: tuple[AllocationView, ...]
    proposals: tuple[ProposalView, ...]
    soak: SoakView | None
    #: Whether errors are counted, as somebody said; None = nobody did. `corrects` is what the modules tell of it.
    counts: bool | None
    corrects: bool | None
    #: The newest fault search; None where none was begun.
    faults: FaultView | None
    #: Slot -> serial, as noted at the bench.
    serials: Mapping[str, str]
    allocation: AllocationHow | None
    os_notes: tuple[str, ...]
    #: How the memory is tested and where that is read, as far as the sheet says.
    test_how: tuple[str, ...]
    #: How long the soak lasts if nobody says otherwise. [d]
    soak_days: float
    signed: SignedView | None


def see_proof(engine: Engine, key: UUID, now: datetime) -> ProofView:
    """Raises NotFound."""
    with engine.connect() as db:
        return proof_view(db, found_run(db, key), now)


def proof_view(db: Connection, row: RunRow, now: datetime) -> ProofView:
    m = load_machine(db, row.machine_id)
    entries = store.entries_of(db, row.id)
    state = proof_state(db, m, row, entries, now)
    _, goal, _ = layouts_of(row)
    not_listed = unlisted(db, m, goal)
    how, tested = m.sheet.allocation, m.sheet.memory_test
    signed = newest(entries, SignedDoc)
    corrects = {x.ecc for x in goal.values() if isinstance(x, Module)}

    def item(i: Item) -> ItemView:
        came = state.came.get(i.what) if i.settled else None
        return ItemView(
            what=i.what.value,
            state=i.state.value,
            words=i.words,
            slots=i.slots,
            reason=i.reason,
            by=came.by if came else "",
            at=came.at if came else None,
        )

    return ProofView(
        run_id=row.id,
        state=row.state,
        items=tuple(map(item, state.items)),
        complete=not state.lacking,
        soak_waits=may_soak(state.items),
        seen=state.seen,
        alerts=tuple(_alert(e, a, not_listed) for e, a in every(entries, AlertDoc)),
        cleared=state.cleared,
        tests=state.tests,
        allocations=tuple(_allocation(e, a) for e, a in every(entries, AllocationDoc)),
        proposals=tuple(_proposal(m, goal, e, p) for e, p in every(entries, ProposalDoc)),
        soak=state.soak,
        counts=state.counts,
        corrects=next(iter(corrects)) if len(corrects) == 1 else None,
        faults=see_faults(m, row, entries, Prices.at_hand(db)),
        serials=state.serials,
        allocation=AllocationHow(how.do, how.needs, how.sharing_hides) if how else None,
        os_notes=tuple(n.text for n in m.sheet.os_notes),
        test_how=tuple(w for w in (tested.start, tested.read) if w) if tested else (),
        soak_days=row.begun.soak_days,
        signed=SignedView(signed[1].outcome, signed[1].note, signed[0].at, signed[0].by) if signed else None,
    )


def _alert(e: EntryRow, alert: AlertDoc, unlisted: bool | None) -> AlertView:
    expected = alert.expected if alert.expected is not None else alert_is_expected(alert.text, unlisted)
    return AlertView(alert.text, expected, e.at, e.by)


#: A share counts as given when so much of it was used.
_GIVEN = 0.9


def _allocation(e: EntryRow, a: AllocationDoc) -> AllocationView:
    given = a.used_gib >= _GIVEN * a.share_gib
    return AllocationView(share_gib=a.share_gib, used_gib=a.used_gib, given=given, text=a.text, at=e.at, by=e.by)


def _proposal(m: Loaded, goal: Layout, e: EntryRow, p: ProposalDoc) -> ProposalView:
    moved = judge(m, after_moves(goal, p.moves))
    against = contradicted(judge(m, goal), moved)
    return ProposalView(p.moves, moved.verdict, tuple(f"{c.clause}: {c.words}" for c in against), e.at, e.by)
