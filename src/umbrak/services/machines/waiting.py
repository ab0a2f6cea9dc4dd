"""Machines that are kept before their model is known: grouped by model, and made all at once when a sheet knows it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from uuid import UUID

from pydantic.dataclasses import dataclass as checked
from sqlalchemy import Connection, Engine

from umbrak.core.memory.parts import serial_key
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.processors import processors_of
from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.about import About
from umbrak.formats.documents import CHECKED, MachineDoc, Name, ShortText
from umbrak.formats.placeholders import told
from umbrak.formats.rows import RowReader
from umbrak.formats.sheet.built import ClassName
from umbrak.formats.sheet.draft import title_of
from umbrak.formats.spreadsheet import Row
from umbrak.services.errors import NotFound, Refused, ServiceError
from umbrak.services.machines.cells import read_cells
from umbrak.services.machines.making import NewMachine, check_zone, make_within, named, site_of
from umbrak.services.parts.understanding import Labels
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.building import known_as, plain
from umbrak.services.sheets.library import load_sheet
from umbrak.services.surveys.intake import load_intake, match_reports
from umbrak.store import waiting as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.machines import name_taken
from umbrak.store.merging import machines_numbered
from umbrak.store.waiting import WaitingRow


@checked(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewWaiting:
    """A machine of which no sheet is known yet."""

    name: Name
    id: UUID | None = None
    kind: ClassName | None = None
    make: ShortText = ""
    model: ShortText = ""
    intake_id: UUID | None = None
    site: ShortText | None = None
    zone: Name = "UTC"
    about: About = field(default_factory=About)
    #: Cells of a table that only its sheet gives a meaning.
    told: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class WaitingGroup:
    """Machines of one model that wait for its sheet. Machines whose model nobody knows share none, each is a group."""

    #: As the plates say; "" where nobody said.
    model: str
    machines: tuple[WaitingRow, ...]
    #: A sheet that knows the model now.
    sheet: SheetHash | None
    sheet_title: str
    #: Those of them whose serial number or asset tag a machine has that is there already: perhaps the same one.
    there: tuple[There, ...]


@dataclass(frozen=True, slots=True)
class There:
    waiting_id: UUID
    #: "serial" or "asset_tag"
    field: str
    machine_id: UUID
    name: str


@dataclass(frozen=True, slots=True)
class Settled:
    """What became of one machine."""

    name: str
    machine_id: UUID | None
    #: Reports whose slot its names do not tell: left out, to be told in Survey.
    unplaced: int = 0
    #: Cells of the table it came by that its sheet gives no meaning, kept with its own columns.
    unread: tuple[str, ...] = ()
    #: Why it was not made.
    refused: str = ""


def keep_waiting(engine: Engine, account: Account, new: NewWaiting) -> UUID:
    """Raises Refused for a name that is taken, NotFound for an intake that does not exist."""
    need(account, Role.technician)
    with engine.begin() as db:
        return keep_waiting_within(db, account, new)


def keep_waiting_within(db: Connection, account: Account, new: NewWaiting) -> UUID:
    """`keep_waiting`, as a part of a transaction."""
    name = named(new.name)
    check_zone(new.zone)
    if new.id and store.waiting_machines(db, new.id):
        return new.id  # sent twice
    make, model, about = new.make, new.model, new.about
    if new.intake_id:
        system = load_intake(db, new.intake_id).reading.system
        if system:
            make, model = make or (system.maker or "")[:200], model or (system.model or "")[:200]
            about = about.reporting(system.serial)
    if name_taken(db, name):
        raise Refused("name", f"There is a machine {name} already.")
    key = store.add_waiting(
        db,
        new.id,
        name=name,
        site_id=site_of(db, new.site, new.zone),
        kind=new.kind or "",
        make=make.strip(),
        model=model.strip(),
        intake_id=new.intake_id,
        about=about,
        told=new.told,
    )
    if key is None:
        raise Refused("name", f"A machine {name} waits for its sheet already.")
    record(db, "machine waits", account.id, name=name)
    return key


def list_waiting(engine: Engine) -> tuple[WaitingGroup, ...]:
    """Those that wait, by model; the most of one model first."""
    with engine.connect() as db:
        return groups_of(db)


def groups_of(db: Connection) -> tuple[WaitingGroup, ...]:
    found: dict[str, list[WaitingRow]] = {}
    for row in store.waiting_machines(db):
        # Two machines whose model nobody said are not of one model.
        key = plain(title_of(row.make, row.model)) if row.model else f"?{row.id}"
        found.setdefault(key, []).append(row)
    there = _there(db, [row for rows in found.values() for row in rows])
    groups = []
    for rows in found.values():
        first = rows[0]
        hash_ = known_as(db, first.make, first.model)
        title = load_sheet(db, hash_).title if hash_ else ""
        same = tuple(there[r.id] for r in rows if r.id in there)
        model = title_of(first.make, first.model) if first.model else ""
        groups.append(WaitingGroup(model, tuple(rows), hash_, title, same))
    return tuple(sorted(groups, key=lambda g: (-len(g.machines), g.model.casefold())))


def _there(db: Connection, rows: Sequence[WaitingRow]) -> dict[UUID, There]:
    """Waiting machine -> the one that is there and has its number."""
    found: dict[UUID, There] = {}
    for field_ in ("asset_tag", "serial"):
        numbers = {r.id: serial_key(told(getattr(r.about, field_))) for r in rows}
        known = machines_numbered(db, field_, numbers.values())
        found |= {key: There(key, field_, *known[n]) for key, n in numbers.items() if n in known}
    return found


def settle_waiting(
    engine: Engine, account: Account, keys: Sequence[UUID], sheet_hash: SheetHash
) -> tuple[Settled, ...]:
    """Make machines under a sheet, each as far as its report's names tell; one that cannot be made goes on waiting.

    Raises NotFound for a sheet, or a machine that does not wait.
    """
    need(account, Role.technician)
    settled = []
    for key in keys:
        with engine.begin() as db:
            row = next(iter(store.waiting_machines(db, key)), None)
            if row is None:
                raise NotFound("machine")
            try:
                with db.begin_nested():
                    settled.append(_settle(db, account, row, sheet_hash))
            except ServiceError as error:
                if isinstance(error, NotFound):
                    raise
                settled.append(Settled(row.name, None, refused=str(error)))
    return tuple(settled)


def _settle(db: Connection, account: Account, row: WaitingRow, sheet_hash: SheetHash) -> Settled:
    sheet = load_sheet(db, sheet_hash)
    new = NewMachine(
        id=row.id,
        name=row.name,
        sheet_hash=sheet_hash,
        site=row.site,
        zone=row.zone,
        about=row.about,
        waiting_id=row.id,
    )
    unplaced = 0
    reader = RowReader(Row(0, dict(row.told)), read=Labels(db).read)
    cells = read_cells(sheet, reader)
    processors, reports = dict(cells.processors), dict[str, int]()
    if row.intake_id:
        reading = load_intake(db, row.intake_id).reading
        slots = match_reports(db, sheet, reading.slots)
        reports = {slot: i for i, slot in enumerate(slots) if slot is not None}
        unplaced = len(slots) - len(reports)
        processors |= processors_of(sheet, reading, slots)
    # What the machine itself reported goes before what a table says of it.
    fitted = Layout({s: m for s, m in cells.fitted.items() if s not in reports})
    unread = tuple(dict.fromkeys(f.column for f in reader.faults))
    kept = {c: row.told[c] for c in unread}
    new = replace(
        new,
        about=row.about.model_copy(update={"own": {**row.about.own, **kept}}),
        intake_id=row.intake_id,
        reports=reports,
        processors=processors,
        fitted=fitted,
        emptied=[s for s in cells.emptied if s not in reports],
        facts=MachineDoc(**cells.facts),
    )
    return Settled(row.name, make_within(db, account, new), unplaced, unread)


def forget_waiting(engine: Engine, account: Account, key: UUID) -> None:
    """Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = next(iter(store.waiting_machines(db, key)), None)
        if row is None or not store.remove_waiting(db, key):
            raise NotFound("machine")
        record(db, "waiting machine forgotten", account.id, name=row.name)


def see_waiting(engine: Engine, key: UUID) -> WaitingRow:
    """Raises NotFound."""
    with engine.connect() as db:
        row = next(iter(store.waiting_machines(db, key)), None)
    if row is None:
        raise NotFound("machine")
    return row
