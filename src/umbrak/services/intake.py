"""Taking in what a machine reports: decode it, keep it as it came, suggest which slot is which."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import Connection, Engine

from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotFacts, SurveyReading, match_processors, match_slots, sheet_likeness
from umbrak.formats.reading import read_any
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.formats.spd import SpdReading
from umbrak.formats.to_json import jsonable
from umbrak.services.accounts import Role, need
from umbrak.services.errors import NotFound, Refused
from umbrak.services.sheets import load_sheet
from umbrak.store import machines as store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account

_READING: TypeAdapter[SurveyReading] = TypeAdapter(SurveyReading)


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


def take_in(engine: Engine, account: Account, source_name: str, raw: bytes) -> Intake:
    """Decode and keep it. Raises InputError (formats) when nothing can be read from it."""
    need(account, Role.technician)
    reading = read_any(raw)
    if isinstance(reading, SpdReading):
        raise Refused(
            "file", f"This is the SPD of one module ({reading.module.short()}); give it to its slot, in Survey."
        )
    with engine.begin() as db:
        key = store.add_intake(
            db, account.id, source_name[:200], reading.kind, raw, {"schema": 1, "reading": jsonable(reading)}
        )
    return Intake(key, source_name, reading)


def load_intake(db: Connection, key: UUID) -> Intake:
    """Raises NotFound."""
    row = store.find_intake(db, key)
    if row is None:
        raise NotFound("intake")
    return Intake(row.id, row.source_name, _READING.validate_python(row.document["reading"]))


def suggest(engine: Engine, key: UUID, sheet_hash: str) -> Match:
    """What the names in the reading tell about a sheet's slots and sockets."""
    with engine.connect() as db:
        reading, sheet = load_intake(db, key).reading, load_sheet(db, sheet_hash)
        slots = match_reports(db, sheet, reading.slots)
    return Match(slots, match_processors(sheet, reading.processors))


def match_reports(db: Connection, sheet: Sheet, reports: Sequence[SlotFacts]) -> tuple[str | None, ...]:
    """For each report its slot: as somebody told of this model before, else by its name."""
    told = store.known_locators(db, sheet.id)
    remembered = [told.get((r.bank or "", r.locator or "")) for r in reports]
    named = match_slots(sheet, reports)
    found = [r if r in sheet.slots else n for r, n in zip(remembered, named, strict=True)]
    # What was told goes first; a name that leads to the same slot tells nothing then.
    return tuple(s if s is None or remembered[i] == s or s not in remembered else None for i, s in enumerate(found))


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A sheet that may be the one of the machine, and why."""

    hash: str
    title: str
    archetype: bool
    reasons: tuple[str, ...]


#: Below this a likeness is chance: a number of slots alone says nothing.
_LEAST_LIKENESS = 3
_MOST_SUGGESTED = 3


def suggest_sheets(engine: Engine, key: UUID) -> list[Suggestion]:
    """Sheets that the report speaks for, the likeliest first. Raises NotFound."""
    with engine.connect() as db:
        reading = load_intake(db, key).reading
        rows = sheet_store.current_sheets(db)
        found = [(sheet_likeness(load_sheet(db, row.hash), reading), row) for row in rows]
    likely = sorted(
        (x for x in found if x[0].score >= _LEAST_LIKENESS), key=lambda x: (-x[0].score, x[1].archetype, x[1].title)
    )
    return [Suggestion(row.hash, row.title, row.archetype, like.reasons) for like, row in likely[:_MOST_SUGGESTED]]


def draft_from(engine: Engine, key: UUID) -> str:
    """Text of a sheet drafted from an intake. Raises NotFound."""
    with engine.connect() as db:
        return draft_sheet(load_intake(db, key).reading)


def see_intake(engine: Engine, key: UUID) -> Intake:
    """Raises NotFound."""
    with engine.connect() as db:
        return load_intake(db, key)
