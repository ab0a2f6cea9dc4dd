"""Takes the pictures of docs/screenshots anew, from the demo's data: a real server on a throw-away database, a real browser.

python -m bench.pictures             all that it takes
python -m bench.pictures fit shelf   those named
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, expect, sync_playwright

from bench.__main__ import ROOT
from bench.database import throw_away
from bench.served import serving
from umbrak.demo import seed
from umbrak.store.engine import open_engine

PLACE = ROOT / "docs/screenshots"
_LISTING = """Handle 0x0001, DMI type 1, 27 bytes
System Information
	Manufacturer: Ostrel
	Product Name: T2

Handle 0x0010, DMI type 17, 34 bytes
Memory Device
	Size: 4096 MB
	Form Factor: SODIMM
	Locator: DIMM0
	Type: DDR3
	Speed: 1333 MT/s
	Part Number: OSM3L-4S13
	Rank: 2
	Configured Voltage: 1.35 V

Handle 0x0011, DMI type 17, 34 bytes
Memory Device
	Size: 1024 MB
	Form Factor: SODIMM
	Locator: DIMM1
	Type: DDR3
	Speed: 1333 MT/s
	Part Number: OSM3L-1S13
	Rank: 1
"""


@contextmanager
def demo() -> Iterator[str]:
    """The address of a server with the demo's data."""
    with throw_away() as url:
        engine = open_engine(url)
        seed.seed(engine)
        engine.dispose()
        with serving(url) as address:
            yield address


def _machine(page: Page, name: str, station: str) -> None:
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name=name, exact=True).click()
    link = page.get_by_role("navigation", name="Stations").get_by_role("link", name=station)
    link.click()
    expect(link).to_have_attribute("aria-current", "page")


def _fit(page: Page) -> None:
    _machine(page, "hall-03", "Fit")
    page.get_by_role("button", name=re.compile("CPU2 F2 holds all back")).click()


def _answer(page: Page) -> None:
    _machine(page, "radar-02", "Fit")
    page.get_by_label("Type what the label says").fill("4GB DDR3L-1333 2Rx8 SODIMM")
    page.get_by_label("Type what the label says").press("Enter")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Answer first")).to_be_visible()


def _bays(page: Page) -> None:
    _machine(page, "store-01", "Survey")
    page.get_by_role("button", name="Bay 2: not known").click()


def _difference(page: Page) -> None:
    _machine(page, "radar-02", "Survey")
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_label("Paste what it reports").fill(_LISTING)
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("button", name="Keep this survey")).to_be_visible()


def _compare(page: Page) -> None:
    _machine(page, "desk-06", "Fit")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_role("columnheader", name="as it is")).to_be_visible()


def _routes(page: Page) -> None:
    _machine(page, "hall-03", "Routes")
    expect(page.get_by_role("region", name="Routes", exact=True).get_by_role("row").nth(2)).to_be_visible(
        timeout=60_000
    )


def _target(page: Page) -> None:
    _machine(page, "hall-03", "Target")
    expect(page.get_by_role("row", name=re.compile("^need"))).to_be_visible(timeout=60_000)


def _open(name: str) -> Callable[[Page], None]:
    return lambda page: page.get_by_role("link", name=name, exact=True).click()


#: Picture -> what leads to it, as the technician.
VIEWS: dict[str, Callable[[Page], None]] = {
    "machines": _open("Machines"),
    "shelf": _open("Shelf"),
    "notes": _open("Field notes"),
    "survey": lambda page: _machine(page, "radar-02", "Survey"),
    "survey-bays": _bays,
    "difference": _difference,
    "ceiling": lambda page: _machine(page, "gauge-01", "Ceiling"),
    "target": _target,
    "routes": _routes,
    "fit": _fit,
    "fit-boards": lambda page: _machine(page, "hall-02", "Fit"),
    "fit-answer": _answer,
    "compare": _compare,
}


def main(names: list[str]) -> None:
    with demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium")
        for name in names or list(VIEWS):
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.goto(address)
            page.get_by_label("Name").fill(seed.ACCOUNT)
            page.get_by_label("Password").fill(seed.PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            expect(page.get_by_role("link", name="New machine")).to_be_visible()
            VIEWS[name](page)
            page.wait_for_load_state("networkidle")
            page.evaluate("document.fonts.ready")
            page.wait_for_timeout(700)  # what fades in has faded in
            page.screenshot(path=PLACE / f"{name}.png")
            print(name)
            page.context.close()
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1:])
