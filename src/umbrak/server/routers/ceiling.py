"""How high a machine can go, and who says so."""

from __future__ import annotations

from uuid import UUID

from umbrak.server.bodies.evidence import NewStatement
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.evidence.ceiling import CeilingView, Tried, say, see_ceiling, withdraw_statement

router = api_router(prefix="/machines/{machine_id}", tags=["ceiling"])


@router.get("/ceiling", responses=describe(401, 404, 422))
@while_unchanged
def see(machine_id: UUID, engine: Db, _: Person) -> CeilingView:
    """Every statement about what it may hold, and what they come to."""
    return see_ceiling(engine, machine_id)


@router.post("/statements", status_code=201, responses=describe(401, 403, 404, 422))
def state(machine_id: UUID, body: NewStatement, engine: Db, account: Person) -> CeilingView:
    """Say what is known: a limit, of this machine or of every machine of its model; that something was tried on its model."""
    tried = None
    if given := body.tried:
        module = given.module.value() if given.module else None
        tried = Tried(**{**given.model_dump(exclude={"module"}), "module": module})
    say(engine, account, machine_id, body.statement, body.of_model, tried)
    return see_ceiling(engine, machine_id)


@router.delete("/statements/{statement_id}", responses=describe(401, 403, 404, 422))
def withdraw(machine_id: UUID, statement_id: UUID, engine: Db, account: Person) -> CeilingView:
    """Take back what somebody stated."""
    withdraw_statement(engine, account, machine_id, statement_id)
    return see_ceiling(engine, machine_id)
