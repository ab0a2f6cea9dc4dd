"""A machine surveyed again: what a new report says beside what is known, slot by slot, and what of it is taken over.

What is not taken over is not forgotten: it is kept beside what is known as disputed, with its source, until somebody
settles it or a later survey agrees.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.difference import AGREES, Change, SlotDifference, compare_slot
from umbrak.core.platform.known import Disputed, Drive, Origin
from umbrak.core.platform.machine import Layout, Occupant, unmarked
from umbrak.core.platform.processors import processors_of
from umbrak.core.platform.survey import (
    OF_A_GUEST,
    SlotState,
    SurveyReading,
    as_its_slot,
    named_by,
    says_model,
)
from umbrak.formats.documents import MachineDoc
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.known.loading import Loaded, load_machine, loaded, sources_of, with_facts
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.doubts import doubt_names
from umbrak.services.surveys.by_hand import check_drives
from umbrak.services.surveys.intake import Intake, learn_from, load_intake, match_reports, told_beside
from umbrak.store import machines as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.surveys import add_survey


@dataclass(frozen=True, slots=True)
class FactDifference:
    """A fact about the whole machine: "firmware", "serial", "other_serials", "processors.SOCKET", or the drive of "bays.NUMBER"."""

    fact: str
    known: str | None
    reported: str | None


@dataclass(frozen=True, slots=True)
class Unplaced:
    """A report that no slot is known for."""

    index: int
    locator: str
    bank: str | None


@dataclass(frozen=True, slots=True)
class Another:
    """By what a report is of another machine than the one that it is held against."""

    serial: str
    #: The machine that is known by it; None where none is.
    name: str | None


@dataclass(frozen=True, slots=True)
class Difference:
    """All that a report says beside what is known."""

    #: The survey that it is compared with.
    revision: int
    kind: str
    source_name: str
    #: Slot -> index of its report.
    reports: Mapping[str, int]
    slots: tuple[SlotDifference, ...]
    facts: tuple[FactDifference, ...]
    #: Slots whose module is reported as failed.
    failed: tuple[str, ...]
    unplaced: tuple[Unplaced, ...]
    #: Slots of the machine that no report is about.
    unreported: tuple[str, ...]
    #: That it is of another machine; what model it says it is, where the sheet has another name.
    another: Another | None = None
    calls_itself: str | None = None


def see_difference(
    engine: Engine, machine_id: UUID, intake_id: UUID, reports: Mapping[str, int] | None = None
) -> Difference:
    """Compare; `reports` says which report is which slot where the names do not. Raises NotFound, Refused."""
    with engine.connect() as db:
        m, intake = load_machine(db, machine_id), load_intake(db, intake_id)
        placed = place_reports(db, m, intake, reports or {})
        return _difference(db, m, intake, placed)


def compare(db: Connection, m: Loaded, intake: Intake) -> Difference:
    """What a report says beside what is known, as far as its names tell which slot is which."""
    return _difference(db, m, intake, place_reports(db, m, intake, {}))


def place_reports(db: Connection, m: Loaded, intake: Intake, told: Mapping[str, int]) -> dict[str, int]:
    """Slot -> report: as told, else as names or what was told of this model before say."""
    found = match_reports(db, m.sheet, intake.reading.slots)
    placed = {slot: i for i, slot in enumerate(found) if slot is not None and i not in told.values()}
    placed |= told
    for slot, index in placed.items():
        if slot not in m.sheet.slots:
            raise Refused(f"reports.{slot}", f"{m.sheet.title} has no slot {slot}.")
        if not 0 <= index < len(intake.reading.slots):
            raise Refused(f"reports.{slot}", f"There is no report {index}.")
    return {s: i for s, i in placed.items() if intake.reading.slots[i].state is not SlotState.SOLDERED}


def _difference(db: Connection, m: Loaded, intake: Intake, placed: Mapping[str, int]) -> Difference:
    reading, fitted = intake.reading, unmarked(m.layout)
    slots = [compare_slot(s, fitted.get(s), reading.slots[placed[s]].occupant()) for s in m.sheet.slots if s in placed]
    facts = []
    firmware = reading.firmware.version if reading.firmware else None
    if firmware and firmware != m.machine.firmware:
        facts.append(FactDifference("firmware", m.machine.firmware, firmware))
    slot_of = {i: s for s, i in placed.items()}
    shown = processors_of(m.sheet, reading, [slot_of.get(i) for i in range(len(reading.slots))])
    for socket, processor in shown.items():
        known = m.machine.processors.get(socket, "")
        if known != processor:
            facts.append(FactDifference(f"processors.{socket}", known or None, processor or "none"))
    about, another = m.row.about, _another(db, m, reading)
    if another:
        others = about.reporting(another.serial).other_serials
        facts.append(FactDifference("serial", about.serial or None, another.serial))
        if others != about.other_serials:
            facts.append(FactDifference("other_serials", about.other_serials or None, others))
    elif reading.system and reading.system.serial and not about.known_serial:
        facts.append(FactDifference("serial", None, reading.system.serial))
    facts += _drive_differences(m, reading)
    failed = [s for s, i in placed.items() if reading.slots[i].state is SlotState.FAILED]
    unplaced = tuple(
        Unplaced(i, r.locator or f"report {i + 1}", r.bank)
        for i, r in enumerate(reading.slots)
        if i not in placed.values() and r.state is not SlotState.SOLDERED
    )
    return Difference(
        revision=m.survey.revision,
        kind=reading.kind,
        source_name=intake.source_name,
        reports=dict(placed),
        slots=tuple(slots),
        facts=tuple(facts),
        failed=tuple(s for s in m.sheet.slots if s in failed),
        unplaced=unplaced,
        unreported=tuple(s for s in m.sheet.slots if s not in placed),
        another=another,
        calls_itself=_calls_itself(m, reading),
    )


def _another(db: Connection, m: Loaded, reading: SurveyReading) -> Another | None:
    about, said = m.row.about, reading.system.serial if reading.system else None
    if not said or about.is_known_by(said):
        return None
    there = next((o.name for o in store.machines_of_serial(db, said) if o.id != m.row.id), None)
    return Another(said, there) if about.known_serial or there else None


def _calls_itself(m: Loaded, reading: SurveyReading) -> str | None:
    system = reading.system
    if system is None or not system.model or says_model(m.sheet, system) or named_by(m.sheet, system):
        return None
    return " ".join(filter(None, (system.maker, system.model)))


def check_of(db: Connection, m: Loaded, intake_id: UUID) -> None:
    """Raises NotFound, and Refused for a report that says it is of another machine, or of a guest of one: nothing of this one
    is shown by it."""
    reading = load_intake(db, intake_id).reading
    _not_of_a_guest(reading)
    if another := _another(db, m, reading):
        told = f"{of_another(m, another)} If it is this one, take that number over in Survey first."
        raise Refused("intake_id", told)


def of_another(m: Loaded, another: Another) -> str:
    """That a report is another machine's, and by what."""
    ours = f"{m.row.name} has {m.row.about.serial}" if m.row.about.known_serial else ""
    has = " and ".join(filter(None, (ours, another.name and f"{another.name} has that one")))
    return f"This report is of another machine: it says serial number {another.serial}, and {has}."


