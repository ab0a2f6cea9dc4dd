"""Drafts of sheets: questions answered, text written, by one or several."""

from __future__ import annotations

from uuid import UUID

from fastapi import Request

from umbrak.server.bodies.sheets import DraftText, KeepDraft, NewDraft, SheetAnswer
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.waiting import while_waited_for
from umbrak.services.errors import Refused
from umbrak.services.parts.understanding import read_occupants
from umbrak.services.sheets.building import text_of_built
from umbrak.services.sheets.drafts import (
    DraftNews,
    DraftView,
    answer_draft,
    begin_draft,
    begin_from_text,
    keep_draft,
    leave_draft,
    news_of_draft,
    see_draft,
    write_draft,
)
from umbrak.services.sheets.library import KeptSheet

router = api_router(prefix="/drafts", tags=["sheets"])


@router.post("", responses=describe(401, 403, 404, 422), max_body_size=6 << 20)
def begin(body: NewDraft, engine: Db, account: Person) -> DraftView:
    """The draft of a sheet, as far as somebody has written it; begun where there is none."""
    if [body.hash, body.text, body.board].count(None) != 2:
        raise Refused("hash", "Say the sheet's hash, or its text, or its board.")
    if body.board is not None:
        board = body.board
        return begin_from_text(
            engine,
            account,
            text_of_built(
                engine, account, board.answers, read_occupants(engine, board.fitted, "board.fitted"), board.intake_id
            ),
        )
    if body.hash is not None:
        return begin_draft(engine, account, body.hash)
    return begin_from_text(engine, account, body.text or "")


@router.get("/{draft_id}", responses=describe(401, 404))
def see(draft_id: UUID, engine: Db, account: Person) -> DraftView:
    """A draft with what its text comes to."""
    return see_draft(engine, account, draft_id)


@router.get("/{draft_id}/news", responses=describe(401, 404))
def news(draft_id: UUID, engine: Db, account: Person) -> DraftNews:
    """Whether somebody else wrote in it, and who has it before them."""
    return news_of_draft(engine, account, draft_id)


@router.post("/{draft_id}/answers", responses=describe(401, 403, 404, 409, 422), max_body_size=6 << 20)
def answer(draft_id: UUID, body: SheetAnswer, engine: Db, account: Person) -> DraftView:
    """Answer one question: a splice at its place, every other line stays."""
    return answer_draft(engine, account, draft_id, body.version, body.question, body.answer())


@router.put("/{draft_id}/text", responses=describe(401, 403, 404, 409, 422), max_body_size=6 << 20)
def write(draft_id: UUID, body: DraftText, engine: Db, account: Person) -> DraftView:
    """Write the text; what others wrote since that version stays in it."""
    return write_draft(engine, account, draft_id, body.version, body.text)


@router.post("/{draft_id}/kept", responses=describe(401, 403, 404, 409, 422))
async def keep(request: Request, draft_id: UUID, body: KeepDraft, engine: Db, account: Person) -> KeptSheet:
    """Keep it as the newest revision of its sheet."""
    return await while_waited_for(
        request, lambda left: keep_draft(engine, account, draft_id, body.version, body.why, left)
    )


@router.delete("/{draft_id}", status_code=204, responses=describe(401, 403, 404))
def leave(draft_id: UUID, engine: Db, account: Person) -> None:
    """Give it up."""
    leave_draft(engine, account, draft_id)
