"""Routes of one machine. A search ends when it is done, when its time is over, or when nobody waits for it any more."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Request

from umbrak.server.bodies import RoutesOf
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.waiting import while_waited_for
from umbrak.services.routes.finding import RoutesView, find_routes

router = APIRouter(prefix="/machines/{machine_id}", tags=["routes"])


@router.post("/routes", responses=describe(401, 404, 422))
async def routes(machine_id: UUID, body: RoutesOf, request: Request, engine: Db, _: Person) -> RoutesView:
    """The routes that no other beats, from the Shelf and the offers; or which wishes to give up."""
    wishes = body.wishes.value()
    return await while_waited_for(
        request, lambda stopped: find_routes(engine, machine_id, wishes, body.seconds, stopped=stopped)
    )
