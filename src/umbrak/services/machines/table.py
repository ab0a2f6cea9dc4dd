"""Many machines from one table: what each row would come to is shown, then all are taken by a job.

Of its columns a name alone is needed. A row whose model no sheet knows is kept till one does; a row of a machine that is there
changes what it tells of it, but never what is in its slots. Columns that nothing is known of are kept with the machines.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, Any
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import Connection, Engine

from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.about import HEADERS, About
from umbrak.formats.documents import MachineDoc
from umbrak.formats.rows import NAME, SHORT, TEXT, CellFault, RowReader
from umbrak.formats.sheet.draft import title_of
from umbrak.formats.spreadsheet import Row, Table, harmless, read_table
from umbrak.services.errors import Refused, ServiceError
from umbrak.services.known.taking import check_columns, meanings, names_of
from umbrak.services.machines.cells import FACTS, SLOT, Cells, is_of_sheet, processor_cell, read_cells
from umbrak.services.machines.making import MachineChanges, NewMachine, change_within, check_zone, make_within
from umbrak.services.machines.waiting import NewWaiting, keep_waiting_within
from umbrak.services.parts.understanding import Labels
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.building import plain
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as machine_store
from umbrak.store import sheets as sheet_store
from umbrak.store import waiting as waiting_store
from umbrak.store.accounts import Account
from umbrak.store.machines import MachineRow

_NOTHING: Mapping[str, str] = {}
#: Rows that a preview shows; those with something wrong go first.
SHOWN = 500
#: Column -> other names that people give it.
COLUMNS: dict[str, tuple[str, ...]] = {
    "name": ("machine", "host", "hostname"),
    "model": ("sheet",),
    "make": ("maker", "manufacturer", "vendor"),
    "site": (),
    "zone": ("time zone",),
    **{h.name: h.also for h in HEADERS.values()},
    **FACTS,
}
_ABOUT: dict[str, TypeAdapter[Any]] = {
    name: TypeAdapter(Annotated[About.model_fields[name].annotation, *About.model_fields[name].metadata])  # type: ignore[arg-type]
    for name in HEADERS
}


class Becomes(StrEnum):
    """What a row comes to."""

    MACHINE = "machine"
    #: Kept till a sheet knows its model.
    WAITING = "waiting"
    #: Something that is told of a machine that is there.
    CHANGE = "change"
    #: All that it says is known.
    NOTHING = "nothing"
    #: Something in it is wrong.
    WRONG = "wrong"


@dataclass(frozen=True, slots=True)
class FleetRow:
    """One row and what it would come to."""

    row: int
    name: str
    model: str
    becomes: Becomes
    #: Slots that it tells of, and what they come to.
    slots: int
    gib: float
    #: What it changes in a machine that is there; what becomes of cells that only a sheet would give a meaning.
    told: tuple[str, ...]
    errors: tuple[CellFault, ...]


@dataclass(frozen=True, slots=True)
class Fleet:
    #: At most `SHOWN`.
    rows: tuple[FleetRow, ...]
    #: Columns of the table's own, which are kept with the machines.
    own: tuple[str, ...]
    #: Of all rows: what they become -> how many.
    counts: Mapping[str, int]
    #: Column -> what it is taken for: one of `meanings`, "slot" or "own".
    columns: Mapping[str, str]
    #: What a column may mean besides.
    meanings: tuple[str, ...]
    #: Rows above the one that names the columns, which are left out.
    above: int


#: What a column may be said to mean beside one of `COLUMNS`: what sits in a slot, by its label; or the table's own.
IN_SLOT, OWN = "slot", "own"


def _as_told(raw: bytes, told: Mapping[str, str]) -> tuple[Table, Table, dict[str, str]]:
    """(the table as it is, with columns named as what they are said to be, column -> what is meant by it)"""
    told = {" ".join(c.lower().split()): m for c, m in told.items()}
    table = read_table(raw, names_of(COLUMNS, told))
    names = meanings(table.columns, told, COLUMNS, (IN_SLOT, OWN))
    called = {c: f"{SLOT}{c}" for c, m in told.items() if m == IN_SLOT and not c.startswith(SLOT)}
    # One of the table's own keeps no name that means something else here.
    called |= {c: f"the table’s {c}" for c, m in told.items() if m == OWN and (c in COLUMNS or is_of_sheet(c))}
    columns = tuple(called.get(c, c) for c in table.columns)
    if twice := next((c for c in columns if columns.count(c) > 1), None):
        raise Refused("meant", f"Two columns would be “{twice}”.")
    rows = tuple(Row(r.number, {called.get(c, c): v for c, v in r.cells.items()}) for r in table.rows)
    return table, Table(columns, rows, table.above), names


def see_fleet(engine: Engine, raw: bytes, told: Mapping[str, str] = _NOTHING) -> Fleet:
    """What a table of machines comes to; nothing is kept. Where no column names them, no row is told.

    Parameters
        told   column -> what is meant by it, where its name does not say

    Raises
        InputError   when it is no table
        Refused      where what is told of columns cannot be
    """
    given, table, names = _as_told(raw, told)
    columns = {
        c: names.get(c) or (IN_SLOT if renamed.startswith(SLOT) else OWN)
        for c, renamed in zip(given.columns, table.columns, strict=True)
    }
    if "name" not in names.values():
        return Fleet((), own_columns(table, names), {}, columns, tuple(COLUMNS), given.above)
    rows: list[FleetRow] = []
    with engine.connect() as db:
        known = _Known(db, table.rows, names)
        earlier: set[str] = set()
        for row in table.rows:
            reader = known.reader(row)
            rows.append(_shown(_read(db, known, reader, _name(reader) in earlier), reader))
            earlier |= {_name(reader)} - {""}
    counts = {b.value: sum(1 for r in rows if r.becomes is b) for b in Becomes}
    wrong_first = sorted(rows, key=lambda r: r.becomes is not Becomes.WRONG)[:SHOWN]
    shown = tuple(sorted(wrong_first, key=lambda r: r.row))
    return Fleet(shown, own_columns(table, names), counts, columns, tuple(COLUMNS), given.above)


def own_columns(table: Table, names: Mapping[str, str]) -> tuple[str, ...]:
    return tuple(c for c in table.columns if c not in names and not c.startswith(SLOT))


@dataclass(frozen=True, slots=True)
class RowToTake:
    """A row of a table as a job's step keeps it."""

    number: int
    cells: dict[str, str]
    #: Its name stands in a row before it.
    twice: bool


