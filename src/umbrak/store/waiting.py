"""Machines that wait for a sheet of their model."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import Connection, delete, func, select
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.formats.about import About
from umbrak.store.engine import new_id
from umbrak.store.tables import site, waiting_machine


@dataclass(frozen=True, slots=True)
class WaitingRow:
    id: UUID
    name: str
    site: str | None
    zone: str
    kind: str
    make: str
    model: str
    intake_id: UUID | None
    about: About
    #: Cells of a table that only its sheet gives a meaning: column -> what stands there.
    told: Mapping[str, str]


_ALL = select(waiting_machine, site.c.name.label("site"), site.c.zone).select_from(waiting_machine.outerjoin(site))


def add_waiting(
    db: Connection,
    key: UUID | None,
    *,
    name: str,
    site_id: UUID | None,
    kind: str,
    make: str,
    model: str,
    intake_id: UUID | None,
    about: About,
    told: Mapping[str, str],
) -> UUID | None:
    """Its id, or None when the name is taken."""
    values = {
        **about.model_dump(), "id": key or new_id(), "name": name, "site_id": site_id, "kind": kind, "make": make,
        "model": model, "intake_id": intake_id, "told": dict(told),
    }  # fmt: skip
    return db.execute(
        upsert(waiting_machine).values(values).on_conflict_do_nothing().returning(waiting_machine.c.id)
    ).scalar()


def waiting_machines(db: Connection, key: UUID | None = None) -> list[WaitingRow]:
    """All that wait, or the one, by name."""
    asked = _ALL.order_by(func.lower(waiting_machine.c.name))
    if key is not None:
        asked = asked.where(waiting_machine.c.id == key)
    return [
        WaitingRow(
            id=r.id,
            name=r.name,
            site=r.site,
            zone=r.zone or "UTC",
            kind=r.kind,
            make=r.make,
            model=r.model,
            intake_id=r.intake_id,
            about=About(**{n: getattr(r, n) for n in About.model_fields}),
            told=r.told,
        )
        for r in db.execute(asked)
    ]


def waiting_name_taken(db: Connection, name: str) -> bool:
    taken = select(waiting_machine.c.id).where(func.lower(waiting_machine.c.name) == func.lower(name))
    return db.execute(taken).scalar() is not None


def waiting_named(db: Connection, names: Sequence[str]) -> set[str]:
    """Those of some names that wait, case folded."""
    wanted = [func.lower(n) for n in dict.fromkeys(names)]
    found = select(waiting_machine.c.name).where(func.lower(waiting_machine.c.name).in_(wanted))
    return {n.casefold() for n in db.execute(found).scalars()}


def remove_waiting(db: Connection, key: UUID) -> bool:
    return db.execute(delete(waiting_machine).where(waiting_machine.c.id == key)).rowcount > 0