def _not_of_a_guest(reading: SurveyReading) -> None:
    if reading.virtual:
        raise Refused("intake_id", f"The report says: {OF_A_GUEST}.")


def _in_use(
    m: Loaded, intake: Intake, placed: Mapping[str, int], chosen: Collection[str], failed: Sequence[str]
) -> tuple[str, ...]:
    """Of the failed ones those that the machine still uses: by the report where it is taken over, as known elsewhere."""
    reported = {s for s in chosen if s in placed and intake.reading.slots[placed[s]].is_in_use}
    return tuple(sorted(s for s in failed if s in reported or (s not in chosen and s in m.survey.content.in_use)))


@dataclass(frozen=True, slots=True)
class Acceptance:
    """What of a difference is taken over."""

    intake_id: UUID
    #: The survey that the difference was seen against.
    revision: int
    reports: Mapping[str, int]
    slots: Sequence[str]
    facts: Sequence[str]


def accept(engine: Engine, account: Account, machine_id: UUID, taken: Acceptance) -> None:
    """Make a new survey of what is taken over; slots that differ and are not taken stay disputed.

    Raises
        NotFound, Refused
        Stale      the machine was surveyed again since the difference was seen
    """
    need(account, Role.technician)
    now = datetime.now(UTC)
    with engine.begin() as db:
        row = store.find_machine(db, machine_id, lock=True)
        if row is None:
            raise NotFound("machine")
        m, intake = loaded(db, row), load_intake(db, taken.intake_id)
        _not_of_a_guest(intake.reading)
        placed = place_reports(db, m, intake, taken.reports)
        found = _difference(db, m, intake, placed)
        if found.another and len({"serial", "other_serials"} & set(taken.facts)) != 1:
            ask = "Say whether that is its number now or another one of its own: nothing of another machine's is kept."
            raise Refused("facts", f"{of_another(m, found.another)} {ask}")
        if taken.revision != m.survey.revision:
            yours = {"slots": list(taken.slots), "facts": list(taken.facts)}
            raise Stale("The machine was surveyed again meanwhile; nothing of yours was saved.", found, yours)
        told_of_it = found.slots or taken.facts or intake.reading.installed_gib or intake.reading.usable_gib
        if found.unplaced and not told_of_it and not intake.reading.claimed_gib():
            raise Refused(
                "reports", "Nothing in it is of a slot that is known here: say which slot each is, or leave it."
            )
        by_slot = {d.slot: d for d in found.slots}
        for slot in taken.slots:
            if slot not in by_slot:
                raise Refused("slots", f"No report is about {slot}.")
        chosen = set(taken.slots)
        occupants: dict[str, Occupant | None] = {s: as_its_slot(m.sheet, by_slot[s].merged) for s in chosen}
        source = Origin(intake.reading.kind, now)
        agreed = {d.slot for d in found.slots if d.change is Change.SAME}
        disputed = {s: d for s, d in m.survey.content.disputed.items() if s not in chosen | agreed}
        for d in found.slots:
            if d.change in (Change.DIFFERS, Change.GOES, Change.COMES) and d.slot not in chosen:
                disputed[d.slot] = Disputed(source.kind, now, d.reported)
        before = sources_of(m)
        sources = {
            **before,
            **{s: source.after(before[s], by_slot[s].change in AGREES) for s in sorted(chosen | agreed)},
        }
        failed = sorted(
            {*(s for s in m.survey.content.failed if s not in chosen), *(s for s in found.failed if s in chosen)}
        )
        content = replace(
            m.survey.content,
            slots=unmarked(Layout({**m.layout, **occupants})),
            failed=tuple(failed),
            in_use=_in_use(m, intake, placed, chosen, failed),
            sources=sources,
            disputed=disputed,
        )
        content = told_beside(content, m.sheet, intake.reading, placed, now)
        content = replace(content, bays=_with_drives(content.bays, intake.reading, taken.facts))
        check_drives(content.bays)
        add_survey(db, machine_id, intake.reading.kind, content, account.id, intake.id, now)
        _take_facts(db, m, found, taken.facts)
        new = learn_from(db, m.sheet, intake.reading, placed)
        doubt_names(db, account, m.sheet, machine_id, new)
        refresh(db, machine_id)
        told: dict[str, Any] = {"slots": sorted(chosen), "disputed": sorted(disputed), "source": intake.source_name}
        record(db, "surveyed", account.id, machine_id, revision=m.survey.revision + 1, **told)


