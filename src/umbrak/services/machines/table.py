"""Many machines from one table: what each row would make is shown before anything is kept.

Columns: name and model (a sheet's title or id) are needed; site, zone, what people say of it (`formats.about`), firmware, system,
os bits and processor may be given, and a column for each slot, "slot A1", with label text or "empty".
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotFacts, match_slots
from umbrak.formats.about import HEADERS, About
from umbrak.formats.documents import MachineDoc
from umbrak.formats.rows import NAME, SHORT, TEXT, CellFault, RowReader
from umbrak.formats.spreadsheet import Table, harmless, read_table
from umbrak.services.errors import Refused
from umbrak.services.known.taking import check_columns, take_each
from umbrak.services.machines.making import NewMachine, make_within
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as machine_store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account

_BITS: TypeAdapter[int] = TypeAdapter(Literal[32, 64])

MAX_MACHINES = 2000
_SLOT = "slot "
_EMPTY = ("empty", "-", "none")
#: Column -> other names that people give it.
COLUMNS: dict[str, tuple[str, ...]] = {
    "name": ("machine", "host", "hostname"),
    "model": ("sheet",),
    "site": (),
    "zone": ("time zone",),
    **{h.name: h.also for h in HEADERS.values()},
    "firmware": ("firmware version", "bios"),
    "system": ("system version",),
    "os bits": ("width",),
    "processor": ("cpu",),
}
_ABOUT: dict[str, TypeAdapter[Any]] = {
    name: TypeAdapter(Annotated[f.annotation, *f.metadata])  # type: ignore[arg-type]
    for name, f in About.model_fields.items()
}


@dataclass(frozen=True, slots=True)
class FleetRow:
    """One row and what it would make, or what is wrong with it."""

    row: int
    name: str
    model: str
    #: Slots that it tells of, and what they come to.
    slots: int
    gib: float
    errors: tuple[CellFault, ...]
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
    check_columns(table, ("name", "model"), known)
    if len(table.rows) > MAX_MACHINES:
        raise Refused("file", f"At most {MAX_MACHINES} machines are made at a time; the table has {len(table.rows)}.")
    ignored = tuple(c for c in table.columns if c not in known and not c.startswith(_SLOT))
    shown: dict[int, FleetRow] = {}
    with engine.begin() as db:
        names = _Names(db, table, known)

        def take(row: RowReader) -> None:
            shown[row.number], new = _read(db, names, row)
            if new is not None:
                shown[row.number] = replace(shown[row.number], machine_id=make_within(db, account, new))

        taken = take_each(db, table, take, keep=keep, partly=True, names=known)
    wrong: dict[int, list[CellFault]] = {}
    for fault in taken.faults:
        wrong.setdefault(fault.row, []).append(fault)
    rows = tuple(
        replace(r, errors=tuple(wrong.get(n, ())), machine_id=r.machine_id if keep and n not in wrong else None)
        for n, r in shown.items()
    )
    return Fleet(rows, ignored, len(taken.rows))


class _Names:
    """What a row's names are checked against: the newest revision of each sheet by title and id, and machines that there are."""

    def __init__(self, db: Connection, table: Table, known: dict[str, str]) -> None:
        sheets = sheet_store.current_sheets(db)
        self.sheets = {name.casefold(): r.hash for r in sheets for name in (r.sheet_id, r.title)}
        column = next(c for c in table.columns if known.get(c) == "name")
        self.taken = machine_store.names_taken(db, [r.cells[column] for r in table.rows if column in r.cells])
        self.earlier: set[str] = set()


