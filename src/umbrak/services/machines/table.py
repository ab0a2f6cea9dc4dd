"""Many machines from one table: what each row would make is shown before anything is kept.

Columns: name and model (a sheet's title or id) are needed; site, place, zone, duty group, looked after by, warranty end,
firmware, system, os bits and processor may be given, and a column for each slot, "slot A1", with label text or "empty".
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotFacts, match_slots
from umbrak.formats.documents import MachineDoc
from umbrak.formats.spreadsheet import Row, read_table
from umbrak.services.errors import Refused, ServiceError
from umbrak.services.machines.making import NewMachine, make_within
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as machine_store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account

MAX_MACHINES = 2000
_SLOT = "slot "
_EMPTY = ("empty", "-", "none")
#: Column -> other names that people give it.
COLUMNS: dict[str, tuple[str, ...]] = {
    "name": ("machine", "host", "hostname"),
    "model": ("sheet",),
    "site": (),
    "place": ("location", "rack"),
    "zone": ("time zone",),
    "duty group": ("group", "cluster"),
    "looked after by": ("keeper", "owner", "responsible"),
    "warranty end": ("warranty until", "warranty"),
    "firmware": ("firmware version", "bios"),
    "system": ("system version",),
    "os bits": ("width",),
    "processor": ("cpu",),
}


@dataclass(frozen=True, slots=True)
class CellError:
    column: str
    message: str


@dataclass(frozen=True, slots=True)
class FleetRow:
    """One row and what it would make, or what is wrong with it."""

    row: int
    name: str
    model: str
    #: Slots that it tells of, and what they come to.
    slots: int
    gib: float
    errors: tuple[CellError, ...]
    #: The machine that was made; None in a preview.
    machine_id: UUID | None = None


@dataclass(frozen=True, slots=True)
class Fleet:
    rows: tuple[FleetRow, ...]
    #: Columns that nothing is known of.
    ignored: tuple[str, ...]
    #: How many rows can be made, or were made.
    good: int


def take_fleet(engine: Engine, account: Account, raw: bytes, keep: bool) -> Fleet:
    """What a table of machines comes to; with `keep` its good rows are made, in one transaction.

    Raises InputError when it is no table, Refused where it lacks the columns that are needed.
    """
    need(account, Role.technician)
    table = read_table(raw)
    known = {name: column for column, names in COLUMNS.items() for name in (column, *names)}
    for needed in ("name", "model"):
        if not any(known.get(c) == needed for c in table.columns):
            raise Refused("file", f"The table has no column “{needed}”; it has {', '.join(table.columns)}.")
    if len(table.rows) > MAX_MACHINES:
        raise Refused("file", f"At most {MAX_MACHINES} machines are made at a time; the table has {len(table.rows)}.")
    ignored = tuple(c for c in table.columns if c not in known and not c.startswith(_SLOT))
    with engine.begin() as db:
        sheets = _Sheets(db)
        seen: set[str] = set()
        rows = []
        for row in table.rows:
            cells = {known.get(c, c): v for c, v in row.cells.items()}
            rows.append(_row(db, account, sheets, replace(row, cells=cells), seen, keep))
    return Fleet(tuple(rows), ignored, sum(1 for r in rows if not r.errors))


class _Sheets:
    """The newest revision of each sheet, by title and by id."""

    def __init__(self, db: Connection) -> None:
        rows = sheet_store.current_sheets(db)
        self.by_name = {name.casefold(): r.hash for r in rows for name in (r.sheet_id, r.title)}


def _row(db: Connection, account: Account, sheets: _Sheets, row: Row, seen: set[str], keep: bool) -> FleetRow:
    errors: list[CellError] = []

    def cell(column: str, read: Callable[[str], Any], empty: Any = None) -> Any:
        text = row.cells.get(column)
        if text is None:
            return empty
        try:
            return read(text)
        except (Refused, ValueError) as error:
            errors.append(CellError(column, str(error)))
            return empty

    name = row.cells.get("name", "")
    if not name:
        errors.append(CellError("name", "a machine needs a name"))
    elif name.casefold() in seen:
        errors.append(CellError("name", f"{name} stands in an earlier row too"))
    elif machine_store.machine_by_name_or_serial(db, name, "") is not None:
        errors.append(CellError("name", f"there is a machine {name} already"))
    seen.add(name.casefold())
    model = row.cells.get("model", "")
    hash_ = sheets.by_name.get(model.casefold())
    if hash_ is None:
        errors.append(CellError("model", f"no sheet is called “{model}”" if model else "a machine needs a model"))
    sheet = load_sheet(db, hash_) if hash_ else None
    warranty = cell("warranty end", _day)
    bits = cell("os bits", _bits)
    processors = cell("processor", lambda text: _processors(sheet, text), {}) if sheet else {}
    occupants = _slots(sheet, row, errors) if sheet else {}
    fitted = Layout({s: m for s, m in occupants.items() if m is not None})
    gib = sum(m.capacity_gib or 0 for m in fitted.values() if isinstance(m, Module))
    shown = FleetRow(
        row=row.number,
        name=name,
        model=sheet.title if sheet else model,
        slots=len(occupants),
        gib=gib,
        errors=tuple(errors),
    )
    if errors or not hash_:
        return shown
    new = NewMachine(
        name,
        hash_,
        fitted=fitted,
        emptied=[s for s, m in occupants.items() if m is None],
        processors=processors,
        place=row.cells.get("place", ""),
        site=row.cells.get("site"),
        zone=row.cells.get("zone", "UTC"),
        duty_group=row.cells.get("duty group", ""),
        keeper=row.cells.get("looked after by", ""),
        warranty_end=warranty,
        facts=MachineDoc(firmware=row.cells.get("firmware"), system=row.cells.get("system"), os_bits=bits),
    )
    # Made in a preview too, and undone: so the preview says whatever making it would say.
    inner = db.begin_nested()
    try:
        key = make_within(db, account, new)
    except ServiceError as error:
        inner.rollback()
        where = error.field if isinstance(error, Refused) else "name"
        return replace(shown, errors=(CellError(where, str(error)),))
    if keep:
        inner.commit()
        return replace(shown, machine_id=key)
    inner.rollback()
    return shown


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise ValueError(f"“{text}” is no date; write 2027-03-31") from error


def _bits(text: str) -> int:
    digits = text.lower().removesuffix("bit").strip(" -")
    if digits not in ("32", "64"):
        raise ValueError(f"“{text}” is neither 32 nor 64")
    return int(digits)


def _processors(sheet: Sheet, text: str) -> dict[str, str | None]:
    """One processor for every socket that may hold it, by its title or id."""
    wanted = text.casefold()
    found = [p.id for p in sheet.processors.values() if wanted in (p.id.casefold(), p.title.casefold())]
    if not found:
        known = ", ".join(p.title for p in sheet.processors.values())
        raise ValueError(f"{sheet.title} takes no processor “{text}”; it takes {known}")
    return {s.id: found[0] for s in sheet.sockets.values() if found[0] in s.processors}


def _slots(sheet: Sheet, row: Row, errors: list[CellError]) -> dict[str, Occupant | None]:
    """Slot -> what its cell says. A column's slot is found by its name as in a report."""
    columns = [c for c in row.cells if c.startswith(_SLOT)]
    ids = {slot.casefold(): slot for slot in sheet.slots}
    matched = match_slots(sheet, [SlotFacts(c.removeprefix(_SLOT)) for c in columns])
    occupants: dict[str, Occupant | None] = {}
    for column, named in zip(columns, matched, strict=True):
        slot = ids.get(column.removeprefix(_SLOT)) or named
        text = row.cells[column]
        if slot is None:
            errors.append(
                CellError(column, f"{sheet.title} has no such slot; it has {', '.join(list(sheet.slots)[:8])}")
            )
            continue
        if text.casefold() in _EMPTY:
            occupants[slot] = None
            continue
        label = decode_label(text[:MAX_LABEL_LENGTH])
        if label.contradictions:
            errors.append(CellError(column, label.contradictions[0]))
        elif label.module.capacity_gib is None:
            errors.append(
                CellError(column, f"“{text[:60]}” tells no size; write a label such as 16GB 2Rx8 PC4-2400T-RE1")
            )
        else:
            occupants[slot] = label.module
    return occupants
