"""Signing in and out."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response

from umbrak.server.bodies import NewPassword, SignIn
from umbrak.server.deps import COOKIE, Db, Person, Token
from umbrak.server.problems import describe
from umbrak.services.accounts import SESSION_LASTS, change_password, sign_in, sign_out
from umbrak.store.accounts import Account

router = APIRouter(prefix="/session", tags=["session"])


@router.post("", responses=describe(401, 422, 429), max_body_size=8 << 10)
def begin(body: SignIn, engine: Db, request: Request, response: Response) -> Account:
    """Sign in: sets the session's cookie."""
    address = request.client.host if request.client else ""
    account, token = sign_in(engine, body.name, body.password, address)
    _set_cookie(request, response, token)
    return account


@router.get("", responses=describe(401))
def who(account: Person) -> Account:
    """Who is signed in."""
    return account


@router.put("/password", responses=describe(401, 422))
def new_password(body: NewPassword, engine: Db, request: Request, response: Response, account: Person) -> Account:
    """Change one's own password; every other session of the account ends."""
    _set_cookie(request, response, change_password(engine, account, body.old, body.new))
    return account


@router.delete("", status_code=204)
def end(engine: Db, response: Response, token: Token = None) -> None:
    """Sign out."""
    sign_out(engine, token)
    response.delete_cookie(COOKIE, path="/")


def _set_cookie(request: Request, response: Response, token: str) -> None:
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(SESSION_LASTS.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
        path="/",
    )
