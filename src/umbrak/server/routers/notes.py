"""Field notes: what was tried where, and how it went."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import File, Form, Query, Response, UploadFile

from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.server.bodies.evidence import EvidenceBody, TrialBody
from umbrak.server.deps import Db, Person, Searched
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.evidence.calibration import CalibrationView, see_calibration
from umbrak.services.evidence.tables import TakenNotes, export_trials, take_trials
from umbrak.services.evidence.trials import (
    NewTrial,
    TrialView,
    add_trial,
    list_trials,
    withdraw_trial,
)
from umbrak.services.people.settings import NumberView, see_evidence, set_evidence

router = api_router(prefix="/trials", tags=["field notes"])


@router.get("", responses=describe(401, 422))
def page(
    engine: Db, _: Person, q: Annotated[Searched, Query(description="text in model, part or note")] = ""
) -> list[TrialView]:
    """The newest first, each with what it does to the belief in what it tried."""
    return list_trials(engine, q)


@router.post("", status_code=201, responses=describe(401, 403, 422))
def note(body: TrialBody, engine: Db, account: Person) -> list[TrialView]:
    """Note a trial."""
    module = body.module.value() if body.module else None
    new = NewTrial(**{**body.model_dump(exclude={"module"}), "module": module})
    add_trial(engine, account, new)
    return list_trials(engine)


@router.delete("/{trial_id}", responses=describe(401, 403, 404, 422))
def withdraw(trial_id: UUID, engine: Db, account: Person) -> list[TrialView]:
    """Take a trial back."""
    withdraw_trial(engine, account, trial_id)
    return list_trials(engine)


@router.get("/table", responses=describe(401))
def table(engine: Db, _: Person) -> tuple[NumberView, ...]:
    """What doubts start from and how trials weigh."""
    return see_evidence(engine)


@router.put("/table", responses=describe(401, 403, 422))
def set_table(body: EvidenceBody, engine: Db, account: Person) -> tuple[NumberView, ...]:
    """Set what doubts start from: a lead's decision. Numbers left out are those that ship."""
    return set_evidence(engine, account, body.numbers)


@router.get("/calibration", responses=describe(401))
def calibration(engine: Db, _: Person) -> CalibrationView:
    """What was predicted at approval, beside what came of it."""
    return see_calibration(engine)


@router.get("/file", responses={**describe(401), 200: {"content": {"text/csv": {}}}}, response_class=Response)
def export(engine: Db, _: Person) -> Response:
    """Every trial as CSV."""
    headers = {"Content-Disposition": 'attachment; filename="field-notes.csv"'}
    return Response(export_trials(engine), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/file", responses=describe(400, 401, 403, 422), max_body_size=MAX_FORM_BYTES)
def take(
    engine: Db,
    account: Person,
    file: Annotated[
        UploadFile,
        File(description="CSV or XLSX; its first row, or the one below what stands above the table, names the columns"),
    ],
    keep: Annotated[bool, Form(description="note them; a wrong row keeps all of them out")] = False,
) -> TakenNotes:
    """Trials from a table, with what is wrong in each row."""
    return take_trials(engine, account, file.file.read(MAX_BYTES + 1), keep)
