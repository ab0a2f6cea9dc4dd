"""Who did what and when: append-only, the database refuses anything else."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from sqlalchemy import Connection, insert

from umbrak.store.tables import history


def record(
    db: Connection,
    action: str,
    account_id: UUID | None,
    machine_id: UUID | None = None,
    plan_id: UUID | None = None,
    **detail: Any,
) -> None:
    db.execute(
        insert(history).values(
            action=action, account_id=account_id, machine_id=machine_id, plan_id=plan_id, detail=detail
        )
    )
