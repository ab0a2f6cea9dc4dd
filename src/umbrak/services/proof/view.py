"""Proof of a run: everything that follows from what was entered of it, worked out anew each time it is looked at."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Occupant, marked
from umbrak.core.platform.survey import SlotHealth, SlotState
from umbrak.core.proof.compare import (
    Comparison,
    Fresh,
    after_moves,
    alert_is_expected,
    compare,
    contradicted,
)
from umbrak.core.proof.soak import Reading, Soak, soak
from umbrak.core.rules.finding import Verdict
from umbrak.core.runsheet.handling import slot_words
from umbrak.formats.documents import occupants
from umbrak.formats.entries import (
    AlertDoc,
    AllocationDoc,
    ClearedDoc,
    ProposalDoc,
    ReadingDoc,
    ScrubDoc,
    SoakDoc,
    SurveyDoc,
    TestLogDoc,
)
from umbrak.services.bench.view import every, found_run, layouts_of, newest
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.proof.faults import FaultView, see_faults
from umbrak.services.surveys.intake import load_intake
from umbrak.services.surveys.resurvey import place_reports
from umbrak.store import runs as store
from umbrak.store.runs import EntryRow, RunRow
from umbrak.store.shelf import all_offers


@dataclass(frozen=True, slots=True)
class SeenView:
    """A fresh survey against the goal."""

    at: datetime
    by: str
    source: str
    comparison: Comparison
    right: bool
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class AlertView:
    text: str
    #: True, False, or None where neither its words nor a person say.
    expected: bool | None
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class TestView:
    id: UUID
    tool: str
    passes: int
    errors: int
    #: The lines of its log that say so, or what a person wrote.
    because: tuple[str, ...]
    has_log: bool
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
class ReadingView:
    #: Since the soak began. [d]
    day: float
    slots: Mapping[str, SlotHealth]
    by: str


@dataclass(frozen=True, slots=True)
class SoakView:
    started_at: datetime
    days: float
    day: float
    state: Soak
    readings: tuple[ReadingView, ...]


@dataclass(frozen=True, slots=True)
class ProofView:
    run_id: UUID
    state: str
    seen: SeenView | None
    alerts: tuple[AlertView, ...]
    #: What came back after clearing; None = not cleared yet.
    cleared: str | None
    tests: tuple[TestView, ...]
    allocations: tuple[AllocationView, ...]
    proposals: tuple[ProposalView, ...]
    soak: SoakView | None
    #: The newest fault search; None where none was begun.
    faults: FaultView | None
    #: What is lacking to sign it off; empty = it can be.
    lacking: tuple[str, ...]
    #: How an allocation trial is made, as far as the sheet says.
    os_notes: tuple[str, ...]
    #: How long the soak lasts if nobody says otherwise. [d]
    soak_days: float


def see_proof(engine: Engine, key: UUID, now: datetime) -> ProofView:
    """Raises NotFound."""
    with engine.connect() as db:
        return proof_view(db, found_run(db, key), now)


def proof_view(db: Connection, row: RunRow, now: datetime) -> ProofView:
    m = load_machine(db, row.machine_id)
    entries = store.entries_of(db, row.id)
    seen = _seen(db, m, row, entries)
    _, goal, _ = layouts_of(row)
    unlisted = _unlisted(db, m, goal)
    tests = tuple(_test(e, t) for e, t in every(entries, TestLogDoc))
    soaked = _soak(db, m, row, entries, tests, row.ended_at or now)
    cleared = newest(entries, ClearedDoc)
    back = cleared[1].back if cleared else None
    return ProofView(
        run_id=row.id,
        state=row.state,
        seen=seen,
        alerts=tuple(_alert(e, a, unlisted) for e, a in every(entries, AlertDoc)),
        cleared=back,
        tests=tests,
        allocations=tuple(_allocation(e, a) for e, a in every(entries, AllocationDoc)),
        proposals=tuple(_proposal(m, goal, e, p) for e, p in every(entries, ProposalDoc)),
        soak=soaked,
        faults=see_faults(m, row, entries),
        lacking=_lacking(seen, tests, soaked, back),
        os_notes=tuple(n.text for n in m.sheet.os_notes),
        soak_days=row.begun.soak_days,
    )


def _unlisted(db: Connection, m: Loaded, goal: Layout) -> bool | None:
    """Whether parts are fitted that the machine's maker does not list: by its sheet, or as offers tell; None = nobody says."""
    parts = {x.part for x in goal.values() if isinstance(x, Module)}
    if m.sheet.listed:
        return any(not m.sheet.lists(p) for p in parts)
    told = {o.part: o.listed for o in all_offers(db) if o.listed is not None}
    answers = {told.get(p or "") for p in parts}
    return True if False in answers else False if answers == {True} else None


def _lacking(
    seen: SeenView | None, tests: Sequence[TestView], soaked: SoakView | None, cleared: str | None
) -> tuple[str, ...]:
    lacks = []
    if seen is None:
        lacks.append("a survey of what it shows now")
    elif not seen.right:
        lacks.append("every slot as planned")
    newest = tests[-1] if tests else None
    if newest is None or newest.passes < 1 or newest.errors:
        lacks.append("a memory test without errors")
    if cleared is None:
        lacks.append("old alerts and lights cleared and read again")
    elif cleared:
        lacks.append("no alert that comes back")
    if soaked is None:
        lacks.append("the soak")
    elif soaked.state.passed is not True:
        lacks.append("a clean soak" if soaked.state.passed is False else "the end of the soak")
    return tuple(lacks)


# -- survey ---------------------------------------------------------------------------------------------


