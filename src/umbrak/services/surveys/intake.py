"""Taking in what a machine reports: decode it, keep it as it came, suggest which slot is which."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.known import Claim, Known, Running, Totals
from umbrak.core.platform.processors import processors_of
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.core.platform.survey import (
    SheetLikeness,
    SlotFacts,
    SlotState,
    SurveyReading,
    Warning,
    match_slots,
    sheet_likeness,
)
from umbrak.formats.reading import read_any
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.formats.spd import SpdReading
from umbrak.services.errors import NotFound, Refused
from umbrak.services.parts.understanding import Labels
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as machine_store
from umbrak.store import sheets as sheet_store
from umbrak.store import surveys as store
from umbrak.store.accounts import Account
from umbrak.store.sheets import SheetRow


@dataclass(frozen=True, slots=True)
class Intake:
    """Something taken in: what was read from it."""

    id: UUID
    source_name: str
    reading: SurveyReading


@dataclass(frozen=True, slots=True)
class Match:
    """Which slot of a sheet each reported slot is, as far as its name tells."""

    #: In the reading's order; None where no slot, or several, have the name.
    slots: tuple[str | None, ...]
    #: Socket -> processor id, None where it is reported empty; sockets that are not clear are left out.
    processors: dict[str, str | None]


@dataclass(frozen=True, slots=True)
class Library:
    """What reports are held against; who takes in many loads it once."""

    sheets: tuple[SheetRow, ...]
    #: (bank, code) -> name of a maker.
    makers: Mapping[tuple[int, int], str]
    #: Sheet -> slots of locators, as people told; of those that were asked for.
    _locators: dict[str, dict[tuple[str, str], str]] = field(default_factory=dict)

    @classmethod
    def load(cls, db: Connection) -> Library:
        return cls(tuple(sheet_store.current_sheets(db)), store.known_makers(db))

    def locators(self, db: Connection, sheet_id: str) -> Mapping[tuple[str, str], str]:
        if sheet_id not in self._locators:
            self._locators[sheet_id] = store.known_locators(db, sheet_id)
        return self._locators[sheet_id]


def take_in(engine: Engine, account: Account, source_name: str, raw: bytes, kind: str | None = None) -> Intake:
    """Decode and keep it. Raises InputError (formats) when nothing can be read from it.

    Parameters
        kind   as which it is read; None: as its content tells
    """
    need(account, Role.technician)
    with engine.begin() as db:
        return keep_intake(db, account.id, source_name, raw, kind=kind)


def keep_intake(
    db: Connection,
    account_id: UUID,
    source_name: str,
    raw: bytes,
    notes: Sequence[tuple[str, str]] = (),
    library: Library | None = None,
    kind: str | None = None,
) -> Intake:
    """`take_in`, as a part of a transaction; `notes` = (where, what was odd) of how it was come by."""
    given = read_any(raw, kind, read_label=Labels(db).read)
    reading = _of_one_module(given) if isinstance(given, SpdReading) else given
    reading = _with_names(reading, (library or Library.load(db)).makers)
    reading = replace(reading, warnings=(*reading.warnings, *(Warning(*note) for note in notes)))
    key = store.add_intake(db, account_id, source_name[:200], reading.kind, raw, reading)
    return Intake(key, source_name, reading)


def read_as(engine: Engine, account: Account, key: UUID, kind: str) -> Intake:
    """What was taken in, read as another kind: a reading of its own. Raises NotFound, InputError (formats); Refused where what
    came is not kept any more."""
    need(account, Role.technician)
    with engine.begin() as db:
        kept = store.raw_intake(db, key)
        if kept is None:
            raise NotFound("intake")
        name, raw = kept
        if raw is None:
            raise Refused("kind", "What came was removed by its age; only what was read of it is kept. Give it again.")
        return keep_intake(db, account.id, name, raw, kind=kind)


def _of_one_module(spd: SpdReading) -> SurveyReading:
    """The SPD of one module as a report of one slot, whose name it does not tell."""
    slot = SlotFacts(locator=None, bank=None, state=SlotState.FILLED, module=spd.module)
    return SurveyReading(spd.kind, slots=(slot,), warnings=spd.warnings)


def _with_names(reading: SurveyReading, makers: Mapping[tuple[int, int], str]) -> SurveyReading:
    """Makers that are told by code alone get the name that other surveys gave beside that code."""

    def named(facts: SlotFacts) -> SlotFacts:
        m = facts.module
        if m is None or m.maker is not None or m.maker_code is None:
            return facts
        name = makers.get((m.maker_code.bank, m.maker_code.code))
        return replace(facts, module=replace(m, maker=name)) if name else facts

    return replace(reading, slots=tuple(named(facts) for facts in reading.slots))


def learn_from(db: Connection, sheet: Sheet, reading: SurveyReading, reports: Mapping[str, int]) -> dict[str, str]:
    """Remember what a report that somebody accepted teaches: which slot of the model a locator is, where its name alone
    did not tell, and which maker has which code.

    Returns slot -> the name by which the report calls it, as far as nobody knew that before and no other slot has it.
    """
    named, known = match_slots(sheet, reading.slots), store.known_locators(db, sheet.id)
    every = Counter(r.locator for r in reading.slots)
    new: dict[str, str] = {}
    for slot, index in reports.items():
        report = reading.slots[index]
        if named[index] != slot and report.locator:
            store.learn_locator(db, sheet.id, bank=report.bank or "", name=report.locator, slot=slot)
            if known.get((report.bank or "", report.locator)) != slot and every[report.locator] == 1:
                new[slot] = report.locator
    seen: dict[tuple[int, int], set[str]] = {}
    for report in reading.slots:
        if report.module and report.module.maker and report.module.maker_code:
            code = report.module.maker_code
            seen.setdefault((code.bank, code.code), set()).add(report.module.maker)
    store.learn_makers(db, seen)
    return new


def told_beside(
    content: Known, sheet: Sheet, reading: SurveyReading, reports: Mapping[str, int], at: datetime
) -> Known:
    """What a report tells beside what is in the slots: counters, totals, and what its firmware claims to hold."""
    health = {slot: h for slot, i in reports.items() if (h := reading.slots[i].health) is not None}
    changes: dict[str, Any] = {"health": {**content.health, **health}}
    if reading.installed_gib is not None or reading.usable_gib is not None:
        changes["totals"] = Totals(
            reading.installed_gib, reading.usable_gib, kind=reading.kind, at=at, used_gib=reading.used_gib
        )
    if (claimed := reading.claimed_gib()) is not None:
        changes["claim"] = Claim(claimed, reading.kind, at)
    if (rate := reading.running_mts()) is not None:
        changes["running"] = Running(rate, reading.kind, at)
    return replace(content, **changes)


def load_intake(db: Connection, key: UUID) -> Intake:
    """Raises NotFound."""
    row = store.find_intake(db, key)
    if row is None:
        raise NotFound("intake")
    return Intake(row.id, row.source_name, row.reading)


def suggest(engine: Engine, key: UUID, sheet_hash: SheetHash) -> Match:
    """What the names in the reading tell about a sheet's slots and sockets."""
    with engine.connect() as db:
        reading, sheet = load_intake(db, key).reading, load_sheet(db, sheet_hash)
        slots = match_reports(db, sheet, reading.slots)
    return Match(slots, processors_of(sheet, reading, slots))


