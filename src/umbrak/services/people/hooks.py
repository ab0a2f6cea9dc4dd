"""Webhooks: addresses that are told what happens, as it happens, until they say that they have it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from urllib.parse import urlsplit
from uuid import UUID

from sqlalchemy import Engine

from umbrak.devices import webhooks as device
from umbrak.devices.networks import DeviceError
from umbrak.devices.webhooks import Message
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.accounts import Role, need
from umbrak.services.reach import Outside
from umbrak.store import webhooks as store
from umbrak.store.accounts import Account
from umbrak.store.history import find_line, record
from umbrak.store.webhooks import DueDelivery, HookRow

#: After each failed try: half a minute, doubled up to four hours; after three days it is not told any more.
FIRST_WAIT, LONGEST_WAIT, GIVEN_UP = timedelta(seconds=30), timedelta(hours=4), timedelta(days=3)
#: A try that nobody ended (its process died) is made again after this.
_LEASE = timedelta(minutes=2)
MOST_HOOKS, _AT_ONCE = 20, 20
_KEPT = timedelta(days=14)


@dataclass(frozen=True, slots=True)
class NewHook:
    """A webhook with the secret that signs, shown this once."""

    secret: str
    kept: HookRow


def list_hooks(engine: Engine, by: Account) -> list[HookRow]:
    need(by, Role.lead)
    with engine.connect() as db:
        return store.all_hooks(db)


def add_hook(engine: Engine, outside: Outside, by: Account, address: str, about: str) -> NewHook:
    """Raises Refused for an address that is none, or in no network that may be reached."""
    need(by, Role.lead)
    address = address.strip()
    try:
        device.check_address(address, outside.networks)
    except DeviceError as error:
        raise Refused("address", str(error)) from error
    secret = device.new_secret()
    with engine.begin() as db:
        if len(store.all_hooks(db)) >= MOST_HOOKS:
            raise Refused("address", f"At most {MOST_HOOKS} are kept.")
        key = store.add_hook(db, address, about, outside.vault.seal({"secret": secret}), by.id)
        record(db, "webhook added", by.id, address=_host(address), about=about)
        kept = store.find_hook(db, key)
    assert kept
    return NewHook(secret, kept)


def change_hook(engine: Engine, by: Account, key: UUID, active: bool) -> HookRow:
    """Have it told again, or not for now. Raises NotFound."""
    need(by, Role.lead)
    with engine.begin() as db:
        _found(store.find_hook(db, key))
        store.set_active(db, key, active)
        hook = _found(store.find_hook(db, key))
        record(db, "webhook changed", by.id, address=_host(hook.address), active=active)
    return hook


def try_hook(engine: Engine, by: Account, key: UUID) -> None:
    """Have it told that nothing happened. Raises NotFound."""
    need(by, Role.lead)
    with engine.begin() as db:
        _found(store.find_hook(db, key))
        store.put_test(db, key)


def end_hook(engine: Engine, by: Account, key: UUID) -> None:
    """Raises NotFound."""
    need(by, Role.lead)
    with engine.begin() as db:
        hook = _found(store.find_hook(db, key))
        store.end_hook(db, key)
        record(db, "webhook ended", by.id, address=_host(hook.address))


def _host(address: str) -> str:
    """Where it is; a path may be secret."""
    return urlsplit(address if "//" in address else f"//{address}").netloc


def _found(hook: HookRow | None) -> HookRow:
    if hook is None:
        raise NotFound("webhook")
    return hook


def deliver_due(engine: Engine, outside: Outside, now: datetime, stopped: Callable[[], bool] = lambda: False) -> int:
    """Make the tries whose time has come. Returns how many were delivered."""
    done = 0
    while not stopped():
        with engine.begin() as db:
            store.forget_deliveries(db, _KEPT)
            due = store.take_due(db, _LEASE, _AT_ONCE)
        down: dict[UUID, _Failed] = {}  # what comes after is told after: it waits as long
        for delivery in due:
            if failed := down.get(delivery.webhook_id):
                _wait(engine, delivery, failed)
            elif stopped():
                _wait(engine, delivery, _Failed("", now))
            elif failed := _try(engine, outside, delivery, now):
                down[delivery.webhook_id] = failed
            else:
                done += 1
        if len(due) < _AT_ONCE:
            break
    return done


@dataclass(frozen=True, slots=True)
class _Failed:
    words: str
    next_at: datetime


def _wait(engine: Engine, delivery: DueDelivery, failed: _Failed) -> None:
    """It was not tried."""
    with engine.begin() as db:
        store.put_back(db, delivery.id, failed.words, failed.next_at)


def _try(engine: Engine, outside: Outside, delivery: DueDelivery, now: datetime) -> _Failed | None:
    """What kept it from being delivered; None: nothing did."""
    with engine.connect() as db:
        line = None if delivery.line_id is None else find_line(db, delivery.line_id)
    data = {
        "id": line.id, "by": line.by, "machine_id": line.machine_id and str(line.machine_id),
        "plan_id": line.plan_id and str(line.plan_id), "detail": line.detail,
    } if line else {}  # fmt: skip
    message = Message(str(delivery.id), line.action if line else "test", line.at if line else delivery.created_at, data)
    try:
        secret = outside.vault.unseal(delivery.sealed)["secret"]
        device.tell(delivery.address, secret, message, outside.networks, now)
    except (DeviceError, Refused) as error:
        failed = _Failed(str(error), now + min(FIRST_WAIT * 2 ** min(delivery.tries - 1, 20), LONGEST_WAIT))
        with engine.begin() as db:
            store.end_delivery(db, delivery.id, failed.words, failed.next_at, delivered=False)
            if now - delivery.created_at > GIVEN_UP:
                # What it was not told stays: whoever lets it be told again says so, and it is tried anew.
                store.set_active(db, delivery.webhook_id, active=False)
                record(db, "webhook given up", None, address=_host(delivery.address), why=str(error))
        return failed
    with engine.begin() as db:
        store.end_delivery(db, delivery.id, "", None, delivered=True)
    return None
