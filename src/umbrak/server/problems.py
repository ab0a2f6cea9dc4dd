"""Errors as RFC 9457 problem documents, one table."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI, Request
from fastapi.encoders import jsonable_encoder
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException

from umbrak.devices.networks import DeviceError
from umbrak.formats.faults import InputError
from umbrak.services.errors import NotAllowed, NotFound, NotSignedIn, Refused, ServiceError, Stale, TooMany


class FieldError(BaseModel):
    """One wrong field: dotted path, what is wrong; line and column for texts."""

    field: str
    message: str
    line: int | None = None
    column: int | None = None


class Problem(BaseModel):
    """RFC 9457. `theirs` and `yours` only with a stale write."""

    model_config = ConfigDict(extra="forbid")
    type: str
    title: str
    status: int
    detail: str
    errors: list[FieldError] = []
    #: SHA-256 of a service's certificate that nobody has trusted yet.
    fingerprint: str | None = None
    theirs: Any = None
    yours: Any = None


#: Kind of error -> (status, name in the problem's type, title).
_KINDS: dict[type[ServiceError], tuple[int, str, str]] = {
    NotSignedIn: (401, "not-signed-in", "Not signed in"),
    NotAllowed: (403, "not-allowed", "Not allowed"),
    NotFound: (404, "not-found", "Not found"),
    Stale: (409, "stale", "Changed meanwhile"),
    Refused: (422, "refused", "Refused"),
    TooMany: (429, "too-many-tries", "Too many tries"),
}


def problem(status: int, kind: str, title: str, detail: str, **more: Any) -> JSONResponse:
    body = {"type": f"urn:umbrak:problem:{kind}", "title": title, "status": status, "detail": detail, **more}
    return JSONResponse(jsonable_encoder(body), status, media_type="application/problem+json")


def describe(*statuses: int) -> dict[int | str, dict[str, Any]]:
    """OpenAPI's `responses` for problems of these statuses."""
    content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    titles = {status: title for status, _, title in _KINDS.values()}
    return {s: {"model": Problem, "description": titles.get(s, "Problem"), "content": content} for s in statuses}


def install(app: FastAPI) -> None:
    @app.exception_handler(ServiceError)
    def service(_: Request, error: ServiceError) -> JSONResponse:
        status, kind, title = _KINDS[type(error)]
        more: dict[str, Any] = {}
        if isinstance(error, Stale):
            more = {"theirs": error.theirs, "yours": error.yours}
        elif isinstance(error, Refused):
            more = {"errors": [{"field": error.field, "message": str(error)}]}
        answer = problem(status, kind, title, str(error), **more)
        if isinstance(error, TooMany):
            answer.headers["Retry-After"] = str(error.seconds)
        return answer

    @app.exception_handler(DeviceError)
    def device(_: Request, error: DeviceError) -> JSONResponse:
        more = {"fingerprint": error.detail} if error.detail else {}
        return problem(502, f"device-{error.code}", "The machine could not be asked", str(error), **more)

    @app.exception_handler(InputError)
    def unreadable(_: Request, error: InputError) -> JSONResponse:
        errors = [
            {"field": f.path or f.where, "message": f.message, "line": f.line, "column": f.column} for f in error.faults
        ]
        return problem(422, error.code, "Cannot be read", str(error), errors=errors)

    @app.exception_handler(RequestValidationError)
    def wrong_body(_: Request, error: RequestValidationError) -> JSONResponse:
        errors = [
            {"field": ".".join(str(p) for p in e["loc"][1:]) or str(e["loc"][0]), "message": e["msg"]}
            for e in error.errors()
        ]
        named = "; ".join(f"{e['field']}: {e['message']}" for e in errors)
        return problem(422, "wrong-field", "Wrong request", named, errors=errors)

    def down(_: Request, error: Exception) -> JSONResponse:
        return problem(
            503,
            "database-down",
            "Database cannot be reached",
            "The database does not answer; nothing was lost. Trying again.",
        )

    for kind in (OperationalError, InterfaceError, PoolTimeout):
        app.add_exception_handler(kind, down)

    @app.exception_handler(HTTPException)
    def other(_: Request, error: HTTPException) -> JSONResponse:
        reply = problem(error.status_code, "http", str(error.detail), str(error.detail))
        reply.headers.update(error.headers or {})
        return reply