def _seen(db: Connection, m: Loaded, row: RunRow, entries: Sequence[EntryRow]) -> SeenView | None:
    found_at = newest(entries, SurveyDoc)
    if found_at is None:
        return None
    entered, survey = found_at
    fresh, source = fresh_of(db, m, survey)
    _, goal, _ = layouts_of(row)
    found = compare(m.sheet, goal, judge(m, goal), fresh, judge(m, seen_layout(fresh)))
    return SeenView(
        at=entered.at,
        by=entered.by,
        source=source,
        comparison=found,
        right=found.right,
        verdict=judge(m, seen_layout(fresh)).verdict,
    )


def seen_layout(fresh: Fresh) -> Layout:
    """What is there, what has failed marked as such."""
    return marked(Layout(fresh.slots), fresh.failed)


def newest_fresh(db: Connection, m: Loaded, entries: Sequence[EntryRow]) -> tuple[Fresh, str] | None:
    """(what was seen last, where it comes from)"""
    found = newest(entries, SurveyDoc)
    return fresh_of(db, m, found[1]) if found else None


def fresh_of(db: Connection, m: Loaded, survey: SurveyDoc) -> tuple[Fresh, str]:
    """(what a survey of the proof shows, where it comes from)"""
    if survey.intake_id is None:
        layout = occupants(survey.slots or {})
        slots: dict[str, Occupant | None] = {s: layout.get(s) for s in survey.slots or {}}
        return Fresh(slots, installed_gib=survey.installed_gib, usable_gib=survey.usable_gib), "by hand"
    intake = load_intake(db, UUID(survey.intake_id))
    reading = intake.reading
    placed = place_reports(db, m, intake, survey.reports)
    reports = {s: reading.slots[i] for s, i in placed.items()}
    return Fresh(
        slots={s: r.occupant() for s, r in reports.items()},
        failed=frozenset(s for s, r in reports.items() if r.state is SlotState.FAILED),
        rates={s: r.configured_mts for s, r in reports.items() if r.configured_mts},
        installed_gib=reading.installed_gib,
        usable_gib=reading.usable_gib,
        kind=reading.kind,
    ), intake.source_name


# -- the rest -------------------------------------------------------------------------------------------


def _alert(e: EntryRow, alert: AlertDoc, unlisted: bool | None) -> AlertView:
    expected = alert.expected if alert.expected is not None else alert_is_expected(alert.text, unlisted)
    return AlertView(alert.text, expected, e.at, e.by)


def _test(e: EntryRow, t: TestLogDoc) -> TestView:
    because = tuple(t.because) or ((t.text,) if t.text else ())
    return TestView(
        id=e.id,
        tool=t.tool,
        passes=t.passes,
        errors=t.errors,
        because=because,
        has_log=bool(e.media_type),
        at=e.at,
        by=e.by,
    )


#: A share counts as given when so much of it was used.
_GIVEN = 0.9


def _allocation(e: EntryRow, a: AllocationDoc) -> AllocationView:
    given = a.used_gib >= _GIVEN * a.share_gib
    return AllocationView(share_gib=a.share_gib, used_gib=a.used_gib, given=given, text=a.text, at=e.at, by=e.by)


def _proposal(m: Loaded, goal: Layout, e: EntryRow, p: ProposalDoc) -> ProposalView:
    moved = judge(m, after_moves(goal, p.moves))
    against = contradicted(judge(m, goal), moved)
    return ProposalView(p.moves, moved.verdict, tuple(f"{c.clause}: {c.words}" for c in against), e.at, e.by)


def health_of(db: Connection, m: Loaded, reading: ReadingDoc) -> dict[str, SlotHealth]:
    """Counters and temperatures of a reading, slot by slot, where it tells any."""
    if reading.intake_id is None:
        found = {s: SlotHealth(**h.model_dump()) for s, h in reading.slots.items()}
    else:
        intake = load_intake(db, UUID(reading.intake_id))
        placed = place_reports(db, m, intake, {})
        found = {s: h for s, i in placed.items() if (h := intake.reading.slots[i].health) is not None}
    return {s: h for s, h in found.items() if h != SlotHealth()}


def _soak(
    db: Connection, m: Loaded, row: RunRow, entries: Sequence[EntryRow], tests: Sequence[TestView], now: datetime
) -> SoakView | None:
    found_at = newest(entries, SoakDoc)
    if found_at is None:
        return None
    began, wanted = found_at

    def day_of(at: datetime) -> float:
        return max(0.0, (at - began.at).total_seconds() / 86400)

    told = [(e, health_of(db, m, r)) for e, r in every(entries, ReadingDoc)]
    before = [(e, h) for e, h in told if e.at <= began.at]
    counted = [*before[-1:], *((e, h) for e, h in told if e.at > began.at)]
    meanwhile = [e for e in entries if e.at >= began.at]
    passes = sum(t.passes for t in tests if not t.errors)
    scrubs = [s.clean for _, s in every(entries, ScrubDoc)]
    _, goal, _ = layouts_of(row)
    state = soak(
        [Reading(day_of(e.at), h) for e, h in counted],
        day_of(now),
        [s for s in m.sheet.slots if s in goal],
        passes,
        tests[-1].errors if tests else 0,
        sum(1 for e in meanwhile if e.kind == "restart"),
        scrubs[-1] if scrubs else None,
        wanted.days,
        lambda s: slot_words(m.sheet, s),
    )
    views = tuple(ReadingView(day_of(e.at), h, e.by) for e, h in counted)
    return SoakView(began.at, wanted.days, day_of(now), state, views)
