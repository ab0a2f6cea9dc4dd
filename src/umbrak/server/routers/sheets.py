"""The library of sheets."""

from __future__ import annotations

from typing import Annotated

from fastapi import File, Form, Request, Response, UploadFile

from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.formats.documents import HashOfSheet, Name
from umbrak.formats.sheet.compared import ClauseChange
from umbrak.formats.sheet.shapes import Shape, shape_of
from umbrak.server.bodies.sheets import RetireSheet, SheetText
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.server.waiting import while_waited_for
from umbrak.services.evidence.moved import ComingLibrary, export_library, import_library
from umbrak.services.machines.drafted import TakenOver, Tried, take_everywhere, try_text
from umbrak.services.sheets.collection import (
    LibraryLine,
    SheetPage,
    compare_sheets,
    compare_text,
    list_library,
    retire_sheet,
    see_sheet_page,
)
from umbrak.services.sheets.library import KeptSheet, SheetView, add_sheet, list_sheets, see_sheet
from umbrak.services.sheets.seen import Asks, SeenText, see_asks, see_text
from umbrak.store.sheets import SheetRow

router = api_router(prefix="/sheets", tags=["sheets"])


@router.get("", responses=describe(401))
def current(engine: Db, _: Person) -> list[SheetRow]:
    """The newest revision of every sheet: models first, then archetypes."""
    return list_sheets(engine)


@router.post("", status_code=201, responses=describe(401, 403, 422), max_body_size=6 << 20)
async def add(request: Request, body: SheetText, engine: Db, account: Person) -> KeptSheet:
    """Keep a sheet's text as the newest revision of its id."""
    return await while_waited_for(request, lambda left: add_sheet(engine, account, body.text, left))


@router.get("/library", responses=describe(401))
@while_unchanged
def library(engine: Db, _: Person) -> tuple[LibraryLine, ...]:
    """Every sheet with what it tells, and what stands on it."""
    return list_library(engine)


@router.get("/asks", responses=describe(401))
def asked(_: Person) -> Asks:
    """What is asked of every sheet, in the order in which a maker's guide tells it."""
    return see_asks()


@router.get("/fields", responses=describe(401))
def fields(_: Person) -> Shape:
    """Every field of a sheet, for who writes its text."""
    return shape_of()


@router.get(
    "/file", responses={**describe(401, 404), 200: {"content": {"application/zip": {}}}}, response_class=Response
)
def export(engine: Db, _: Person, sheet: HashOfSheet | None = None) -> Response:
    """Every sheet as it is written and every trial, in a ZIP; or the one sheet."""
    name = "umbrak-sheet.zip" if sheet else "umbrak-library.zip"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(export_library(engine, sheet), media_type="application/zip", headers=headers)


@router.post("/file", responses=describe(400, 401, 403, 422), max_body_size=MAX_FORM_BYTES)
def take_file(
    engine: Db,
    account: Person,
    file: Annotated[UploadFile, File(description="a sheet, or a ZIP of sheets and field notes")],
    keep: Annotated[list[str], Form(description="ids whose sheets are kept")] = [],  # noqa: B006  # a form's default
    trials: Annotated[bool, Form(description="note its trials")] = False,
) -> ComingLibrary:
    """What a file brings, sheet by sheet and clause by clause; what is named of it is kept."""
    return import_library(engine, account, file.filename or "the file", file.file.read(MAX_BYTES + 1), keep, trials)


@router.get("/{hash_}/against/{other}", responses=describe(401, 404))
def against(hash_: HashOfSheet, other: HashOfSheet, engine: Db, _: Person) -> tuple[ClauseChange, ...]:
    """What one revision answers otherwise than another, clause by clause."""
    return compare_sheets(engine, other, hash_)


@router.post("/{hash_}/against", responses=describe(401, 404, 422), max_body_size=6 << 20)
def text_against(hash_: HashOfSheet, body: SheetText, engine: Db, _: Person) -> tuple[ClauseChange, ...]:
    """What a text answers otherwise than a revision, clause by clause."""
    return compare_text(engine, hash_, body.text)


@router.put("/{sheet_id}/retired", responses=describe(401, 403, 404, 422))
def retire(sheet_id: Name, body: RetireSheet, engine: Db, account: Person) -> tuple[LibraryLine, ...]:
    """Retire a sheet, or bring it back; what is under it stays readable."""
    retire_sheet(engine, account, sheet_id, body.retired, body.why)
    return list_library(engine)


@router.post("/seen", responses=describe(401, 422), max_body_size=6 << 20)
async def seen(request: Request, body: SheetText, _: Person) -> SeenText:
    """A text's questions, errors, board, fills and open facts. Keeps nothing."""
    return await while_waited_for(request, lambda left: see_text(body.text, left))


@router.post("/tried", responses=describe(401, 422), max_body_size=6 << 20)
async def tried(request: Request, body: SheetText, engine: Db, _: Person) -> Tried:
    """What a text would change on machines. Keeps nothing."""
    return await while_waited_for(request, lambda left: try_text(engine, body.text, left))


@router.post("/{sheet_id}/taken", responses=describe(401, 403, 404, 422))
def take_over(sheet_id: Name, engine: Db, account: Person) -> TakenOver:
    """Bring every machine of the model under the newest revision of its sheet."""
    return take_everywhere(engine, account, sheet_id)


@router.get("/{hash_}/page", responses=describe(401, 404))
@while_unchanged
def page(hash_: HashOfSheet, engine: Db, _: Person) -> SheetPage:
    """One sheet with its text, its revisions, what is open in it and what stands on it."""
    return see_sheet_page(engine, hash_)


@router.get("/{hash_}", responses=describe(401, 404))
@while_unchanged
def see(hash_: HashOfSheet, engine: Db, _: Person) -> SheetView:
    """One sheet: its board, its sockets' processors."""
    return see_sheet(engine, hash_)
