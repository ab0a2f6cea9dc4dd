"""Signing in by a directory: a provider of OpenID Connect on loopback, which says what a test wants, true or not."""

from __future__ import annotations

import base64
import hashlib
import json
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from typing import Any
from urllib.parse import parse_qs, urlsplit

import pytest
from fastapi.testclient import TestClient
from joserfc import jwt
from joserfc.jwk import KeySet, OctKey, RSAKey
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD
from umbrak.devices.directory import Directory, Settings
from umbrak.server.app import make_app
from umbrak.services.people.accounts import add_account

ROLES = {"lead": "memory-leads", "technician": "memory", "viewer": "everybody"}


@dataclass
class Provider:
    """What it says of who signs in there, and what it was given."""

    issuer: str = ""
    key: RSAKey = field(default_factory=lambda: RSAKey.generate_key(2048, {"kid": "one"}))
    claims: dict[str, Any] = field(default_factory=dict)
    #: Members of the token's claims or head that are other than they should be; None: left out.
    wrong: dict[str, Any] = field(default_factory=dict)
    signs_with: Any = None
    asked: dict[str, str] = field(default_factory=dict)
    authorization: str = ""

    def token(self, form: dict[str, str]) -> dict[str, Any]:
        verifier = base64.urlsafe_b64encode(hashlib.sha256(form["code_verifier"].encode()).digest()).rstrip(b"=")
        if form["code"] != "the-code" or verifier.decode() != self.asked["code_challenge"]:
            return {"error": "invalid_grant"}
        now = int(time.time())
        claims = {
            "iss": self.issuer, "aud": "umbrak-here", "sub": "s-1", "iat": now, "exp": now + 300,
            "nonce": self.asked["nonce"], **self.claims, **self.wrong,
        }  # fmt: skip
        head = {"alg": "HS256" if isinstance(self.signs_with, OctKey) else "RS256", "kid": "one"}
        kept = {k: v for k, v in claims.items() if v is not None}
        return {"id_token": jwt.encode(head, kept, self.signs_with or self.key, algorithms=["RS256", "HS256"])}


@pytest.fixture
def provider() -> Iterator[Provider]:
    it = Provider()

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if self.path == "/.well-known/openid-configuration":
                ends = {f"{n}_endpoint": f"{it.issuer}/{n}" for n in ("authorization", "token")}
                self.say({"issuer": it.issuer, "jwks_uri": f"{it.issuer}/keys", **ends})
            else:
                self.say(KeySet([it.key]).as_dict(private=False))

        def do_POST(self) -> None:
            form = parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode())
            it.authorization = self.headers["Authorization"]
            self.say(it.token({k: v[0] for k, v in form.items()}))

        def say(self, document: dict[str, Any]) -> None:
            raw = json.dumps(document).encode()
            self.send_response(400 if "error" in document else 200)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(raw)))
            self.end_headers()
            self.wfile.write(raw)

        def log_message(self, *_: Any) -> None:
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Handler) as server:
        it.issuer = f"http://127.0.0.1:{server.server_port}"
        Thread(target=server.serve_forever, daemon=True).start()
        yield it
        server.shutdown()


class Door:
    """A browser at an installation that knows the provider."""

    def __init__(self, engine: Engine, provider: Provider, roles: dict[str, str] = ROLES) -> None:
        settings = Settings(
            provider.issuer, "umbrak-here", "a:secret-of-thirty-two-and-some-more", name="Harbour", roles=roles
        )
        self.provider, self.app = provider, make_app(engine, directory=Directory(settings))
        self.browser = TestClient(self.app, follow_redirects=False)

    def ask(self, to: str = "/desk") -> dict[str, str]:
        there = self.browser.get("/api/session/directory", params={"to": to})
        assert there.status_code == 303 and there.headers["Location"].startswith(
            f"{self.provider.issuer}/authorization?"
        )
        asked = {k: v[0] for k, v in parse_qs(urlsplit(there.headers["Location"]).query).items()}
        self.provider.asked = asked
        return asked

    def come_back(self, state: str | None = None, code: str = "the-code") -> str:
        """Where the browser is led to."""
        state = state or self.provider.asked["state"]
        back = self.browser.get("/api/session/directory/answer", params={"state": state, "code": code})
        assert back.status_code == 303
        return back.headers["Location"]

    def sign_in(self, **claims: Any) -> str:
        self.provider.claims = claims
        self.ask()
        return self.come_back()

    def who(self) -> tuple[str, str] | None:
        answer = self.browser.get("/api/session")
        return (answer.json()["name"], answer.json()["role"]) if answer.status_code == 200 else None


