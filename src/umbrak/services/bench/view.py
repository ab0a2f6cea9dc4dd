"""A run as a page shows it: its steps as they stand, worked out from its entries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.machine import Occupant
from umbrak.core.proof.standing import State
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.step import Minutes, Phase, Step, Who
from umbrak.formats.entries import DoneDoc, DoubtDoc, NoteDoc, NotRightDoc, SignedDoc
from umbrak.services.proof.state import ProofState, state_of_run
from umbrak.services.runs.entries import ON_DUTY, found_run, last_tick, newest, ticks_of
from umbrak.store import runs as store
from umbrak.store.machine_services import find_service
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
    #: What of the proof it stands for; such a step ticks itself.
    proves: Wanted | None
    needs_down: bool
    #: take-out, put-in or move, with the slots in `slots`; None where no module is handled.
    do: str | None
    #: Who ticked it and when; None = open.
    done_by: str | None
    done_at: datetime | None
    #: Somebody found it not to be as it says, and nobody ticked it since.
    not_right: str | None
    #: Why nobody else looked, at a hold that wants a second person; "" where somebody did, or nobody is wanted.
    alone: str
    #: Of a step that stands for proof: there, lacking, against or waived, and what that is in words. "" of other steps.
    proof: str
    proof_words: str


@dataclass(frozen=True, slots=True)
class RemarkView:
    """A note or a photo of a step."""

    id: UUID
    step: str | None
    text: str
    #: note, not-right, doubt or photo.
    kind: str
    is_photo: bool
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class LightView:
    """A locator light: on by us since, or not; why it could not be switched off after the run."""

    since: datetime | None
    trouble: str


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
    #: Number of the step at hand: the first that is open, but for one that waits for proof and holds nothing up; one more than
    #: there are when all are done.
    at_step: int
    remarks: tuple[RemarkView, ...]
    #: Estimated, from switching off until the soak. [min]
    down: Minutes
    hands_on: Minutes
    #: Since it was switched off, as far as the ticks go; None before. [min]
    taken_min: float | None
    #: Who ticked last, and when: a hold point wants somebody else, or a lead, or a minute and a word why.
    last_by: UUID | None
    last_at: datetime | None
    #: What is in the slots before, and shall be after.
    now: Mapping[str, Occupant]
    goal: Mapping[str, Occupant]
    #: Bay -> what tells its drive apart.
    bays: Mapping[int, str]
    #: Slot -> serial of the module that went in, as noted at the bench.
    serials: Mapping[str, str]
    #: Of a machine whose management controller is kept; None of others.
    light: LightView | None
    #: Entries so far: whoever knows as many knows all.
    entries: int


@dataclass(frozen=True, slots=True)
class RunBrief:
    id: UUID
    plan_id: UUID
    plan: str
    stage: int
    stages: int
    state: str
    started_at: datetime
    ended_at: datetime | None
    done: int
    steps: int


def see_run(engine: Engine, key: UUID, now: datetime | None = None) -> RunView:
    """Raises NotFound."""
    with engine.connect() as db:
        return run_view(db, found_run(db, key), now)


def runs_of_machine(db: Connection, machine_id: UUID) -> tuple[RunBrief, ...]:
    """The newest first."""
    return tuple(
        RunBrief(
            id=r.id,
            plan_id=r.plan_id,
            plan=r.plan,
            stage=r.stage,
            stages=r.stages,
            state=r.state,
            started_at=r.created_at,
            ended_at=r.ended_at,
            # What proof ticks is not in the database: of the one that is under way it is worked out.
            done=run_view(db, r).at_step - 1 if r.state == "under way" else r.ticked,
            steps=r.steps,
        )
        for r in store.runs_of(db, machine_id)
    )


def run_view(db: Connection, row: RunRow, now: datetime | None = None) -> RunView:
    """A run with its steps as they stand: ticked by hand, or by what the proof has."""
    entries = store.entries_of(db, row.id)
    machine = find_machine(db, row.machine_id)
    assert machine is not None
    begun = row.begun
    proof = state_of_run(db, row, now or datetime.now(UTC)) if any(s.proves for s in begun.sheet.steps) else None
    steps = tuple(step_view(i, s, _stands(row, s, entries, proof)) for i, s in enumerate(begun.sheet.steps, 1))
    last = last_tick(row, entries)
    controller = find_service(db, row.machine_id, "redfish")
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
        at_step=_at_hand(steps),
        remarks=tuple(
            _remark(e) for e in entries if e.kind in ("note", "photo", "not-right", "doubt") or e.entry is None
        ),
        down=begun.sheet.down,
        hands_on=begun.sheet.hands_on,
        taken_min=_taken(steps),
        last_by=last.account_id if last else None,
        last_at=last.at if last else None,
        now=dict(begun.now),
        goal=dict(begun.goal),
        bays=begun.bays,
        serials=proof.serials if proof else {},
        light=LightView(controller.light_since, controller.light_trouble) if controller else None,
        entries=len(entries),
    )


def _at_hand(steps: Sequence[StepView]) -> int:
    left = [s for s in steps if s.done_at is None]
    by_hand = next((s for s in left if s.proves is None or s.hold), None)
    return by_hand.number if by_hand else left[0].number if left else len(steps) + 1


def _taken(steps: Sequence[StepView]) -> float | None:
    """Minutes between the first and the last tick of what is done on the bench."""
    times = [
        s.done_at for s in steps if s.phase not in (Phase.BEFORE, Phase.BACK, Phase.AFTER) and s.done_at is not None
    ]
    return round((max(times) - min(times)).total_seconds() / 60, 1) if times else None


@dataclass(frozen=True, slots=True)
class Stands:
    """How a step stands."""

    by: str | None = None
    at: datetime | None = None
    not_right: str | None = None
    alone: str = ""
    proof: str = ""
    words: str = ""


def _stands(row: RunRow, s: Step, entries: Sequence[EntryRow], proof: ProofState | None) -> Stands:
    if s.proves is not None and proof is not None:
        return _proved(row, s.proves, entries, proof)
    tick = ticks_of(entries).get(s.key)
    if tick is None:
        wrong = next(
            (e.entry.text for e in reversed(entries) if isinstance(e.entry, NotRightDoc) and e.entry.step == s.key),
            None,
        )
        return Stands(not_right=wrong)
    return Stands(tick.by, tick.at, alone=tick.entry.alone if isinstance(tick.entry, DoneDoc) else "")


def _proved(row: RunRow, wanted: Wanted, entries: Sequence[EntryRow], proof: ProofState) -> Stands:
    """A step that stands for proof: it is done when the proof has it, or a lead waived it."""
    if wanted is Wanted.DUTY:
        signed = newest(entries, SignedDoc)
        if signed is not None or row.state in ON_DUTY:
            return Stands(
                signed[0].by if signed else row.by,
                signed[0].at if signed else row.ended_at,
                proof="there",
                words="signed off",
            )
        lacking = "; ".join(i.words for i in proof.lacking)
        return Stands(proof="lacking", words=lacking or "everything is there: sign it off in Proof")
    item = next((i for i in proof.items if i.what is wanted), None)
    if item is None:
        return Stands(proof="lacking")
    words = f"{item.words}: {item.reason}" if item.state is State.WAIVED else item.words
    came = proof.came.get(wanted) if item.settled else None
    return Stands(came.by if came else None, came.at if came else None, proof=item.state.value, words=words)


def step_view(number: int, s: Step, stands: Stands) -> StepView:
    told = {f.name: getattr(s, f.name) for f in fields(Step) if f.name != "action"}
    return StepView(
        number=number,
        do=s.action.do.value if s.action else None,
        done_by=stands.by,
        done_at=stands.at,
        not_right=stands.not_right,
        alone=stands.alone,
        proof=stands.proof,
        proof_words=stands.words,
        **told,
    )


def _remark(e: EntryRow) -> RemarkView:
    """What was noted; an entry that cannot be read says so in its place."""
    text = e.unreadable or (e.entry.text if isinstance(e.entry, NoteDoc | NotRightDoc | DoubtDoc) else "")
    is_photo = e.kind == "photo" and bool(e.media_type)
    if e.kind == "photo" and not is_photo and not text:
        text = "A photo, which was removed by its age."
    return RemarkView(id=e.id, step=e.step, text=text, kind=e.kind, is_photo=is_photo, by=e.by, at=e.at)
