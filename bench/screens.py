"""Looks at every view, dialog and the bench in both themes and at every size, and says what is wrong with each.

python -m bench.screens                  all of them
python -m bench.screens shelf 390 dark   those named: views, sizes, themes
"""

from __future__ import annotations

import re
import sys
from collections import Counter
from collections.abc import Callable
from typing import Any

from playwright.sync_api import Browser, Page, expect, sync_playwright
from playwright.sync_api import Error as PlaywrightError
from tests.browser.hands import CHROMIUM
from tests.browser.looked import faults_of

from bench.pictures import LEAD, VIEWS, compared, demo, intaken, station_of, surveyed_again
from umbrak.demo import seed

#: Size -> what a browser is told: 200 % is half of a window at twice the pixels.
SIZES: dict[str, dict[str, Any]] = {
    "1280": {"viewport": {"width": 1280, "height": 800}},
    "1024": {"viewport": {"width": 1024, "height": 768}},
    "390": {"viewport": {"width": 390, "height": 844}, "has_touch": True},
    "200%": {"viewport": {"width": 640, "height": 400}, "device_scale_factor": 2},
}
THEMES = ("light", "dark")
#: What a fault has to stay to be one: a board is drawn again when its room changes. [ms]
_STAYS = 1_500


def _press(station: Callable[[Page], None], *names: str) -> Callable[[Page], None]:
    def lead(page: Page) -> None:
        station(page)
        for name in names:
            page.get_by_role("button", name=re.compile(f"^{name}")).first.click()

    return lead


def _station(machine: str, station: str) -> Callable[[Page], None]:
    return lambda page: station_of(page, machine, station)


def _at(path: str, heading: str) -> Callable[[Page], None]:
    def lead(page: Page) -> None:
        page.goto(path)
        expect(page.get_by_role("heading", name=heading).first).to_be_visible()

    return lead


def _keys(page: Page) -> None:
    station_of(page, "hall-03", "Fit")
    page.locator("h1").first.click()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()


def _find(page: Page) -> None:
    page.locator("h1").first.click()
    page.keyboard.press("/")
    page.keyboard.type("ha")
    expect(page.get_by_role("option").first).to_be_visible()


def _history(page: Page) -> None:
    station_of(page, "hall-03", "Survey")
    page.get_by_role("link", name="History").click()
    expect(page.get_by_role("heading", name="Who did what")).to_be_visible()


def _answers(page: Page) -> None:
    """A board of which everything is answered that can be, with a slot touched and a bay open."""
    page.goto("/machines/new")
    page.get_by_role("button", name="soldered, 1").click()
    page.get_by_role("button", name="channels differ").click()
    page.get_by_role("button", name="risers", exact=True).click()
    page.get_by_role("button", name="registered").click()
    page.get_by_label("bays", exact=True).fill("12")
    page.get_by_label("bays", exact=True).press("Enter")
    page.get_by_role("button", name="1 not known", exact=True).click()
    page.locator("[data-slot]").first.click()
    expect(page.get_by_label("Printed at this slot")).to_be_visible()


def _waiting(page: Page) -> None:
    page.goto("/machines")
    expect(page.get_by_role("link", name="hall-03", exact=True)).to_be_visible()
    if not page.get_by_role("link", name="gauge-30 north light", exact=True).count():
        page.goto("/machines/new")
        page.get_by_label("Name", exact=True).fill("gauge-30 north light")
        page.get_by_role("button", name="Keep it, its board later").click()
    expect(page.get_by_role("region", name="Machines that wait for a sheet")).to_be_visible()


def _sheet(page: Page) -> None:
    page.goto("/sheets")
    page.get_by_role("link", name="Halvard R24").click()
    page.get_by_role("button", name="Text", exact=True).click()
    expect(page.locator(".cm-content")).to_be_visible()
    expect(page.locator("svg.board")).to_be_visible()


def _asked(section: str, words: str) -> Callable[[Page], None]:
    """The workbench of a sheet, open at a question."""

    def lead(page: Page) -> None:
        page.goto("/sheets")
        page.get_by_role("link", name="Halvard R24").click()
        page.get_by_role("list", name="Questions").get_by_role("button", name=re.compile(f"^{section}")).click()
        asked = page.get_by_role("button", name=re.compile(words)).first
        if not asked.is_visible():
            page.get_by_role("button", name=re.compile("more that may be told$")).click()
        if asked.get_attribute("aria-expanded") != "true":
            asked.click()
        expect(page.get_by_role("form").first).to_be_visible()
        expect(page.locator("svg.board")).to_be_visible()

    return lead


def _walk(page: Page) -> None:
    _keys(page)
    page.get_by_role("button", name=re.compile("^The first walk")).click()
    expect(page.get_by_role("region", name="First walk")).to_be_visible()


