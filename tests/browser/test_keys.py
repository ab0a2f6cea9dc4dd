"""From a new machine to a signed-off one without a pointer: everything is reached by Tab and worked by keys."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import Served, SignIn
from tests.browser.hands import plan_shown, see, slot
from tests.browser.looked import check

_REPORT = """Handle 0x0001, DMI type 1, 27 bytes
System Information
	Manufacturer: Ostrel
	Product Name: T2

Handle 0x0010, DMI type 17, 34 bytes
Memory Device
	Size: 1024 MB
	Form Factor: SODIMM
	Locator: DIMM0
	Type: DDR3
	Speed: 1333 MT/s
	Rank: 1
	Configured Voltage: 1.35 V

Handle 0x0011, DMI type 17, 34 bytes
Memory Device
	Size: No Module Installed
	Locator: DIMM1
"""
#: More than any page has to tab through.
_MOST = 300


def reach(page: Page, target: Locator) -> Locator:
    """Tab until the target has the focus."""
    expect(target).to_be_visible()
    expect(target).to_be_enabled()
    for _ in range(_MOST):
        if target.evaluate("e => e === document.activeElement"):
            return target
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab never comes to {target}")


def press(page: Page, target: Locator, key: str = "Enter") -> None:
    reach(page, target)
    page.keyboard.press(key)


def write(page: Page, label: str, text: str) -> None:
    reach(page, page.get_by_label(label, exact=True))
    page.keyboard.press("Control+a")
    page.keyboard.insert_text(text)


def button(page: Page, name: str | re.Pattern[str]) -> Locator:
    return page.get_by_role("button", name=name, exact=isinstance(name, str)).first


def station(page: Page, name: str) -> None:
    link = page.get_by_role("navigation", name="Stations").get_by_role("link", name=name)
    press(page, link)
    expect(link).to_have_attribute("aria-current", "page")


def test_a_new_machine_comes_to_duty_by_keys_alone(sign_in: SignIn, served: Served) -> None:
    page = sign_in("lead")
    page.mouse.move(0, 0)
    press(page, page.get_by_role("link", name="New machine"))
    expect(page.get_by_role("heading", name="New machine")).to_be_focused()
    press(page, button(page, "Drop or paste a report"))
    write(page, "Paste what it reports", _REPORT)
    press(page, button(page, "Read it"))
    expect(page.get_by_text("its sheet is in the library")).to_be_visible()
    write(page, "Name", "key-01")
    press(page, button(page, re.compile("^Keep key-01")))
    expect(page.get_by_role("heading", name="key-01")).to_be_visible()

    station(page, "Fit")
    reach(page, page.get_by_label("Type what the label says"))
    page.keyboard.type("4GB 2Rx8 PC3L-10600S")
    page.keyboard.press("Enter")
    expect(page.get_by_text("In hand: 4 GB")).to_be_visible()
    expect(page.locator("[data-slot]:focus")).to_have_count(1)
    page.keyboard.press("ArrowRight")
    expect(slot(page, "B")).to_be_focused()
    page.keyboard.press("Enter")
    see(page, "B", "planned, 4 GB")
    page.keyboard.press("Escape")
    expect(page.get_by_text(re.compile("^saved "))).to_be_visible()
    press(page, button(page, "Rename"))
    page.keyboard.insert_text("One more by keys")
    page.keyboard.press("Enter")
    expect(plan_shown(page)).to_have_text("One more by keys")
    # What is open is answered where it stands, or taken by a lead.
    answer = page.get_by_role("region", name="Answer first")
    while answer.count():
        text = answer.locator("strong").inner_text()
        press(page, answer.get_by_role("button").first)
        expect(answer.get_by_text(text)).to_have_count(0)
    check(page, "Fit, by keys")

    station(page, "Run")
    take = button(page, "I have seen the risk and take it")
    begin = button(page, "Begin the run")
    expect(take.or_(begin)).to_be_visible()
    if take.count():
        press(page, take)
    press(page, begin)
    press(page, page.get_by_role("link", name="Open at the bench"))
    page.wait_for_url("**/bench/*")
    # To what proof ticks, what the machine shows, and on; once more after it is closed.
    work(page)
    press(page, page.get_by_role("link", name="Open Proof"))
    shows_all(page, "What does it show?")
    press(page, button(page, "Memory test"))
    write(page, "Tool", "stick")
    write(page, "Passes", "1")
    write(page, "Errors", "0")
    press(page, button(page, "Keep the result"))
    expect(page.get_by_text("1 pass without an error")).to_be_visible()
    press(page, page.get_by_role("link", name=re.compile("^Go on with the run sheet")))
    press(page, page.get_by_role("link", name="Open at the bench"))
    page.wait_for_url("**/bench/*")
    work(page)
    press(page, page.get_by_role("link", name="Open Proof"))
    shows_all(page, "Look again")
    press(page, button(page, "Alerts cleared"))
    press(page, button(page, "Nothing came back"))
    press(page, button(page, "Begin the soak"))
    expect(page.get_by_role("region", name="Soak")).to_contain_text("not applicable")
    served.ahead.write_text("3.01")
    page.reload()
    press(page, button(page, "A scrub ended clean"))
    press(page, button(page, re.compile("^Sign off")))
    expect(page.get_by_role("heading", name=re.compile("[Ss]igned off"))).to_be_visible()


def work(page: Page) -> None:
    """Every step at the bench, each check looked at, up to one that proof ticks."""
    at = page.locator("header").get_by_text(re.compile("^(step |all done)"))
    waits = page.get_by_role("link", name="Open Proof")
    for _ in range(80):
        expect(button(page, re.compile(r"^(Done, next|\d+ to look at)$")).or_(waits)).to_be_visible()
        if waits.count():
            return
        now = at.inner_text()
        for box in page.get_by_role("checkbox").all():
            press(page, box, "Space")
        press(page, button(page, "Done, next"))
        expect(at).not_to_have_text(now)
    raise AssertionError("the run has no end")


def shows_all(page: Page, ask: str) -> None:
    """It shows every slot as planned, looked at by hand."""
    press(page, button(page, ask))
    press(page, button(page, "By hand"))
    press(page, button(page, "all are as planned"))
    press(page, button(page, "That is what it shows"))
    expect(page.get_by_text("2 of 2 right")).to_be_visible()
