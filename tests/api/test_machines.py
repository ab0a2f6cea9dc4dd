"""Machines and their plans: made by hand, changed, surveyed again, retired, compared, arranged; and their history."""

from __future__ import annotations

from typing import Any

from tests.api.conftest import Client
from tests.api.test_api import machine_named, plan_of


def sheet_hash(browser: Any, sheet_id: str) -> str:
    return str(next(s["hash"] for s in browser.get("/api/sheets").json() if s["sheet_id"] == sheet_id))


def test_a_machine_by_hand_changed_and_retired(client: Client) -> None:
    browser, other = client("technician"), client("lead")
    body = {
        "name": "desk-09", "sheet_hash": sheet_hash(browser, "pell-s1"), "place": "east station", "site": "Skerry Watch",
        "fitted": {"A2": "8GB 1Rx8 PC4-2666V-ED2", "B2": None}, "duty_group": "desks",
    }  # fmt: skip
    made = browser.post("/api/machines", json=body).json()
    assert (made["slots"]["A2"]["capacity_gib"], "B2" in made["slots"], made["slots"]["A1"]) == (8, False, "unknown")
    assert (made["survey"]["kind"], made["survey"]["known"], made["about"]["duty_group"]) == ("by hand", 2, "desks")
    assert browser.post("/api/machines", json={**body, "name": "x", "fitted": {"Z": None}}).status_code == 422
    url = f"/api/machines/{made['id']}"
    facts = {**made["facts"], "firmware": "1.9", "os_bits": 32}
    changed = browser.patch(
        url, json={"version": 1, "name": "desk-10", "site": "Elsewhere", "zone": "UTC", "facts": facts}
    )
    assert (changed.json()["name"], changed.json()["facts"]["os_bits"], changed.json()["version"]) == ("desk-10", 32, 2)
    stale = other.patch(url, json={"version": 1, "place": "attic"})
    assert (stale.status_code, stale.json()["theirs"]["name"]) == (409, "desk-10")
    for change, field in (
        ({"name": "hall-03"}, "name"),
        ({"facts": {"mode": "lockstep"}}, "facts.mode"),
        ({"facts": {"processors": {"CPU": "moss"}}}, "processors.CPU"),
        ({"facts": {"os_bits": 16}}, "facts.os_bits"),
    ):
        refused = browser.patch(url, json={"version": 2, **change})
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, field)
    assert browser.post(f"{url}/retirement", json={"version": 2, "retired": True}).json()["retired_at"]
    assert browser.get("/api/machines?q=desk-10").json()["total"] == 0
    assert browser.get("/api/machines?q=desk-10&retired=true").json()["total"] == 1
    assert browser.post(f"{url}/retirement", json={"version": 3, "retired": False}).json()["retired_at"] is None
    told = [(line["action"], line["by"]) for line in browser.get(f"{url}/history").json()]
    assert told == [
        ("machine brought back", "The technician"),
        ("machine retired", "The technician"),
        ("machine changed", "The technician"),
        ("machine made", "The technician"),
    ]


def test_a_survey_by_hand_is_laid_over_the_newest(client: Client) -> None:
    browser = client("technician")
    line = machine_named(browser, "wave-01")
    assert (line["summary"]["known"], line["station"]) == (10, "Survey")
    url = f"/api/machines/{line['id']}"
    seen = browser.post(f"{url}/surveys", json={"revision": 1, "slots": {"A4": None, "B4": None}, "failed": ["A1"]})
    assert (seen.json()["survey"]["known"], seen.json()["failed"], seen.json()["survey"]["revision"]) == (12, ["A1"], 2)
    assert machine_named(browser, "wave-01")["summary"]["failed"] == 1
    assert [m["name"] for m in browser.get("/api/machines?want=failed").json()["machines"]] == ["hall-02", "wave-01"]
    # Said of an older survey: refused, unless it stands there already, for then it was sent twice.
    assert browser.post(f"{url}/surveys", json={"revision": 1, "slots": {"A4": "unknown"}}).status_code == 409
    again = browser.post(f"{url}/surveys", json={"revision": 1, "slots": {"A4": None}})
    assert (again.status_code, again.json()["survey"]["revision"]) == (200, 2)
    # Said of the newest: somebody looked, and what is known of that slot is as of now.
    looked = browser.post(f"{url}/surveys", json={"revision": 2, "slots": {"A4": None}}).json()["survey"]
    assert (looked["revision"], browser.get(f"{url}/history").json()[0]["action"]) == (3, "looked and found as known")
    assert looked["sources"]["A4"]["at"] > seen.json()["survey"]["sources"]["A4"]["at"]
    assert looked["sources"]["B4"]["at"] == seen.json()["survey"]["sources"]["B4"]["at"]
    assert browser.post(f"{url}/surveys", json={"revision": 2, "slots": {"A4": None}}).json()["survey"]["revision"] == 3
    # What stands in a slot is of its form and generation, though nobody says so.
    bare = browser.post(f"{url}/surveys", json={"revision": 3, "slots": {"A4": {"capacity_gib": 4}}}).json()["slots"][
        "A4"
    ]
    assert (bare["form"], bare["generation"], bare["buffering"]) == ("DIMM", "DDR2", None)
    browser.post(f"{url}/surveys", json={"revision": 4, "slots": {"A4": None}})
    assert browser.post(f"{url}/surveys", json={"revision": 2, "failed": ["Q"]}).status_code == 422


