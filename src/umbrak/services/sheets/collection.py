"""The library as it is read: each sheet with what it tells, what stands on it, its revisions and its text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, Engine

from umbrak.core.platform.fact import State, asked_of
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.formats.sheet.lint import open_facts, told_facts
from umbrak.services.errors import NotFound
from umbrak.services.sheets.doubts import DoubtView, doubts_about
from umbrak.services.sheets.library import load_sheet
from umbrak.store import sheets as store
from umbrak.store.sheets import RevisionRow, SheetRow, Uses


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


@dataclass(frozen=True, slots=True)
class OpenFact:
    """A fact that is open."""

    fact: str
    what: str
    hides: str
    where: str
    #: stop, slow or cost
    harm: str


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


def open_of(sheet: Sheet) -> tuple[OpenFact, ...]:
    """Its open facts, those that could hide most first."""
    return tuple(
        OpenFact(f, asked.what, asked.hides, asked.where, asked.harm)
        for f in open_facts(sheet)
        if (asked := asked_of(f))
    )


def counts_of(sheet: Sheet) -> FactCounts:
    untold = sum(1 for u in sheet.unsaid.values() if u.state is State.UNTOLD)
    return FactCounts(len(told_facts(sheet)), untold, len(open_of(sheet)))


def list_library(engine: Engine) -> tuple[LibraryLine, ...]:
    """Every sheet in its newest revision: models first, then architectures."""
    with engine.connect() as db:
        uses = store.uses_of_sheets(db)
        return tuple(_line(db, row, uses.get(row.sheet_id, Uses(0, 0, 0))) for row in store.current_sheets(db))


def _line(db: Connection, row: SheetRow, uses: Uses) -> LibraryLine:
    sheet = load_sheet(db, row.hash)
    glyph = tuple(
        SocketGlyph(s, sum(len(c.slots) for c in channels), sum(1 for c in channels if c.soldered))
        for s, channels in sheet.channels_of.items()
    )
    newest: Sequence[RevisionRow] = store.revisions_of(db, row.sheet_id)
    return LibraryLine(
        sheet=row, models=sheet.models, glyph=glyph, facts=counts_of(sheet), uses=uses, kept_at=newest[0].at
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
            facts=counts_of(sheet),
            open=open_of(sheet),
            uses=store.uses_of_sheets(db).get(row.sheet_id, Uses(0, 0, 0)),
            doubts=doubts_about(db, row.sheet_id),
        )
