"""What was taken in of machines, and their surveys."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.core.platform.known import Known
from umbrak.core.platform.survey import SurveyReading
from umbrak.formats.kept import INTAKE, SURVEY
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.parts import keep_fitted
from umbrak.store.tables import intake, locator, maker_name, survey
from umbrak.store.whereabouts import keep_stays


@dataclass(frozen=True, slots=True)
class SurveyRow:
    id: UUID
    revision: int
    kind: str
    taken_at: datetime
    taken_by: str | None
    content: Known


@dataclass(frozen=True, slots=True)
class IntakeRow:
    id: UUID
    source_name: str
    kind: str
    reading: SurveyReading


def add_intake(
    db: Connection, account_id: UUID, source_name: str, kind: str, raw: bytes, reading: SurveyReading
) -> UUID:
    key = new_id()
    values = {"id": key, "account_id": account_id, "source_name": source_name, "kind": kind, "raw": raw}
    db.execute(insert(intake).values(**values, document=INTAKE.write(reading)))
    return key


def find_intake(db: Connection, key: UUID) -> IntakeRow | None:
    row = db.execute(
        select(intake.c.id, intake.c.source_name, intake.c.kind, intake.c.document).where(intake.c.id == key)
    ).one_or_none()
    return IntakeRow(row.id, row.source_name, row.kind, INTAKE.read(row.document)) if row else None


def raw_intake(db: Connection, key: UUID) -> tuple[str, bytes | None] | None:
    """(name of its source, what was taken in), as it came; no bytes where they were removed by their age."""
    row = db.execute(select(intake.c.source_name, intake.c.raw).where(intake.c.id == key)).one_or_none()
    return (row.source_name, None if row.raw is None else bytes(row.raw)) if row else None


def add_survey(
    db: Connection,
    machine_id: UUID,
    kind: str,
    content: Known,
    account_id: UUID | None,
    intake_id: UUID | None,
    taken_at: datetime,
) -> UUID:
    last = db.execute(select(func.max(survey.c.revision)).where(survey.c.machine_id == machine_id)).scalar() or 0
    key = new_id()
    db.execute(
        insert(survey).values(
            id=key,
            machine_id=machine_id,
            revision=last + 1,
            kind=kind,
            intake_id=intake_id,
            account_id=account_id,
            taken_at=taken_at,
            document=SURVEY.write(content),
        )
    )
    keep_fitted(db, machine_id, kind, content, taken_at)
    keep_stays(db, machine_id, kind, content, taken_at)
    return key


def add_to_survey(db: Connection, machine_id: UUID, of: UUID, content: Known) -> UUID:
    """The next revision, of which only something is said beside an older one: from what and whom that is, and when, stays."""
    row = db.execute(
        select(survey.c.kind, survey.c.account_id, survey.c.intake_id, survey.c.taken_at).where(survey.c.id == of)
    ).one()
    return add_survey(db, machine_id, row.kind, content, row.account_id, row.intake_id, row.taken_at)


def newest_survey(db: Connection, machine_id: UUID) -> SurveyRow:
    """Raises Unreadable."""
    return newest_surveys(db, [machine_id])[machine_id]


def newest_surveys(db: Connection, machines: Sequence[UUID]) -> dict[UUID, SurveyRow]:
    """Machine -> its newest survey, in one query. Raises Unreadable."""
    query = _SURVEYS.where(survey.c.machine_id.in_(machines)).ext(distinct_on(survey.c.machine_id))
    return {r.machine_id: _survey(r) for r in db.execute(query.order_by(survey.c.machine_id, survey.c.revision.desc()))}


def find_survey(db: Connection, key: UUID) -> SurveyRow:
    """Raises Unreadable."""
    return _survey(db.execute(_SURVEYS.where(survey.c.id == key)).one())


_SURVEYS = select(survey, account.c.shown_as).select_from(survey.outerjoin(account))


def _survey(row: Any) -> SurveyRow:
    return SurveyRow(
        id=row.id,
        revision=row.revision,
        kind=row.kind,
        taken_at=row.taken_at,
        taken_by=row.shown_as,
        content=SURVEY.read(row.document),
    )


def learn_locator(db: Connection, sheet_id: str, *, bank: str, name: str, slot: str) -> None:
    values = {"sheet_id": sheet_id, "bank": bank, "locator": name, "slot": slot}
    statement = upsert(locator).values(values)
    db.execute(statement.on_conflict_do_update(index_elements=["sheet_id", "bank", "locator"], set_={"slot": slot}))


def known_locators(db: Connection, sheet_id: str) -> dict[tuple[str, str], str]:
    """(bank, locator) -> slot, as people told of this model."""
    rows = db.execute(select(locator).where(locator.c.sheet_id == sheet_id))
    return {(r.bank, r.locator): r.slot for r in rows}


def learn_makers(db: Connection, seen: Mapping[tuple[int, int], set[str]]) -> None:
    """Count names that surveys gave beside a maker's code: (bank, code) -> names."""
    for (bank, code), names in sorted(seen.items()):
        for name in sorted(names):
            statement = upsert(maker_name).values(bank=bank, code=code, name=name, seen=1)
            keys = ["bank", "code", "name"]
            db.execute(statement.on_conflict_do_update(index_elements=keys, set_={"seen": maker_name.c.seen + 1}))


def known_makers(db: Connection) -> dict[tuple[int, int], str]:
    """(bank, code) -> the name that was given oftenest."""
    rows = db.execute(select(maker_name).order_by(maker_name.c.seen, maker_name.c.name.desc()))
    return {(r.bank, r.code): r.name for r in rows}
