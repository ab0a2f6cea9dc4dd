"""How much memory is worth having on one machine."""

from __future__ import annotations

from uuid import UUID

from fastapi import Request

from umbrak.server.bodies.planning import SizingBody, SymptomsBody, TotalsOf
from umbrak.server.deps import Db, Now, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.server.waiting import sought
from umbrak.services.routes.sizing import SizingView, TotalsView, reachable_totals, see_sizing, set_sizing
from umbrak.services.routes.symptoms import SymptomsView, add_symptoms, drop_symptoms, see_symptoms

router = api_router(prefix="/machines/{machine_id}", tags=["target"])


@router.get("/sizing", responses=describe(401, 404, 422))
@while_unchanged
def see(machine_id: UUID, engine: Db, _: Person) -> SizingView:
    """What it is to carry, what that comes to, whether it may be opened now."""
    return see_sizing(engine, machine_id)


@router.put("/sizing", responses=describe(401, 403, 404, 409, 422))
def say(machine_id: UUID, body: SizingBody, engine: Db, account: Person) -> SizingView:
    """Say what it is to carry."""
    return set_sizing(engine, account, machine_id, body.version, body.value())


@router.post("/totals", responses=describe(401, 404, 422))
async def totals(machine_id: UUID, body: TotalsOf, request: Request, _: Person) -> TotalsView:
    """The totals that it can reach with what is at hand, each with its cheapest way at each risk."""
    return await sought(request, reachable_totals, machine_id, body.seconds)


@router.get("/symptoms", responses=describe(401, 404, 422))
@while_unchanged
def symptoms(machine_id: UUID, engine: Db, _: Person) -> SymptomsView:
    """What it showed of its memory's use, the need that follows, and whether its last upgrade helped."""
    return see_symptoms(engine, machine_id)


@router.post("/symptoms", responses=describe(401, 403, 404, 422))
def add(machine_id: UUID, body: SymptomsBody, engine: Db, account: Person, now: Now) -> SymptomsView:
    """Keep what somebody saw at its worst time."""
    return add_symptoms(engine, account, machine_id, body.value(), now)


@router.delete("/symptoms/{key}", responses=describe(401, 403, 404, 422))
def drop(machine_id: UUID, key: UUID, engine: Db, account: Person) -> SymptomsView:
    """Take back what was entered wrongly."""
    return drop_symptoms(engine, account, machine_id, key)
