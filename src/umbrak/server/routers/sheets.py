"""The library of sheets."""

from __future__ import annotations

from fastapi import APIRouter, Request

from umbrak.formats.documents import HashOfSheet
from umbrak.server.bodies import SheetText
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.waiting import while_waited_for
from umbrak.services.sheets.library import KeptSheet, SheetView, add_sheet, list_sheets, see_sheet
from umbrak.store.sheets import SheetRow

router = APIRouter(prefix="/sheets", tags=["sheets"])


@router.get("", responses=describe(401))
def current(engine: Db, _: Person) -> list[SheetRow]:
    """The newest revision of every sheet: models first, then archetypes."""
    return list_sheets(engine)


@router.post("", status_code=201, responses=describe(401, 403, 422), max_body_size=6 << 20)
async def add(request: Request, body: SheetText, engine: Db, account: Person) -> KeptSheet:
    """Keep a sheet's text as the newest revision of its id."""
    return await while_waited_for(request, lambda left: add_sheet(engine, account, body.text, left))


@router.get("/{hash_}", responses=describe(401, 404))
def see(hash_: HashOfSheet, engine: Db, _: Person) -> SheetView:
    """One sheet: its board, its sockets' processors."""
    return see_sheet(engine, hash_)
