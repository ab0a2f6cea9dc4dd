"""Clauses of a sheet that a machine, or somebody at it, contradicted, until somebody has looked into them.

A doubt may propose what the sheet should say instead: then it is accepted at a press into the draft of the next
revision, and is settled when that is kept. Where the draft is left, it is open again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.sheet import Sheet
from umbrak.formats.entries import DoubtDoc
from umbrak.formats.faults import InputError
from umbrak.formats.sheet.answers import changed
from umbrak.formats.sheet.compared import ClauseChange, compare
from umbrak.formats.sheet.questions import blocks_in, board_names
from umbrak.formats.sheet.reading import read_sheet
from umbrak.formats.yaml_text import Path, dotted, load_yaml
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.accounts import Role, need
from umbrak.store import drafts as draft_store
from umbrak.store import runs as store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.runs import DoubtRow


@dataclass(frozen=True, slots=True)
class Seen:
    """Who saw it, where and when."""

    by: str
    machine: str | None
    at: datetime


@dataclass(frozen=True, slots=True)
class DoubtView:
    """A clause of a sheet that was contradicted; alike ones are one."""

    id: UUID
    #: Of the rule that rests on it, or where it comes from.
    code: str
    clause: str
    words: str
    by: str
    at: datetime
    #: Everybody who saw it, the first first.
    seen: tuple[Seen, ...]
    #: The question of the sheet that it leads to; "": none.
    question: str
    #: What accepting it would change, clause by clause; none: somebody has to say how.
    changes: tuple[ClauseChange, ...]
    #: Whether it is accepted into the draft of the next revision.
    accepted: bool


@dataclass(frozen=True, slots=True)
class AcceptedDoubt:
    draft_id: UUID


def doubts_about(db: Connection, sheet_id: str) -> tuple[DoubtView, ...]:
    rows = store.doubts_of(db, sheet_id)
    groups: dict[object, list[DoubtRow]] = {}
    for row in rows:
        groups.setdefault(_alike(row), []).append(row)
    return tuple(_view(db, sheet_id, each) for each in groups.values())


def _alike(row: DoubtRow) -> object:
    """What makes doubts one: the same proposal, or the same words about the same clause."""
    return (row.code, repr(row.edits)) if row.edits else (row.code, row.clause, row.words.casefold())


def _view(db: Connection, sheet_id: str, rows: list[DoubtRow]) -> DoubtView:
    first = rows[0]
    return DoubtView(
        id=first.id,
        code=first.code,
        clause=first.clause,
        words=first.words,
        by=first.by,
        at=first.at,
        seen=tuple(Seen(r.by, r.machine, r.at) for r in rows),
        question=first.question,
        changes=_changes(db, sheet_id, first),
        accepted=first.draft_id is not None,
    )


def _edits(row: DoubtRow, data: Mapping[str, Any]) -> list[tuple[Path, Any]]:
    return [(_where_said(tuple(path), data), value) for path, value in row.edits or ()]


def _where_said(path: Path, data: Mapping[str, Any]) -> Path:
    """Where a sheet says what a doubt is about: a slot of a repeated block by its whole name in that block."""
    if path[0] == "slots":
        for block, _ in blocks_in(data):
            if block and path[1] in board_names(data)[dotted(block)]:
                return (*block, *path)
    return path


def _applied(text: str, row: DoubtRow) -> str:
    """The text as the doubt would have it. Raises InputError where that is no sheet: then somebody has to say how."""
    after = changed(text, _edits(row, load_yaml(text)[0].data))
    read_sheet(after)
    return after


def _changes(db: Connection, sheet_id: str, row: DoubtRow) -> tuple[ClauseChange, ...]:
    if not row.edits:
        return ()
    text = sheet_store.text_of_sheet(db, sheet_store.revisions_of(db, sheet_id)[0].hash) or ""
    try:
        after = _applied(text, row)
    except InputError:
        return ()
    return tuple(compare(load_yaml(text)[0], load_yaml(after)[0]))


def proposed(sheet: Sheet, slots: tuple[str, ...], bays: tuple[int, ...], entry: DoubtDoc) -> tuple[str, list[Any]]:
    """(the question that it leads to, [[path, value], ...] that would make the sheet say it) of a doubt at the bench.

    Parameters
        slots, bays   of the step that it is about
    """
    question, edits = "", []
    # The way at hand: to the step's slots, or with its bays; the only one where the sheet has no other.
    to_slots = {sheet.slots[s].access for s in slots if s in sheet.slots}
    ways = [w for w in sheet.access.values() if w.id in to_slots or (bays and set(w.bays_out) & set(bays))] or list(
        sheet.access.values()
    )
    if entry.bays or entry.seal:
        question = "access"
        if len(ways) == 1:
            (way,) = ways
            if entry.bays:
                edits.append([["access", way.id, "bays_out"], sorted({*way.bays_out, *entry.bays})])
            if entry.seal:
                edits.append([["access", way.id, "ends_warranty"], True])
    if entry.printed and len(slots) == 1:
        question = "slots.printed"
        edits.append([["slots", slots[0], "printed"], entry.printed])
    return question, edits


def doubt_names(db: Connection, account: Account, sheet: Sheet, machine_id: UUID, names: Mapping[str, str]) -> None:
    """Doubt a sheet of which a report calls slots by names that it does not tell, as one.

    Parameters
        names   slot -> the name that somebody said to be its
    """
    if not names or sheet.archetype:
        return
    printed = [(sheet.slots[s].printed, name) for s, name in names.items()]
    shown = ", ".join(f"{p} is “{name}”" for p, name in printed[:_NAMED])
    more = f" and {len(printed) - _NAMED} more" if len(printed) > _NAMED else ""
    store.add_doubt(
        db,
        sheet.id,
        code="survey",
        clause="The names under which its tables report the slots",
        words=f"{shown}{more}",
        run_id=None,
        machine_id=machine_id,
        account_id=account.id,
        question="slots.locators",
        edits=[[["slots", s, "locators"], [*sheet.slots[s].locators, n]] for s, n in sorted(names.items())],
    )


#: Names that are said in a doubt, at most.
_NAMED = 4


def accept_doubt(engine: Engine, account: Account, key: UUID) -> UUID:
    """What a doubt proposes, written into the draft of the sheet's next revision; gives the draft's id.

    Raises NotFound, NotAllowed; Refused where it proposes nothing; InputError (formats) for a text that only a person can change.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        found = store.find_doubt(db, key)
        if found is None:
            raise NotFound("doubt")
        sheet_id, row = found
        if not row.edits:
            raise Refused("doubt", "It does not say what the sheet should say instead: answer its question.")
        newest = sheet_store.revisions_of(db, sheet_id)[0].hash
        text = sheet_store.text_of_sheet(db, newest) or ""
        draft = draft_store.find_draft(
            db, draft_store.add_draft(db, sheet_id=sheet_id, base=newest, text=text, account_id=account.id), lock=True
        )
        assert draft is not None
        after = _applied(draft.text, row)
        if after != draft.text:
            draft_store.write_draft(
                db,
                draft.id,
                version=draft.version + 1,
                text=after,
                what=f"doubt: {row.words}"[:200],
                account_id=account.id,
            )
        alike = [d.id for d in store.doubts_of(db, sheet_id) if _alike(d) == _alike(row)]
        store.doubt_accepted(db, alike, draft.id)
        record(db, "doubt accepted", account.id, sheet=sheet_id, id=str(key))
        return draft.id


def settle_doubt(engine: Engine, account: Account, key: UUID, refused: str = "") -> None:
    """A clause in doubt was looked into: it stands, for a reason, or its sheet was corrected. Alike ones with it. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        found = store.find_doubt(db, key)
        if found is None:
            raise NotFound("doubt")
        sheet_id, row = found
        for d in store.doubts_of(db, sheet_id):
            if _alike(d) == _alike(row):
                store.settle_doubt(db, d.id, refused)
        record(db, "doubt settled", account.id, sheet=sheet_id, id=str(key), why=refused)
