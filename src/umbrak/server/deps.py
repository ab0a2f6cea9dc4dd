"""What the routers share: the engine and who is signed in."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Depends, Query, Request
from pydantic import AfterValidator
from sqlalchemy import Engine

from umbrak.formats.text import printed
from umbrak.server.cookies import BROWSER, SESSION, cookie_of
from umbrak.services.people.accounts import signed_in
from umbrak.services.surveys.reach import Outside
from umbrak.store.accounts import Account


def get_engine(request: Request) -> Engine:
    engine: Engine = request.app.state.engine
    return engine


Db = Annotated[Engine, Depends(get_engine)]


def get_outside(request: Request) -> Outside:
    outside: Outside = request.app.state.outside
    return outside


Out = Annotated[Outside, Depends(get_outside)]


def get_now(request: Request) -> datetime:
    """The time, by the clock that the application was made with."""
    now: datetime = request.app.state.clock()
    return now


Now = Annotated[datetime, Depends(get_now)]


def get_token(request: Request) -> str | None:
    return cookie_of(request.scope, SESSION)


Token = Annotated[str | None, Depends(get_token)]


def get_browser(request: Request) -> str | None:
    return cookie_of(request.scope, BROWSER)


#: By which the account knows a browser.
Browser = Annotated[str | None, Depends(get_browser)]


def get_account(engine: Db, token: Token, request: Request) -> Account:
    account = signed_in(engine, token)
    request.state.who = account.name  # for the log
    return account


Person = Annotated[Account, Depends(get_account)]

#: Text that is searched for: what cannot be printed is in nothing that is kept.
Searched = Annotated[str, Query(max_length=400), AfterValidator(printed)]
