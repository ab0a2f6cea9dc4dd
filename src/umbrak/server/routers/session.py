"""Signing in and out."""

from __future__ import annotations

from fastapi import Request, Response

from umbrak.server.bodies.people import NewPassword, SignIn
from umbrak.server.cookies import BROWSER, SESSION, drop_cookie, set_cookie
from umbrak.server.deps import Browser, Db, Human, Out, Person, Token
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.tries import COUNTING, HASHING, run_in
from umbrak.services.people.accounts import (
    BROWSER_KEPT,
    SESSION_LASTS,
    SignedIn,
    admit,
    change_password,
    sign_in,
    sign_out,
)
from umbrak.services.people.factor import check_factor
from umbrak.store.accounts import Account

router = api_router(prefix="/session", tags=["session"])


@router.post("", responses=describe(401, 422, 429), max_body_size=8 << 10)
async def begin(
    body: SignIn, engine: Db, outside: Out, request: Request, response: Response, browser: Browser
) -> Account:
    """Sign in: sets the session's cookie, and one by which the account knows this browser. 401 `second-factor` asks for a code."""
    address = request.client.host if request.client else ""
    agent = request.headers.get("User-Agent", "")
    attempt = await run_in(COUNTING, lambda: admit(engine, body.name, address, browser=browser))
    done = await run_in(
        HASHING,
        lambda: sign_in(
            engine,
            attempt,
            body.password,
            lambda account: check_factor(engine, outside.vault, account, body.code),
            browser,
            address=address,
            agent=agent,
        ),
    )
    let_in(request, response, done)
    return done.account


def let_in(request: Request, response: Response, done: SignedIn) -> None:
    """Give a browser its session, and what it is known by."""
    set_cookie(request, response, SESSION, done.token, int(SESSION_LASTS.total_seconds()))
    set_cookie(request, response, BROWSER, done.browser, int(BROWSER_KEPT.total_seconds()))


@router.get("", responses=describe(401))
def who(account: Person) -> Account:
    """Who is signed in."""
    return account


@router.put("/password", responses=describe(401, 422, 429))
async def new_password(body: NewPassword, engine: Db, request: Request, response: Response, account: Human) -> Account:
    """Change one's own password; every other session of the account ends."""
    token = await run_in(HASHING, lambda: change_password(engine, account, body.old, body.new))
    set_cookie(request, response, SESSION, token, int(SESSION_LASTS.total_seconds()))
    return account


@router.delete("", status_code=204)
def end(engine: Db, request: Request, response: Response, token: Token) -> None:
    """Sign out."""
    sign_out(engine, token)
    drop_cookie(request, response, SESSION)