def _read(db: Connection, names: _Names, row: RowReader) -> tuple[FleetRow, NewMachine | None]:
    """(the row as it is shown, what it would make: None where it has a fault, which it tells)"""
    name = row.text("name", NAME, needed=True)
    if name.casefold() in names.earlier:
        row.fault("name", f"{name} stands in an earlier row too")
    elif name.casefold() in names.taken:
        row.fault("name", f"there is a machine {name} already")
    names.earlier |= {name.casefold()} - {""}
    model = row.text("model", NAME, needed=True)
    hash_ = names.sheets.get(model.casefold())
    if model and hash_ is None:
        row.fault("model", f"no sheet is called “{model}”")
    sheet = load_sheet(db, hash_) if hash_ else None
    occupants = _slots(sheet, row) if sheet else {}
    given = {
        "processors": _processors(sheet, row) if sheet else {},
        "site": row.text("site", SHORT, None),
        "zone": row.text("zone", NAME, "UTC"),
    }
    about = {n: row.text(HEADERS[n].name, kind, About.model_fields[n].default) for n, kind in _ABOUT.items()}
    facts = {
        "firmware": row.text("firmware", NAME, None),
        "system": row.text("system", NAME, None),
        "os_bits": row.read("os bits", _BITS, _bits),
    }
    fitted = Layout({s: m for s, m in occupants.items() if m is not None})
    shown = FleetRow(
        row=row.number,
        name=name,
        model=sheet.title if sheet else model,
        slots=len(occupants),
        gib=sum(m.capacity_gib or 0 for m in fitted.values() if isinstance(m, Module)),
        errors=(),
    )
    if row.faults or hash_ is None:
        return shown, None
    emptied = [s for s, m in occupants.items() if m is None]
    new = NewMachine(
        name=name,
        sheet_hash=hash_,
        fitted=fitted,
        emptied=emptied,
        facts=MachineDoc(**facts),
        about=About(**about),
        **given,
    )
    return shown, new


def _bits(text: str) -> int:
    digits = text.lower().removesuffix("bit").strip(" -")
    if digits not in ("32", "64"):
        raise ValueError("is neither 32 nor 64")
    return int(digits)


def _processors(sheet: Sheet, row: RowReader) -> dict[str, str | None]:
    """One processor for every socket that may hold it, by its title or id."""
    text = row.text("processor", NAME)
    if not text:
        return {}
    found = [p.id for p in sheet.processors.values() if text.casefold() in (p.id.casefold(), p.title.casefold())]
    if not found:
        known = ", ".join(p.title for p in sheet.processors.values())
        row.fault("processor", f"{sheet.title} takes no processor “{text}”; it takes {known}")
        return {}
    return {s.id: found[0] for s in sheet.sockets.values() if found[0] in s.processors}


def _slots(sheet: Sheet, row: RowReader) -> dict[str, Occupant | None]:
    """Slot -> what its cell says. A column's slot is found by its name as in a report."""
    columns = [c for c in row.columns if c.startswith(_SLOT)]
    ids = {slot.casefold(): slot for slot in sheet.slots}
    matched = match_slots(sheet, [SlotFacts(c.removeprefix(_SLOT)) for c in columns])
    occupants: dict[str, Occupant | None] = {}
    for column, named in zip(columns, matched, strict=True):
        slot = ids.get(column.removeprefix(_SLOT)) or named
        if slot is None:
            row.fault(column, f"{sheet.title} has no such slot; it has {', '.join(list(sheet.slots)[:8])}")
        elif row.text(column, TEXT).casefold() in _EMPTY:
            occupants[slot] = None
        elif module := row.label(column):
            occupants[slot] = module
    return occupants


def export_fleet(engine: Engine) -> str:
    """The machines that are looked after as CSV (RFC 4180), by name, with the columns that `take_fleet` reads but the slots'."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    with engine.connect() as db:
        for row in machine_store.all_machines(db):
            about, facts = row.about.model_dump(), row.facts
            fitted = {p for p in facts.processors.values() if p}
            cells = {
                "name": row.name,
                "model": row.sheet_title,
                "site": row.site,
                "zone": row.zone,
                **{HEADERS[name].name: value for name, value in about.items()},
                "firmware": facts.firmware,
                "system": facts.system,
                "os bits": facts.os_bits,
                # One for all its sockets, as it is read.
                "processor": fitted.pop() if len(fitted) == 1 else None,
            }
            writer.writerow(["" if cells[c] is None else harmless(str(cells[c])) for c in COLUMNS])
    return out.getvalue()
