"""Accounts, for leads."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from umbrak.server.bodies import AccountChange, NewAccount, TeamBody
from umbrak.server.deps import Db, Human, Person
from umbrak.server.problems import describe
from umbrak.services.people.access import access_events
from umbrak.services.people.accounts import add_account, change_account, list_accounts
from umbrak.services.people.settings import TeamSettings, see_team, set_team
from umbrak.store.accounts import Account
from umbrak.store.history import HistoryLine

router = APIRouter(prefix="/people", tags=["people"])


@router.get("", responses=describe(401, 403))
def everyone(engine: Db, account: Human) -> list[Account]:
    """Every account."""
    return list_accounts(engine, account)


@router.post("", status_code=201, responses=describe(401, 403, 422))
def add(body: NewAccount, engine: Db, account: Human) -> Account:
    """A new account."""
    return add_account(engine, body.name, shown_as=body.shown_as, password=body.password, role=body.role, by=account)


@router.get("/team", responses=describe(401))
def team(engine: Db, _: Person) -> TeamSettings:
    """Whose word plans at risk want."""
    return see_team(engine)


@router.put("/team", responses=describe(401, 403, 422))
def agree(body: TeamBody, engine: Db, account: Human) -> TeamSettings:
    """Say whose word plans at risk want."""
    return set_team(engine, account, TeamSettings(**body.model_dump()))


@router.get("/events", responses=describe(401, 403, 422))
def events(
    engine: Db,
    account: Human,
    before: Annotated[int | None, Query(ge=0, le=1 << 62, description="id of the last line seen")] = None,
) -> list[HistoryLine]:
    """Who signed in, who was kept out after too many tries, and what changed about who may; newest first."""
    return access_events(engine, account, before)


@router.patch("/{account_id}", responses=describe(401, 403, 404, 422))
def change(account_id: UUID, body: AccountChange, engine: Db, account: Human) -> Account:
    """Change a name, a role or a password, or whether the account may sign in."""
    return change_account(engine, account, account_id, **body.model_dump())
