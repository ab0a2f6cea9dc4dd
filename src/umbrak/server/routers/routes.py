"""Routes of one machine. A search ends when it is done, when its time is over, or when nobody waits for it any more."""

from __future__ import annotations

import asyncio
from threading import Event
from uuid import UUID

from fastapi import APIRouter, Request

from umbrak.server.bodies import RoutesOf
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.services.routes import RoutesView, find_routes

router = APIRouter(prefix="/machines/{machine_id}", tags=["routes"])

#: How often it is looked whether anybody still waits. [s]
_LOOK = 0.2


@router.post("/routes", responses=describe(401, 404, 422))
async def routes(machine_id: UUID, body: RoutesOf, request: Request, engine: Db, _: Person) -> RoutesView:
    """The routes that no other beats, from the Shelf and the offers; or which wishes to give up."""
    nobody_waits = Event()
    search = asyncio.create_task(
        asyncio.to_thread(
            find_routes,
            engine,
            machine_id,
            body.wishes.value(),
            body.seconds,
            stopped=nobody_waits.is_set,
        )
    )
    while not search.done():
        await asyncio.wait([search], timeout=_LOOK)
        if not search.done() and await request.is_disconnected():
            nobody_waits.set()
    return search.result()
