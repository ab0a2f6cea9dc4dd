"""Machines: making one from what it reports, changing what is said of it, retiring it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, field, replace
from datetime import UTC, datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic.dataclasses import dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.platform.known import Drive, Known
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotState, SurveyReading, as_its_slot
from umbrak.formats.about import About
from umbrak.formats.documents import CHECKED, HashOfSheet, MachineDoc, Name, ShortText
from umbrak.formats.sheet.built import BoardAnswers
from umbrak.services.errors import Refused
from umbrak.services.known.loading import check_facts
from umbrak.services.known.summaries import refresh
from umbrak.services.known.view import current
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.building import keep_built
from umbrak.services.sheets.doubts import doubt_names
from umbrak.services.sheets.library import load_sheet
from umbrak.services.surveys.by_hand import check_bay, check_drives, seen_slots
from umbrak.services.surveys.intake import learn_from, load_intake, told_beside
from umbrak.store import machines as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.surveys import add_survey
from umbrak.store.waiting import remove_waiting, waiting_name_taken


@dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class MachineChanges:
    """What a person may change of a machine; None = leave it as it is, except in `facts`, which is the whole."""

    name: Name | None = None
    site: ShortText | None = None
    zone: Name | None = None
    facts: MachineDoc | None = None
    #: Of `About` the fields that change.
    about: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewMachine:
    """What a machine is made from: its sheet or, where none knows it, a board built by answers; an intake and which slot each
    report is about, and its slots by hand."""

    name: Name
    #: Made by who sends it: what is sent twice is made once.
    id: UUID | None = None
    sheet_hash: HashOfSheet | None = None
    board: BoardAnswers | None = None
    #: It was kept before its model was known, under this id.
    waiting_id: UUID | None = None
    intake_id: UUID | None = None
    #: Slot -> index of its report in the intake's reading.
    reports: dict[str, int] = field(default_factory=dict)
    #: By hand: what is in the slots that somebody looked into; `emptied` are the ones found empty.
    fitted: Layout = field(default_factory=Layout)
    emptied: list[str] = field(default_factory=list)
    #: Socket -> processor id, or None where the socket is empty; left out = unknown.
    processors: dict[str, str | None] = field(default_factory=dict)
    #: Bay -> the drive that somebody saw in it, None where it is empty.
    bays: dict[int, Drive | None] = field(default_factory=dict)
    site: ShortText | None = None
    zone: Name = "UTC"
    about: About = field(default_factory=About)
    #: What else is known of it; its processors may be in `processors` too.
    facts: MachineDoc | None = None


def make_machine(engine: Engine, account: Account, new: NewMachine) -> UUID:
    """A machine; slots that nobody told of stay unknown.

    Raises
        Refused      a name that is taken, a slot, report or processor that does not exist; names the field
        NotFound     no such sheet or intake
    """
    need(account, Role.technician)
    with engine.begin() as db:
        return make_within(db, account, new)


def make_within(db: Connection, account: Account, new: NewMachine) -> UUID:
    """`make_machine`, as a part of a transaction."""
    name = named(new.name)
    check_zone(new.zone)
    if new.id and store.machine_exists(db, new.id):
        return new.id
    if new.board and new.sheet_hash is None:
        hash_ = keep_built(db, account, new.board, new.fitted, new.intake_id, new.reports)
    elif new.sheet_hash and new.board is None:
        hash_ = new.sheet_hash
    else:
        raise Refused("sheet_hash", "Choose the sheet of its model, or build its board: one of the two.")
    sheet = load_sheet(db, hash_)
    now = datetime.now(UTC)
    occupants: dict[str, Occupant | None] = dict.fromkeys(sheet.slots, UNKNOWN)
    names: dict[str, str] = {}
    content, kind, facts, about = Known(), "by hand", new.facts or MachineDoc(), new.about
    reading = load_intake(db, new.intake_id).reading if new.intake_id else None
    if reading:
        kind = reading.kind
        facts = facts.model_copy(update={"firmware": reading.firmware.version if reading.firmware else None})
        about = about.reporting(reading.system.serial if reading.system else None)
        occupants |= _reported(sheet, reading, new.reports)
        content = told_beside(content, sheet, reading, new.reports, now)
        names = learn_from(db, sheet, reading, new.reports)
        failed = [slot for slot, i in new.reports.items() if reading.slots[i].state is SlotState.FAILED]
        used = [s for s in failed if reading.slots[new.reports[s]].is_in_use]
        content = replace(content, failed=tuple(sorted(failed)), in_use=tuple(sorted(used)))
    occupants |= seen_slots(sheet, new.fitted, new.emptied, "fitted")
    facts = facts.model_copy(update={"processors": {**facts.processors, **new.processors}})
    check_facts(sheet, facts)
    if new.waiting_id:
        remove_waiting(db, new.waiting_id)
    elif waiting_name_taken(db, name):
        raise Refused("name", f"A machine {name} waits for its sheet: go on with that one.")
    site_id = site_of(db, new.site, new.zone)
    key = store.add_machine(db, new.id, name=name, site_id=site_id, sheet_hash=hash_, facts=facts, about=about)
    if key is None:
        raise Refused("name", f"There is a machine {name} already.")
    for number in new.bays:
        check_bay(sheet, number)
    check_drives(new.bays)
    slots = Layout({s: as_its_slot(sheet, o) for s, o in occupants.items()})
    content = replace(content, slots=slots, bays=new.bays)
    add_survey(db, key, kind, content, account.id, new.intake_id, now)
    doubt_names(db, account, sheet, key, names)
    refresh(db, key)
    record(db, "machine made", account.id, key, name=name, sheet=hash_)
    return key


def named(name: str) -> str:
    if not (name := name.strip()):
        raise Refused("name", "Give the machine a name.")
    return name


def check_zone(zone: str) -> None:
    try:
        ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise Refused("zone", f"{zone} is no time zone; write one such as Atlantic/Faroe.") from error


def site_of(db: Connection, site: str | None, zone: str) -> UUID | None:
    return store.find_or_add_site(db, site.strip(), zone) if site and site.strip() else None


def _reported(sheet: Sheet, reading: SurveyReading, reports: Mapping[str, int]) -> dict[str, Occupant | None]:
    """What an intake's reports say of the slots that they are mapped to."""
    occupants: dict[str, Occupant | None] = {}
    used: dict[int, str] = {}
    for slot, index in reports.items():
        if slot not in sheet.slots:
            raise Refused(f"slots.{slot}", f"{sheet.title} has no slot {slot}.")
        if not 0 <= index < len(reading.slots) or reading.slots[index].state is SlotState.SOLDERED:
            raise Refused(f"slots.{slot}", f"There is no report {index} of a slot.")
        if index in used:
            told = reading.slots[index].locator
            raise Refused(f"slots.{slot}", f"The report of {told} is given to {used[index]} already.")
        used[index] = slot
        occupants[slot] = reading.slots[index].occupant()
    return occupants