def rows_to_take(raw: bytes, told: Mapping[str, str]) -> tuple[dict[str, str], list[tuple[str, RowToTake]]]:
    """(column -> what is meant by it, the rows of a table under the names of their machines). Raises as `see_fleet`, and Refused
    where no column names them."""
    _, table, names = _as_told(raw, told)
    check_columns(table, ("name",), names)
    found, earlier = [], set[str]()
    for row in table.rows:
        name = RowReader(row, names).text("name", TEXT)
        found.append((name or f"row {row.number}", RowToTake(row.number, row.cells, name.casefold() in earlier)))
        earlier |= {name.casefold()} - {""}
    return names, found


@dataclass(frozen=True, slots=True)
class TakenRow:
    #: In words.
    outcome: str
    failed: bool = False
    machine_id: UUID | None = None


def take_rows(db: Connection, account: Account, rows: Sequence[RowToTake], names: Mapping[str, str]) -> list[TakenRow]:
    """Take some rows of a table, each whole or not at all, as a part of a transaction."""
    need(account, Role.technician)
    known = _Known(db, [Row(r.number, r.cells) for r in rows], names)
    taken = []
    for row in rows:
        reader = known.reader(Row(row.number, row.cells))
        read = _read(db, known, reader, row.twice)
        try:
            with db.begin_nested():
                taken.append(_take(db, account, known, read, reader))
        except ServiceError as error:
            taken.append(TakenRow(str(error), failed=True))
    return taken