def _drive_differences(m: Loaded, reading: SurveyReading) -> list[FactDifference]:
    """Drives whose bay the report tells and that are not known there."""
    known = m.survey.content.bays
    found = []
    for drive in reading.drives:
        if drive.bay is not None and drive.serial and drive.bay in m.sheet.bay_numbers:
            before = known.get(drive.bay)
            if before is None or before.serial.casefold() != drive.serial.casefold():
                told = "empty" if before is None and drive.bay in known else before and (before.serial or before.label)
                found.append(FactDifference(f"bays.{drive.bay}", told or None, drive.serial))
    return found


def _with_drives(
    bays: Mapping[int, Drive | None], reading: SurveyReading, chosen: Sequence[str]
) -> dict[int, Drive | None]:
    """Bays with the chosen of the drives that were told; where a drive was before, its bay is not known any more."""
    told = {d.bay: d.serial for d in reading.drives if d.bay is not None and d.serial and f"bays.{d.bay}" in chosen}
    moved = {serial.casefold() for serial in told.values()}
    kept = {n: d for n, d in bays.items() if d is None or d.serial.casefold() not in moved}
    new = {n: Drive(serial, d.label if (d := bays.get(n)) else "") for n, serial in told.items()}
    return {**kept, **new}


def _take_facts(db: Connection, m: Loaded, found: Difference, chosen: Sequence[str]) -> None:
    by_name = {f.fact: f for f in found.facts}
    facts = m.row.facts
    changes: dict[str, Any] = {}
    columns: dict[str, Any] = {}
    for name in chosen:
        if name not in by_name:
            raise Refused("facts", f"The report says nothing new of {name}.")
        reported = by_name[name].reported
        if name == "firmware":
            changes["firmware"] = reported
        elif name == "serial":
            columns["serial"] = reported
        elif name == "other_serials":
            columns["other_serials"] = reported
        elif name.startswith("processors."):
            changes.setdefault("processors", {})[name.removeprefix("processors.")] = (
                None if reported == "none" else reported
            )
    if changes:
        columns["facts"] = with_facts(facts, MachineDoc(**changes))
    if columns:
        store.change_machine(db, m.row.id, m.row.version + 1, columns)


def settle(engine: Engine, account: Account, machine_id: UUID, revision: int, slot: str, report: bool) -> None:
    """Settle a disputed slot: the report's side, or what was known. Raises NotFound, Refused, Stale."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = store.find_machine(db, machine_id, lock=True)
        if row is None:
            raise NotFound("machine")
        m = loaded(db, row)
        if m.survey.revision != revision:
            raise Stale("The machine was surveyed again meanwhile; nothing of yours was saved.", None, {"slot": slot})
        if slot not in m.survey.content.disputed:
            raise Refused("slot", f"Nothing is disputed about {slot}.")
        known = m.survey.content
        rest = {s: d for s, d in m.survey.content.disputed.items() if s != slot}
        dispute = m.survey.content.disputed[slot]
        slots, sources = known.slots, sources_of(m)
        if report:
            slots = Layout({**slots, slot: dispute.says})
            sources[slot] = Origin(dispute.kind, dispute.at)
        content = replace(known, slots=slots, sources=sources, disputed=rest)
        add_survey(db, machine_id, "by hand", content, account.id, None, datetime.now(UTC))
        refresh(db, machine_id)
        record(db, "dispute settled", account.id, machine_id, slots=[slot], report=report, revision=revision + 1)
