"""What the routers share: the engine and who is signed in."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import Cookie, Depends, Query, Request
from pydantic import AfterValidator
from sqlalchemy import Engine

from umbrak.formats.text import printed
from umbrak.services.people.accounts import signed_in
from umbrak.services.surveys.reach import Outside
from umbrak.store.accounts import Account

COOKIE = "umbrak_session"


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
Token = Annotated[str | None, Cookie(alias=COOKIE, include_in_schema=False, max_length=200)]


def get_account(engine: Db, token: Token = None) -> Account:
    return signed_in(engine, token)


Person = Annotated[Account, Depends(get_account)]

#: Text that is searched for: what cannot be printed is in nothing that is kept.
Searched = Annotated[str, Query(max_length=400), AfterValidator(printed)]