def change_machine(engine: Engine, account: Account, key: UUID, version: int, changes: MachineChanges) -> None:
    """Change what is given. Raises NotFound, Refused for wrong input, Stale with the machine as it is."""
    need(account, Role.technician)
    with engine.begin() as db:
        change_within(db, account, key, version, changes)


def change_within(db: Connection, account: Account, key: UUID, version: int | None, changes: MachineChanges) -> None:
    """`change_machine`, as a part of a transaction; version None: whatever it is at."""
    m = current(db, key, version, asdict(changes))
    values: dict[str, Any] = {}
    if changes.name is not None and (name := named(changes.name)) != m.row.name:
        if store.name_taken(db, name, key):
            raise Refused("name", f"There is a machine {name} already.")
        values["name"] = name
    zone = changes.zone or m.row.zone
    check_zone(zone)
    if changes.site is not None and changes.site.strip() != (m.row.site or ""):
        values["site_id"] = site_of(db, changes.site, zone)
    about = About(**{**m.row.about.model_dump(), **changes.about})
    values |= {n: v for n in changes.about if (v := getattr(about, n)) != getattr(m.row.about, n)}
    if changes.facts is not None:
        check_facts(m.sheet, changes.facts)
        if changes.facts.value() != m.machine:
            values["facts"] = changes.facts
    if values:
        store.change_machine(db, key, m.row.version + 1, values)
        refresh(db, key)
        told = {k.removesuffix("_id"): v if isinstance(v, str) else None for k, v in values.items()}
        record(db, "machine changed", account.id, key, changed=told, version=m.row.version + 1)


def retire_machine(engine: Engine, account: Account, key: UUID, version: int, retired: bool) -> None:
    """Take a machine from the list, or bring it back; nothing of it is lost. Raises NotFound, Stale."""
    need(account, Role.technician)
    with engine.begin() as db:
        retire_within(db, account, key, version, retired)


def retire_within(db: Connection, account: Account, key: UUID, version: int | None, retired: bool) -> None:
    """`retire_machine`, as a part of a transaction; version None: whatever it is at."""
    m = current(db, key, version, {"retired": retired})
    version = m.row.version + 1
    store.change_machine(db, key, version, {"retired_at": datetime.now(UTC) if retired else None})
    refresh(db, key)
    record(db, "machine retired" if retired else "machine brought back", account.id, key, version=version)
