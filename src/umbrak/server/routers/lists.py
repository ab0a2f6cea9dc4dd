"""Qualified lists: taken in from tables; lines that wait for a sheet of their model."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import File, Form, UploadFile

from umbrak.core.platform.statement import SourceKind
from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.formats.documents import Name
from umbrak.server.bodies.sheets import WaitingLines
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.evidence.lists import (
    AboutList,
    IntoSheet,
    TakenList,
    WaitingModel,
    end_waiting,
    take_list,
    waiting_models,
)

router = api_router(prefix="/lists", tags=["sheets"])


@router.post("/file", responses=describe(400, 401, 403, 422), max_body_size=MAX_FORM_BYTES)
def take(
    engine: Db,
    account: Person,
    file: Annotated[UploadFile, File(description="CSV or XLSX: part, model; also size, maker, note, date")],
    title: Annotated[Name, Form(description="what the list is called")],
    kind: Annotated[SourceKind, Form(description="whose list it is")] = SourceKind.MACHINE_MAKER,
    dated: Annotated[date | None, Form(description="the day of the list")] = None,
    keep: Annotated[bool, Form(description="keep it; otherwise it is a preview")] = False,
) -> TakenList:
    """Take a qualified list into the sheets of the models that it names. A wrong row keeps all of it out."""
    return take_list(engine, account, file.file.read(MAX_BYTES + 1), AboutList(title, kind, dated), keep)


@router.get("/waiting", responses=describe(401))
def waiting(engine: Db, _: Person) -> list[WaitingModel]:
    """Models that lines of lists wait for."""
    return waiting_models(engine)


@router.post("/waiting", responses=describe(401, 403, 404, 422))
def end(body: WaitingLines, engine: Db, account: Person) -> IntoSheet | None:
    """Take the lines that wait for a model into a sheet, or forget them."""
    return end_waiting(engine, account, body.model, body.into)
