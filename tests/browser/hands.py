"""What hands and eyes do on any page, for the tests of the real interface."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

_AXE = (Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js").read_text()
_FAULTS = """() => axe.run(document, {resultTypes: ['violations']}).then((r) => r.violations
  .filter((v) => ['serious', 'critical'].includes(v.impact))
  .flatMap((v) => v.nodes.map((n) => ['axe ' + v.id, n.target.join(' ') + ' ' + n.html.slice(0, 90)])))"""


#: Debian's Chromium without the windows of its own that nobody sees: a page costs half of what it costs in the whole browser.
CHROMIUM = "/usr/bin/chromium-headless-shell"


def serious_faults(page: Page) -> list[list[str]]:
    """[what axe-core finds serious or critical for who cannot see or point, where]"""
    if not page.evaluate("'axe' in window"):
        page.evaluate(_AXE)
    return list(page.evaluate(_FAULTS))


def go_to(page: Page, station: str) -> None:
    """Open a station of the machine shown, and wait until it is there: its code may still have to be loaded, and until
    then the station before it takes what is clicked."""
    link = page.get_by_role("navigation", name="Stations").get_by_role("link", name=station)
    link.click()
    expect(link).to_have_attribute("aria-current", "page")


def open_fit(page: Page, machine: str) -> None:
    page.get_by_role("link", name=machine).click()
    go_to(page, "Fit")
    expect(page.get_by_role("heading", name="Verdict")).to_be_visible()


def slot(page: Page, name: str) -> Locator:
    return page.locator(f'[data-slot="{name}"]')


def verdict(page: Page) -> Locator:
    return page.get_by_role("region", name="Verdict")


def drag(page: Page, source: Locator, target: Locator) -> None:
    """Press, move in two steps (the first begins the drag), let go."""
    start, end = source.bounding_box(), target.bounding_box()
    assert start and end
    page.mouse.move(start["x"] + start["width"] / 2, start["y"] + start["height"] / 2)
    page.mouse.down()
    page.mouse.move(start["x"] + start["width"] / 2 + 12, start["y"] + start["height"] / 2 + 8)
    page.mouse.move(end["x"] + end["width"] / 2, end["y"] + end["height"] / 2, steps=4)


def type_label(page: Page, text: str) -> None:
    page.get_by_label("Type what the label says").fill(text)
    expect(page.locator(".piece").first).to_be_visible()


def plan_shown(page: Page) -> Locator:
    """Name of the plan that Fit shows."""
    return page.get_by_label("Plan shown").locator("option:checked")


def see(page: Page, name: str, words: str) -> None:
    expect(slot(page, name)).to_have_accessible_name(re.compile(words))
