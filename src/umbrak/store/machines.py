"""Machines, what was taken in of them, and their surveys."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, or_, select
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.engine import new_id
from umbrak.store.tables import account, intake, machine, machine_summary, sheet, site, survey

PAGE_SIZE = 50


@dataclass(frozen=True, slots=True)
class SurveyRow:
    id: UUID
    revision: int
    kind: str
    taken_at: datetime
    taken_by: str | None
    #: Slot -> module, "unknown"; empty slots are left out.
    slots: dict[str, Any]


@dataclass(frozen=True, slots=True)
class MachineRow:
    id: UUID
    name: str
    place: str
    site: str | None
    zone: str
    sheet_hash: str
    sheet_title: str
    facts: dict[str, Any]
    version: int


@dataclass(frozen=True, slots=True)
class IntakeRow:
    id: UUID
    source_name: str
    kind: str
    document: dict[str, Any]


def add_intake(
    db: Connection, account_id: UUID, source_name: str, kind: str, raw: bytes, document: dict[str, Any]
) -> UUID:
    key = new_id()
    db.execute(
        insert(intake).values(
            id=key, account_id=account_id, source_name=source_name, kind=kind, raw=raw, document=document
        )
    )
    return key


def find_intake(db: Connection, key: UUID) -> IntakeRow | None:
    row = db.execute(select(intake).where(intake.c.id == key)).one_or_none()
    return IntakeRow(row.id, row.source_name, row.kind, row.document) if row else None


def find_or_add_site(db: Connection, name: str, zone: str) -> UUID:
    found = db.execute(select(site.c.id).where(site.c.name == name)).scalar()
    if found:
        return UUID(str(found))
    key = new_id()
    db.execute(insert(site).values(id=key, name=name, zone=zone))
    return key


def add_machine(
    db: Connection, name: str, site_id: UUID | None, place: str, sheet_hash: str, facts: dict[str, Any]
) -> UUID | None:
    """The new machine's id, or None when the name is taken."""
    values = {
        "id": new_id(),
        "name": name,
        "site_id": site_id,
        "place": place,
        "sheet_hash": sheet_hash,
        "facts": facts,
    }
    return db.execute(upsert(machine).values(values).on_conflict_do_nothing().returning(machine.c.id)).scalar()


def add_survey(
    db: Connection,
    machine_id: UUID,
    kind: str,
    slots: dict[str, Any],
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
            document={"schema": 1, "slots": slots},
        )
    )
    return key


_MACHINE = select(
    machine,
    site.c.name.label("site"),
    func.coalesce(site.c.zone, "UTC").label("zone"),
    sheet.c.title.label("sheet_title"),
).select_from(machine.join(sheet).outerjoin(site))


def _machine(row: Any) -> MachineRow:
    return MachineRow(
        row.id, row.name, row.place, row.site, row.zone, row.sheet_hash, row.sheet_title, row.facts, row.version
    )


def find_machine(db: Connection, key: UUID) -> MachineRow | None:
    row = db.execute(_MACHINE.where(machine.c.id == key)).one_or_none()
    return _machine(row) if row else None


def page_of_machines(db: Connection, text: str, page: int) -> tuple[list[MachineRow], int]:
    """One page of machines whose name, model or place has the text, by name; and how many there are in all."""
    query = _MACHINE
    if text:
        like = "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        query = query.where(
            or_(*(c.ilike(like) for c in (machine.c.name, machine.c.place, site.c.name, sheet.c.title)))
        )
    total = db.execute(select(func.count()).select_from(query.subquery())).scalar_one()
    rows = db.execute(query.order_by(machine.c.name).limit(PAGE_SIZE).offset(PAGE_SIZE * page))
    return [_machine(r) for r in rows], total


def newest_survey(db: Connection, machine_id: UUID) -> SurveyRow:
    return _survey(db, survey.c.machine_id == machine_id)


def find_survey(db: Connection, key: UUID) -> SurveyRow:
    return _survey(db, survey.c.id == key)


def _survey(db: Connection, condition: Any) -> SurveyRow:
    query = select(survey, account.c.shown_as).select_from(survey.outerjoin(account)).where(condition)
    row = db.execute(query.order_by(survey.c.revision.desc()).limit(1)).one()
    return SurveyRow(row.id, row.revision, row.kind, row.taken_at, row.shown_as, row.document["slots"])


def find_summary(db: Connection, machine_id: UUID, key: str) -> dict[str, Any] | None:
    """The stored summary, if it was computed from just this."""
    query = select(machine_summary.c.document).where(
        machine_summary.c.machine_id == machine_id, machine_summary.c.key == key
    )
    return db.execute(query).scalar()


def keep_summary(db: Connection, machine_id: UUID, key: str, installed_gib: float, document: dict[str, Any]) -> None:
    values = {"machine_id": machine_id, "key": key, "installed_gib": installed_gib, "document": document}
    statement = upsert(machine_summary).values(values)
    db.execute(
        statement.on_conflict_do_update(index_elements=["machine_id"], set_={**values, "computed_at": func.now()})
    )
