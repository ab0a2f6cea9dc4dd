"""Signing in by the directory that the operator names: there and back."""

from __future__ import annotations

import logging
from dataclasses import asdict
from typing import Annotated

from fastapi import Query, Request, Response
from fastapi.responses import RedirectResponse
from pydantic import BaseModel

from umbrak.devices.directory import Asked, Directory, DirectoryError
from umbrak.server.cookies import ASKED, SESSION, cookie_of, drop_cookie, set_cookie
from umbrak.server.deps import Browser, Db, Out
from umbrak.server.problems import describe
from umbrak.server.routers.session import let_in
from umbrak.server.routing import api_router
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.by_directory import LASTS, NotLetInError, sign_in_by_directory

router = api_router(prefix="/session", tags=["session"])
_log = logging.getLogger("umbrak.directory")
#: From asking to answering. [s]
_PATIENCE = 900
Local = Annotated[str, Query(max_length=500, pattern=r"^/([^/\\].*)?$", description="where to go then")]


class Ways(BaseModel):
    """How one signs in here."""

    #: The directory's name, as the page says it; None: by password alone.
    directory: str | None


@router.get("/ways")
def ways(request: Request) -> Ways:
    """How one signs in here."""
    directory: Directory | None = request.app.state.directory
    return Ways(directory=directory.settings.name if directory else None)


@router.get("/directory", status_code=303, response_class=RedirectResponse, responses=describe(404, 422))
def there(request: Request, outside: Out, to: Local = "/desk") -> Response:
    """Ask the directory who this is."""
    try:
        asked = _directory(request).ask(_back(request))
    except DirectoryError as error:
        return _not_let_in(error)
    response = RedirectResponse(asked.url, 303)
    sealed = outside.vault.seal({**asdict(asked), "url": "", "to": to}).decode()
    set_cookie(request, response, ASKED, sealed, _PATIENCE, from_elsewhere=True)
    return response


@router.get("/directory/answer", status_code=303, response_class=RedirectResponse, responses=describe(404, 422))
def answer(
    request: Request,
    engine: Db,
    outside: Out,
    browser: Browser,
    state: Annotated[str, Query(max_length=500)] = "",
    code: Annotated[str, Query(max_length=4000)] = "",
) -> Response:
    """The directory's answer: sets the session's cookie, and goes on to where one wanted to."""
    directory = _directory(request)
    try:
        kept = outside.vault.unseal((cookie_of(request.scope, ASKED) or "").encode())
        asked = Asked(**{k: kept[k] for k in ("url", "state", "nonce", "verifier")})
        who = directory.answer(asked, _back(request), state, code)
        address = request.client.host if request.client else ""
        agent = request.headers.get("User-Agent", "")
        done = sign_in_by_directory(engine, directory.settings, who, browser, address=address, agent=agent)
    except (DirectoryError, NotLetInError, Refused) as error:
        return _not_let_in(error)
    response = RedirectResponse(kept["to"], 303)
    drop_cookie(request, response, ASKED)
    let_in(request, response, done)
    set_cookie(request, response, SESSION, done.token, int(LASTS.total_seconds()))
    return response


def _directory(request: Request) -> Directory:
    directory: Directory | None = request.app.state.directory
    if directory is None:
        raise NotFound("directory")
    return directory


def _back(request: Request) -> str:
    """Where the directory sends browsers back to: an address that it has to know."""
    return str(request.url_for("answer"))


def _not_let_in(error: Exception) -> Response:
    """Back to the page for signing in, with a code that it has words for; the log says more."""
    code = getattr(error, "code", "not-so")
    _log.warning("not let in by the directory: %s", error)
    return RedirectResponse(f"/sign-in?trouble={code}", 303)
