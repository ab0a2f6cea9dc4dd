"""Machines: making one from what it reports, and seeing them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy import Connection, Engine

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotState, SurveyReading, match_slots
from umbrak.core.targets import Target, targets
from umbrak.formats.documents import MachineDoc, layout_json, read_layout
from umbrak.services.accounts import Role, need
from umbrak.services.board import Board, board_of
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.intake import load_intake
from umbrak.services.judging import judge
from umbrak.services.loading import Loaded, known_slots, load_machine, loaded, official_gib, sources_of
from umbrak.services.sheets import load_sheet
from umbrak.services.summaries import refresh
from umbrak.store import machines as store
from umbrak.store import plans as plan_store
from umbrak.store.accounts import Account
from umbrak.store.history import HistoryLine, history_of, record


@dataclass(frozen=True, slots=True)
class PlanName:
    id: UUID
    name: str
    state: str
    updated_at: datetime


@dataclass(frozen=True, slots=True)
class SurveyFacts:
    """What is known of the slots, from where and since when."""

    revision: int
    kind: str
    taken_at: datetime
    taken_by: str | None
    known: int
    total: int
    #: Slot -> what is known of it is from where and when.
    sources: Mapping[str, FactSource]
    #: Slot -> a report that differs and is not settled yet.
    disputed: Mapping[str, Dispute]


@dataclass(frozen=True, slots=True)
class Drive:
    """A drive as told apart from others: its serial number, or what is written on it."""

    serial: str = ""
    label: str = ""


@dataclass(frozen=True, slots=True)
class BayView:
    number: int
    known: bool
    #: None where the bay is empty, or not known.
    drive: Drive | None


@dataclass(frozen=True, slots=True)
class FactSource:
    kind: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Dispute:
    """What another source says of a slot."""

    kind: str
    at: datetime
    says: Occupant | None


@dataclass(frozen=True, slots=True)
class MachineChanges:
    """What a person may change of a machine; None = leave it as it is, except in `facts`, which is the whole."""

    name: str | None = None
    place: str | None = None
    site: str | None = None
    zone: str | None = None
    duty_group: str | None = None
    facts: MachineDoc | None = None


@dataclass(frozen=True, slots=True)
class MachineView:
    """One machine with its board and what it comes to as it stands."""

    id: UUID
    name: str
    place: str
    site: str | None
    zone: str
    sheet_title: str
    version: int
    duty_group: str
    retired_at: datetime | None
    #: What is particular to this unit; what is left out is unknown.
    facts: Machine
    sheet_hash: str
    #: Modes that its sheet names.
    modes: tuple[str, ...]
    #: Socket -> the processors it may hold, in the sheet's order.
    may_hold: Mapping[str, tuple[str, ...]]
    #: Sockets that may be empty.
    may_be_bare: tuple[str, ...]
    survey: SurveyFacts
    board: Board
    slots: Mapping[str, Occupant]
    #: Slots whose module is at fault.
    failed: tuple[str, ...]
    #: Drive bays by number, and how they stand on the front; none where the model has none.
    bays: tuple[BayView, ...]
    bay_columns: int
    bay_numbering: str
    evaluation: Evaluation
    #: The lowest official total in force; None where nobody states one.
    official_gib: float | None
    plans: tuple[PlanName, ...]


@dataclass(frozen=True, slots=True)
class NewMachine:
    """What a machine is made from: an intake and which slot each report is about, or its slots by hand."""

    name: str
    sheet_hash: str
    intake_id: UUID | None = None
    #: Slot -> index of its report in the intake's reading.
    reports: Mapping[str, int] = field(default_factory=dict)
    #: By hand: what is in the slots that somebody looked into; `emptied` are the ones found empty.
    fitted: Layout = field(default_factory=Layout)
    emptied: Sequence[str] = ()
    #: Socket -> processor id, or None where the socket is empty; left out = unknown.
    processors: Mapping[str, str | None] = field(default_factory=dict)
    place: str = ""
    site: str | None = None
    zone: str = "UTC"
    duty_group: str = ""


def make_machine(engine: Engine, account: Account, new: NewMachine) -> UUID:
    """A machine; slots that nobody told of stay unknown.

    Raises
        Refused      a name that is taken, a slot, report or processor that does not exist; names the field
        NotFound     no such sheet or intake
    """
    need(account, Role.technician)
    name = _named(new.name)
    _check_zone(new.zone)
    with engine.begin() as db:
        sheet = load_sheet(db, new.sheet_hash)
        occupants: dict[str, Occupant | None] = dict.fromkeys(sheet.slots, UNKNOWN)
        kind, firmware = "by hand", None
        failed: list[str] = []
        if new.intake_id:
            intake = load_intake(db, new.intake_id)
            kind = intake.reading.kind
            firmware = intake.reading.firmware.version if intake.reading.firmware else None
            occupants |= _reported(sheet, intake.reading, new.reports)
            states = {slot: intake.reading.slots[i].state for slot, i in new.reports.items()}
            named = match_slots(sheet, intake.reading.slots)
            for slot, index in new.reports.items():
                report = intake.reading.slots[index]
                if named[index] != slot and report.locator:
                    store.learn_locator(db, sheet.id, report.bank or "", report.locator, slot)
            failed = [slot for slot, state in states.items() if state is SlotState.FAILED]
        occupants |= _by_hand(sheet, new.fitted, new.emptied, "fitted")
        _check_processors(sheet, new.processors)
        facts = MachineDoc(processors=dict(new.processors), firmware=firmware).model_dump(exclude_none=False)
        site_id = _site(db, new.site, new.zone)
        key = store.add_machine(db, name, site_id, new.place.strip(), new.sheet_hash, facts, new.duty_group.strip())
        if key is None:
            raise Refused("name", f"There is a machine {name} already.")
        slots = layout_json(Layout(occupants))
        store.add_survey(db, key, kind, slots, account.id, new.intake_id, datetime.now(UTC), failed)
        refresh(db, key)
        record(db, "machine made", account.id, key, name=name, sheet=new.sheet_hash)
    return key


def _named(name: str) -> str:
    if not (name := name.strip()):
        raise Refused("name", "Give the machine a name.")
    return name


def _check_zone(zone: str) -> None:
    try:
        ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise Refused("zone", f"{zone} is no time zone; write one such as Atlantic/Faroe.") from error


def _site(db: Connection, site: str | None, zone: str) -> UUID | None:
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


def _by_hand(sheet: Sheet, fitted: Layout, emptied: Sequence[str], field_name: str) -> dict[str, Occupant | None]:
    told: dict[str, Occupant | None] = {**dict.fromkeys(emptied), **fitted}
    for slot in told:
        if slot not in sheet.slots:
            raise Refused(f"{field_name}.{slot}", f"{sheet.title} has no slot {slot}.")
    return told


def change_machine(engine: Engine, account: Account, key: UUID, version: int, changes: MachineChanges) -> None:
    """Change what is given. Raises NotFound, Refused for wrong input, Stale with the machine as it is."""
    need(account, Role.technician)
    with engine.begin() as db:
        m = _current(db, key, version, asdict(changes))
        values: dict[str, Any] = {}
        if changes.name is not None and (name := _named(changes.name)) != m.row.name:
            if store.name_taken(db, name, key):
                raise Refused("name", f"There is a machine {name} already.")
            values["name"] = name
        for column in ("place", "duty_group"):
            given = getattr(changes, column)
            if given is not None and given.strip() != getattr(m.row, column):
                values[column] = given.strip()
        zone = changes.zone or m.row.zone
        _check_zone(zone)
        if changes.site is not None and changes.site.strip() != (m.row.site or ""):
            values["site_id"] = _site(db, changes.site, zone)
        if changes.facts is not None:
            _check_facts(m.sheet, changes.facts)
            if (facts := changes.facts.model_dump()) != m.row.facts:
                values["facts"] = facts
        if values:
            store.change_machine(db, key, version + 1, values)
            refresh(db, key)
            told = {k.removesuffix("_id"): v if isinstance(v, str) else None for k, v in values.items()}
            record(db, "machine changed", account.id, key, changed=told, version=version + 1)


def retire_machine(engine: Engine, account: Account, key: UUID, version: int, retired: bool) -> None:
    """Take a machine from the list, or bring it back; nothing of it is lost. Raises NotFound, Stale."""
    need(account, Role.technician)
    with engine.begin() as db:
        _current(db, key, version, {"retired": retired})
        values = {"retired_at": datetime.now(UTC) if retired else None}
        store.change_machine(db, key, version + 1, values)
        refresh(db, key)
        record(db, "machine retired" if retired else "machine brought back", account.id, key, version=version + 1)


def survey_by_hand(
    engine: Engine,
    account: Account,
    key: UUID,
    revision: int,
    found: Layout,
    emptied: Sequence[str],
    failed: Sequence[str] | None = None,
) -> None:
    """What somebody saw in some slots, as a new survey over the newest one; `failed` = all slots now at fault.

    Raises
        NotFound, Refused
        Stale      the newest survey is not `revision` any more
    """
    need(account, Role.technician)
    with engine.begin() as db:
        m = _current(db, key, None, {})
        told = _by_hand(m.sheet, found, emptied, "slots")
        if m.survey.revision != revision:
            yours = {"slots": layout_json(found), "emptied": list(emptied)}
            raise Stale("The machine was surveyed again meanwhile; nothing of yours was saved.", _view(m, ()), yours)
        broken = m.survey.failed if failed is None else list(failed)
        for slot in broken:
            if slot not in m.sheet.slots:
                raise Refused("failed", f"{m.sheet.title} has no slot {slot}.")
        slots = layout_json(Layout({**m.layout, **told}))
        if slots == m.survey.slots and sorted(broken) == sorted(m.survey.failed):
            return
        now = datetime.now(UTC)
        # Who has looked settles what was disputed there.
        disputed = {s: d for s, d in m.survey.disputed.items() if s not in told}
        sources = {**sources_of(m), **{s: {"kind": "by hand", "at": now.isoformat()} for s in told}}
        store.add_survey(db, key, "by hand", slots, account.id, None, now, broken, sources, disputed, m.survey.bays)
        refresh(db, key)
        record(
            db, "surveyed by hand", account.id, key, slots=sorted(told), failed=sorted(broken), revision=revision + 1
        )


def record_bays(
    engine: Engine,
    account: Account,
    key: UUID,
    revision: int,
    bays: Mapping[int, Drive | None],
    unknown: Sequence[int] = (),
) -> None:
    """Which drive somebody saw in which bay, None = empty, over what is known. Raises NotFound, Refused, Stale."""
    need(account, Role.technician)
    with engine.begin() as db:
        m = _current(db, key, None, {})
        count = m.sheet.bays.rows * m.sheet.bays.columns if m.sheet.bays else 0
        for number in (*bays, *unknown):
            if not 1 <= number <= count:
                raise Refused(f"bays.{number}", f"{m.sheet.title} has no bay {number}; it has {count}.")
        if m.survey.revision != revision:
            raise Stale("The machine was surveyed again meanwhile; nothing of yours was saved.", _view(m, ()), None)
        told = {str(n): None if d is None else asdict(d) for n, d in bays.items()}
        known = {n: d for n, d in {**m.survey.bays, **told}.items() if int(n) not in unknown}
        serials = [d["serial"].casefold() for d in known.values() if d and d["serial"]]
        twice = next((s for s in serials if serials.count(s) > 1), None)
        if twice:
            raise Refused("bays", f"The drive {twice} cannot be in two bays.")
        if known == m.survey.bays:
            return
        s = m.survey
        store.add_survey(
            db, key, s.kind, s.slots, account.id, None, s.taken_at, s.failed, sources_of(m), s.disputed, known
        )
        record(db, "bays recorded", account.id, key, bays=sorted(map(int, told)), revision=revision + 1)


def _current(db: Connection, key: UUID, version: int | None, yours: Any) -> Loaded:
    """The machine, locked. Raises NotFound, or Stale when it is not at `version` any more."""
    row = store.find_machine(db, key, lock=True)
    if row is None:
        raise NotFound("machine")
    m = loaded(db, row)
    if version is not None and row.version != version:
        raise Stale(f"{row.name} was changed meanwhile; nothing of yours was saved.", _view(m, ()), yours)
    return m


def _check_facts(sheet: Sheet, facts: MachineDoc) -> None:
    _check_processors(sheet, facts.processors)
    if facts.mode is not None and facts.mode not in {m.id for m in sheet.memory.modes}:
        raise Refused("facts.mode", f"{sheet.title} has no mode {facts.mode}.")


def _check_processors(sheet: Sheet, processors: Mapping[str, str | None]) -> None:
    for socket, processor in processors.items():
        if socket not in sheet.sockets:
            raise Refused(f"processors.{socket}", f"{sheet.title} has no socket {socket}.")
        known = sheet.sockets[socket]
        if processor is None and not known.may_be_absent:
            raise Refused(f"processors.{socket}", f"{socket} always holds a processor.")
        if processor is not None and processor not in known.processors:
            raise Refused(f"processors.{socket}", f"{socket} does not take {processor}.")


def see_machine(engine: Engine, key: UUID) -> MachineView:
    """Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, key)
        plans = tuple(PlanName(p.id, p.name, p.state, p.updated_at) for p in plan_store.plans_of(db, key))
    return _view(m, plans)


