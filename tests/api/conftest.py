"""The real server in-process on a real database, with an account for each role."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine

from umbrak.server.app import make_app
from umbrak.services.people.accounts import add_account

PASSWORD = "a password of tests"
Client = Callable[[str | None], TestClient]


@pytest.fixture
def client(engine: Engine, seeded: str) -> Iterator[Client]:
    """`client(role)`: a browser of its own, signed in with that role; None = nobody."""
    app = make_app(engine)
    opened: list[TestClient] = []

    def sign_in(role: str | None) -> TestClient:
        browser = TestClient(app, raise_server_exceptions=True)
        opened.append(browser)
        if role:
            name = f"{role}-{len(opened)}"
            add_account(engine, name, shown_as=f"The {role}", password=PASSWORD, role=role)
            assert browser.post("/api/session", json={"name": name, "password": PASSWORD}).status_code == 200
        return browser

    yield sign_in
    for browser in opened:
        browser.close()
