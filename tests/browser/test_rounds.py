"""A round of the demo's machines and the desk, in the real interface."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.conftest import SignIn
from tests.browser.looked import check

ROUND = "Maps and tide gauges"
#: A search has thirty seconds, and waits for whatever else the machine does.
SOLVED = 120_000


def open_round(page: Page) -> None:
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("link", name=ROUND).click()
    expect(page.get_by_role("heading", name=ROUND)).to_be_visible()


def solve(page: Page) -> None:
    whole = page.get_by_role("region", name="The whole")
    before = whole.get_attribute("data-proposed") if whole.count() else None
    page.get_by_role("button", name=re.compile("^Solve")).click()
    if before is not None:
        expect(whole).not_to_have_attribute("data-proposed", before, timeout=SOLVED)
    expect(page.get_by_role("button", name="Solve again")).to_be_visible(timeout=SOLVED)


def asked(page: Page, method: str, path: str, body: Any = None) -> Any:
    """What the page's own session is answered."""
    got = page.request.fetch(path, method=method, data=body)
    assert got.ok, got.text()
    return got.json()


def test_a_whole_round(sign_in: SignIn) -> None:
    page = sign_in()
    open_round(page)
    expect(page.get_by_text("Nothing is proposed yet")).to_be_visible()
    # Two waves of the four.
    page.get_by_role("button", name="Ask otherwise").click()
    form = page.get_by_role("form", name="What is asked")
    for _ in range(2):
        form.get_by_role("button", name=re.compile("^Take out the wave")).last.click()
    form.get_by_label("At most, for modules").fill("no money")
    form.get_by_role("button", name="Keep it so").click()
    expect(form.get_by_role("alert")).to_contain_text("no amount of money")
    form.get_by_label("At most, for modules").fill("1500")
    form.get_by_role("button", name="Keep it so").click()
    expect(form).to_have_count(0)
    solve(page)
    table = page.get_by_role("table", name=re.compile(ROUND))
    expect(table.get_by_role("columnheader")).to_have_count(4)
    # What comes out of one goes into another: drawn from cell to cell.
    pulled = [int(n) for n in table.locator("svg.flows text").all_text_contents()]
    assert sum(pulled) >= 3, pulled
    expect(page.get_by_text(re.compile(r"passing on saves [1-9]"))).to_be_visible()
    check(page, "round")
    # Somebody wants one left as it is: what is shown answers another question until it is solved again.
    served = table.get_by_role("row").filter(has=page.locator(".does")).first
    name = served.get_by_role("rowheader").get_by_role("button")
    words = (name.inner_text()).split()[0]
    name.click()
    one = page.get_by_role("region", name=words, exact=True)
    one.get_by_role("button", name="Leave it as it is").click()
    expect(page.get_by_text("What is shown answers what was asked before")).to_be_visible()
    solve(page)
    expect(table.get_by_role("row", name=re.compile(f"^{words}"))).to_contain_text("somebody pinned it so")
    one.get_by_role("button", name="Take the pin out").click()
    solve(page)
    # Accepted, ordered, and one module that comes is wrong.
    page.get_by_role("button", name=re.compile("^Accept: [1-9]")).click()
    expect(page.get_by_role("button", name=re.compile("^Accept"))).to_have_count(0)
    page.get_by_role("link", name="What to buy").click()
    page.get_by_role("button", name="Ordered …").click()
    ordered = page.get_by_role("form", name="Ordered")
    ordered.get_by_label("Reference").fill("R-1")
    # Where nobody says when it comes, it is not there in these two weeks.
    ordered.get_by_label("Due on").fill((datetime.now(UTC) + timedelta(days=2)).date().isoformat())
    ordered.get_by_role("button", name="It is ordered").click()
    order = page.get_by_role("region", name="Order R-1")
    read = order.get_by_role("form", name="Read in of R-1")
    read.get_by_label("Label, part number or code").fill("4GB PC3L-12800U")
    read.get_by_label("Serial").press("Enter")
    order.get_by_label("back under").fill("R-1-1")
    order.get_by_role("button", name="Send it back").click()
    expect(order).to_contain_text("goes back, R-1-1")
    # One of the machines is begun, and goes back to what it was.
    open_round(page)
    key = page.url.rsplit("/", 1)[1]
    seen = asked(page, "GET", f"/api/rounds/{key}")
    donor = next(p["donor"] for p in seen["proposal"]["passed"] if p["donor"])
    plan = next(p for p in seen["plans"] if p["machine_id"] == donor)
    donor_name = next(r["machine"] for r in seen["proposal"]["rows"] if r["machine_id"] == donor)
    if next(r["served"]["verdict"] for r in seen["proposal"]["rows"] if r["machine_id"] == donor) != "go":
        version = asked(page, "GET", f"/api/plans/{plan['plan_id']}")["version"]
        asked(sign_in("lead"), "POST", f"/api/plans/{plan['plan_id']}/approvals", {"version": version})
    run = asked(page, "POST", f"/api/plans/{plan['plan_id']}/runs", {})
    page.reload()
    expect(table.get_by_role("row", name=re.compile(f"^{donor_name}")).get_by_role("img", name="slow")).to_be_visible()
    page.get_by_role("link", name="Desk", exact=True).click()
    expect(page.get_by_role("link", name=f"Watch: {donor_name}")).to_be_visible()
    asked(page, "POST", f"/api/runs/{run['id']}/back-out", {"reason": "it did not start"})
    open_round(page)
    expect(page.get_by_role("list", name="What changed since")).to_contain_text(
        f"{donor_name} went back to what it was"
    )
    solve(page)
    expect(page.get_by_role("list", name="What changed since")).to_have_count(0)
    again = asked(page, "GET", f"/api/rounds/{key}")
    assert again["proposal"]["spent"] != seen["proposal"]["spent"], "what is on order costs nothing more"
    if page.get_by_role("button", name=re.compile("^Accept")).count():
        page.get_by_role("button", name=re.compile("^Accept")).click()
    page.get_by_role("button", name="It is done").click()
    expect(page.get_by_role("heading", name=ROUND).locator("..")).to_contain_text("done")
    expect(page.get_by_role("button", name=re.compile("^Solve"))).to_have_count(0)


