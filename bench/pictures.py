"""Takes the pictures of docs/screenshots anew, from the demo's data: a real server on a throw-away database, a real browser.

python -m bench.pictures             all that it takes
python -m bench.pictures fit shelf   those named
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright
from tests.browser.hands import CHROMIUM

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


def station_of(page: Page, name: str, station: str) -> None:
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name=name, exact=True).click()
    link = page.get_by_role("navigation", name="Stations").get_by_role("link", name=station)
    link.click()
    expect(link).to_have_attribute("aria-current", "page")


def _fit(page: Page) -> None:
    station_of(page, "hall-03", "Fit")
    page.get_by_role("button", name=re.compile("CPU2 F2 holds all back")).click()


def surveyed_again(page: Page) -> None:
    station_of(page, "radar-02", "Survey")
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_label("Paste what it reports").fill(_LISTING)
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("button", name="Keep this survey")).to_be_visible()


def compared(page: Page) -> None:
    station_of(page, "desk-06", "Fit")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_role("columnheader", name="as it is")).to_be_visible()


def _routes(page: Page) -> None:
    station_of(page, "hall-03", "Routes")
    expect(page.get_by_role("region", name="Routes", exact=True).get_by_role("row").nth(2)).to_be_visible(
        timeout=60_000
    )


def _target(page: Page) -> None:
    station_of(page, "hall-03", "Target")
    expect(page.get_by_role("row", name=re.compile("^need"))).to_be_visible(timeout=60_000)


def _open(name: str) -> Callable[[Page], None]:
    return lambda page: page.get_by_role("link", name=name, exact=True).click()


_BEGIN = """async ([machine, plan]) => {
  const call = async (method, path, body) => {
    const answer = await fetch(path, {method, headers: {'content-type': 'application/json'}, body: body && JSON.stringify(body)});
    if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`);
    return answer.status === 204 ? null : answer.json();
  };
  const found = (await call('GET', `/api/machines?text=${machine}`)).machines.find((m) => m.name === machine);
  const view = await call('GET', `/api/machines/${found.id}`);
  const begun = view.runs.find((r) => r.state === 'under way');
  if (begun) return begun.id;
  const key = plan ? (await call('POST', `/api/machines/${found.id}/plans`, {name: 'Six more', goal: {...view.slots, ...plan}})).id : view.plans[0].id;
  const {version} = await call('GET', `/api/plans/${key}`);
  if ((await call('GET', `/api/plans/${key}/risk`)).needed) await call('POST', `/api/plans/${key}/approvals`, {version});
  return (await call('POST', `/api/plans/${key}/runs`, {soak_days: 3})).id;
}"""
_TICK = """async ([run, until]) => {
  const put = async (entry) => {
    const answer = await fetch(`/api/runs/${run}/entries/${crypto.randomUUID()}`, {method: 'PUT', headers: {'content-type': 'application/json'}, body: JSON.stringify({at: new Date().toISOString(), entry})});
    if (!answer.ok) throw new Error(await answer.text());
  };
  const {steps} = await (await fetch(`/api/runs/${run}`)).json();
  for (const step of steps) {
    if (step.key === until) return;
    if (!step.proves && !step.done_at) await put({kind: 'done', step: step.key});
  }
}"""
_ENTER = """async ([run, entry]) => {
  const answer = await fetch(`/api/runs/${run}/entries/${crypto.randomUUID()}`, {method: 'PUT', headers: {'content-type': 'application/json'}, body: JSON.stringify({at: new Date().toISOString(), entry})});
  if (!answer.ok) throw new Error(await answer.text());
}"""
_SIX = {f"CPU2.{c}2": {"generation": "DDR5", "capacity_gib": 16, "package_ranks": 1, "device_width": 8, "buffering": "registered", "ecc": True, "rate_mts": 4800, "part": "HLV5R-16"} for c in "ABCDEF"}  # fmt: skip


class Work:
    """A run begun and worked by the API, as a lead: pictures show what comes of it."""

    def __init__(self, page: Page, machine: str, plan: dict[str, object] | None = None) -> None:
        self.page, self.machine = page, machine
        self.run = page.evaluate(_BEGIN, [machine, plan])

    def tick(self, until: str) -> None:
        self.page.evaluate(_TICK, [self.run, until])

    def enter(self, kind: str, **members: object) -> None:
        self.page.evaluate(_ENTER, [self.run, {"kind": kind, **members}])

    def goal(self) -> dict[str, object]:
        view: dict[str, dict[str, object]] = self.page.evaluate(
            "run => fetch(`/api/runs/${run}`).then(r => r.json())", self.run
        )
        return view["goal"]

    def show(self, station: str) -> None:
        self.page.goto("/machines")
        station_of(self.page, self.machine, station)


def _run(page: Page) -> None:
    work = Work(page, "store-01")
    work.tick("module:1")
    work.show("Run")
    expect(page.get_by_role("button", name="Done, next")).to_be_visible()


def _bench(page: Page) -> None:
    work = Work(page, "store-01")
    work.tick("module:3")
    page.goto(f"/bench/{work.run}")
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def _seen(page: Page) -> Work:
    work = Work(page, "hall-03", _SIX)
    work.tick("prove:seen")
    return work


def _proof(page: Page) -> None:
    work = _seen(page)
    work.enter("survey", slots={s: m for s, m in work.goal().items() if s not in ("CPU2.A2", "CPU1.F2")})
    work.enter("memory-test", tool="stick", passes=1, errors=0, text="")
    work.show("Proof")
    expect(page.get_by_text("22 of 24 right")).to_be_visible()


def _fault_search(page: Page) -> None:
    work = _seen(page)
    work.enter("survey", slots={**work.goal(), "CPU2.C2": None})
    work.enter("symptom", symptom="total short", dark=["CPU2.C2"])
    work.show("Proof")
    expect(page.get_by_text("Next boot", exact=True)).to_be_visible()


def _many(page: Page) -> None:
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="Many at once").click()
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def _say(page: Page, field: str, text: str) -> None:
    page.get_by_label(field, exact=True).fill(text)
    page.get_by_label(field, exact=True).press("Enter")


def _new(page: Page, name: str, make: str, model: str) -> None:
    page.get_by_role("link", name="New machine").click()
    for field, text in (("Name", name), ("Site", "Skerry Watch"), ("Place", "East sound, shelf 1"), ("Make", make), ("Model", model)):  # fmt: skip
        _say(page, field, text)


def _label(page: Page, text: str) -> None:
    _say(page, "Type what the label says", text)
    expect(page.get_by_text("In hand: ")).to_be_visible()
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")


def _built(page: Page) -> None:
    _new(page, "gauge-11", "Fjell", "N6-S")
    page.get_by_role("button", name="appliance").click()
    page.get_by_role("button", name="2 x 2").click()
    _say(page, "Name of the first slot", "DIMM_A1")
    expect(page.locator("[data-slot]")).to_have_count(4)
    _label(page, "8GB 2Rx8 PC3L-12800S-11-11-F3")
    _say(page, "bays", "6")
    page.get_by_role("button", name="1 not known").click()
    for drive in ("FB4-71", "FB4-71", "FB4-90"):
        page.get_by_label(re.compile("^Written on the drive")).fill(drive)
        page.get_by_role("button", name="Say so").click()
    _say(page, "At most GB", "32")
    page.get_by_role("button", name="the plate").click()
    expect(page.get_by_text("Makes the sheet Fjell N6-S")).to_be_visible()
    page.evaluate("scrollTo(0, 0)")


def _listing_of(names: list[str]) -> str:
    """A listing of two processors with a module in every fourth slot."""
    head = "Handle 0x0001, DMI type 1, 27 bytes\nSystem Information\n\tManufacturer: Lorne\n\tProduct Name: K12\n"
    processors = [
        f"Handle 0x{n + 4:04X}, DMI type 4, 48 bytes\nProcessor Information\n\tSocket Designation: CPU{n}\n\tStatus: Populated, Enabled\n\tVersion: Heliant Moor\n"
        for n in (1, 2)
    ]
    devices = [
        f"Handle 0x{i + 16:04X}, DMI type 17, 84 bytes\nMemory Device\n\tLocator: {name}\n\tType: DDR4\n\tForm Factor: DIMM\n"
        + ("\tSize: No Module Installed\n" if i % 4 else "\tSize: 16384 MB\n\tSpeed: 2400 MT/s\n\tRank: 2\n\tType Detail: Synchronous Registered (Buffered)\n")
        for i, name in enumerate(names)
    ]  # fmt: skip
    return "\n".join([head, *processors, *devices])


def intaken(page: Page) -> None:
    page.get_by_role("link", name="New machine").click()
    page.get_by_role("button", name="Drop or paste a report").click()
    page.get_by_label("Paste what it reports").fill(
        _listing_of([f"CPU{s}_DIMM_{c}1" for s in (1, 2) for c in "ABCDEFGH"])
    )
    page.get_by_role("button", name="Read it").click()
    expect(page.locator("svg.board")).to_be_visible()
    _say(page, "Name", "hall-09")


def _largest(page: Page) -> None:
    """Eight processors with ninety-six slots whose names are long, built once and shown in Fit."""
    expect(page.get_by_role("link", name="hall-03", exact=True)).to_be_visible()
    if page.get_by_role("link", name="hall-10", exact=True).count():
        station_of(page, "hall-10", "Fit")
        return
    _new(page, "hall-10", "Brannoch", "Q96")
    for count, n in (("processors", 8), ("channels each", 6), ("slots a channel", 2)):
        _say(page, count, str(n))
    _say(page, "Name of the first slot", "CPU1_MEM_DIMM_A1")
    expect(page.locator("[data-slot]")).to_have_count(96)
    _label(page, "32GB 2Rx4 PC4-2400T-RB1-11")
    page.get_by_role("button", name="The other 95 are empty").click()
    page.get_by_role("button", name="Keep hall-10, on to Ceiling").click()
    expect(page.get_by_role("heading", name="hall-10")).to_be_visible()
    page.get_by_role("navigation", name="Stations").get_by_role("link", name="Fit").click()
    expect(page.get_by_role("heading", name="Verdict")).to_be_visible()


def _to_sheet(page: Page, title: str) -> None:
    page.get_by_role("link", name="Sheets", exact=True).click()
    page.get_by_role("link", name=title).click()
    expect(page.get_by_role("list", name="Questions")).to_be_visible()


def _workbench(page: Page) -> None:
    """The order of a two-socket server, with its second set open again."""
    _to_sheet(page, "Halvard R32")
    page.get_by_role("list", name="Questions").get_by_role("button", name=re.compile("^6 Order")).click()
    form = page.get_by_role("form", name="In which order are the slots filled?")
    expect(form).to_be_visible()


#: A desk, and a phone in a hand.
DESK = {"width": 1280, "height": 800}


def _buying(page: Page) -> None:
    page.goto("/shelf/buy")
    expect(page.get_by_role("group", name="For")).to_be_visible()


def _round(page: Page) -> None:
    """The demo's round as it is proposed."""
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("link", name="Maps and tide gauges").click()
    page.get_by_role("button", name=re.compile("^Solve")).click()
    expect(page.get_by_role("button", name=re.compile("^Accept"))).to_be_visible(timeout=90_000)


def _desk(page: Page) -> None:
    page.get_by_role("link", name="Desk", exact=True).click()
    expect(page.get_by_role("region", name="What wants somebody")).to_be_visible()


PHONE = {"width": 390, "height": 844}
#: Pictures that are taken as a lead, who may tick every hold, and on what.
LEAD = {"run": DESK, "bench": PHONE, "proof": DESK, "fault-search": DESK, "desk": DESK}
#: Picture -> what leads to it.
VIEWS: dict[str, Callable[[Page], None]] = {
    "machines": _open("Machines"),
    "shelf": _open("Shelf"),
    "buying": _buying,
    "notes": _open("Field notes"),
    "survey": lambda page: station_of(page, "radar-02", "Survey"),
    "ceiling": lambda page: station_of(page, "gauge-01", "Ceiling"),
    "target": _target,
    "routes": _routes,
    "fit": _fit,
    "run": _run,
    "bench": _bench,
    "proof": _proof,
    "fault-search": _fault_search,
    "many": _many,
    "new-machine": _built,
    "sheets": _open("Sheets"),
    "workbench": _workbench,
    "rounds": _round,
    "desk": _desk,
}


#: As people see it: the headless one sets text a little wider.
WHOLE = "/usr/bin/chromium"


def main(names: list[str]) -> None:
    if unknown := set(names) - set(VIEWS):
        sys.exit(f"no such view: {', '.join(sorted(unknown))}; there are {', '.join(VIEWS)}")
    with demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=WHOLE if Path(WHOLE).exists() else CHROMIUM)
        # In their own order: one leaves the demo as the next finds it.
        for name in (v for v in VIEWS if v in names or not names):
            page = browser.new_context(viewport=LEAD.get(name, DESK), base_url=address).new_page()
            page.goto(address)
            page.get_by_label("Name").fill("lead" if name in LEAD else seed.ACCOUNT)
            page.get_by_label("Password").fill(seed.PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            page.get_by_role("link", name="Machines", exact=True).click()
            expect(page.get_by_role("heading", name="Machines")).to_be_visible()
            VIEWS[name](page)
            page.wait_for_load_state("networkidle")
            expect(page.get_by_text("looking for what would meet it")).to_have_count(0, timeout=30_000)
            page.evaluate("document.fonts.ready")
            page.wait_for_timeout(700)  # what fades in has faded in
            page.screenshot(path=PLACE / f"{name}.png")
            print(name)
            page.context.close()
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1:])
