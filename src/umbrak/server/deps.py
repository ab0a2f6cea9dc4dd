"""What the routers share: the engine and who is signed in.

What waits for nothing is `async`: the others have a thread each, and handing over takes longer than what they do.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Depends, Query, Request
from pydantic import AfterValidator
from sqlalchemy import Engine
from starlette.types import Scope

from umbrak.formats.text import printed
from umbrak.server.cookies import BROWSER, SESSION, cookie_of
from umbrak.services.errors import NotAllowed
from umbrak.services.people.access import by_token
from umbrak.services.people.accounts import signed_in
from umbrak.services.reach import Outside
from umbrak.store.accounts import Account


async def get_engine(request: Request) -> Engine:
    engine: Engine = request.app.state.engine
    return engine


Db = Annotated[Engine, Depends(get_engine)]


async def get_outside(request: Request) -> Outside:
    outside: Outside = request.app.state.outside
    return outside


Out = Annotated[Outside, Depends(get_outside)]


async def get_now(request: Request) -> datetime:
    """The time, by the clock that the application was made with."""
    now: datetime = request.app.state.clock()
    return now


Now = Annotated[datetime, Depends(get_now)]


async def get_token(request: Request) -> str | None:
    return cookie_of(request.scope, SESSION)


Token = Annotated[str | None, Depends(get_token)]


async def get_browser(request: Request) -> str | None:
    return cookie_of(request.scope, BROWSER)


#: By which the account knows a browser.
Browser = Annotated[str | None, Depends(get_browser)]


def asking(engine: Engine, scope: Scope) -> Account:
    """Who asks: a script by its token, or a person by a session. Raises NotSignedIn."""
    bearer = next((v.decode("latin-1") for n, v in scope["headers"] if n == b"authorization"), "")
    kind, _, token = bearer.partition(" ")
    scope.setdefault("state", {})["by_token"] = kind.lower() == "bearer"
    if kind.lower() == "bearer":
        return by_token(engine, token.strip())
    return signed_in(engine, cookie_of(scope, SESSION))


def get_account(engine: Db, request: Request) -> Account:
    account = asking(engine, request.scope)
    request.state.who = account.name  # for the log
    return account


Person = Annotated[Account, Depends(get_account)]


def get_human(account: Person, request: Request) -> Account:
    """Who asks, and is no script: what lets somebody in is looked after by people. Raises NotAllowed."""
    if request.state.by_token:
        raise NotAllowed("A token may not do this: sign in.")
    return account


Human = Annotated[Account, Depends(get_human)]

#: Text that is searched for: what cannot be printed is in nothing that is kept.
Searched = Annotated[str, Query(max_length=400), AfterValidator(printed)]
