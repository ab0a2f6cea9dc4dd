"""Documents and pictures behind statements and trials."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import File, Form, Response, UploadFile

from umbrak.formats.bounds import MAX_FORM_BYTES
from umbrak.formats.documents import ShortText
from umbrak.formats.photo import MAX_PHOTO_BYTES
from umbrak.server.bodies.evidence import LinkBody
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.evidence.exhibits import Subject, attach, link, remove, see_exhibit

router = api_router(prefix="/exhibits", tags=["field notes"])


@router.post("/file", status_code=204, responses=describe(400, 401, 403, 404, 422), max_body_size=MAX_FORM_BYTES)
def file(
    engine: Db,
    account: Person,
    file: Annotated[UploadFile, File(description="JPEG, PNG, WebP or PDF")],
    statement_id: Annotated[UUID | None, Form()] = None,
    trial_id: Annotated[UUID | None, Form()] = None,
    name: Annotated[ShortText, Form()] = "",
) -> None:
    """Attach a picture or a PDF; a picture is written anew, and where and with what it was taken stays behind."""
    called = (name.strip() or file.filename or "attached")[:200]
    attach(engine, account, Subject(statement_id, trial_id), called, file.file.read(MAX_PHOTO_BYTES + 1))


@router.post("/link", status_code=204, responses=describe(401, 403, 404, 422))
def address(body: LinkBody, engine: Db, account: Person) -> None:
    """Link the page that it stands on."""
    link(engine, account, Subject(body.statement_id, body.trial_id), body.name, body.link)


@router.get("/{exhibit_id}", response_class=Response, responses=describe(401, 404, 422))
def see(exhibit_id: UUID, engine: Db, _: Person) -> Response:
    """What is kept here."""
    raw, kind, _name = see_exhibit(engine, exhibit_id)
    policy = {"Content-Security-Policy": "default-src 'none'; sandbox", "Cache-Control": "private, max-age=86400"}
    return Response(raw, media_type=kind, headers=policy)


@router.delete("/{exhibit_id}", status_code=204, responses=describe(401, 403, 404, 422))
def take_away(exhibit_id: UUID, engine: Db, account: Person) -> None:
    """Take it away."""
    remove(engine, account, exhibit_id)
