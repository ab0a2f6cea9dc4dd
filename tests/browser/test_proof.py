"""Run and Proof are one: nobody ticks a proof, a lead waives what is lacking, a total proves what it can, a culprit goes back."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served, SignIn
from tests.browser.hands import go_to
from tests.browser.test_run import api, begin_run, tick

_CALL = """async ([method, path, body]) => {
  const answer = await fetch(path, {method, headers: {'content-type': 'application/json'}, body: body && JSON.stringify(body)});
  return {status: answer.status, said: answer.status === 204 ? null : await answer.json()};
}"""
SIX = {f"CPU2.{c}2": {"generation": "DDR5", "capacity_gib": 16, "package_ranks": 1, "device_width": 8, "buffering": "registered", "ecc": True, "rate_mts": 4800, "part": "HLV5R-16"} for c in "ABCDEF"}  # fmt: skip


def call(page: Page, method: str, path: str, body: Any = None) -> Any:
    answer = page.evaluate(_CALL, [method, path, body])
    assert answer["status"] < 300, answer
    return answer["said"]


def enter(page: Page, run: str, **entry: Any) -> None:
    key = page.evaluate("crypto.randomUUID()")
    at = page.evaluate("new Date().toISOString()")
    call(page, "PUT", f"/api/runs/{run}/entries/{key}", {"at": at, "entry": entry})


def tick_until(page: Page, run: str, until: str) -> None:
    """The steps by hand up to one, as a lead."""
    for step in api(page, f"/api/runs/{run}")["steps"]:
        if step["key"] == until:
            return
        if step["proves"] is None and step["done_at"] is None:
            enter(page, run, kind="done", step=step["key"])


def started(page: Page, machine: str, change: dict[str, Any]) -> str:
    """A run of a plan that makes this change; its id."""
    found = next(m for m in api(page, f"/api/machines?text={machine}")["machines"] if m["name"] == machine)
    slots = api(page, f"/api/machines/{found['id']}")["slots"]
    plan = call(page, "POST", f"/api/machines/{found['id']}/plans", {"name": "as wanted", "goal": {**slots, **change}})
    if api(page, f"/api/plans/{plan['id']}/risk")["needed"]:
        call(page, "POST", f"/api/plans/{plan['id']}/approvals", {"version": plan["version"]})
    return str(call(page, "POST", f"/api/plans/{plan['id']}/runs", {"soak_days": 3})["id"])


def open_station(page: Page, machine: str, station: str) -> None:
    page.goto("/machines")
    page.get_by_role("link", name=machine, exact=True).click()
    go_to(page, station)


def test_nobody_finishes_without_evidence_and_a_lead_waives_what_is_lacking(sign_in: SignIn) -> None:
    lead, page = sign_in("lead"), sign_in("technician")
    run = started(lead, "hall-03", SIX)
    tick_until(lead, run, "prove:seen")
    page.goto(f"/bench/{run}")
    expect(page.get_by_role("heading", name="Compare what it sees with the plan")).to_be_visible()
    expect(page.get_by_text("nobody has looked at what it shows")).to_be_visible()
    expect(page.get_by_role("button", name="Done, next")).to_have_count(0)
    # The step after it can be looked at, and not ticked past it: the server says why, and nothing is lost.
    page.get_by_role("button", name="After", exact=True).click()
    page.get_by_role("button", name="After", exact=True).click()
    page.get_by_role("button", name="After", exact=True).click()
    expect(page.get_by_role("heading", name="Switch monitoring on again")).to_be_visible()
    page.get_by_role("button", name="Done, next").click()
    expect(page.get_by_role("alert")).to_contain_text("First: Compare what it sees with the plan")
    page.get_by_role("button", name="Read", exact=True).click()

    open_station(page, "hall-03", "Proof")
    lacking = page.get_by_role("region", name="5 things lacking")
    expect(lacking).to_contain_text("nobody has looked at what it shows since modules were handled")
    expect(page.get_by_role("button", name=re.compile("^Sign off"))).to_have_count(0)
    expect(lacking.get_by_role("button", name="Waive")).to_have_count(0)
    expect(page.get_by_role("button", name="Begin the soak")).to_be_disabled()
    page.get_by_role("button", name="What does it show?").click()
    page.get_by_role("button", name="By hand", exact=True).click()
    form = page.get_by_role("form", name="Seen by hand")
    form.get_by_role("button", name="That is what it shows").click()
    expect(form).to_contain_text("Say what was looked at")
    form.get_by_role("button", name="all are as planned").click()
    form.get_by_role("combobox", name="CPU2 A2").select_option("not looked at")
    form.get_by_role("button", name="That is what it shows").click()
    expect(page.get_by_role("region", name="5 things lacking")).to_contain_text("nobody saw CPU2 A2")
    totals = page.get_by_role("region", name="Totals")
    totals.get_by_role("button", name="Hold it against another of its model").click()
    expect(totals).to_contain_text("No other machine of this model is looked after here")

    enter(page, run, kind="memory-test", tool="stick", passes=1, errors=0, text="")
    enter(page, run, kind="cleared", back="")
    open_station(lead, "hall-03", "Proof")
    items = lead.get_by_role("region", name="3 things lacking")
    items.get_by_role("listitem").filter(has_text="Slots").get_by_role("button", name="Waive").click()
    lead.get_by_label("Why it goes on without").fill("its listing leaves that slot out")
    lead.get_by_role("button", name="Go on without it").click()
    items = lead.get_by_role("region", name="2 things lacking")
    expect(items).to_contain_text("Waived by R. Holm, today: its listing leaves that slot out")
    tick_until(lead, run, "back:duty")
    items = lead.get_by_role("region", name="1 thing lacking")
    items.get_by_role("listitem").filter(has_text="Soak").get_by_role("button", name="Waive").click()
    lead.get_by_label("Why it goes on without").fill("it is wanted on Monday")
    lead.get_by_role("button", name="Go on without it").click()
    expect(lead.get_by_role("heading", name="Nothing more is lacking")).to_be_visible()
    lead.get_by_role("button", name="Sign off with what is waived").click()
    expect(lead.get_by_role("heading", name="Signed off, not proved")).to_be_visible()
    expect(lead.get_by_role("navigation", name="Stations")).to_contain_text("on duty, not proved")
    lead.get_by_role("link", name="Field notes").click()
    expect(lead.get_by_role("row", name=re.compile("HLV5R-16.*own proof"))).to_have_count(0)


def test_an_appliance_that_shows_only_its_total(sign_in: SignIn, served: Served) -> None:
    lead = sign_in("lead", width=390, height=844)
    module = {"generation": "DDR5", "form": "SO-DIMM", "buffering": "unbuffered", "ecc": False, "capacity_gib": 16, "package_ranks": 1, "device_width": 8, "rate_mts": 4800, "part": "FJM5S-16A"}  # fmt: skip
    run = started(lead, "gauge-01", {"B1": module})
    tick_until(lead, run, "module:2")
    # The label in the hand is kept with its serial: a total tells sizes, and no places.
    lead.goto(f"/bench/{run}")
    expect(lead.get_by_role("heading", name="Put 16 GB into MEM")).to_be_visible()
    lead.get_by_label("Label in your hand").fill("16GB 1Rx8 PC5-4800B-SC0 FJM5S-16A")
    lead.get_by_role("textbox", name="Its serial").fill("F-77")
    lead.get_by_role("button", name="Compare").click()
    expect(lead.get_by_role("status").filter(has_text="Matches the plan")).to_be_visible()
    lead.get_by_role("checkbox").check()
    lead.get_by_role("button", name="Done, next").click()
    expect(lead.get_by_role("heading", name="Compare every slot with the map")).to_be_visible()
    lead.get_by_role("button", name="Before", exact=True).click()
    expect(lead.get_by_text("Noted: F-77")).to_be_visible()
    expect(lead.get_by_role("checkbox")).to_be_checked()
    tick_until(lead, run, "prove:seen")

    open_station(lead, "gauge-01", "Proof")

    def show(usable: str) -> None:
        lead.get_by_role("button", name=re.compile("What does it show|Look again")).click()
        lead.get_by_role("button", name="By hand", exact=True).click()
        lead.get_by_label("Usable [GB]").fill(usable)
        lead.get_by_role("button", name="That is what it shows").click()

    show("39.2")
    expect(lead.get_by_role("region", name=re.compile("things lacking"))).to_contain_text(
        "not as planned: usable 15.8 GB more"
    )
    show("23.4")
    expect(lead.get_by_text("1 of 1 right")).to_be_visible()
    enter(lead, run, kind="memory-test", tool="its own", passes=1, errors=0, text="")
    tick_until(lead, run, "prove:again")
    lead.reload()
    expect(lead.get_by_text("slots were not compared once more since it was closed")).to_be_visible()
    show("23.4")
    expect(lead.get_by_text("slots were not compared once more since it was closed")).to_have_count(0)
    enter(lead, run, kind="cleared", back="")
    tick_until(lead, run, "back:duty")
    lead.get_by_role("button", name="Begin the soak").click()
    soak = lead.get_by_role("region", name="Soak")
    expect(soak).to_contain_text("not applicable: this machine counts no errors")
    served.ahead.write_text("3.01")
    lead.get_by_role("button", name="A scrub ended clean").click()
    expect(soak).to_contain_text("passed")
    lead.get_by_role("button", name="Sign off: back on duty").click()
    expect(lead.get_by_role("heading", name="Proved and signed off")).to_be_visible()


def test_a_failed_test_is_searched_and_its_culprit_returned(sign_in: SignIn) -> None:
    lead = sign_in("lead")
    run = started(lead, "hall-03", SIX)
    tick_until(lead, run, "prove:seen")
    goal = api(lead, f"/api/runs/{run}")["goal"]
    enter(lead, run, kind="survey", slots=goal)
    open_station(lead, "hall-03", "Proof")
    evidence = lead.get_by_role("region", name="Evidence")
    for errors in ("120", "12"):
        lead.get_by_role("button", name="Memory test").click()
        lead.get_by_label("Tool").fill("stick")
        lead.get_by_label("Passes").fill("1")
        lead.get_by_label("Errors").fill(errors)
        lead.get_by_role("button", name="Keep the result").click()
        entered = evidence.get_by_role("listitem").filter(has_text=f"1 pass, {errors} errors")
        expect(entered).to_be_visible()
        if errors == "120":  # typed wrong
            entered.get_by_role("button", name="Take it back").click()
            entered.get_by_label("Why it counts no more").fill("one nought too many")
            entered.get_by_role("button", name="Take it back").click()
            expect(entered).to_contain_text("taken back: one nought too many (R. Holm)")
            expect(lead.get_by_text("no memory test since modules were handled", exact=False).first).to_be_visible()
    expect(
        lead.get_by_role("listitem").filter(has_text="found 12 errors").get_by_role("button", name="Waive")
    ).to_have_count(0)
    search = lead.get_by_role("region", name="Fault search")
    expect(search.get_by_label("What is seen")).to_have_value("memory test fails")
    search.get_by_role("button", name="Search for the fault").click()
    bad, undone = "CPU2.C2", False
    for _ in range(60):
        expect(search.get_by_role("heading", level=3)).to_be_visible()
        faults = api(lead, f"/api/runs/{run}/proof")["faults"]
        if faults["culprit"]:
            break
        boots = len(faults["boots"])
        shows = bad in faults["trials"][0]["arrangement"].values()
        if not undone:
            # Tapped wrong, and taken back.
            search.get_by_role("button", name="it does not show" if shows else "it shows", exact=True).click()
            expect(search).to_contain_text(f"{boots + 1} boots so far")
            search.get_by_text("Boots so far", exact=True).click()
            search.get_by_role("button", name="Take it back").click()
            expect(search).to_contain_text("1 boot so far")
            undone = True
            continue
        search.get_by_role("button", name="it shows" if shows else "it does not show", exact=True).click()
        expect(search).to_contain_text(f"{boots + 1} boots so far")
    expect(search.get_by_role("heading", level=3)).to_contain_text("module planned for CPU2 C2")
    search.get_by_label("It goes").select_option("to-return")
    search.get_by_label("Its serial").fill("S-9")
    search.get_by_label("Reference").fill("R 7")
    search.get_by_role("button", name="Another one is in its slot: look again").click()
    expect(search.get_by_role("form", name="End the search")).to_have_count(0)
    expect(lead.get_by_role("region", name=re.compile("things lacking"))).to_contain_text(
        "no memory test since modules were handled"
    )
    lead.get_by_role("link", name="Shelf", exact=True).click()
    expect(lead.get_by_role("row", name=re.compile("to be returned.*R 7 HLV5R-16"))).to_contain_text(
        "hall-03, slot CPU2 C2"
    )


def test_two_people_on_one_phone_and_one_alone(sign_in: SignIn) -> None:
    page, lead = sign_in("technician", width=390, height=844), sign_in("lead")
    page.clock.install()
    run = begin_run(page, lead, "store-01")
    page.goto(f"/bench/{run}")
    hold = page.get_by_role("heading", name="Everything is ready: switch off now?")
    while hold.count() == 0:
        tick(page)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
    page.get_by_role("button", name="Somebody else ticks here").click()
    form = page.get_by_role("form", name="Somebody else ticks here")
    form.get_by_label("Their name").fill("lead")
    form.get_by_label("Their password").fill("not it")
    form.get_by_role("button", name="I have looked: tick it").click()
    expect(form).to_contain_text("Name and password do not match")
    form.get_by_label("Their password").fill("tide-gauge-7")
    form.get_by_role("button", name="I have looked: tick it").click()
    expect(hold).to_have_count(0)
    steps = api(page, f"/api/runs/{run}")["steps"]
    assert next(s for s in steps if s["key"] == "before:go")["done_by"] == "R. Holm"
    assert api(page, "/api/session")["name"] == "technician", "who was signed in stays so"

    warranty = page.get_by_role("heading", name="Opening this ends the warranty: go on?")
    while warranty.count() == 0:
        tick(page)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
    page.get_by_role("button", name="Nobody else is here").click()
    page.get_by_label("Why nobody else looks").fill("night shift")
    expect(page.get_by_role("button", name=re.compile(r"Look at it again: \d+ s"))).to_be_disabled()
    page.clock.fast_forward("01:01")
    page.get_by_role("button", name="I have looked twice: go on").click()
    expect(warranty).to_have_count(0)
    kept = "async run => (await (await fetch(`/api/runs/${run}`)).json()).steps.some((s) => s.key === 'open:warranty' && s.alone === 'night shift' && s.done_by === 'I. Mar')"
    lead.wait_for_function(kept, arg=run)
