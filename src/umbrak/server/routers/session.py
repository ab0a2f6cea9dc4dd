"""Signing in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Cookie, Request, Response

from umbrak.server.bodies import NewPassword, SignIn
from umbrak.server.deps import COOKIE, Db, Person, Token
from umbrak.server.problems import describe
from umbrak.server.tries import COUNTING, HASHING, run_in
from umbrak.services.people.accounts import (
    BROWSER_KEPT,
    SESSION_LASTS,
    admit,
    change_password,
    sign_in,
    sign_out,
)
from umbrak.store.accounts import Account

router = APIRouter(prefix="/session", tags=["session"])

KNOWN = "umbrak_browser"
Browser = Annotated[str | None, Cookie(alias=KNOWN, include_in_schema=False, max_length=200)]


@router.post("", responses=describe(401, 422, 429), max_body_size=8 << 10)
async def begin(body: SignIn, engine: Db, request: Request, response: Response, browser: Browser = None) -> Account:
    """Sign in: sets the session's cookie, and one by which the account knows this browser."""
    address = request.client.host if request.client else ""
    attempt = await run_in(COUNTING, lambda: admit(engine, body.name, address, browser=browser))
    done = await run_in(HASHING, lambda: sign_in(engine, attempt, body.password, browser))
    _set_cookie(request, response, COOKIE, done.token, int(SESSION_LASTS.total_seconds()))
    _set_cookie(request, response, KNOWN, done.browser, int(BROWSER_KEPT.total_seconds()))
    return done.account


@router.get("", responses=describe(401))
def who(account: Person) -> Account:
    """Who is signed in."""
    return account


@router.put("/password", responses=describe(401, 422, 429))
async def new_password(body: NewPassword, engine: Db, request: Request, response: Response, account: Person) -> Account:
    """Change one's own password; every other session of the account ends."""
    token = await run_in(HASHING, lambda: change_password(engine, account, body.old, body.new))
    _set_cookie(request, response, COOKIE, token, int(SESSION_LASTS.total_seconds()))
    return account


@router.delete("", status_code=204)
def end(engine: Db, response: Response, token: Token = None) -> None:
    """Sign out."""
    sign_out(engine, token)
    response.delete_cookie(COOKIE, path="/")


def _set_cookie(request: Request, response: Response, name: str, token: str, seconds: int) -> None:
    response.set_cookie(
        name,
        token,
        max_age=seconds,
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
        path="/",
    )
