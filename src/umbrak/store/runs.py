"""Runs, what was entered of them, approvals, clauses in doubt."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, case, func, insert, select, update
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.core.memory.parts import serial_key
from umbrak.core.rules.finding import Verdict
from umbrak.formats.entries import KeptEntry
from umbrak.formats.kept import APPROVAL, ENTRY, RUN, Begun, Taken, Unreadable, read_or_say
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import approval, doubt, machine, plan, run, run_entry


@dataclass(frozen=True)
class RunRow:
    id: UUID
    machine_id: UUID
    plan_id: UUID
    #: The plan's name as it is now.
    plan: str
    stage: int
    stages: int
    state: str
    _document: dict[str, Any]
    window_start: datetime | None
    window_end: datetime | None
    created_at: datetime
    ended_at: datetime | None
    by: str
    #: Steps of its sheet, and those whose tick stands.
    steps: int
    ticked: int

    @cached_property
    def begun(self) -> Begun:
        """Raises Unreadable."""
        return RUN.read(self._document)


@dataclass(frozen=True, slots=True)
class EntryRow:
    id: UUID
    number: int
    kind: str
    step: str | None
    #: None where it cannot be read; then `unreadable` says why.
    entry: KeptEntry | None
    unreadable: str
    media_type: str
    account_id: UUID
    by: str
    role: str
    at: datetime


@dataclass(frozen=True, slots=True)
class ApprovalRow:
    fingerprint: str
    account_id: UUID
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class DoubtRow:
    id: UUID
    code: str
    clause: str
    words: str
    by: str
    at: datetime
    #: The machine that it was seen at, by name; None where it is not known any more.
    machine: str | None
    question: str
    #: [[path, value], ...]
    edits: list[Any] | None
    draft_id: UUID | None


#: Of each step the newest tick or what took it back: a tick stands where that is a tick.
_NEWEST = (
    select(run_entry.c.kind)
    .where(run_entry.c.run_id == run.c.id, run_entry.c.kind.in_(("done", "undone", "not-right")))
    .ext(distinct_on(run_entry.c.step))
    .order_by(run_entry.c.step, run_entry.c.number.desc())
    .correlate(run)
    .subquery()
)
_TICKED = select(func.count()).where(_NEWEST.c.kind == "done").scalar_subquery()
_LISTED = run.c.document["sheet"]["steps"]
#: None where the document is none that has steps.
_STEPS = case((func.jsonb_typeof(_LISTED) == "array", func.jsonb_array_length(_LISTED)))
_RUNS = (
    select(run, plan.c.name.label("plan_name"), account.c.shown_as, _STEPS.label("steps"), _TICKED.label("ticked"))
    .select_from(run.join(plan, plan.c.id == run.c.plan_id).join(account, account.c.id == run.c.account_id))
)  # fmt: skip


def _row(r: Any) -> RunRow:
    return RunRow(
        id=r.id, machine_id=r.machine_id, plan_id=r.plan_id, plan=r.plan_name, stage=r.stage, stages=r.stages, state=r.state,
        _document=r.document, window_start=r.window_start, window_end=r.window_end, created_at=r.created_at, ended_at=r.ended_at,
        by=r.shown_as, steps=r.steps or 0, ticked=r.ticked,
    )  # fmt: skip


def add_run(db: Connection, machine_id: UUID, plan_id: UUID, account_id: UUID, begun: Begun) -> UUID | None:
    """The new run's id, or None when the machine has one under way."""
    values = {
        "id": new_id(), "machine_id": machine_id, "plan_id": plan_id, "account_id": account_id, "stage": begun.sheet.stage,
        "stages": begun.sheet.stages, "document": RUN.write(begun),
    }  # fmt: skip
    return db.execute(upsert(run).values(values).on_conflict_do_nothing().returning(run.c.id)).scalar()


def find_run(db: Connection, key: UUID, lock: bool = False) -> RunRow | None:
    query = _RUNS.where(run.c.id == key)
    row = db.execute(query.with_for_update(of=run) if lock else query).one_or_none()
    return _row(row) if row else None


def runs_of(db: Connection, machine_id: UUID) -> list[RunRow]:
    """The machine's runs, the newest first."""
    return [_row(r) for r in db.execute(_RUNS.where(run.c.machine_id == machine_id).order_by(run.c.id.desc()))]


def runs_under_way(db: Connection, most: int) -> list[RunRow]:
    """Of all machines, the one begun first first."""
    query = _RUNS.where(run.c.state == "under way").order_by(run.c.created_at).limit(most)
    return [_row(r) for r in db.execute(query)]


