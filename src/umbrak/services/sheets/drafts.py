"""Drafts: a sheet while it is written, by one or by several at once.

A draft is one text with a version for every change. Questions are answered within it, its text is written whole. What
somebody writes against an older version is put together with what came after it; only where both touched the same
lines, or the same question, nothing is written and both sides are told.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from merge3 import Merge3
from sqlalchemy import Connection, Engine

from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.answers import Answer, answered
from umbrak.formats.sheet.questions import questions_of
from umbrak.formats.yaml_splice import same
from umbrak.formats.yaml_text import MAX_BYTES, load_yaml
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import KeptSheet, add_sheet
from umbrak.services.sheets.seen import SeenText, see_text
from umbrak.store import drafts as store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.runs import settle_accepted

#: Somebody who asked no longer ago than this still has the draft before them; pages ask far more often.
_HERE = timedelta(seconds=20)


@dataclass(frozen=True, slots=True)
class DraftView:
    """A draft with what its text comes to."""

    id: UUID
    sheet_id: str
    #: The revision that it began from, and its number; None: from none.
    base: SheetHash | None
    base_revision: int | None
    version: int
    text: str
    #: Who wrote its newest text, and when; and who began it.
    by: str
    at: datetime
    begun_by: str
    #: Others who have it before them.
    here: tuple[str, ...]
    seen: SeenText


@dataclass(frozen=True, slots=True)
class DraftNews:
    """What a page that shows a draft wants to know again and again."""

    version: int
    by: str
    at: datetime
    here: tuple[str, ...]


def begin_draft(engine: Engine, account: Account, hash_: SheetHash) -> DraftView:
    """The draft of a sheet: the one that there is, or one from this revision. Raises NotFound, NotAllowed."""
    need(account, Role.technician)
    with engine.begin() as db:
        text = sheet_store.text_of_sheet(db, hash_)
        if text is None:
            raise NotFound("sheet")
        row = sheet_store.find_sheet(db, hash_)
        key = store.add_draft(db, sheet_id=row.sheet_id, base=hash_, text=text, account_id=account.id)
        return _view(db, account, key)


def begin_from_text(engine: Engine, account: Account, text: str) -> DraftView:
    """A draft of a sheet that is not in the library yet.

    Raises
        InputError   no YAML, or no id
        Refused      the library has its id, or somebody has a draft of it
    """
    need(account, Role.technician)
    documents = load_yaml(text)
    data = documents[0].data if len(documents) == 1 and isinstance(documents[0].data, dict) else {}
    sheet_id = data.get("id")
    if not isinstance(sheet_id, str) or not sheet_id.strip():
        raise InputError("wrong-field", [Fault("a sheet begins with umbrak-sheet: 1, and has an id", path="id")])
    with engine.begin() as db:
        if sheet_store.revisions_of(db, sheet_id):
            raise Refused("text", f"The library has a sheet {sheet_id} already: open that, or give this another id.")
        if store.draft_of(db, sheet_id):
            raise Refused(
                "text", f"Somebody writes a sheet {sheet_id} already: go on with that, or give this another id."
            )
        key = store.add_draft(db, sheet_id=sheet_id, base=None, text=text, account_id=account.id)
        return _view(db, account, key)


def see_draft(engine: Engine, account: Account, key: UUID) -> DraftView:
    """Raises NotFound."""
    with engine.begin() as db:
        return _view(db, account, key)


def news_of_draft(engine: Engine, account: Account, key: UUID) -> DraftNews:
    """Whether somebody else wrote in it, and who has it before them; notes that this account has. Raises NotFound."""
    with engine.begin() as db:
        row = _found(db, key)
        return DraftNews(row.version, row.by, row.at, tuple(store.read_by(db, key, account.id, _HERE)))


def _found(db: Connection, key: UUID, *, lock: bool = False) -> store.DraftRow:
    row = store.find_draft(db, key, lock=lock)
    if row is None:
        raise NotFound("draft")
    return row


def _view(db: Connection, account: Account, key: UUID) -> DraftView:
    row = _found(db, key)
    here = store.read_by(db, key, account.id, _HERE)
    base = sheet_store.find_sheet(db, row.base) if row.base else None
    return DraftView(
        id=row.id,
        sheet_id=row.sheet_id,
        base=row.base,
        base_revision=base.revision if base else None,
        version=row.version,
        text=row.text,
        by=row.by,
        at=row.at,
        begun_by=row.begun_by,
        here=tuple(here),
        seen=see_text(row.text),
    )


def answer_draft(engine: Engine, account: Account, key: UUID, version: int, question: str, answer: Answer) -> DraftView:
    """One question answered in a draft, whatever else was changed meanwhile.

    Parameters
        version   of the draft as it was seen when the answer was given
    Raises
        NotFound, NotAllowed
        InputError   (formats) no such question; an answer that it cannot have; a text that only a person can change
        Stale        somebody else answered this very question meanwhile
    """
    need(account, Role.technician)
    with engine.begin() as db:
        row = _found(db, key, lock=True)
        if row.version != version:
            then = store.text_at(db, key, version)
            if then is None or not same(_value(then, question), _value(row.text, question)):
                raise Stale(
                    f"{row.by} answered this meanwhile; nothing of yours was written.",
                    _view(db, account, key),
                    _told(answer),
                )
        _write(db, account, row, answered(row.text, question, answer), question)
        return _view(db, account, key)


def _value(text: str, question: str) -> object:
    """What a text answers to a question, as far as it can be read."""
    try:
        found = next((q for q in questions_of(load_yaml(text)[0], None) if q.key == question), None)
    except InputError:
        return None
    return [found.state, found.value, found.words, found.looked, found.source, found.clause] if found else None


def _told(answer: Answer) -> dict[str, object]:
    return {"state": answer.state, "value": answer.value, "words": answer.words}


def write_draft(engine: Engine, account: Account, key: UUID, version: int, text: str) -> DraftView:
    """A draft's text written whole: put together line by line with what others wrote since `version`.

    Raises NotFound, NotAllowed; Refused for one that is too long; Stale where both changed the same lines.
    """
    need(account, Role.technician)
    if len(text.encode()) > MAX_BYTES:
        raise Refused("text", f"A sheet has at most {MAX_BYTES} bytes.")
    with engine.begin() as db:
        row = _found(db, key, lock=True)
        if row.version != version:
            merged = together(then=store.text_at(db, key, version), theirs=row.text, yours=text)
            if merged is None:
                raise Stale(
                    f"{row.by} changed the same lines meanwhile; nothing of yours was written.",
                    _view(db, account, key),
                    {"text": text},
                )
            text = merged
        _write(db, account, row, text, "")
        return _view(db, account, key)


def together(*, then: str | None, theirs: str, yours: str) -> str | None:
    """Two texts that began as one, as one again; None where both changed the same lines, or nobody knows how it began."""
    if then is None:
        return None
    base, a, b = (t.splitlines(keepends=True) for t in (then, theirs, yours))
    groups = list(Merge3(base, a, b).merge_groups())
    if any(g[0] == "conflict" for g in groups):
        return None
    return "".join(line for g in groups for line in g[1])


def _write(db: Connection, account: Account, row: store.DraftRow, text: str, what: str) -> None:
    if text != row.text:
        store.write_draft(db, row.id, version=row.version + 1, text=text, what=what, account_id=account.id)


def keep_draft(
    engine: Engine, account: Account, key: UUID, version: int, why: str, left: Callable[[], bool] = lambda: False
) -> KeptSheet:
    """A draft kept as the newest revision of its sheet; then it is none any more.

    Raises NotFound, NotAllowed; InputError (formats) with every line that is wrong; Stale where it is not as it was seen.
    """
    need(account, Role.technician)
    with engine.connect() as db:
        row = _found(db, key)
        if row.version != version:
            raise Stale(f"{row.by} wrote in it meanwhile: look at it before it is kept.", None, None)
        newest = sheet_store.revisions_of(db, row.sheet_id)
        if newest and row.base is not None and newest[0].hash != row.base:
            raise Refused("base", f"Revision {newest[0].revision} was kept after this draft began: take it in first.")
    kept = add_sheet(engine, account, row.text, left, why=why)
    with engine.begin() as db:
        settle_accepted(db, key)
        # What somebody wrote while it was being kept is the draft of the revision after it.
        if _found(db, key, lock=True).version == version:
            store.remove_draft(db, key)
        else:
            store.set_base(db, key, kept.sheet.hash)
    return kept


def leave_draft(engine: Engine, account: Account, key: UUID) -> None:
    """A draft given up, with every text that it had. Raises NotFound, NotAllowed."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = _found(db, key, lock=True)
        store.remove_draft(db, key)
        record(db, "sheet draft left", account.id, name=row.sheet_id)
