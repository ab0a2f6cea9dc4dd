"""A run as a page shows it: its steps as they stand, worked out from its entries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import datetime
from typing import TypeVar
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.runsheet.step import Minutes, Phase, Step, Who
from umbrak.formats.entries import NoteDoc, NotRightDoc
from umbrak.services.errors import NotFound
from umbrak.store import runs as store
from umbrak.store.machines import find_machine
from umbrak.store.runs import EntryRow, RunRow


@dataclass(frozen=True, slots=True)
class StepView:
    """A step of the run sheet, under the names of the command line's contract, and how it stands."""

    number: int
    key: str
    phase: Phase
    text: str
    why: str
    details: tuple[str, ...]
    checks: tuple[str, ...]
    slots: tuple[str, ...]
    bays: tuple[int, ...]
    carrier: str | None
    tools: tuple[str, ...]
    minutes: Minutes
    waits: bool
    hold: bool
    who: Who
    back_out: tuple[str, ...]
    closes: str | None
    #: take-out, put-in or move, with the slots in `slots`; None where no module is handled.
    do: str | None
    #: Who ticked it and when; None = open.
    done_by: str | None
    done_at: datetime | None
    #: Somebody found it not to be as it says, and nobody ticked it since.
    not_right: str | None


@dataclass(frozen=True, slots=True)
class RemarkView:
    """A note or a photo of a step."""

    id: UUID
    step: str | None
    text: str
    is_photo: bool
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class RunView:
    id: UUID
    machine_id: UUID
    machine: str
    place: str
    sheet_title: str
    plan_id: UUID
    plan: str
    stage: int
    stages: int
    state: str
    window_start: datetime | None
    window_end: datetime | None
    started_by: str
    started_at: datetime
    ended_at: datetime | None
    steps: tuple[StepView, ...]
    #: Number of the step at hand: the first that is open; one more than there are when all are done.
    at_step: int
    remarks: tuple[RemarkView, ...]
    #: Estimated, from switching off until the soak. [min]
    down: Minutes
    hands_on: Minutes
    #: Since it was switched off, as far as the ticks go; None before. [min]
    taken_min: float | None
    #: Who ticked last: a hold point wants somebody else, or a lead.
    last_by: UUID | None
    #: What is in the slots before, and shall be after.
    now: Mapping[str, Occupant]
    goal: Mapping[str, Occupant]
    #: Bay -> what tells its drive apart.
    bays: Mapping[int, str]
    #: Entries so far: whoever knows as many knows all.
    entries: int


@dataclass(frozen=True, slots=True)
class RunBrief:
    id: UUID
    plan: str
    stage: int
    stages: int
    state: str
    started_at: datetime
    ended_at: datetime | None
    done: int
    steps: int


def see_run(engine: Engine, key: UUID) -> RunView:
    """Raises NotFound."""
    with engine.connect() as db:
        return run_view(db, found_run(db, key))


def runs_of_machine(db: Connection, machine_id: UUID) -> tuple[RunBrief, ...]:
    """The newest first."""
    return tuple(
        RunBrief(
            id=r.id,
            plan=r.plan,
            stage=r.stage,
            stages=r.stages,
            state=r.state,
            started_at=r.created_at,
            ended_at=r.ended_at,
            done=r.ticked,
            steps=r.steps,
        )
        for r in store.runs_of(db, machine_id)
    )


def last_by(row: RunRow, entries: Sequence[EntryRow]) -> UUID | None:
    """Who ticked the last step that is no hold point."""
    holds = {s.key for s in row.begun.sheet.steps if s.hold}
    return next((e.account_id for e in reversed(entries) if e.kind == "done" and e.step not in holds), None)


def ticks_of(entries: Sequence[EntryRow]) -> dict[str, EntryRow]:
    """Step -> the tick that stands. Of several the first counts, until it is taken back."""
    standing: dict[str, EntryRow] = {}
    for e in entries:
        if e.kind == "done" and e.step is not None:
            standing.setdefault(e.step, e)
        elif e.kind in ("undone", "not-right") and e.step is not None:
            standing.pop(e.step, None)
    return standing


def found_run(db: Connection, key: UUID) -> RunRow:
    """Raises NotFound."""
    row = store.find_run(db, key)
    if row is None:
        raise NotFound("run")
    return row


def run_view(db: Connection, row: RunRow) -> RunView:
    """A run with its steps as they stand."""
    entries = store.entries_of(db, row.id)
    machine = find_machine(db, row.machine_id)
    assert machine is not None
    ticked = ticks_of(entries)
    wrong = {e.entry.step: e.entry.text for e in entries if isinstance(e.entry, NotRightDoc)}
    begun = row.begun
    steps = tuple(step_view(i, s, ticked.get(s.key), wrong.get(s.key)) for i, s in enumerate(begun.sheet.steps, 1))
    return RunView(
        id=row.id,
        machine_id=row.machine_id,
        machine=machine.name,
        place=machine.about.place,
        sheet_title=machine.sheet_title,
        plan_id=row.plan_id,
        plan=row.plan,
        stage=row.stage,
        stages=row.stages,
        state=row.state,
        window_start=row.window_start,
        window_end=row.window_end,
        started_by=row.by,
        started_at=row.created_at,
        ended_at=row.ended_at,
        steps=steps,
        at_step=next((s.number for s in steps if s.done_at is None), len(steps) + 1),
        remarks=tuple(_remark(e) for e in entries if e.kind in ("note", "photo", "not-right") or e.entry is None),
        down=begun.sheet.down,
        hands_on=begun.sheet.hands_on,
        taken_min=_taken(steps),
        last_by=last_by(row, entries),
        now=dict(begun.now),
        goal=dict(begun.goal),
        bays=begun.bays,
        entries=len(entries),
    )


#: Phases in which the machine is down.
_DOWN = (Phase.OFF, Phase.OPEN, Phase.HANDLE, Phase.CLOSE, Phase.START, Phase.PROVE)


def _taken(steps: Sequence[StepView]) -> float | None:
    """Minutes between the first and the last tick of the phases in which it is down."""
    times = [s.done_at for s in steps if s.phase in _DOWN and s.done_at is not None]
    return round((max(times) - min(times)).total_seconds() / 60, 1) if times else None


def step_view(number: int, s: Step, tick: EntryRow | None, wrong: str | None) -> StepView:
    told = {f.name: getattr(s, f.name) for f in fields(Step) if f.name != "action"}
    return StepView(
        number=number,
        do=s.action.do.value if s.action else None,
        done_by=tick.by if tick else None,
        done_at=tick.at if tick else None,
        not_right=wrong if tick is None else None,
        **told,
    )


def _remark(e: EntryRow) -> RemarkView:
    """What was noted; an entry that cannot be read says so in its place."""
    text = e.unreadable or (e.entry.text if isinstance(e.entry, NoteDoc | NotRightDoc) else "")
    return RemarkView(id=e.id, step=e.step, text=text, is_photo=e.kind == "photo", by=e.by, at=e.at)


T = TypeVar("T")


def every(entries: Sequence[EntryRow], kind: type[T]) -> list[tuple[EntryRow, T]]:
    """Entries of a kind with what each says, in the order of arrival."""
    return [(e, e.entry) for e in entries if isinstance(e.entry, kind)]


def newest(entries: Sequence[EntryRow], kind: type[T]) -> tuple[EntryRow, T] | None:
    return next(iter(reversed(every(entries, kind))), None)


def layouts_of(row: RunRow) -> tuple[Layout, Layout, frozenset[str]]:
    """(before, goal, failed slots) of a run."""
    return row.begun.now, row.begun.goal, row.begun.failed