def runs_ended(db: Connection, since: datetime, until: datetime) -> list[RunRow]:
    """Of all machines, those that ended from then on and before then, the one that ended first first."""
    over = (run.c.ended_at >= since, run.c.ended_at < until)
    return [_row(r) for r in db.execute(_RUNS.where(*over).order_by(run.c.ended_at, run.c.id))]


def runs_of_plan(db: Connection, plan_id: UUID) -> list[RunRow]:
    return [_row(r) for r in db.execute(_RUNS.where(run.c.plan_id == plan_id).order_by(run.c.id))]


def proof_of_plan(db: Connection, plan_id: UUID) -> RunRow | None:
    """The run that ended a plan as proved; None where none did."""
    query = _RUNS.where(run.c.plan_id == plan_id, run.c.state == "proved").order_by(run.c.id.desc()).limit(1)
    row = db.execute(query).one_or_none()
    return _row(row) if row else None


def end_run(db: Connection, key: UUID, state: str, at: datetime, outcome: str | None = None) -> None:
    """`outcome`: what came of what was planned; None where nobody can say."""
    db.execute(update(run).where(run.c.id == key).values(state=state, ended_at=at, outcome=outcome))


@dataclass(frozen=True, slots=True)
class PredictionRow:
    """An approval of a plan, and what came of the run that followed it."""

    machine_id: UUID
    machine: str
    plan: str
    approved_at: datetime
    seen: Taken
    ended_at: datetime
    outcome: str


_NOTHING_SEEN = Taken(Verdict.UNDECIDED, 0.0, (), 0)


def predictions(db: Connection) -> list[PredictionRow]:
    """Of each run that ended with an outcome the newest approval before it began, the newest run first; an approval that
    cannot be read is left out."""
    before = (approval.c.plan_id == run.c.plan_id) & (approval.c.at <= run.c.created_at)
    query = select(run, approval.c.document.label("taken"), approval.c.at.label("approved_at"), machine.c.name.label("machine"), plan.c.name.label("plan"))  # fmt: skip
    query = query.join(approval, before).join(machine, machine.c.id == run.c.machine_id).join(plan, plan.c.id == run.c.plan_id)  # fmt: skip
    query = query.where(run.c.outcome.is_not(None)).order_by(run.c.ended_at.desc(), run.c.id, approval.c.id.desc())
    found: dict[UUID, PredictionRow] = {}
    for r in db.execute(query):
        if r.id in found:
            continue
        seen, unreadable = read_or_say(APPROVAL, r.taken, _NOTHING_SEEN)
        if not unreadable:
            found[r.id] = PredictionRow(
                machine_id=r.machine_id, machine=r.machine, plan=r.plan, approved_at=r.approved_at, seen=seen,
                ended_at=r.ended_at, outcome=r.outcome,
            )  # fmt: skip
    return list(found.values())


def set_window(db: Connection, key: UUID, start: datetime | None, end: datetime | None) -> None:
    db.execute(update(run).where(run.c.id == key).values(window_start=start, window_end=end))


def add_entry(
    db: Connection,
    key: UUID,
    run_id: UUID,
    account_id: UUID,
    entry: KeptEntry,
    at: datetime,
    attachment: tuple[bytes, str] | None = None,
) -> bool:
    """False where an entry of that id is kept already. `attachment`: (bytes, media type)."""
    raw, media_type = attachment or (None, "")
    values = {
        "id": key, "run_id": run_id, "kind": entry.kind, "step": getattr(entry, "step", None), "document": ENTRY.write(entry),
        "account_id": account_id, "at": at, "attachment": raw, "media_type": media_type, "serial_key": serial_key(getattr(entry, "serial", "")),
    }  # fmt: skip
    done = upsert(run_entry).values(**values).on_conflict_do_nothing(index_elements=[run_entry.c.id])
    return bool(db.execute(done).rowcount)


def entries_of(db: Connection, run_id: UUID) -> list[EntryRow]:
    """Everything entered, in the order of arrival; attachments stay where they are."""
    columns = [c for c in run_entry.c if c.name != "attachment"]
    query = (
        select(*columns, account.c.shown_as, account.c.role)
        .join(account, account.c.id == run_entry.c.account_id)
        .where(run_entry.c.run_id == run_id)
        .order_by(run_entry.c.number)
    )
    return [_entry(r) for r in db.execute(query)]


def _entry(r: Any) -> EntryRow:
    entry, unreadable = None, ""
    try:
        entry = ENTRY.read({**r.document, "kind": r.kind, **({"step": r.step} if r.step is not None else {})})
    except Unreadable as error:
        unreadable = str(error)
    return EntryRow(
        id=r.id, number=r.number, kind=r.kind, step=r.step, entry=entry, unreadable=unreadable, media_type=r.media_type,
        account_id=r.account_id, by=r.shown_as, role=r.role, at=r.at,
    )  # fmt: skip