def _take(db: Connection, account: Account, known: _Known, read: _Read, reader: RowReader) -> TakenRow:
    if reader.faults:
        told = "; ".join(f"{f.column}: {f.message}" for f in reader.faults)
        return TakenRow(f"row {reader.number}: {told}", failed=True)
    if read.machine is not None and read.changes is not None:
        if not read.words:
            return TakenRow("agrees with what is known", machine_id=read.machine.id)
        change_within(db, account, read.machine.id, None, read.changes)
        return TakenRow("; ".join(read.words), machine_id=read.machine.id)
    if isinstance(read.new, NewMachine):
        return TakenRow(f"new: made as {read.model}", machine_id=make_within(db, account, read.new))
    if read.new is not None:
        keep_waiting_within(db, account, read.new)
        return TakenRow(f"new: it waits for a sheet of {read.model or 'its model, which is not known'}")
    raise Refused("row", "Nothing can be made of it.")


class _Known:
    """What rows are read with: sheets by their names, machines that there are, how labels are read."""

    def __init__(self, db: Connection, rows: Sequence[Row], names: Mapping[str, str]) -> None:
        self.names = names
        self.labels = Labels(db)
        self.sheets: dict[str, SheetHash] = {}
        for r in sheet_store.current_sheets(db):
            self.sheets |= {n.casefold(): r.hash for n in (r.sheet_id, r.title)}
            if not r.archetype:
                self.sheets |= {plain(n): r.hash for n in (r.title, *load_sheet(db, r.hash).models)}
        column = next((c for c, meant in names.items() if meant == "name"), "")
        called = [r.cells[column] for r in rows if column in r.cells]
        self.machines = machine_store.machines_named(db, called)
        self.waiting = waiting_store.waiting_named(db, called)

    def reader(self, row: Row) -> RowReader:
        return RowReader(row, self.names, self.labels.read)

    def sheet_of(self, make: str, model: str) -> SheetHash | None:
        said = (model.casefold(), plain(model), plain(f"{make} {model}"), plain(title_of(make, model)))
        return next((self.sheets[n] for n in said if n in self.sheets), None) if plain(model) else None


@dataclass(frozen=True, slots=True)
class _Read:
    """What a row says."""

    name: str
    #: The title of its sheet, or what the row calls it.
    model: str
    becomes: Becomes
    cells: Cells | None = None
    new: NewMachine | NewWaiting | None = None
    machine: MachineRow | None = None
    changes: MachineChanges | None = None
    words: tuple[str, ...] = ()


def _name(row: RowReader) -> str:
    return row.peek("name").casefold()


def _shown(read: _Read, row: RowReader) -> FleetRow:
    waits = [c for c in row.columns if is_of_sheet(c)] if read.becomes is Becomes.WAITING else []
    return FleetRow(
        row=row.number,
        name=read.name,
        model=read.model,
        becomes=Becomes.WRONG if row.faults else read.becomes,
        slots=len(read.cells.fitted) + len(read.cells.emptied) if read.cells else 0,
        gib=read.cells.gib if read.cells else 0,
        told=(*read.words, *([f"kept for its sheet: {', '.join(waits)}"] if waits else [])),
        errors=tuple(row.faults),
    )


