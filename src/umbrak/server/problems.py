"""Errors as RFC 9457 problem documents, one table; what nobody foresaw is one too, with an id that the log tells more of."""

from __future__ import annotations

import errno
import logging
import secrets
import traceback
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.encoders import jsonable_encoder
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict
from sqlalchemy.exc import DBAPIError, IntegrityError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.types import Scope

import umbrak
from umbrak.devices.networks import DeviceError
from umbrak.formats.bounds import MAX_FAULTS
from umbrak.formats.faults import InputError, type_fault
from umbrak.formats.kept import Unreadable
from umbrak.services.errors import NotAllowed, NotFound, NotSignedIn, Refused, ServiceError, Stale, TooMany
from umbrak.services.people.factor import CodeWantedError


class FieldError(BaseModel):
    """One wrong field: dotted path, what is wrong; line and column for texts."""

    field: str
    message: str
    line: int | None = None
    column: int | None = None


class Problem(BaseModel):
    """RFC 9457. `theirs` and `yours` only with a stale write; `id` only with an error of Umbrak's own."""

    model_config = ConfigDict(extra="forbid")
    type: str
    title: str
    status: int
    detail: str
    errors: list[FieldError] = []
    #: SHA-256 of a service's certificate that nobody has trusted yet.
    fingerprint: str | None = None
    #: Under which the server's log tells the cause.
    id: str | None = None
    theirs: Any = None
    yours: Any = None


#: Kind of error -> (status, name in the problem's type, title).
_KINDS: dict[type[ServiceError], tuple[int, str, str]] = {
    NotSignedIn: (401, "not-signed-in", "Not signed in"),
    CodeWantedError: (401, "second-factor", "Second factor"),
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
    titles = {status: title for status, _, title in reversed(_KINDS.values())}
    return {s: {"model": Problem, "description": titles.get(s, "Problem"), "content": content} for s in statuses}


#: What any operation may answer beside its own, in the API's description.
ANYWHERE = (
    "A problem. Beside those that an operation names: 400 a body that cannot be parsed, 403 from another site's page, "
    "409 changed meanwhile, 413 larger than is taken in, 415 of another kind than is read, 422 a wrong request, 500 an "
    "error of Umbrak's own (with an id that its log tells more of), 503 database down or too much asked at once, 507 disk full."
)


def install(app: FastAPI) -> None:
    @app.exception_handler(ServiceError)
    def service(_: Request, error: ServiceError) -> JSONResponse:
        return _of_a_service(error)

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

    @app.exception_handler(Unreadable)
    def kept_unreadable(request: Request, error: Unreadable) -> JSONResponse:
        note(request.scope, error)
        return problem(500, "unreadable-document", "What is kept cannot be read", str(error))

    @app.exception_handler(RequestValidationError)
    def wrong_body(_: Request, error: RequestValidationError) -> JSONResponse:
        errors = [
            {"field": ".".join(str(p)[:100] for p in e["loc"][1:]) or str(e["loc"][0]), "message": type_fault(e)[:500]}
            for e in error.errors()[:MAX_FAULTS]
        ]
        named = "; ".join(f"{e['field']}: {e['message']}" for e in errors)
        return problem(422, "wrong-field", "Wrong request", named, errors=errors)

    def machine(request: Request, error: Exception) -> JSONResponse:
        return _of_the_machine(request.scope, error)

    for kind in (DBAPIError, PoolTimeout, OSError):
        app.add_exception_handler(kind, machine)

    @app.exception_handler(HTTPException)
    def other(_: Request, error: HTTPException) -> JSONResponse:
        if error.status_code == 413:
            return too_large()
        reply = problem(error.status_code, "http", str(error.detail), str(error.detail))
        reply.headers.update(error.headers or {})
        return reply


def _of_a_service(error: ServiceError) -> JSONResponse:
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


def handled(scope: Scope, error: Exception) -> JSONResponse:
    """An error that came up before any route was reached."""
    if isinstance(error, ServiceError):
        return _of_a_service(error)
    return _of_the_machine(scope, error)


def _of_the_machine(scope: Scope, error: Exception) -> JSONResponse:
    """What the database or the operating system refuses, told apart by what can be done about it."""
    state = getattr(getattr(error, "orig", None), "sqlstate", None) or ""
    if state == _DISK_FULL or (isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)):
        _log.error("the disk is full: %s", type(error).__name__)
        full = "There is no room left on the server's disk; nothing of this was kept. Make room, then try again."
        return problem(507, "disk-full", "Disk full", full)
    if isinstance(error, PoolTimeout) or state[:2] in _BUSY or state in _WAITED_TOO_LONG:
        busy = "Too much is asked at once; nothing was lost. Trying again in a moment helps."
        answer = problem(503, "busy", "Busy", busy)
        answer.headers["Retry-After"] = "1"
        return answer
    if isinstance(error, OperationalError | InterfaceError) or state[:2] in _DOWN:
        down = "The database does not answer; nothing was lost. Trying again."
        return problem(503, "database-down", "Database cannot be reached", down)
    if isinstance(error, IntegrityError):
        note(scope, error)
        meanwhile = (
            "Somebody else did the same, or took what this rests on, at the same moment. Look again, then repeat it."
        )
        return problem(409, "meanwhile", "Changed meanwhile", meanwhile)
    return unexpected(scope, error)


#: SQLSTATEs of PostgreSQL (its manual, appendix A): no room on disk; out of resources, rolled back for another's sake; shut down.
_DISK_FULL = "53100"
#: A lock that was not to be had in time, a statement that took longer than it may.
_WAITED_TOO_LONG = ("55P03", "57014")
_BUSY, _DOWN = ("53", "40"), ("57", "08")
_log = logging.getLogger("umbrak.server")


def unexpected(scope: Scope, error: Exception) -> JSONResponse:
    """What nobody foresaw: told as Umbrak's own error, by an id under which the log has its cause."""
    key = note(scope, error)
    words = f"This is an error of Umbrak's own, not of what was asked. Its log tells more under {key}."
    return problem(500, "unexpected", "Unexpected error", words, id=key)


def note(scope: Scope, error: Exception) -> str:
    """Write an error into the log, with the line of ours that it came by. Returns its id."""
    key = secrets.token_hex(6)
    home = str(Path(umbrak.__file__).parent)
    ours = [f for f in traceback.extract_tb(error.__traceback__) if f.filename.startswith(home)]
    place = f"{Path(ours[-1].filename).relative_to(home)}:{ours[-1].lineno}" if ours else "elsewhere"
    what = f"{scope.get('method', '')} {scope.get('path', '')!r}"
    _log.error("error %s at %s (%s): %s", key, place, what, type(error).__name__, exc_info=error)
    return key


def too_large() -> JSONResponse:
    """The body is larger than its route takes."""
    return problem(413, "too-large", "Too large", "This is more than is taken in here; nothing of it was read.")
