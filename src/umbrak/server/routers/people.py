"""Accounts, for leads."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import Query

from umbrak.server.bodies.people import AccountChange, HookBody, HookChange, NewAccount, RetentionBody, TeamBody
from umbrak.server.deps import Db, Human, Out, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.people.access import access_events
from umbrak.services.people.accounts import add_account, change_account, list_accounts
from umbrak.services.people.factor import reset_factor
from umbrak.services.people.hooks import NewHook, add_hook, change_hook, end_hook, list_hooks, try_hook
from umbrak.services.people.retention import Retention, RetentionView, see_retention, set_retention
from umbrak.services.people.settings import TeamSettings, see_team, set_team
from umbrak.store.accounts import Account, Member
from umbrak.store.history import HistoryLine
from umbrak.store.webhooks import HookRow

router = api_router(prefix="/people", tags=["people"])


@router.get("", responses=describe(401, 403))
def everyone(engine: Db, account: Human) -> list[Member]:
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


@router.get("/retention", responses=describe(401, 403))
def retention(engine: Db, account: Human) -> RetentionView:
    """For how long bulk is kept, and what was removed for its age."""
    return see_retention(engine, account)


@router.put("/retention", responses=describe(401, 403, 422))
def keep_for(body: RetentionBody, engine: Db, account: Human) -> RetentionView:
    """Say for how long bulk is kept."""
    return set_retention(engine, account, Retention(**body.model_dump()))


@router.get("/webhooks", responses=describe(401, 403))
def hooks(engine: Db, account: Human) -> list[HookRow]:
    """Addresses that are told what happens, and how that goes."""
    return list_hooks(engine, account)


@router.post("/webhooks", status_code=201, responses=describe(401, 403, 422))
def new_hook(body: HookBody, engine: Db, outside: Out, account: Human) -> NewHook:
    """Have an address told what happens. The secret that signs is shown this once."""
    return add_hook(engine, outside, account, body.address, body.about)


@router.patch("/webhooks/{hook_id}", responses=describe(401, 403, 404, 422))
def change_told(hook_id: UUID, body: HookChange, engine: Db, account: Human) -> HookRow:
    """Have it told again, or not for now."""
    return change_hook(engine, account, hook_id, body.active)


@router.post("/webhooks/{hook_id}/test", status_code=204, responses=describe(401, 403, 404, 422))
def try_it(hook_id: UUID, engine: Db, account: Human) -> None:
    """Have it told that nothing happened, to see whether it hears."""
    try_hook(engine, account, hook_id)


@router.delete("/webhooks/{hook_id}", status_code=204, responses=describe(401, 403, 404, 422))
def no_hook(hook_id: UUID, engine: Db, account: Human) -> None:
    """Have it told nothing any more."""
    end_hook(engine, account, hook_id)


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


@router.delete("/{account_id}/second-factor", status_code=204, responses=describe(401, 403, 404, 422))
def lost(account_id: UUID, engine: Db, account: Human) -> None:
    """Take away the second factor of somebody who has lost it."""
    reset_factor(engine, account, account_id)