def test_a_round_is_made_of_machines_that_are_picked(sign_in: SignIn) -> None:
    page = sign_in(width=1024, height=768, theme="dark")
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("button", name="New round").click()
    form = page.get_by_role("form", name="What is asked")
    make = form.get_by_role("button", name="Make the round")
    expect(make).to_be_disabled()
    form.get_by_label("Find machines").fill("tide")
    expect(form.get_by_role("checkbox", name=re.compile("^tide-"))).to_have_count(4)
    form.get_by_role("button", name="Pick all 4 shown").click()
    form.get_by_role("button", name="Add a wave").click()
    form.get_by_role("button", name="Add a wave").click()
    days = form.get_by_label("Day", exact=True)
    days.last.fill(days.first.input_value())
    make.click()
    expect(form.get_by_role("alert")).to_contain_text("Two waves are of one day")
    form.get_by_role("button", name=re.compile("^Take out")).last.click()
    check(page, "new round")
    make.click()
    expect(page.get_by_role("heading", name="Round 1")).to_be_visible()
    expect(page.get_by_text("4 machines over 1 wave")).to_be_visible()


def test_the_desk_leads_to_what_wants_somebody(sign_in: SignIn) -> None:
    page = sign_in("lead")
    page.get_by_role("link", name="Desk", exact=True).click()
    expect(page.get_by_role("heading", name="Desk")).to_be_visible()
    expect(page.get_by_text(re.compile(r"\d+ wants? somebody, \d+ wants? you"))).to_be_visible()
    check(page, "desk")
    items = page.get_by_role("region", name="What wants somebody").get_by_role("listitem")
    whole = items.count()
    page.get_by_role("button", name="mine", exact=True).click()
    mine = items.count()
    page.get_by_role("button", name=re.compile("^nobody")).click()
    assert 0 < mine <= whole and items.count() <= whole
    page.get_by_role("button", name="all", exact=True).click()
    page.get_by_role("button", name="longest first").click()
    expect(items).to_have_count(whole)
    page.get_by_role("link", name="Swap it: hall-02").click()
    expect(page.get_by_role("heading", name="hall-02")).to_be_visible()
    # On a phone it is the same, one below the other, and nothing is cut off.
    small = sign_in("lead", width=390, height=844)
    small.get_by_role("link", name="Desk", exact=True).click()
    expect(small.get_by_role("link", name="Swap it: hall-02")).to_be_visible()
    check(small, "desk on a phone", touch=True)
