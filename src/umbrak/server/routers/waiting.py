"""Machines that are kept before their model is known."""

from __future__ import annotations

from uuid import UUID

from umbrak.formats.about import About
from umbrak.server.bodies.machines import ToSettle, WaitingBody
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.machines.waiting import (
    NewWaiting,
    Settled,
    WaitingGroup,
    forget_waiting,
    keep_waiting,
    list_waiting,
    see_waiting,
    settle_waiting,
)
from umbrak.store.waiting import WaitingRow

router = api_router(prefix="/waiting", tags=["waiting"])


@router.get("", responses=describe(401))
def waiting(engine: Db, _: Person) -> tuple[WaitingGroup, ...]:
    """Machines that wait for a sheet, by model."""
    return list_waiting(engine)


@router.post("", status_code=201, responses=describe(401, 403, 404, 422))
def keep(body: WaitingBody, engine: Db, account: Person) -> WaitingRow:
    """Keep a machine of which no sheet is known yet."""
    about = About(**body.model_dump(include=set(About.model_fields)))
    new = NewWaiting(about=about, **body.model_dump(exclude=set(About.model_fields)))
    return see_waiting(engine, keep_waiting(engine, account, new))


@router.get("/{waiting_id}", responses=describe(401, 404, 422))
def see(waiting_id: UUID, engine: Db, _: Person) -> WaitingRow:
    """One of them."""
    return see_waiting(engine, waiting_id)


@router.post("/settled", responses=describe(401, 403, 404, 422))
def settle(body: ToSettle, engine: Db, account: Person) -> tuple[Settled, ...]:
    """Make machines under the sheet of their model, as far as their reports tell."""
    return settle_waiting(engine, account, body.machines, body.sheet_hash)


@router.delete("/{waiting_id}", status_code=204, responses=describe(401, 403, 404, 422))
def forget(waiting_id: UUID, engine: Db, account: Person) -> None:
    """Take it from the list; its report stays kept."""
    forget_waiting(engine, account, waiting_id)