def entry_run(db: Connection, key: UUID) -> UUID | None:
    """The run that an entry of this id belongs to."""
    return db.execute(select(run_entry.c.run_id).where(run_entry.c.id == key)).scalar()


def attachment(db: Connection, run_id: UUID, key: UUID) -> tuple[bytes, str] | None:
    """(bytes, media type)"""
    query = select(run_entry.c.attachment, run_entry.c.media_type)
    row = db.execute(query.where(run_entry.c.id == key, run_entry.c.run_id == run_id)).one_or_none()
    return (bytes(row.attachment), row.media_type) if row and row.attachment is not None else None


def add_approval(db: Connection, plan_id: UUID, fingerprint: str, seen: Taken, account_id: UUID) -> None:
    values = {"id": new_id(), "plan_id": plan_id, "fingerprint": fingerprint, "account_id": account_id}
    db.execute(insert(approval).values(**values, document=APPROVAL.write(seen)))


def approvals_of(db: Connection, plan_id: UUID) -> list[ApprovalRow]:
    """The newest first."""
    query = select(approval, account.c.shown_as).join(account, account.c.id == approval.c.account_id)
    query = query.where(approval.c.plan_id == plan_id).order_by(approval.c.id.desc())
    return [ApprovalRow(r.fingerprint, r.account_id, by=r.shown_as, at=r.at) for r in db.execute(query)]


def add_doubt(
    db: Connection,
    sheet_id: str,
    *,
    code: str,
    clause: str,
    words: str,
    run_id: UUID | None,
    account_id: UUID,
    machine_id: UUID | None = None,
    question: str = "",
    edits: list[Any] | None = None,
) -> None:
    """`machine_id`: where it was seen, unless that was in a run."""
    values = {
        "sheet_id": sheet_id, "code": code, "clause": clause, "words": words, "run_id": run_id, "machine_id": machine_id,
        "question": question, "edits": edits,
    }  # fmt: skip
    db.execute(insert(doubt).values(id=new_id(), **values, account_id=account_id))


def doubts_of(db: Connection, sheet_id: str) -> list[DoubtRow]:
    """Clauses of a model's sheet that are in doubt, the oldest first."""
    query = (
        select(doubt, account.c.shown_as, machine.c.name.label("machine"))
        .join(account, account.c.id == doubt.c.account_id)
        .outerjoin(run, run.c.id == doubt.c.run_id)
        .outerjoin(machine, machine.c.id == func.coalesce(run.c.machine_id, doubt.c.machine_id))
    )
    rows = db.execute(query.where(doubt.c.sheet_id == sheet_id, doubt.c.settled_at.is_(None)).order_by(doubt.c.id))
    return [_doubt(r) for r in rows]


def find_doubt(db: Connection, key: UUID) -> tuple[str, DoubtRow] | None:
    """(the sheet's id, the doubt); None where nothing of that id is in doubt."""
    sheet_id = db.execute(select(doubt.c.sheet_id).where(doubt.c.id == key, doubt.c.settled_at.is_(None))).scalar()
    return next(((sheet_id, d) for d in doubts_of(db, sheet_id) if d.id == key), None) if sheet_id else None


def _doubt(r: Any) -> DoubtRow:
    return DoubtRow(
        id=r.id,
        code=r.code,
        clause=r.clause,
        words=r.words,
        by=r.shown_as,
        at=r.at,
        machine=r.machine,
        question=r.question,
        edits=r.edits,
        draft_id=r.draft_id,
    )


def doubt_accepted(db: Connection, keys: list[UUID], draft_id: UUID) -> None:
    db.execute(update(doubt).where(doubt.c.id.in_(keys)).values(draft_id=draft_id))


def settle_accepted(db: Connection, draft_id: UUID) -> None:
    """What was accepted into a draft is settled: the draft is kept."""
    db.execute(
        update(doubt).where(doubt.c.draft_id == draft_id, doubt.c.settled_at.is_(None)).values(settled_at=func.now())
    )


def settle_doubt(db: Connection, key: UUID, refused: str = "") -> str | None:
    """The model's id; None where nothing of that id is in doubt."""
    open_ = (doubt.c.id == key) & doubt.c.settled_at.is_(None)
    values = {"settled_at": func.now(), "refused": refused}
    return db.execute(update(doubt).where(open_).values(values).returning(doubt.c.sheet_id)).scalar()
