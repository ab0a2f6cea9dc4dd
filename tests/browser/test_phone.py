"""The whole way with a phone in one hand: survey by labels, plan, bench, proof; one processor a screen; nothing sideways."""

from __future__ import annotations

import re
import time
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.conftest import SignIn
from tests.browser.guided import Follower
from tests.browser.hands import go_to, slot, type_label
from tests.browser.looked import check as look
from tests.browser.test_run import begin_run

PHONE: dict[str, Any] = {"width": 390, "height": 844, "touch": True}


def not_sideways(page: Page) -> None:
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def swipe(page: Page, over: str, by: int) -> None:
    """A finger across what is named, by so many pixels."""
    box = page.locator(over).first.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2 - by / 2, box["y"] + box["height"] / 2
    hand = page.context.new_cdp_session(page)
    # It rests before it is lifted: what is flung takes the next tap to be stopped.
    track = [("touchStart", 0, 0.0), *(("touchMove", i / 4, 0.02 * i) for i in range(1, 5)), ("touchMove", 1, 0.5), ("touchEnd", None, 0.52)]  # fmt: skip
    now = time.time()
    for kind, share, after in track:
        points = [] if share is None else [{"x": x + by * share, "y": y}]
        hand.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points, "timestamp": now + after})


def test_from_labels_to_proof(sign_in: SignIn) -> None:
    page = sign_in("lead", **PHONE)
    hands = Follower(page, sign_in)

    def press(*names: str) -> None:
        for name in names:
            hands.press(name)
            not_sideways(page)

    # What is in it, by its label.
    page.get_by_role("link", name="radar-02", exact=True).click()
    go_to(page, "Survey")
    slot(page, "A").tap()
    type_label(page, "2GB 1Rx8 PC3L-10600S")
    page.keyboard.press("Enter")
    expect(slot(page, "A")).to_have_accessible_name(re.compile("2 GB"))
    not_sideways(page)

    # What goes into it.
    go_to(page, "Fit")
    type_label(page, "4GB 2Rx8 PC3L-10600S")
    page.get_by_role("button", name=re.compile("take it in hand")).tap()
    slot(page, "B").tap()
    expect(slot(page, "B")).to_have_accessible_name(re.compile("planned, 4 GB"))
    expect(page.get_by_text(re.compile("^saved "))).to_be_visible()
    not_sideways(page)
    for station in ("Ceiling", "Target", "Routes"):
        go_to(page, station)
        not_sideways(page)

    # The work, and that it is what was planned.
    go_to(page, "Run")
    press("I have seen the risk and take it", "Begin the run", "Open at the bench")
    hands.tick_until("Done, next", "Open Proof")
    press("Open Proof", "What does it show?", "By hand", "all are as planned", "That is what it shows", "Memory test")
    hands.type("stick", "Tool")
    hands.type("1", "Passes")
    hands.type("0", "Errors")
    press("Keep the result")
    # It is closed now, and seen once more.
    press("Go on with the run sheet", "Open at the bench")
    hands.tick_until("Done, next", "Open Proof")
    press("Open Proof", "Look again", "By hand", "all are as planned", "That is what it shows")
    press("Alerts cleared", "Nothing came back")
    hands.waive("Soak", "tried on the bench")
    press("Sign off with what is waived")
    hands.see("Signed off, not proved")
    look(page, "proof on a phone", touch=True)


def test_one_processor_a_screen_turned_by_swiping(sign_in: SignIn) -> None:
    page = sign_in("technician", **PHONE)
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Fit")
    pads = page.get_by_role("group", name="Which processor is shown")
    # It begins with the processor of which the plan changes something.
    expect(pads.get_by_role("button", name="CPU2")).to_have_attribute("aria-pressed", "true")
    expect(slot(page, "CPU2.A1")).to_be_visible()
    expect(slot(page, "CPU1.A1")).to_have_count(0)
    swipe(page, "svg.board", 160)
    expect(slot(page, "CPU1.A1")).to_be_visible()
    expect(slot(page, "CPU2.A1")).to_have_count(0)
    swipe(page, "svg.board", 160)  # there is none before the first
    expect(slot(page, "CPU1.A1")).to_be_visible()
    swipe(page, "svg.board", -160)
    expect(slot(page, "CPU2.A1")).to_be_visible()
    pads.get_by_role("button", name="all").tap()
    expect(slot(page, "CPU1.A1")).to_be_visible()
    expect(slot(page, "CPU2.A1")).to_be_visible()


def test_at_the_bench_steps_are_turned_like_pages_and_a_glove_hits(sign_in: SignIn) -> None:
    lead = sign_in("lead", **PHONE)
    lead.goto(f"/bench/{begin_run(sign_in('technician'), lead, 'store-01')}")
    heading = lead.get_by_role("heading", level=1)
    expect(heading).to_be_visible()
    at_hand = heading.inner_text()
    swipe(lead, ".say", -200)
    expect(heading).not_to_have_text(at_hand)
    swipe(lead, ".say", 200)
    expect(heading).to_have_text(at_hand)
    small = lead.evaluate(
        """() => [...document.querySelectorAll('.bench footer button, .bench footer a, .bench footer label, .checks label')]
        .filter((e) => e.getBoundingClientRect().height && e.getBoundingClientRect().height < 55.5).map((e) => e.textContent.trim())"""
    )
    assert small == []
    look(lead, "bench on a phone", touch=True)


def test_the_screen_stays_on_at_the_bench(sign_in: SignIn) -> None:
    """Where the browser has wake locks: asked for at the bench, given back on leaving it."""
    page = sign_in("lead", **PHONE)
    page.context.grant_permissions(["screen-wake-lock"])
    run = begin_run(sign_in("technician"), page, "store-01")
    page.add_init_script(
        """if ('wakeLock' in navigator) { const ask = navigator.wakeLock.request.bind(navigator.wakeLock); const say = (on) => document.body.dataset.lit = on;
        navigator.wakeLock.request = async (kind) => { const lock = await ask(kind); say('yes'); lock.addEventListener('release', () => say('no')); return lock } }"""
    )
    page.goto(f"/bench/{run}")
    expect(page.locator("body")).to_have_attribute("data-lit", "yes")
    page.get_by_role("link", name="store-01").click()
    expect(page.locator("body")).to_have_attribute("data-lit", "no")
