"""Part numbers: what is known of each, and telling more."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import Query

from umbrak.formats.documents import Name
from umbrak.server.bodies.base import ModuleBody
from umbrak.server.bodies.evidence import PartWordBody
from umbrak.server.deps import Db, Person, Searched
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.known.renumbered import tell_no_more, tell_part
from umbrak.services.parts.telling import NewWord
from umbrak.services.parts.view import ModuleOfPart, PartLine, PartView, list_parts, see_beside, see_part

router = api_router(prefix="/parts", tags=["parts"])


@router.get("", responses=describe(401, 422))
@while_unchanged
def parts(engine: Db, _: Person, q: Annotated[Searched, Query(description="a part number, or a piece of one")] = "") -> list[PartLine]:  # fmt: skip
    """Part numbers that were met anywhere, by number; 200 at most."""
    return list_parts(engine, q)


@router.get("/one", responses=describe(401, 404, 422))
def part(engine: Db, _: Person, number: Annotated[Name, Query(description="in any case, with or without spaces")]) -> PartView:  # fmt: skip
    """One part number with all that is known of it."""
    return see_part(engine, number)


@router.post("/beside", responses=describe(401, 422))
def module_beside(body: ModuleBody, engine: Db, _: Person) -> ModuleOfPart | None:
    """What the part number of a module tells of it; null where nothing is known."""
    return see_beside(engine, body.module.value())


@router.post("/words", status_code=201, responses=describe(401, 403, 404, 422))
def tell(body: PartWordBody, engine: Db, account: Person) -> PartView:
    """Tell what a number is, or another number of the same thing."""
    module = body.module.value() if body.module else None
    tell_part(engine, account, NewWord(**{**body.model_dump(), "module": module}))
    return see_part(engine, body.number)


@router.delete("/words/{word_id}", status_code=204, responses=describe(401, 403, 404, 422))
def take_back(word_id: UUID, engine: Db, account: Person) -> None:
    """Take back what somebody told."""
    tell_no_more(engine, account, word_id)
