"""Finding anything."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query

from umbrak.server.deps import Db, Person, Searched
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.machines.finding import find
from umbrak.store.finding import Hit

router = api_router(tags=["machines"])


@router.get("/found", responses=describe(401, 422))
def found(
    engine: Db, _: Person, q: Annotated[Searched, Query(description="text in a name, part number or serial")] = ""
) -> tuple[Hit, ...]:
    """Machines, plans, sheets, parts and modules by serial that have the text; a few of each."""
    return find(engine, q)
