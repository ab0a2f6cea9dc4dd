"""Accounts: what a lead may do, tries that are throttled, sessions that end."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD, Client
from umbrak.services.people.accounts import TRIES


def test_a_lead_adds_changes_and_keeps_out(client: Client) -> None:
    lead = client("lead")
    made = lead.post(
        "/api/people", json={"name": "b.sund", "shown_as": "B. Sund", "password": "ten of them", "role": "viewer"}
    )
    assert (made.status_code, made.json()["role"]) == (201, "viewer")
    url = f"/api/people/{made.json()['id']}"
    theirs = client(None)
    credentials = {"name": "B.Sund", "password": "ten of them"}
    assert theirs.post("/api/session", json=credentials).json()["shown_as"] == "B. Sund"
    assert lead.patch(url, json={"role": "technician"}).json()["role"] == "technician"
    assert theirs.get("/api/session").json()["role"] == "technician"
    assert lead.patch(url, json={"active": False}).json()["active"] is False
    assert theirs.get("/api/session").status_code == 401
    assert theirs.post("/api/session", json=credentials).status_code == 401
    assert [p["active"] for p in lead.get("/api/people").json()][-1] is False
    for body, field in (
        ({"name": "B.SUND", "password": "ten of them", "role": "viewer"}, "name"),
        ({"name": "x", "password": "short", "role": "viewer"}, "password"),
    ):
        refused = lead.post("/api/people", json=body)
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, field)


def test_the_last_lead_stays(client: Client, engine: Engine) -> None:
    lead = client("lead")
    for person in lead.get("/api/people").json():
        if person["name"] == "lead":
            assert lead.patch(f"/api/people/{person['id']}", json={"role": "viewer"}).status_code == 200
    me = lead.get("/api/session").json()["id"]
    for change in ({"role": "technician"}, {"active": False}):
        answer = lead.patch(f"/api/people/{me}", json=change)
        assert (answer.status_code, answer.json()["detail"]) == (
            422,
            "The lead is the only lead; make another one first.",
        )


def test_ones_own_password_ends_the_other_sessions(client: Client) -> None:
    here, there = client("technician"), client(None)
    name = here.get("/api/session").json()["name"]
    assert there.post("/api/session", json={"name": name, "password": PASSWORD}).status_code == 200
    wrong = here.put("/api/session/password", json={"old": "not it", "new": "a new password"})
    assert wrong.json()["errors"] == [{"field": "old", "message": "This is not your password as it is now."}]
    assert here.put("/api/session/password", json={"old": PASSWORD, "new": "a new password"}).status_code == 200
    assert (here.get("/api/session").status_code, there.get("/api/session").status_code) == (200, 401)


@pytest.mark.parametrize("minutes", [0, 16])
def test_after_too_many_tries_none_is_heard_for_a_while(client: Client, engine: Engine, minutes: int) -> None:
    name = client("viewer").get("/api/session").json()["name"]
    browser = client(None)

    def attempt(password: str, who: str = name) -> int:
        return browser.post("/api/session", json={"name": who, "password": password}).status_code

    assert [attempt("wrong") for _ in range(TRIES - 1)] == [401] * (TRIES - 1)
    assert attempt(PASSWORD) == 200  # a good one forgets the bad ones
    assert [attempt("wrong") for _ in range(TRIES)] == [401] * TRIES
    with engine.begin() as db:
        then = datetime.now(UTC) - timedelta(minutes=minutes)
        db.execute(text("UPDATE sign_in_failure SET at = :then"), {"then": then})
    answer = browser.post("/api/session", json={"name": name, "password": PASSWORD})
    if minutes:
        assert answer.status_code == 200
    else:
        assert answer.json()["detail"] == "Too many tries failed. Wait 15 minutes, then try again."
        assert (answer.status_code, 800 < int(answer.headers["Retry-After"]) <= 900) == (429, True)
        assert attempt("wrong", "somebody-else") == 401


@pytest.mark.parametrize(
    ("password", "says"),
    [
        ("1234567890", "top-100 common password"),
        ("password123", "very common password"),
        ("aaaaaaaaaaaa", "easy to guess"),
        ("umbrakumbrak", "words that do not belong together"),
        ("newcomernewcomer", "words that do not belong together"),
        ("short", "at least 10 characters"),
        ("the lamp is lit", None),
    ],
)
def test_a_password_is_none_that_is_tried_first(client: Client, password: str, says: str | None) -> None:
    answer = client("lead").post(
        "/api/people", json={"name": "newcomer", "shown_as": "The newcomer", "password": password, "role": "viewer"}
    )
    assert answer.status_code == (422 if says else 201), answer.json()
    if says:
        assert says in answer.json()["detail"] and answer.json()["errors"][0]["field"] == "password"
