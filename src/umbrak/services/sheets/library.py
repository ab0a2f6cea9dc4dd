"""The library of sheets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import Connection, Engine

from umbrak.core.platform.machine import Machine
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import Fault
from umbrak.formats.sheet.reading import SheetReading, read_sheet, sheet_from_data, shipped_sheets
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.board import Board, board_of
from umbrak.store import sheets as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.sheets import SheetRow

#: Sheets read already, by hash: a hash stands for one content for good.
_known: dict[str, Sheet] = {}


def load_sheet(db: Connection, hash_: SheetHash) -> Sheet:
    """The sheet of a hash, ready for use. Raises NotFound."""
    if hash_ not in _known:
        document = store.find_document(db, hash_)
        if document is None:
            raise NotFound("sheet")
        _known[hash_] = sheet_from_data(document)
    return _known[hash_]


def keep_sheet(db: Connection, reading: SheetReading, account: Account | None = None, why: str = "") -> None:
    """Puts a sheet into the library; `account` is who keeps it, None for the tool itself."""
    s = reading.sheet
    store.add_sheet(
        db,
        s.hash,
        sheet_id=s.id,
        title=s.title,
        kind=s.kind,
        archetype=s.archetype,
        text=reading.text,
        document=reading.data,
        kept_by=account.id if account else None,
        why=why,
    )


def keep_shipped(engine: Engine) -> None:
    """Put the archetypes that come with Umbrak into the library."""
    with engine.begin() as db:
        for reading in shipped_sheets().values():
            keep_sheet(db, reading)


@dataclass(frozen=True, slots=True)
class KeptSheet:
    """A sheet as it was kept, with what the linter says of it."""

    sheet: SheetRow
    findings: tuple[Fault, ...]


def add_sheet(
    engine: Engine, account: Account, text: str, left: Callable[[], bool] = lambda: False, why: str = ""
) -> KeptSheet:
    """Keep a sheet's text as the newest revision of its id. Raises InputError (formats) with every line that is wrong,
    Refused when it would take the place of a shipped architecture.

    Parameters
        left    whether nobody waits for it any more: the reading is then given up
        why     why it differs from the revision before, in the keeper's words
    """
    need(account, Role.technician)
    reading = read_sheet(text, Deadline(left=left))
    if reading.sheet.id in shipped_sheets():
        raise Refused(
            "text", f"{reading.sheet.id} is the id of an architecture that comes with Umbrak; give it another."
        )
    with engine.begin() as db:
        keep_sheet(db, reading, account, why)
        row = store.find_sheet(db, reading.sheet.hash)
        record(db, "sheet kept", account.id, name=reading.sheet.id, hash=reading.sheet.hash)
    return KeptSheet(row, reading.findings)


def list_sheets(engine: Engine) -> list[SheetRow]:
    """Sheets that a machine may be put under: those that are not retired."""
    with engine.connect() as db:
        retired = store.retired_sheets(db)
        return [s for s in store.current_sheets(db) if s.sheet_id not in retired]


@dataclass(frozen=True, slots=True)
class ProcessorChoice:
    id: str
    title: str


@dataclass(frozen=True, slots=True)
class SocketChoice:
    """A socket and the processors that it may hold."""

    id: str
    processors: tuple[ProcessorChoice, ...]
    may_be_absent: bool


@dataclass(frozen=True, slots=True)
class SheetView:
    hash: SheetHash
    id: str
    title: str
    notes: str | None
    sockets: tuple[SocketChoice, ...]
    board: Board


def see_sheet(engine: Engine, hash_: SheetHash) -> SheetView:
    """Raises NotFound."""
    with engine.connect() as db:
        sheet = load_sheet(db, hash_)
    return SheetView(
        hash=sheet.hash,
        id=sheet.id,
        title=sheet.title,
        notes=sheet.notes,
        sockets=sockets_of(sheet),
        board=board_of(sheet, Machine()),
    )


def sockets_of(sheet: Sheet) -> tuple[SocketChoice, ...]:
    return tuple(
        SocketChoice(s.id, tuple(ProcessorChoice(p, sheet.processors[p].title) for p in s.processors), s.may_be_absent)
        for s in sheet.sockets.values()
    )