def test_the_list_is_ordered_narrowed_and_searched(client: Client) -> None:
    browser = client("viewer")
    names = [m["name"] for m in browser.get("/api/machines").json()["machines"]]
    assert names == sorted(names) and len(names) == 21
    worst = browser.get("/api/machines?order=worst").json()["machines"]
    order = ["stop", "ask", "risk", "slow", None]
    ranks = [0 if m["summary"]["failed"] else order.index(m["summary"]["worst_severity"]) for m in worst]
    assert ranks == sorted(ranks) and ranks[0] < ranks[-1]
    asked = browser.get("/api/machines?want=ask").json()["machines"]
    assert {m["summary"]["worst_severity"] for m in asked} == {"ask"}
    assert {m["about"]["duty_group"] for m in browser.get("/api/machines?q=computing").json()["machines"]} == {
        "hall",
        "maps",
    }


def test_plans_side_by_side_one_like_another_and_discarded(client: Client) -> None:
    browser = client("technician")
    plan = plan_of(browser, "desk-06")
    url = f"/api/machines/{plan['machine_id']}/plans"
    like = browser.post(url, json={"name": "As the other", "like": plan["id"]}).json()
    assert like["goal"] == plan["goal"] and like["now"] == plan["now"]
    now, newest, older = browser.get(url).json()
    assert [p["name"] for p in (now, newest, older)] == ["as it is", "As the other", "Two more"]
    assert (now["installed_gib"], older["installed_gib"], now["touches"], older["touches"]) == (48, 96, 0, 2)
    assert (now["data_rate_mts"], older["data_rate_mts"], older["findings"]) == (5200, 4800, {"slow": 1})
    elsewhere = plan_of(browser)["id"]
    assert browser.post(url, json={"like": elsewhere}).status_code == 404
    gone = browser.post(f"/api/plans/{like['id']}/discard", json={"version": 1, "discarded": True}).json()
    assert gone["discarded"] and len(browser.get(url).json()) == 2
    again = browser.post(url, json={"name": "As the other"}).json()
    back = browser.post(f"/api/plans/{like['id']}/discard", json={"version": 2, "discarded": False})
    assert (back.status_code, again["version"]) == (422, 1)


def test_arrangements_are_proposed_and_change_nothing(client: Client) -> None:
    browser = client("technician")
    machine = machine_named(browser, "hall-01")["id"]
    plan = browser.post(f"/api/machines/{machine}/plans", json={}).json()
    url = f"/api/plans/{plan['id']}/arrangements"
    module = plan["goal"]["P0.A1"]
    found = browser.post(url, json={"kind": "next-set", "module": module}).json()
    # P1 has fewest: four modules; the order goes on to six, whose layout none of B1 is in: it moves.
    assert (found["adds"], found["moves"]) == (2, 1)
    assert {s for s, m in found["changes"].items() if m is None} == {"P1.B1"}
    assert found["actions"][0]["do"] == "move" and found["installed_gib"] == plan["evaluation"]["installed_gib"] + 64
    assert browser.get(f"/api/plans/{plan['id']}").json() == plan
    spread = browser.post(url, json={"kind": "spread"}).json()
    assert (spread["adds"], spread["installed_gib"]) == (0, plan["evaluation"]["installed_gib"])
    done = browser.post(f"/api/plans/{plan['id']}/edits", json={"version": 1, "changes": spread["changes"]}).json()
    assert done["evaluation"]["evenness"] == 1
    refused = browser.post(url, json={"kind": "next-set"})
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "module")
    small = browser.post(f"/api/machines/{machine_named(browser, 'gauge-01')['id']}/plans", json={}).json()
    full = browser.post(f"/api/plans/{small['id']}/arrangements", json={"kind": "next-set", "module": module})
    assert (full.status_code, "every set is full" in full.json()["detail"]) == (422, True)


def test_which_drive_is_in_which_bay(client: Client) -> None:
    browser = client("technician")
    machine = browser.get(f"/api/machines/{machine_named(browser, 'store-01')['id']}").json()
    assert ([b["number"] for b in machine["bays"]], machine["bay_columns"]) == ([1, 2, 3, 4], 4)
    assert not any(b["known"] for b in machine["bays"])
    url = f"/api/machines/{machine['id']}/bays"
    plan = f"/api/plans/{machine['plans'][0]['id']}"
    seen = {"1": {"serial": "DR-001", "label": "tides a"}, "2": {"serial": "DR-002"}, "3": None}
    after = browser.put(url, json={"revision": 1, "bays": seen}).json()
    assert [(b["known"], b["drive"] and b["drive"]["serial"]) for b in after["bays"]] == [
        (True, "DR-001"),
        (True, "DR-002"),
        (True, None),
        (False, None),
    ]
    assert browser.get(plan).json()["survey_changed"] is False  # a drive is no module
    assert after["survey"]["taken_at"] == machine["survey"]["taken_at"]
    forgotten = browser.put(url, json={"revision": 2, "bays": {"2": "unknown"}}).json()
    assert [b["known"] for b in forgotten["bays"]] == [True, False, True, False]
    for bays, field in (({"5": None}, "bays.5"), ({"4": {"serial": "dr-001"}}, "bays"), ({"x": None}, "bays.x")):
        refused = browser.put(url, json={"revision": 3, "bays": bays})
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, field)
    assert browser.put(url, json={"revision": 1, "bays": {"4": None}}).status_code == 409
    survey = browser.post(f"/api/machines/{machine['id']}/surveys", json={"revision": 3, "slots": {"S2": "unknown"}})
    assert [b["known"] for b in survey.json()["bays"]] == [True, False, True, False]
    assert browser.get(plan).json()["survey_changed"] is True