def match_reports(
    db: Connection, sheet: Sheet, reports: Sequence[SlotFacts], library: Library | None = None
) -> tuple[str | None, ...]:
    """For each report its slot: as somebody told of this model before, else by its name."""
    told = library.locators(db, sheet.id) if library else store.known_locators(db, sheet.id)
    remembered = [told.get((r.bank or "", r.locator or "")) for r in reports]
    named = match_slots(sheet, reports)
    found = [r if r in sheet.slots else n for r, n in zip(remembered, named, strict=True)]
    # What was told goes first; a name that leads to the same slot tells nothing then.
    return tuple(s if s is None or remembered[i] == s or s not in remembered else None for i, s in enumerate(found))


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A sheet that may be the one of the machine, and why."""

    hash: SheetHash
    title: str
    archetype: bool
    reasons: tuple[str, ...]
    #: The report names this very model, and each of its slots has its report's name.
    certain: bool
    match: Match


#: Below this a likeness is chance: a number of slots alone says nothing.
_LEAST_LIKENESS = 3
_MOST_SUGGESTED = 3


def suggest_sheets(engine: Engine, key: UUID) -> list[Suggestion]:
    """Sheets that the report speaks for, the likeliest first. Raises NotFound."""
    with engine.connect() as db:
        return suggestions(db, load_intake(db, key).reading)


def suggestions(db: Connection, reading: SurveyReading, library: Library | None = None) -> list[Suggestion]:
    """`suggest_sheets`, of a reading."""
    known = library or Library.load(db)
    found = []
    for row in known.sheets:
        likeness = sheet_likeness(load_sheet(db, row.hash), reading)
        if likeness.score >= _LEAST_LIKENESS:
            found.append((likeness, row))
    found.sort(key=lambda x: (-x[0].score, x[1].archetype, x[1].title))
    return [_suggestion(db, row, likeness, reading, known) for likeness, row in found[:_MOST_SUGGESTED]]


def _suggestion(
    db: Connection, row: SheetRow, likeness: SheetLikeness, reading: SurveyReading, library: Library
) -> Suggestion:
    sheet = load_sheet(db, row.hash)
    slots = match_reports(db, sheet, reading.slots, library)
    placed = all(s is not None or r.state is SlotState.SOLDERED for s, r in zip(slots, reading.slots, strict=True))
    match = Match(slots, processors_of(sheet, reading, slots))
    certain = likeness.same_model and placed and bool(reading.slots) and not row.archetype
    return Suggestion(
        hash=row.hash, title=row.title, archetype=row.archetype, reasons=likeness.reasons, certain=certain, match=match
    )


def draft_from(engine: Engine, key: UUID) -> str:
    """Text of a sheet drafted from an intake. Raises NotFound."""
    with engine.connect() as db:
        return draft_sheet(load_intake(db, key).reading, key.hex[-6:])


@dataclass(frozen=True, slots=True)
class Reporting:
    """A machine that is here already and reports so."""

    id: UUID
    name: str
    retired: bool


def reporting_machine(engine: Engine, key: UUID) -> Reporting | None:
    """The one machine that is known by the serial number that a report says. Raises NotFound."""
    with engine.connect() as db:
        system = load_intake(db, key).reading.system
        found = machine_store.machines_of_serial(db, (system and system.serial) or "")
    return Reporting(found[0].id, found[0].name, found[0].retired_at is not None) if len(found) == 1 else None


def see_intake(engine: Engine, key: UUID) -> Intake:
    """Raises NotFound."""
    with engine.connect() as db:
        return load_intake(db, key)
