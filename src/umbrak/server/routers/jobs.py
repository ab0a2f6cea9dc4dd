"""Work in the background."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import File, Form, Query, Request, UploadFile
from pydantic import BaseModel

from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.server.bodies.base import Meant, meant_by
from umbrak.server.bodies.machines import ManyChanges, Polling
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.machines.in_bulk import (
    MAX_ALL_BYTES,
    MAX_FILES,
    GivenFile,
    JobView,
    list_jobs,
    see_job,
    start_change,
    start_polling,
    start_reading,
    start_table,
    stop_job,
)
from umbrak.store.jobs import StepRow

router = api_router(prefix="/jobs", tags=["jobs"])


class JobSteps(BaseModel):
    job: JobView
    #: A page of its steps, in order.
    steps: list[StepRow]


@router.get("", responses=describe(401))
def all_(engine: Db, _: Person) -> list[JobView]:
    """The newest first."""
    return list_jobs(engine)


@router.post(
    "/readings",
    status_code=201,
    responses=describe(400, 401, 403, 422),
    max_body_size=MAX_ALL_BYTES + (8 << 20),
    form_limits={"max_files": MAX_FILES, "max_fields": 2},
)
def read(
    request: Request,
    engine: Db,
    account: Person,
    files: Annotated[list[UploadFile], File(description="tables, listings, collections, or archives of them")],
    make: Annotated[bool, Form(description="make a machine of each report whose model is clear")] = False,
) -> JobView:
    """Read many files in the background."""
    given = [GivenFile(f.filename or f"file {i}", f.file.read()) for i, f in enumerate(files, 1)]
    return _queued(request, engine, start_reading(engine, account, given, make))


@router.post(
    "/tables",
    status_code=201,
    responses=describe(400, 401, 403, 422),
    max_body_size=MAX_FORM_BYTES,
)
def table(
    request: Request,
    engine: Db,
    account: Person,
    file: Annotated[
        UploadFile,
        File(description="CSV or XLSX; its first row, or the one below what stands above the table, names the columns"),
    ],
    meant: Meant = (),
) -> JobView:
    """Take a table of machines in the background; POST /api/intakes/fleet tells beforehand what it comes to."""
    return _queued(request, engine, start_table(engine, account, file.file.read(MAX_BYTES + 1), meant_by(meant)))


@router.post("/pollings", status_code=201, responses=describe(401, 403, 422))
def poll(request: Request, body: Polling, engine: Db, account: Person) -> JobView:
    """Ask many machines in the background."""
    return _queued(request, engine, start_polling(engine, account, body.machines))


@router.post("/changes", status_code=201, responses=describe(401, 403, 422))
def change(request: Request, body: ManyChanges, engine: Db, account: Person) -> JobView:
    """Change many machines alike in the background, each on its own."""
    return _queued(request, engine, start_change(engine, account, body.change, body.which()))


@router.get("/{job_id}", responses=describe(401, 404, 422))
def see(job_id: UUID, engine: Db, _: Person, after: Annotated[int, Query(ge=0, le=1 << 30)] = 0) -> JobSteps:
    """A job, and the steps after a number."""
    job, steps = see_job(engine, job_id, after)
    return JobSteps(job=job, steps=steps)


@router.post("/{job_id}/stop", responses=describe(401, 403, 404, 422))
def stop(job_id: UUID, engine: Db, account: Person) -> JobView:
    """Stop it after the step at hand; what was done stays."""
    stop_job(engine, account, job_id)
    return see_job(engine, job_id)[0]


def _queued(request: Request, engine: Db, key: UUID) -> JobView:
    request.app.state.queue.put(key)
    return see_job(engine, key)[0]
