"""Webhooks: what happens is told once it is through, signed, again until it is heard, and to nobody else."""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from typing import Any

import pytest
from sqlalchemy import Engine, text

from umbrak.devices.networks import Networks
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.people.access import access_events, new_token
from umbrak.services.people.hooks import FIRST_WAIT, add_hook, change_hook, deliver_due, end_hook, list_hooks, try_hook
from umbrak.services.plans.editing import start_plan
from umbrak.services.reach import Outside
from umbrak.store.accounts import Account
from umbrak.store.history import record

OUTSIDE = Outside(Networks.parse("127.0.0.0/8"))
Heard = list[tuple[dict[str, str], bytes]]


@contextmanager
def receiver() -> Iterator[tuple[str, Heard, list[int]]]:
    """(its address, what it was told, the statuses that it answers next; 204 after those)"""
    heard: Heard = []
    answers: list[int] = []

    class Receiver(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            heard.append(({k.lower(): v for k, v in self.headers.items()}, body))
            self.send_response(answers.pop(0) if answers else 204)
            self.send_header("Location", "http://127.0.0.1:9/elsewhere")
            self.end_headers()

        def log_message(self, *_: Any) -> None:
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Receiver) as server:
        Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}/told?by=umbrak", heard, answers
        server.shutdown()


def is_signed(secret: str, headers: dict[str, str], body: bytes) -> bool:
    """By the specification, not by our code: HMAC-SHA256 of "id.timestamp.body", in base64 after the version."""
    signed = f"{headers['webhook-id']}.{headers['webhook-timestamp']}.".encode() + body
    made = hmac.new(base64.b64decode(secret.split("_", 1)[1]), signed, hashlib.sha256).digest()
    return headers["webhook-signature"] == "v1," + base64.b64encode(made).decode()


def tell(engine: Engine, outside: Outside = OUTSIDE) -> int:
    return deliver_due(engine, outside, datetime.now(UTC))


def sooner(engine: Engine) -> None:
    """What waits to be tried again is due."""
    with engine.begin() as db:
        db.execute(text("UPDATE webhook_delivery SET next_at = now() WHERE next_at IS NOT NULL"))


def machine_of(engine: Engine, name: str) -> Any:
    with engine.connect() as db:
        return db.execute(text("SELECT id FROM machine WHERE name = :n"), {"n": name}).scalar_one()


def test_what_happens_is_told_signed_and_again_until_it_is_heard(
    engine: Engine, technician: Account, lead: Account
) -> None:
    with receiver() as (address, heard, answers):
        new = add_hook(engine, OUTSIDE, lead, address, "machines")
        machine = machine_of(engine, "hall-03")
        plan = start_plan(engine, technician, machine)
        with suppress(ZeroDivisionError), engine.begin() as db:
            record(db, "never was", technician.id, machine)
            raise ZeroDivisionError
        new_token(engine, technician, "no business of machines", "viewer", 1)
        answers += [500, 302]
        assert (tell(engine), tell(engine), len(heard)) == (0, 0, 1), "one that failed is not tried again at once"
        (hook,) = list_hooks(engine, lead)
        assert (hook.waiting, hook.delivered_at, hook.trouble) == (1, None, "127.0.0.1 answered with 500.")
        sooner(engine)
        assert tell(engine) == 0, "a redirection is followed nowhere"
        sooner(engine)
        assert tell(engine) == 1
        sooner(engine)
        assert tell(engine) == 0, "what was heard is not told again"
        assert len({headers["webhook-id"] for headers, _ in heard}) == 1
        assert all(is_signed(new.secret, headers, body) for headers, body in heard)
        told = json.loads(heard[-1][1])
        assert told["type"] == "plan started" and told["data"]["plan_id"] == str(plan.id)
        assert told["data"]["machine_id"] == str(machine) and told["data"]["by"] == technician.shown_as
        (hook,) = list_hooks(engine, lead)
        assert (hook.waiting, hook.trouble) == (0, "") and hook.delivered_at
        try_hook(engine, lead, hook.id)
        assert tell(engine) == 1 and json.loads(heard[-1][1])["type"] == "test"
        with engine.connect() as db:
            assert new.secret not in str(db.execute(text("SELECT sealed FROM webhook")).all())
        end_hook(engine, lead, hook.id)
        start_plan(engine, technician, machine)
        assert tell(engine) == 0 and not list_hooks(engine, lead)


def test_waits_grow_and_after_three_days_somebody_has_to_say_so(
    engine: Engine, technician: Account, lead: Account
) -> None:
    with receiver() as (address, heard, answers):
        new = add_hook(engine, OUTSIDE, lead, address, "access")
        waits = []
        answers += [503] * 9
        new_token(engine, technician, "x", "viewer", 1)
        for _ in range(4):
            sooner(engine)
            now = datetime.now(UTC)
            deliver_due(engine, OUTSIDE, now)
            with engine.connect() as db:
                waits.append(
                    (db.execute(text("SELECT max(next_at) FROM webhook_delivery")).scalar_one() - now) / FIRST_WAIT
                )
        assert [round(w) for w in waits] == [1, 2, 4, 8]
        with engine.begin() as db:
            db.execute(text("UPDATE webhook_delivery SET created_at = now() - interval '73 hours'"))
        sooner(engine)
        tell(engine)
        assert not list_hooks(engine, lead)[0].active
        assert "webhook given up" in {line.action for line in access_events(engine, lead)}
        sooner(engine)
        before = len(heard)
        new_token(engine, technician, "meanwhile", "viewer", 1)
        assert tell(engine) == 0 and len(heard) == before, "it is told nothing meanwhile"
        answers.clear()
        change_hook(engine, lead, new.kept.id, active=True)
        assert tell(engine) == 3, "what it was not told, in order, and that it is told again"
        kinds = [json.loads(body)["type"] for _, body in heard[before:]]
        assert kinds == ["webhook added", "token made", "webhook changed"]


def test_what_does_not_answer_keeps_nobody_else_waiting(engine: Engine, technician: Account, lead: Account) -> None:
    with receiver() as (address, heard, _):
        add_hook(engine, OUTSIDE, lead, "http://127.0.0.1:9/nobody", "machines")
        add_hook(engine, OUTSIDE, lead, address, "machines")
        for _ in range(30):
            with engine.begin() as db:
                record(db, "a line", technician.id, machine_of(engine, "hall-03"))
        assert tell(engine) == 30 == len(heard)
        silent, hears = list_hooks(engine, lead)
        assert (silent.waiting, hears.waiting) == (30, 0)
    other = Outside(OUTSIDE.networks)  # another key: its secret cannot be read any more
    sooner(engine)
    assert tell(engine, other) == 0
    assert "sealed with another key" in list_hooks(engine, lead)[0].trouble


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("https://192.0.2.7/x", "none of the networks"),
        ("http://10.4.0.9/x", "over TLS"),
        ("ftp://127.0.0.1/x", "no address"),
        ("https://127.0.0.1:99999/x", "no address"),
    ],
)
def test_addresses_that_are_not_told(
    engine: Engine, lead: Account, technician: Account, address: str, words: str
) -> None:
    outside = Outside(Networks.parse("127.0.0.0/8, 10.4.0.0/16"))
    with pytest.raises(Refused, match=words):
        add_hook(engine, outside, lead, address, "everything")
    with pytest.raises(NotAllowed):
        add_hook(engine, outside, technician, "https://127.0.0.1/x", "everything")