def _view(m: Loaded, plans: tuple[PlanName, ...]) -> MachineView:
    evaluation = judge(m.sheet, m.machine, m.layout)
    return MachineView(
        id=m.row.id,
        name=m.row.name,
        place=m.row.place,
        site=m.row.site,
        zone=m.row.zone,
        sheet_title=m.row.sheet_title,
        version=m.row.version,
        duty_group=m.row.duty_group,
        retired_at=m.row.retired_at,
        facts=m.machine,
        sheet_hash=m.row.sheet_hash,
        modes=tuple(mode.id for mode in m.sheet.memory.modes),
        may_hold={s.id: s.processors for s in m.sheet.sockets.values()},
        may_be_bare=tuple(s.id for s in m.sheet.sockets.values() if s.may_be_absent),
        survey=_survey_facts(m),
        board=board_of(m.sheet, m.machine),
        slots=dict(m.layout),
        failed=tuple(s for s in m.sheet.slots if s in m.survey.failed),
        bays=_bays(m),
        bay_columns=m.sheet.bays.columns if m.sheet.bays else 0,
        bay_numbering=m.sheet.bays.numbering if m.sheet.bays else "",
        evaluation=evaluation,
        official_gib=official_gib(evaluation),
        plans=plans,
    )


def _bays(m: Loaded) -> tuple[BayView, ...]:
    count = m.sheet.bays.rows * m.sheet.bays.columns if m.sheet.bays else 0
    known = m.survey.bays
    return tuple(
        BayView(n, str(n) in known, Drive(**drive) if (drive := known.get(str(n))) else None)
        for n in range(1, count + 1)
    )


def _survey_facts(m: Loaded) -> SurveyFacts:
    s = m.survey
    return SurveyFacts(
        revision=s.revision,
        kind=s.kind,
        taken_at=s.taken_at,
        taken_by=s.taken_by,
        known=known_slots(m),
        total=len(m.sheet.slots),
        sources={slot: FactSource(x["kind"], datetime.fromisoformat(x["at"])) for slot, x in sources_of(m).items()},
        disputed={
            slot: Dispute(d["kind"], datetime.fromisoformat(d["at"]), read_layout({"x": d["says"]}).get("x"))
            for slot, d in s.disputed.items()
        },
    )


def machine_history(engine: Engine, key: UUID, before: int | None = None) -> list[HistoryLine]:
    """A page of who did what to the machine and its plans, newest first. Raises NotFound."""
    with engine.connect() as db:
        if store.find_machine(db, key) is None:
            raise NotFound("machine")
        return history_of(db, key, before)


def machine_targets(engine: Engine, key: UUID, module: Module, taken_from: str | None) -> tuple[Target, ...]:
    """Every slot of the machine as it is, as a place for a module (see core.targets). Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, key)
    return targets(m.sheet, m.machine, m.layout, module, taken_from=taken_from)
