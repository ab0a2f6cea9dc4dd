"""The library as it is read: each sheet with what it tells, what stands on it, its revisions and its text."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, Engine

from umbrak.core.platform.fact import State, asked_of
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.formats.sheet.compared import ClauseChange, compare
from umbrak.formats.sheet.lint import open_facts
from umbrak.formats.sheet.questions import SheetQuestion, question_at, questions_of
from umbrak.formats.sheet.reading import shipped_sheets
from umbrak.formats.yaml_text import Document, load_yaml
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.doubts import DoubtView, doubts_about
from umbrak.services.sheets.library import load_sheet
from umbrak.store import drafts as draft_store
from umbrak.store import sheets as store
from umbrak.store.accounts import Account
from umbrak.store.drafts import DraftHead
from umbrak.store.history import record
from umbrak.store.sheets import Retired, RevisionRow, SheetRow, Uses


@dataclass(frozen=True, slots=True)
class SocketGlyph:
    """A socket, small: how many slots, and channels with soldered memory."""

    socket: str
    slots: int
    soldered: int


@dataclass(frozen=True, slots=True)
class FactCounts:
    told: int
    untold: int
    open: int


@dataclass(frozen=True, slots=True)
class LibraryLine:
    """One sheet of the library."""

    sheet: SheetRow
    models: tuple[str, ...]
    glyph: tuple[SocketGlyph, ...]
    facts: FactCounts
    uses: Uses
    kept_at: datetime
    draft: DraftHead | None
    #: Who retired it and why; None: it is in use.
    retired: Retired | None


@dataclass(frozen=True, slots=True)
class OpenFact:
    """A fact that is open."""

    fact: str
    what: str
    hides: str
    where: str
    #: stop, slow or cost
    harm: str
    #: Where a sheet's text answers it; None where that is not asked for.
    question: str | None = None


@dataclass(frozen=True, slots=True)
class SheetPage:
    """One sheet with its text."""

    sheet: SheetRow
    text: str
    revisions: tuple[RevisionRow, ...]
    facts: FactCounts
    open: tuple[OpenFact, ...]
    uses: Uses
    doubts: tuple[DoubtView, ...]
    draft: DraftHead | None
    retired: Retired | None


def open_of(sheet: Sheet, keys: list[str] | None = None) -> tuple[OpenFact, ...]:
    """Its open facts, those that could hide most first; with the keys of its questions, each with the one it leads to."""
    return tuple(
        OpenFact(
            fact=f,
            what=asked.what,
            hides=asked.hides,
            where=asked.where,
            harm=asked.harm,
            question=question_at(keys, f) if keys else None,
        )
        for f in open_facts(sheet)
        if (asked := asked_of(f))
    )


def facts_in(questions: Iterable[SheetQuestion], sheet: Sheet) -> FactCounts:
    """How many of its questions are answered; of its facts, how many the sources do not tell and how many are open."""
    told = sum(1 for q in questions if q.state in ("told", "none"))
    untold = sum(1 for u in sheet.unsaid.values() if u.state is State.UNTOLD)
    return FactCounts(told, untold, len(open_of(sheet)))


#: Counted already, by hash: a hash stands for one content for good.
_counted: dict[SheetHash, FactCounts] = {}


def _counts(db: Connection, hash_: SheetHash, sheet: Sheet) -> FactCounts:
    if hash_ not in _counted:
        document = Document(store.find_document(db, hash_), {})
        _counted[hash_] = facts_in(questions_of(document, sheet), sheet)
    return _counted[hash_]


def list_library(engine: Engine) -> tuple[LibraryLine, ...]:
    """Every sheet in its newest revision: models first, then architectures."""
    with engine.connect() as db:
        uses = store.uses_of_sheets(db)
        drafts, retired = draft_store.drafts(db), store.retired_sheets(db)
        return tuple(
            _line(db, row, uses.get(row.sheet_id, Uses(0, 0, 0)), drafts.get(row.sheet_id), retired.get(row.sheet_id))
            for row in store.current_sheets(db)
        )


def _line(db: Connection, row: SheetRow, uses: Uses, draft: DraftHead | None, retired: Retired | None) -> LibraryLine:
    sheet = load_sheet(db, row.hash)
    glyph = tuple(
        SocketGlyph(s, sum(len(c.slots) for c in channels), sum(1 for c in channels if c.soldered))
        for s, channels in sheet.channels_of.items()
    )
    newest: Sequence[RevisionRow] = store.revisions_of(db, row.sheet_id)
    return LibraryLine(
        sheet=row,
        models=sheet.models,
        glyph=glyph,
        facts=_counts(db, row.hash, sheet),
        uses=uses,
        kept_at=newest[0].at,
        draft=draft,
        retired=retired,
    )


def see_sheet_page(engine: Engine, hash_: SheetHash) -> SheetPage:
    """Raises NotFound."""
    with engine.connect() as db:
        text = store.text_of_sheet(db, hash_)
        if text is None:
            raise NotFound("sheet")
        row, sheet = store.find_sheet(db, hash_), load_sheet(db, hash_)
        return SheetPage(
            sheet=row,
            text=text,
            revisions=tuple(store.revisions_of(db, row.sheet_id)),
            facts=_counts(db, row.hash, sheet),
            open=open_of(sheet),
            uses=store.uses_of_sheets(db).get(row.sheet_id, Uses(0, 0, 0)),
            doubts=doubts_about(db, row.sheet_id),
            draft=draft_store.drafts(db).get(row.sheet_id),
            retired=store.retired_sheets(db).get(row.sheet_id),
        )


def compare_sheets(engine: Engine, old: SheetHash, new: SheetHash) -> tuple[ClauseChange, ...]:
    """What one sheet answers otherwise than another. Raises NotFound."""
    with engine.connect() as db:
        before, after = (store.find_document(db, h) for h in (old, new))
    if before is None or after is None:
        raise NotFound("sheet")
    return tuple(compare(Document(before, {}), Document(after, {})))


def compare_text(engine: Engine, old: SheetHash, text: str) -> tuple[ClauseChange, ...]:
    """What a text answers otherwise than a sheet. Raises NotFound; InputError (formats) where it is no YAML."""
    with engine.connect() as db:
        before = store.find_document(db, old)
    if before is None:
        raise NotFound("sheet")
    (document, *_) = load_yaml(text) or [Document({}, {})]
    return tuple(compare(Document(before, {}), document))


def retire_sheet(engine: Engine, account: Account, sheet_id: str, retired: bool, why: str) -> None:
    """Take a sheet out of what is offered, or bring it back. Raises NotFound; Refused for an architecture of the tool's."""
    need(account, Role.technician)
    if sheet_id in shipped_sheets():
        raise Refused("sheet", "It comes with the tool, and stays.")
    with engine.begin() as db:
        if not store.revisions_of(db, sheet_id):
            raise NotFound("sheet")
        store.set_retired(db, sheet_id, account.id if retired else None, why)
        record(db, "sheet retired" if retired else "sheet brought back", account.id, name=sheet_id, why=why)
