"""Routes of one machine. A search ends when it is done, when its time is over, or when nobody waits for it any more."""

from __future__ import annotations

from uuid import UUID

from fastapi import Request

from umbrak.core.plan.brief import Brief
from umbrak.core.platform.machine import Layout
from umbrak.server.bodies.planning import RoutesOf, WholeLayout
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.waiting import sought
from umbrak.services.parts.understanding import read_occupants
from umbrak.services.plans.brief import see_brief
from umbrak.services.routes.finding import RoutesView, find_routes
from umbrak.services.routes.staging import StagingView, see_stagings

router = api_router(prefix="/machines/{machine_id}", tags=["routes"])


@router.post("/routes", responses=describe(401, 404, 422))
async def routes(machine_id: UUID, body: RoutesOf, request: Request, _: Person) -> RoutesView:
    """The routes that no other beats, from the Shelf and the offers; or which wishes to give up."""
    return await sought(request, find_routes, machine_id, body.wishes.value(), body.seconds, body.assume)


@router.post("/brief", responses=describe(401, 404, 422))
def brief(machine_id: UUID, body: WholeLayout, engine: Db, _: Person) -> Brief:
    """What to look for in a shop for a layout: what would do as well, what nearly, what is wrong and why."""
    return see_brief(engine, machine_id, Layout(read_occupants(engine, body.slots, "slots")))


@router.post("/stagings", responses=describe(401, 404, 422))
def stagings(machine_id: UUID, body: WholeLayout, engine: Db, _: Person) -> list[StagingView]:
    """The ways to come to a layout in stages, with what each stage shows."""
    return see_stagings(engine, machine_id, Layout(read_occupants(engine, body.slots, "slots")))