def _other_model(page: Page) -> None:
    station_of(page, "hall-03", "Survey")
    page.get_by_role("button", name="Edit").first.click()
    page.get_by_role("button", name="It is another model").click()
    page.get_by_label("It is a").select_option(label="Halvard R32")
    expect(page.get_by_role("table", name="Where its slots belong")).to_be_visible()


#: What no picture shows, as a lead: view -> what leads to it.
MORE: dict[str, Callable[[Page], None]] = {
    "difference": surveyed_again,
    "compare": compared,
    "intake": intaken,
    "fit-boards": _station("hall-02", "Fit"),
    "parts": _at("/shelf/parts", "Part numbers"),
    "list-in": _press(_at("/sheets", "Sheets"), "Qualified list"),
    "people": _at("/people", "People"),
    "new": _at("/machines/new", "New machine"),
    "new-answers": _answers,
    "waiting": _waiting,
    "sheets": _at("/sheets", "Sheets"),
    "sheet": _sheet,
    "sheet-order": _asked("6 Order", "In which order"),
    "sheet-tabs": _asked("3 Slots", "What colour"),
    "sheet-limits": _asked("5 Totals", "How much does who"),
    "sheet-table": _asked("7 Speeds", "What does it run at"),
    "other-model": _other_model,
    "no-such-page": _at("/nowhere", ""),
    "history": _history,
    "ceiling-form": _press(_station("hall-03", "Ceiling"), "Say what is known"),
    "edit": _press(_station("hall-03", "Survey"), "Edit"),
    "find": _find,
    "keys": _keys,
    "before-run": _station("desk-06", "Run"),
    "shelf-stock": _press(_at("/shelf", "Shelf"), "Put on the Shelf"),
    "desk": _at("/desk", "Desk"),
    "rounds": _at("/rounds", "Rounds"),
    "round-asked": _press(_at("/rounds", "Rounds"), "New round"),
    "buying": _at("/shelf/buy", "What to buy"),
    "orders": _at("/shelf/orders", "On order"),
    "shelf-offer": _press(_at("/shelf", "Shelf"), "Add an offer"),
    "target-seen": _press(_station("desk-06", "Target"), "Begin from what it shows"),
    "walk": _walk,
    "note-trial": _press(_at("/notes", "Field notes"), "Note a trial"),
}


def signed_in(browser: Browser, address: str) -> dict[str, Any]:
    """Account -> cookies of somebody who has signed in."""
    states = {}
    for account in ("lead", seed.ACCOUNT):
        page = browser.new_context(base_url=address).new_page()
        page.goto(address)
        page.get_by_label("Name").fill(account)
        page.get_by_label("Password").fill(seed.PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Desk")).to_be_visible()
        states[account] = page.context.storage_state()
        page.context.close()
    return states


def not_reached(page: Page, lead: Callable[[Page], None]) -> str:
    """Why a view could not be come to from Machines; "" once it stands."""
    try:
        page.goto("/machines")
        expect(page.get_by_role("heading", name="Machines")).to_be_visible()
        lead(page)
        page.wait_for_load_state("networkidle")
    except (PlaywrightError, AssertionError) as error:
        return str(error).strip().splitlines()[0][:120]
    return ""


def main(words: list[str]) -> int:
    views = {**VIEWS, **MORE}
    names = [w for w in words if w in views] or list(views)
    sizes = [w for w in words if w in SIZES] or list(SIZES)
    themes = [w for w in words if w in THEMES] or list(THEMES)
    tally: Counter[str] = Counter()
    looked = 0
    with demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM)
        states = signed_in(browser, address)
        for name in names:
            # Found at several sizes, a fault is said once.
            found: dict[tuple[str, str], list[str]] = {}
            for theme in themes:
                for size in sizes:
                    context = browser.new_context(
                        base_url=address,
                        color_scheme=theme,  # type: ignore[arg-type]
                        reduced_motion="reduce",
                        storage_state=states["lead" if name in LEAD or name in MORE else seed.ACCOUNT],
                        **SIZES[size],
                    )
                    context.set_default_timeout(20_000)
                    page = context.new_page()
                    why = not_reached(page, views[name])
                    faults = [("not reached", why)] if why else faults_of(page, size == "390", _STAYS)
                    for fault in faults:
                        found.setdefault(fault, []).append(f"{theme} {size}")
                    context.close()
                    looked += 1
            print(f"{name}: {len(found) or 'nothing wrong'}", flush=True)
            for (kind, what), where in sorted(found.items()):
                tally[kind.split()[0]] += 1
                everywhere = len(where) == len(themes) * len(sizes)
                print(f"    {kind}: {what}   [{'everywhere' if everywhere else ', '.join(where)}]", flush=True)
        browser.close()
    print(f"{looked} looked at; {dict(tally) or 'nothing wrong'}")
    return 1 if tally else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