def _read(db: Connection, known: _Known, row: RowReader, twice: bool) -> _Read:
    """What a row says; what is wrong in it is told by the reader."""
    name = row.text("name", NAME, needed=True)
    if twice:
        row.fault("name", f"{name} stands in an earlier row too")
    make, model = row.text("make", SHORT), row.text("model", SHORT)
    hash_ = known.sheet_of(make, model)
    sheet = load_sheet(db, hash_) if hash_ else None
    about = {n: row.text(HEADERS[n].name, kind, None) for n, kind in _ABOUT.items()}
    about = {n: v for n, v in about.items() if v is not None}
    own = {c: row.text(c, TEXT) for c in row.columns if c not in COLUMNS and not c.startswith(SLOT)}
    site, zone = row.text("site", SHORT, None), row.text("zone", NAME, None)
    try:
        check_zone(zone or "UTC")
    except Refused as error:
        row.fault("zone", str(error))
    title = sheet.title if sheet else title_of(make, model) if model else ""
    cells = read_cells(sheet, row) if sheet else None
    if (there := known.machines.get(name.casefold())) is not None:
        if model and (sheet is None or sheet.id != there.sheet_id):
            row.fault("model", f"{there.name} is kept as {there.sheet_title}: say on its page if it is another model")
        changes, words = _changes(there, cells, about, own, site, zone)
        if any(c.startswith(SLOT) for c in row.columns):
            words = (*words, "its slots stay as they were surveyed") if words else words
        becomes = Becomes.CHANGE if words else Becomes.NOTHING
        return _Read(name, title, becomes, machine=there, changes=changes, words=words)
    if name.casefold() in known.waiting:
        row.fault("name", f"{name} waits for its sheet already")
    if row.faults:
        return _Read(name, title, Becomes.WRONG, cells)
    said = About(**about, own=own)
    if hash_ is None or cells is None:
        told = {c: row.text(c, TEXT) for c in row.columns if is_of_sheet(c)}
        waiting = NewWaiting(name=name, make=make, model=model, site=site, zone=zone or "UTC", about=said, told=told)
        return _Read(name, title, Becomes.WAITING, new=waiting)
    new = NewMachine(
        name=name,
        sheet_hash=hash_,
        fitted=cells.fitted,
        emptied=list(cells.emptied),
        processors=dict(cells.processors),
        site=site,
        zone=zone or "UTC",
        about=said,
        facts=MachineDoc(**cells.facts),
    )
    return _Read(name, title, Becomes.MACHINE, cells, new=new)


def _changes(
    m: MachineRow,
    cells: Cells | None,
    about: Mapping[str, Any],
    own: Mapping[str, str],
    site: str | None,
    zone: str | None,
) -> tuple[MachineChanges, tuple[str, ...]]:
    """What a row changes in a machine that is there, and that in words. What it leaves empty stays."""
    words = []

    def differs(called: str, before: Any, after: Any) -> bool:
        if before == after:
            return False
        words.append(f"{called}: {before} becomes {after}" if before else f"{called}: {after}")
        return True

    told: dict[str, Any] = {n: v for n, v in about.items() if differs(HEADERS[n].name, getattr(m.about, n), v)}
    if [c for c, v in own.items() if differs(c, m.about.own.get(c), v)]:
        told["own"] = {**m.about.own, **own}
    facts = None
    if cells is not None:
        said = {n: v for n, v in cells.facts.items() if differs(n.replace("_", " "), getattr(m.facts, n), v)}
        fitted = {s: p for s, p in cells.processors.items() if differs(f"processor {s}", m.facts.processors.get(s), p)}
        if said or fitted:
            processors = {**m.facts.processors, **fitted}
            facts = m.facts.model_copy(update={**said, "processors": processors})
    new_site = site if site is not None and differs("site", m.site, site) else None
    # A zone is the site's: it counts where that is a new one.
    return MachineChanges(site=new_site, zone=zone if new_site else None, facts=facts, about=told), tuple(words)


def export_fleet(engine: Engine) -> str:
    """The machines that are looked after as CSV (RFC 4180), by name, with the columns that `see_fleet` reads but the slots'."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    with engine.connect() as db:
        rows = machine_store.all_machines(db)
        own = sorted({c for row in rows for c in row.about.own})
        columns = [c for c in COLUMNS if c != "make"]
        writer.writerow([*columns, *own])
        for row in rows:
            facts = row.facts
            cells: dict[str, Any] = {
                "name": row.name,
                "model": row.sheet_title,
                "site": row.site,
                "zone": row.zone,
                **{h.name: getattr(row.about, name) for name, h in HEADERS.items()},
                "firmware": facts.firmware,
                "system": facts.system,
                "os bits": facts.os_bits,
                "processor": processor_cell(load_sheet(db, row.sheet_hash), facts.processors),
            }
            told = [*(cells[c] for c in columns), *(row.about.own.get(c, "") for c in own)]
            writer.writerow(["" if v is None else harmless(str(v)) for v in told])
    return out.getvalue()
