"""Taking in what a machine reports."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import File, Form, Query, UploadFile

from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.formats.documents import HashOfSheet
from umbrak.formats.guide import GUIDE, Way
from umbrak.formats.reading import READERS
from umbrak.server.bodies.base import Meant, meant_by
from umbrak.server.bodies.machines import ReadAs
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.errors import Refused
from umbrak.services.machines.table import Fleet, see_fleet
from umbrak.services.people.accounts import Role, need
from umbrak.services.surveys.intake import (
    Intake,
    Match,
    Reporting,
    Suggestion,
    draft_from,
    read_as,
    reporting_machine,
    see_intake,
    suggest,
    suggest_sheets,
    take_in,
)

router = api_router(prefix="/intakes", tags=["intakes"])


@router.post(
    "",
    status_code=201,
    responses=describe(400, 401, 403, 422),
    max_body_size=MAX_FORM_BYTES,
    form_limits={"max_files": 1, "max_fields": 3, "max_part_size": MAX_BYTES},
)
def take(
    engine: Db,
    account: Person,
    file: Annotated[UploadFile | None, File(description="tables or a listing")] = None,
    text: Annotated[str | None, Form(description="a pasted listing")] = None,
    kind: Annotated[
        str | None, Form(max_length=40, description="as which it is read; as its content tells where it is not said")
    ] = None,
) -> Intake:
    """Decode a file or pasted text and keep it as it came; its kind is found from its content, or said."""
    if file is not None:
        name, raw = file.filename or "file", file.file.read(MAX_BYTES + 1)
    elif text is not None:
        name, raw = "pasted text", text.encode()
    else:
        raise Refused("file", "Give a file or text.")
    if len(raw) > MAX_BYTES:
        raise Refused("file", f"At most {MAX_BYTES >> 20} MiB are read.")
    return take_in(engine, account, name, raw, kind or None)


@router.post("/fleet", responses=describe(400, 401, 403, 422), max_body_size=MAX_FORM_BYTES)
def fleet(
    engine: Db,
    account: Person,
    file: Annotated[
        UploadFile,
        File(description="CSV or XLSX; its first row, or the one below what stands above the table, names the columns"),
    ],
    meant: Meant = (),
) -> Fleet:
    """What a table of machines would come to, with what is wrong in each row; nothing is kept."""
    need(account, Role.technician)
    return see_fleet(engine, file.file.read(MAX_BYTES + 1), meant_by(meant))


@router.get("/guide", responses=describe(401))
def guide(_: Person) -> tuple[Way, ...]:
    """What to run, by what a system has; what it tells, and what it does not."""
    return GUIDE


@router.get("/kinds", responses=describe(401))
def kinds(_: Person) -> tuple[str, ...]:
    """The kinds of reports that are read."""
    return tuple(READERS)


@router.post("/{intake_id}/readings", status_code=201, responses=describe(401, 403, 404, 422))
def again(intake_id: UUID, body: ReadAs, engine: Db, account: Person) -> Intake:
    """Read what was taken in as another kind; the first reading stays as it was."""
    return read_as(engine, account, intake_id, body.kind)


@router.get("/{intake_id}", responses=describe(401, 404, 422))
def see(intake_id: UUID, engine: Db, _: Person) -> Intake:
    """What was read."""
    return see_intake(engine, intake_id)


@router.get("/{intake_id}/machine", responses=describe(401, 404, 422))
def machine(intake_id: UUID, engine: Db, _: Person) -> Reporting | None:
    """The machine that is known by the serial number it says; null where none is, or several are."""
    return reporting_machine(engine, intake_id)


@router.get("/{intake_id}/match", responses=describe(401, 404, 422))
def match(intake_id: UUID, sheet: Annotated[HashOfSheet, Query()], engine: Db, _: Person) -> Match:
    """Which slot and socket of a sheet each report is about, as far as its name tells."""
    return suggest(engine, intake_id, sheet)


@router.get("/{intake_id}/draft", responses=describe(401, 404, 422))
def draft(intake_id: UUID, engine: Db, _: Person) -> str:
    """Text of a sheet drafted from it; what a report cannot tell is left as marked questions."""
    return draft_from(engine, intake_id)


@router.get("/{intake_id}/sheets", responses=describe(401, 404, 422))
def sheets(intake_id: UUID, engine: Db, _: Person) -> list[Suggestion]:
    """Sheets that the report speaks for, the likeliest first, each with its reasons."""
    return suggest_sheets(engine, intake_id)
