"""Entering what happens at the bench."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.memory.in_hand import differences
from umbrak.core.memory.module import Module, member_words
from umbrak.core.runsheet.step import Phase, Who
from umbrak.formats.entries import DoneDoc, EntryDoc, PhotoDoc, TestLogDoc, UndoneDoc, kept_entry
from umbrak.formats.photo import clean_photo
from umbrak.formats.test_log import read_test_log
from umbrak.services.bench.view import RunView, run_view
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.known.loading import load_machine
from umbrak.services.parts.understanding import understand
from umbrak.services.people.accounts import Role, need
from umbrak.services.proof.evidence import check_evidence, follow
from umbrak.services.proof.state import ProofState, proof_state
from umbrak.services.runs.entries import ON_DUTY, found_run, is_known, keep, last_tick, ticks_of, under_way
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.runs import EntryRow, RunRow

#: A bench's clock may be so far ahead of the server's; what it says beyond is not believed.
_AHEAD = timedelta(minutes=5)


#: Entries of one run: more is no work at a bench.
MAX_ENTRIES = 20_000


def set_window(engine: Engine, account: Account, key: UUID, start: datetime | None, end: datetime | None) -> RunView:
    """The maintenance window. Raises NotFound, Refused where it ends before it begins."""
    need(account, Role.technician)
    if start is not None and end is not None and end <= start:
        raise Refused("window_end", "The window ends before it begins.")
    with engine.begin() as db:
        row = under_way(db, key)
        store.set_window(db, key, start, end)
        told = {"start": start and start.isoformat(), "end": end and end.isoformat()}
        record(db, "window set", account.id, row.machine_id, row.plan_id, run=str(key), **told)
        return run_view(db, found_run(db, key))


#: Entries that are made without a connection: ticks carry the bench's clock, since they may come late; what is measured
#: counts from when it came.
_AT_THE_BENCH = ("done", "undone", "not-right", "note", "doubt", "label")
#: Who is alone waits so long at a hold before going on.
ALONE = timedelta(seconds=60)


def enter(
    engine: Engine, account: Account, run_id: UUID, entry_id: UUID, entry: EntryDoc, at: datetime, now: datetime
) -> None:
    """Keep what was ticked, noted or seen, and bring about what follows from it; one that is kept already is left as it is.

    Parameters
        at    by the clock at the bench; never later than `now` (the server's clock)

    Raises
        NotFound     no such run, or step
        NotAllowed   a hold point that somebody else has to tick; a waiver by somebody who is no lead
        Refused      the run has ended; a step beyond a hold point that is open; a step that stands for proof; what does not go
                     with what is known by now; an id that another run has
    """
    need(account, Role.technician)
    with engine.begin() as db:
        row = store.find_run(db, run_id, lock=True)
        if row is None:
            raise NotFound("run")
        if is_known(db, run_id, entry_id):
            return
        _may_enter(row, entry)
        entries = store.entries_of(db, run_id)
        if len(entries) >= MAX_ENTRIES:
            raise Refused("run", f"A run holds at most {MAX_ENTRIES} entries.")
        believed = at if entry.kind in _AT_THE_BENCH and at <= now + _AHEAD else now
        m = load_machine(db, row.machine_id)
        state = proof_state(db, m, row, entries, now)
        if (step := getattr(entry, "step", None)) is not None:
            _check_step(row, entries, account, entry, step, state, believed)
        check_evidence(db, account, m, row, entry, entries, state)
        keep(db, account, row, entry_id, kept_entry(entry), believed)
        follow(db, account, m, row, entry, state)


def enter_as(
    engine: Engine, second: Account, run_id: UUID, entry_id: UUID, step: str, at: datetime, now: datetime
) -> None:
    """A second person ticks a step on somebody else's device. Raises what `enter` raises."""
    enter(engine, second, run_id, entry_id, DoneDoc(kind="done", step=step), at, now)


def add_log(
    engine: Engine, account: Account, run_id: UUID, entry_id: UUID, tool: str, raw: bytes, now: datetime
) -> None:
    """A memory test's log: searched for its verdict, and kept. Raises NotFound, Refused, InputError without a verdict."""
    need(account, Role.technician)
    found = read_test_log(raw)
    with engine.begin() as db:
        row = under_way(db, run_id)
        entry = TestLogDoc(
            kind="memory-test",
            tool=tool,
            passes=found.passes,
            errors=found.errors,
            tested_gib=found.tested_gib,
            because=list(found.because),
        )
        keep(db, account, row, entry_id, entry, now, (raw, "text/plain; charset=utf-8"))


#: What is left to tick once the machine is back on duty: its last steps.
_AFTERWARDS = ("done", "undone", "not-right", "note", "doubt")


def _may_enter(row: RunRow, entry: EntryDoc) -> None:
    if row.state == "under way":
        return
    step = next((s for s in row.begun.sheet.steps if s.key == getattr(entry, "step", None)), None)
    if row.state in ON_DUTY and entry.kind in _AFTERWARDS and step is not None and step.phase is Phase.AFTER:
        return
    raise Refused("run", f"This run is {row.state}: nothing is entered any more.")


def _check_step(
    row: RunRow, entries: Sequence[EntryRow], account: Account, entry: EntryDoc, key: str, state: ProofState, at: datetime
) -> None:  # fmt: skip
    steps = row.begun.sheet.steps
    index = next((i for i, s in enumerate(steps) if s.key == key), None)
    if index is None:
        raise NotFound("step")
    if not isinstance(entry, DoneDoc | UndoneDoc):
        return
    step = steps[index]
    if step.proves is not None:
        raise Refused(
            "step", "Nobody ticks this step: it is done when Proof has what it stands for, or a lead waives that there."
        )
    if isinstance(entry, UndoneDoc):
        return
    ticked = ticks_of(entries)
    settled = {i.what for i in state.items if i.settled}
    passed = row.state in ON_DUTY
    hold = next(
        (s for s in steps[:index] if s.hold and not passed and s.key not in ticked and s.proves not in settled), None
    )
    if hold is not None:
        raise Refused("step", f"First: {hold.text}")
    last = last_tick(row, entries)
    if step.who is not Who.SECOND or account.role == Role.lead.name or last is None or account.id != last.account_id:
        return
    if not entry.alone:
        raise NotAllowed(
            "Somebody else than who did the steps before ticks this, or a lead; who is alone says why, after a minute."
        )
    if at < last.at + ALONE:
        raise Refused("step", "Who is alone waits a minute before going on: look at it again with fresh eyes.")


def add_photo(
    engine: Engine,
    account: Account,
    run_id: UUID,
    entry_id: UUID,
    step: str | None,
    raw: bytes,
    at: datetime,
    now: datetime,
) -> None:
    """Keep a photo of a step, written anew. Raises NotFound, Refused, InputError where it is no picture."""
    need(account, Role.technician)
    clean = clean_photo(raw)
    with engine.begin() as db:
        row = under_way(db, run_id)
        if is_known(db, run_id, entry_id):
            return
        if step is not None and step not in {s.key for s in row.begun.sheet.steps}:
            raise NotFound("step")
        photo = PhotoDoc(kind="photo", step=step)
        keep(db, account, row, entry_id, photo, min(at, now), (clean, "image/jpeg"))


@dataclass(frozen=True, slots=True)
class InHand:
    """A module in somebody's hand beside the one that a slot is to get."""

    short: str
    matches: bool
    #: In words: what differs and matters; what differs and is only the sticker; what the label does not say of what decides.
    differs: tuple[str, ...]
    stickers: tuple[str, ...]
    untold: tuple[str, ...]
    #: Sentences: where others of its part number are told of otherwise, so that the number alone does not settle it.
    notes: tuple[str, ...]


def compare_label(engine: Engine, run_id: UUID, slot: str, text: str) -> InHand:
    """What a label says beside what the goal has in a slot. Raises NotFound; Refused where the label says nothing known."""
    with engine.connect() as db:
        row = found_run(db, run_id)
        told = understand(db, text)
    planned = row.begun.goal.get(slot)
    if not isinstance(planned, Module):
        raise NotFound("module planned for this slot")
    if not told.reading.understood:
        raise Refused(
            "text", "Nothing in it is known from a module's label, nor is it a part number that is known here."
        )
    seen = differences(planned, told.module)
    untold = tuple(n for n in seen.untold if getattr(planned, n) is not None)
    return InHand(
        short=told.module.short(),
        matches=not seen.differs and not untold and not told.is_disputed,
        differs=tuple(map(member_words, seen.differs)),
        stickers=tuple(map(member_words, seen.stickers)),
        untold=tuple(map(member_words, untold)),
        notes=told.notes,
    )


def see_attachment(engine: Engine, run_id: UUID, entry_id: UUID) -> tuple[bytes, str]:
    """(bytes, media type). Raises NotFound."""
    with engine.connect() as db:
        found = store.attachment(db, run_id, entry_id)
    if found is None:
        raise NotFound("attachment")
    return found
