"""The frame: finding anything, keys, titles, where the focus goes, the wall of machines."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Route, expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to, serious_faults


def test_anything_is_found_by_keyboard(sign_in: SignIn) -> None:
    page = sign_in()
    expect(page).to_have_title("Machines · Umbrak")
    page.keyboard.press("/")
    field = page.get_by_role("combobox", name=re.compile("^Find machines"))
    expect(field).to_be_focused()
    page.keyboard.type("even out")
    hit = page.get_by_role("option", name=re.compile("plan Even out CPU 2 hall-03"))
    expect(hit).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Enter")
    expect(page).to_have_title("hall-03: Fit · Umbrak")
    expect(page.get_by_role("heading", name="Board")).to_be_focused()
    # A letter in a field is a letter.
    page.get_by_label("Type what the label says").fill("")
    page.get_by_label("Type what the label says").press("?")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.get_by_role("heading", name="Board").focus()
    page.keyboard.press("?")
    keys = page.get_by_role("dialog", name="Keys of this view")
    expect(keys).to_contain_text("take the last change back")
    expect(keys).to_contain_text("find machines, plans, sheets, parts, modules by serial")
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    expect(field).to_be_focused()
    page.keyboard.type("zzzz")
    expect(page.get_by_role("status")).to_contain_text("Nothing has “zzzz”")
    page.keyboard.press("Escape")
    go_to(page, "Survey")
    expect(page).to_have_title("hall-03: Survey · Umbrak")


@pytest.mark.parametrize("size", [(1280, 800), (390, 844)])
def test_the_wall_is_grouped_and_counted(sign_in: SignIn, size: tuple[int, int]) -> None:
    page = sign_in(width=size[0], height=size[1])
    page.get_by_role("button", name="places").click()
    expect(page.get_by_role("rowheader", name=re.compile(r"computing hall \d machines"))).to_be_visible()
    page.get_by_role("button", name=re.compile(r"failed\s1")).click()
    expect(page.get_by_role("link", name="hall-02")).to_be_visible()
    expect(page.get_by_role("link", name="hall-03")).to_have_count(0)
    page.get_by_role("button", name="dense").click()
    page.reload()
    expect(page.get_by_role("button", name="dense")).to_have_attribute("aria-pressed", "true")
    assert serious_faults(page) == []
    wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
    assert wide <= 0, "nothing scrolls sideways"


def test_a_part_that_was_found_is_shown_and_leads_to_the_shelf(sign_in: SignIn) -> None:
    page = sign_in()
    page.keyboard.press("/")
    page.keyboard.type("QD5R-16")
    page.get_by_role("option", name=re.compile("^part QD5R-16")).click()
    expect(page).to_have_title("QD5R-16 · Umbrak")
    page.get_by_role("link", name="On the Shelf").click()
    expect(page.get_by_label("Find on the Shelf")).to_have_value("QD5R-16")
    expect(page.get_by_role("row", name=re.compile("QD5R-16")).first).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("HLV5R-16"))).to_have_count(0)


@pytest.mark.parametrize(
    ("path", "late", "came", "pressed", "is_there"),
    [
        ("/shelf/buy", "**/brief", "nearly right", "Ordered …", True),
        ("/machines/{machine}/target", "**/symptoms", "Begin with what hurts", "Another workload", True),
        ("/machines/{machine}/routes", "**/api/plans/*", "as of anything new", "within the official total", True),
        ("/machines/{machine}/routes", "**/routes", "proved: no way beats these", "within the official total", True),
        ("/machines/new", "**/boards/presets", "one slot", "DDR4", False),
        ("/people", "**/api/session/ways", "Tokens for scripts", "Add", False),
    ],
)  # fmt: skip
def test_what_comes_late_moves_nothing_that_is_pressed(
    sign_in: SignIn, path: str, late: str, came: str, pressed: str, is_there: bool
) -> None:
    """A sample of `bench.steady`: it is there before and stays where it is, or it is not shown before."""
    page = sign_in("lead")
    machine = page.request.get("/api/machines", params={"q": "hall-03"}).json()["machines"][0]["id"]
    held: list[Route] = []
    page.route(late, lambda route: held.append(route))
    with page.expect_request(late):
        page.goto(path.format(machine=machine))
    main = page.get_by_role("main")
    press = main.get_by_role("button", name=pressed, exact=True)
    expect(press).to_be_visible(visible=is_there)
    before = press.bounding_box() if is_there else None
    expect(main.get_by_text(came).first).not_to_be_visible()
    for answer in held:
        answer.continue_()
    page.unroute(late)
    expect(main.get_by_text(came).first).to_be_visible()
    expect(press).to_be_visible()
    after = press.bounding_box()
    assert before is None or (after and abs(after["x"] - before["x"]) + abs(after["y"] - before["y"]) < 4)