def test_whom_the_directory_recognises_is_let_in_with_the_role_of_their_group(
    engine: Engine, provider: Provider
) -> None:
    door = Door(engine, provider)
    assert door.browser.get("/api/session/ways").json() == {"directory": "Harbour"}
    asked = door.ask("/machines?q=hall")
    assert asked["redirect_uri"] == "http://testserver/api/session/directory/answer"
    assert (asked["response_type"], asked["code_challenge_method"], asked["client_id"]) == (
        "code",
        "S256",
        "umbrak-here",
    )
    provider.claims = {"preferred_username": "i.dal", "name": "I. Dal", "groups": ["memory", "everybody"]}
    assert door.come_back() == "/machines?q=hall" and door.who() == ("i.dal", "technician")
    assert base64.b64decode(provider.authorization.split()[1]) == b"umbrak-here:a%3Asecret-of-thirty-two-and-some-more"
    assert door.come_back() == "/sign-in?trouble=not-so", (
        "an answer is good once: the browser does not know the question any more"
    )
    # Later, with other groups, and another name: it is the same person by the subject.
    again = Door(engine, provider)
    assert again.sign_in(preferred_username="ida.dal", groups=["memory-leads"]) == "/desk"
    assert again.who() == ("i.dal", "lead")
    assert again.sign_in(preferred_username="i.dal", groups=["none of ours"]) == "/sign-in?trouble=no-role"
    with engine.connect() as db:
        told = db.execute(
            text("SELECT action FROM history WHERE action LIKE 'account%' OR action = 'signed in' ORDER BY id")
        )
        assert list(told.scalars()) == ["account added", "account linked", "signed in", "account changed", "signed in"]
        ends = db.execute(
            text("SELECT max(expires_at - created_at) <= interval '12 hours 1 minute' FROM session")
        ).scalar_one()
        assert ends
    # Nobody signs in to that account by a password.
    refused = TestClient(door.app).post("/api/session", json={"name": "i.dal", "password": PASSWORD})
    assert refused.status_code == 401


def test_an_account_that_is_here_is_taken_over_only_where_a_lead_says_so(engine: Engine, provider: Provider) -> None:
    add_account(engine, "boss", shown_as="Boss", password=PASSWORD, role="lead")
    add_account(engine, "i.dal", shown_as="I. Dal", password=PASSWORD, role="technician")
    door = Door(engine, provider, roles={})
    assert door.sign_in(preferred_username="I.Dal") == "/sign-in?trouble=name-taken" and door.who() is None
    lead = TestClient(door.app)
    lead.post("/api/session", json={"name": "boss", "password": PASSWORD})
    key = {p["name"]: p["id"] for p in lead.get("/api/people").json()}["i.dal"]
    assert lead.patch(f"/api/people/{key}", json={"awaits_directory": True}).status_code == 200
    assert door.sign_in(preferred_username="I.Dal") == "/desk" and door.who() == ("i.dal", "technician")
    assert {p["name"]: p["directory"] for p in lead.get("/api/people").json()}["i.dal"] == "yes"
    assert lead.patch(f"/api/people/{key}", json={"active": False}).status_code == 200
    assert door.who() is None and door.sign_in(preferred_username="I.Dal") == "/sign-in?trouble=kept-out"
    assert door.sign_in(sub="s-2", preferred_username="I.Dal") == "/sign-in?trouble=name-taken", (
        "somebody else of that name"
    )
    assert door.sign_in(sub="s-3", preferred_username="new") == "/desk" and door.who() == ("new", "viewer")


def test_what_does_not_hold_lets_nobody_in(engine: Engine, provider: Provider) -> None:
    door = Door(engine, provider, roles={})
    past = int(time.time()) - 3600
    stranger, shared = (
        RSAKey.generate_key(2048, {"kid": "one"}),
        OctKey.import_key("a:secret-of-thirty-two-and-some-more"),
    )
    for wrong, key in (
        ({"iss": "http://127.0.0.1:1"}, None),
        ({"aud": "another program"}, None),
        ({"aud": ["umbrak-here", "another"]}, None),
        ({"azp": "another"}, None),
        ({"nonce": "of another time"}, None),
        ({"nonce": None}, None),
        ({"exp": past}, None),
        ({"exp": None}, None),
        ({"sub": None}, None),
        ({}, stranger),
        ({}, shared),
    ):
        provider.wrong, provider.signs_with = wrong, key
        assert door.sign_in(preferred_username="x") == "/sign-in?trouble=not-so", (wrong, key)
    provider.wrong, provider.signs_with = {}, None
    door.ask()
    assert door.come_back(state="another") == "/sign-in?trouble=not-so"
    door.ask()
    assert door.come_back(code="of another sign-in") == "/sign-in?trouble=not-so"
    asked = door.ask()
    other = Door(engine, provider, roles={})  # a browser that asked nothing: an answer that somebody sent it
    assert other.come_back(state=asked["state"]) == "/sign-in?trouble=not-so"
    assert door.who() is None and other.who() is None
    for to in ("https://elsewhere.example/", "//elsewhere.example", "/\\elsewhere.example", "desk"):
        assert door.browser.get("/api/session/directory", params={"to": to}).status_code == 422, to
    with engine.connect() as db:
        assert db.execute(text("SELECT count(*) FROM account")).scalar_one() == 0


def test_a_directory_that_is_away_or_is_another(engine: Engine, provider: Provider) -> None:
    away = TestClient(
        make_app(engine, directory=Directory(Settings("http://127.0.0.1:9", "x", "y"))), follow_redirects=False
    )
    assert away.get("/api/session/directory").headers["Location"] == "/sign-in?trouble=away"
    named = Settings(f"{provider.issuer}/", "x", "y")
    another = TestClient(make_app(engine, directory=Directory(named)), follow_redirects=False)
    assert another.get("/api/session/directory").headers["Location"] == "/sign-in?trouble=not-so"
    none = TestClient(make_app(engine), follow_redirects=False)
    assert none.get("/api/session/ways").json() == {"directory": None}
    assert none.get("/api/session/directory").status_code == 404
