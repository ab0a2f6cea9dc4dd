"""Entering what happens at the bench."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.runsheet.before import differences
from umbrak.core.runsheet.step import Who
from umbrak.formats.entries import DoneDoc, EntryDoc, KeptEntry, PhotoDoc, kept_entry
from umbrak.formats.photo import clean_photo
from umbrak.services.bench.view import RunView, found_run, last_by, run_view, ticks_of
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.people.accounts import Role, need
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


def add_entry(
    db: Connection, account: Account, run_id: UUID, entry_id: UUID, entry: EntryDoc, at: datetime, now: datetime
) -> None:
    """Keep an entry, as a part of a transaction; one that is kept already is left as it is.

    Parameters
        at    by the clock at the bench; never later than `now` (the server's clock)

    Raises
        NotFound     no such run, or step
        NotAllowed   a hold point that somebody else has to tick
        Refused      the run has ended; a step beyond a hold point that is open; an id that another run has
    """
    row = store.find_run(db, run_id, lock=True)
    if row is None:
        raise NotFound("run")
    if _is_known(db, run_id, entry_id):
        return
    if row.state != "under way":
        raise Refused("run", f"This run is {row.state}: nothing is entered any more.")
    entries = store.entries_of(db, run_id)
    if len(entries) >= MAX_ENTRIES:
        raise Refused("run", f"A run holds at most {MAX_ENTRIES} entries.")
    if (step := getattr(entry, "step", None)) is not None:
        _check_step(row, entries, account, entry, step)
    keep(db, account, row, entry_id, kept_entry(entry), at if at <= now + _AHEAD else now)


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


def _is_known(db: Connection, run_id: UUID, entry_id: UUID) -> bool:
    known = store.entry_run(db, entry_id)
    if known is not None and known != run_id:
        raise Refused("entry_id", "Another run has an entry of this id.")
    return known is not None


def _check_step(row: RunRow, entries: Sequence[EntryRow], account: Account, entry: EntryDoc, key: str) -> None:
    steps = row.begun.sheet.steps
    index = next((i for i, s in enumerate(steps) if s.key == key), None)
    if index is None:
        raise NotFound("step")
    if not isinstance(entry, DoneDoc):
        return
    ticked = ticks_of(entries)
    hold = next((s for s in steps[:index] if s.hold and s.key not in ticked), None)
    if hold is not None:
        raise Refused("step", f"First: {hold.text}")
    if steps[index].who is Who.SECOND and account.role != Role.lead.name and account.id == last_by(row, entries):
        raise NotAllowed("Somebody else than who did the steps before ticks this, or a lead.")


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
        if _is_known(db, run_id, entry_id):
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
    #: What differs and matters; what differs and is only the sticker.
    differs: tuple[str, ...]
    stickers: tuple[str, ...]


def compare_label(engine: Engine, run_id: UUID, slot: str, text: str) -> InHand:
    """What a label says beside what the goal has in a slot. Raises NotFound; Refused where the label says nothing known."""
    with engine.connect() as db:
        row = found_run(db, run_id)
    planned = row.begun.goal.get(slot)
    if not isinstance(planned, Module):
        raise NotFound("module planned for this slot")
    reading = decode_label(text)
    if not reading.understood:
        raise Refused("text", "Nothing in it is known from a module's label.")
    matter, stickers = differences(planned, reading.module)
    return InHand(reading.module.short(), not matter, matter, stickers)


def see_attachment(engine: Engine, run_id: UUID, entry_id: UUID) -> tuple[bytes, str]:
    """(bytes, media type). Raises NotFound."""
    with engine.connect() as db:
        found = store.attachment(db, run_id, entry_id)
    if found is None:
        raise NotFound("attachment")
    return found


def under_way(db: Connection, key: UUID) -> RunRow:
    """A run that has not ended, locked. Raises NotFound, Refused."""
    row = store.find_run(db, key, lock=True)
    if row is None:
        raise NotFound("run")
    if row.state != "under way":
        raise Refused("run", f"This run is {row.state}: nothing of it changes any more.")
    return row
