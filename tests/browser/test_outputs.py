"""A machine whose system prints its own listings: surveyed from CIM, proved by CIM, its total and EDAC's counters."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to
from tests.browser.test_proof import SIX, enter, started, tick_until


def seen(page: Page, path: str) -> Any:
    return page.evaluate("path => fetch(path).then(r => r.json())", path)


def cim(slots: dict[str, Any]) -> str:
    """What Get-CimInstance prints of these modules; the empty slots are no instances."""
    said = []
    for slot, m in slots.items():
        serial = f"SerialNumber         : {m['serial']}\n" if m.get("serial") else ""
        said.append(
            f"BankLabel            : \nCapacity             : {int(m['capacity_gib'] * (1 << 30))}\nDeviceLocator        : {slot.replace('.', '_')}\n"
            f"PartNumber           : {m.get('part') or ''}\n{serial}SMBIOSMemoryType     : 34\nSpeed                : 4800\n"
        )
    return "\n".join(said)


def paste(page: Page, text: str) -> None:
    page.get_by_label("Paste what it reports").fill(text)
    page.get_by_role("button", name="Read it").click()


def test_surveyed_from_cim_proved_by_its_total_and_counters(sign_in: SignIn) -> None:
    page = sign_in("lead")
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Survey")
    machine = page.url.split("/machines/")[1].split("/")[0]
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_text("What to run on it").click()
    expect(page.get_by_text("Get-CimInstance").first).to_be_visible()
    now = {s: m for s, m in seen(page, f"/api/machines/{machine}")["slots"].items() if m != "unknown"}
    first = next(iter(now))
    paste(page, cim({**now, first: {**now[first], "serial": "C1-0001"}}))
    expect(page.get_by_label("Read as", exact=True)).to_have_value("cim")
    page.get_by_role("button", name="Take all").click()
    page.get_by_role("button", name="Keep this survey").click()
    expect(
        page.get_by_text("C for its system, by CIM").or_(page.get_by_text("its system, by CIM")).first
    ).to_be_visible()

    run = started(page, "hall-03", SIX)
    tick_until(page, run, "prove:seen")
    page.goto(f"/machines/{machine}/proof")
    page.get_by_role("button", name="What does it show?").click()
    paste(page, "MemTotal:       12345678 kB\nMemAvailable:   9000000 kB\n")
    expect(page.get_by_role("region", name=re.compile("things lacking"))).to_contain_text("not as planned")
    page.get_by_role("button", name="Look again").click()
    goal = seen(page, f"/api/runs/{run}")["goal"]
    paste(page, cim(goal))
    expect(page.get_by_text("24 of 24 right")).to_be_visible()

    enter(page, run, kind="memory-test", tool="stick", passes=1, errors=0, text="")
    tick_until(page, run, "prove:again")
    page.reload()
    page.get_by_role("button", name="Look again").click()
    paste(page, cim(goal))
    enter(page, run, kind="cleared", back="")
    tick_until(page, run, "back:duty")
    page.reload()

    counters = "".join(
        f"/sys/devices/system/edac/mc/mc0/dimm{i}/dimm_ce_count:0\n/sys/devices/system/edac/mc/mc0/dimm{i}/dimm_ue_count:0\n"
        f"/sys/devices/system/edac/mc/mc0/dimm{i}/dimm_label:{slot.replace('.', '_')}\n"
        for i, slot in enumerate(goal)
    )
    soak = page.get_by_role("region", name="Soak")
    soak.get_by_role("button", name="Counters as its system lists them").click()
    paste(page, counters.replace("CPU", "NODE"))
    expect(soak.get_by_role("alert")).to_contain_text("no slot has such a name")
    paste(page, counters)
    expect(soak.get_by_label("Paste what it reports")).to_have_count(0)
    soak.get_by_role("button", name="Begin the soak").click()
    expect(soak).to_contain_text("1 reading")
