"""Survey again: what a report says beside what is known, a dispute kept and settled, a locator told once."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to, see, slot
from tests.formats.smbios_facts import Device, listing

LAPTOP = {"form": (0x0D, "SODIMM"), "total": 64, "kind": (0x18, "DDR3"), "detail": (1 << 7, "Synchronous"), "speed": 1600, "configured": 1600, "mv": 1350, "rank": 2}  # fmt: skip


def take_in(page: Page, text: str) -> None:
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_label("Paste what it reports").fill(text)
    page.get_by_role("button", name="Read it").click()


def test_a_difference_is_taken_over_in_part_and_the_rest_settled(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="radar-02").click()
    go_to(page, "Survey")
    take_in(page, "nothing of the kind")
    expect(page.get_by_role("alert")).to_contain_text("line 1")
    page.get_by_role("button", name="Cancel").click()
    take_in(
        page,
        listing([Device("DIMM0", 8192, part="ZX-8", **LAPTOP), Device("UPPER", 4096, part="OSM3L-4S16", **LAPTOP)]),
    )
    row = page.get_by_role("row", name=re.compile("SLOT 1 differs"))
    expect(row).to_contain_text("size: 1 8")
    expect(row.get_by_role("checkbox")).not_to_be_checked()
    page.get_by_label("Slot of UPPER").select_option(label="SLOT 2")
    expect(page.get_by_role("checkbox", name="Take over SLOT 2")).to_be_checked()
    expect(page.get_by_text("1 slot that differs and is not taken stays visible as disputed")).to_be_visible()
    page.get_by_role("button", name="Keep this survey").click()
    see(page, "B", "fitted, 4 GB")
    see(page, "A", "fitted, 1 GB")
    expect(page.get_by_text("1 slot is disputed")).to_be_visible()
    expect(page.get_by_role("definition").filter(has_text="1.8.2")).to_be_visible()

    page.reload()
    slot(page, "A").click()
    dispute = page.get_by_role("group", name="Disputed")
    expect(dispute).to_contain_text("says 8 GB DDR3")
    dispute.get_by_role("button", name=re.compile("It is 8 GB")).click()
    see(page, "A", "fitted, 8 GB")
    expect(page.get_by_text("1 slot is disputed")).to_have_count(0)
    page.get_by_role("link", name="History").click()
    expect(page.get_by_text("took over SLOT 2; disputed: SLOT 1")).to_be_visible()
    go_to(page, "Survey")
    take_in(
        page,
        listing([Device("DIMM0", 8192, part="ZX-8", **LAPTOP), Device("UPPER", 4096, part="OSM3L-4S16", **LAPTOP)]),
    )
    expect(page.get_by_text("2 slots agree")).to_be_visible()


def test_another_machines_report_is_told_and_nothing_of_it_is_ticked(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03").click()
    go_to(page, "Survey")
    take_in(
        page, listing([Device("CPU1_A1", 32768, kind=(0x22, "DDR5"), total=80, speed=4800, configured=4800, mv=1100)])
    )
    alert = page.get_by_role("alert").filter(has_text="This is another machine's report")
    expect(alert).to_contain_text("LK12-00417")
    expect(alert).to_contain_text("SN-hall-03")
    for box in page.get_by_role("checkbox", name=re.compile("^Take over")).all():
        expect(box).not_to_be_checked()
    keep = page.get_by_role("button", name="Keep this survey")
    expect(keep).to_be_disabled()
    page.get_by_label("hall-03 reports that one too").check()
    keep.click()
    expect(alert).to_have_count(0)
    expect(page.get_by_text("LK12-00417")).to_be_visible()
    expect(page.get_by_text("none of 24 slots by it")).to_be_visible()
    # Whoever would make it twice is led to it.
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="New machine").click()
    page.get_by_role("button", name="Drop or paste a report").click()
    page.get_by_label("Paste what it reports").fill(listing([Device("CPU1_A1")]))
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("alert")).to_contain_text("hall-03 has this serial number")
    page.get_by_role("link", name="Take the report over there").click()
    expect(page.get_by_role("button", name="Keep this survey")).to_be_enabled()
    expect(alert).to_have_count(0)


def test_a_module_that_another_machine_showed_since_is_said_to_be_hardly_here(sign_in: SignIn) -> None:
    page = sign_in()
    keys = {m["name"]: m["id"] for m in page.request.get("/api/machines").json()["machines"]}
    module = page.request.post("/api/label", data={"text": "16GB 1Rx4 PC4-2133P-RC0 P/N QP-16 S/N MV-1"}).json()[
        "module"
    ]
    for name, place in (("hall-03", "CPU1.A1"), ("hall-02", "CPU1.11")):
        path = f"/api/machines/{keys[name]}"
        revision = page.request.get(path).json()["survey"]["revision"]
        said = {"revision": revision, "slots": {place: module}, "failed": None, "by_part": False}
        assert page.request.post(f"{path}/surveys", data=said).ok
    page.get_by_role("link", name="hall-03").click()
    go_to(page, "Survey")
    note = page.get_by_role("status", name="Seen elsewhere since")
    expect(note).to_contain_text("1 module was seen in another machine since")
    note.get_by_role("button", name="CPU1 A1").click()
    expect(page.get_by_role("heading", name="Slot CPU1 A1")).to_be_visible()
    # Who looks and finds it here after all says so, and no more: the other machine's report was not the last word.
    page.get_by_role("button", name="Looked: it is so").click()
    expect(note).to_have_count(0)
    page.get_by_role("link", name="History").click()
    expect(page.get_by_text("looked, and found it as known: CPU1 A1")).to_be_visible()


def test_a_model_that_nobody_knows_is_drafted(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    devices = [Device("CPU1_DIMM_A1"), Device("CPU1_DIMM_A2", 0), Device("CPU2_DIMM_A1", 0)]
    page.get_by_role("button", name="Drop or paste a report").click()
    page.get_by_label("Paste what it reports").fill(listing(devices))
    page.get_by_role("button", name="Read it").click()
    # Its processors have unlike boards, which no answers can say: its sheet is drafted slot by slot.
    page.get_by_role("button", name="Draft its sheet from the report, slot by slot").click()
    expect(page.get_by_text("Lorne K12", exact=True).last).to_be_visible()
    expect(page.get_by_text("every report has its slot")).to_be_visible()
    page.get_by_label("Name", exact=True).fill("odd-01")
    page.get_by_role("button", name=re.compile("^Keep odd-01")).click()
    see(page, "CPU1_DIMM_A1", "fitted, 16 GB DDR4")


def test_which_drive_is_in_which_bay(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="store-01").click()
    go_to(page, "Survey")
    page.get_by_role("button", name="Bay 2: not known").click()
    page.get_by_label("Serial number in bay 2").fill("DR-002")
    page.get_by_label("Written on it").fill("tides b")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("button", name="Bay 2: tides b, DR-002")).to_be_visible()
    page.get_by_role("button", name="Bay 3: not known").click()
    page.get_by_label("Serial number in bay 3").fill("dr-002")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("alert")).to_contain_text("cannot be in two bays")
    page.get_by_role("button", name="It is empty").click()
    expect(page.get_by_role("button", name="Bay 3: empty")).to_be_visible()
    page.reload()
    expect(page.get_by_role("button", name="Bay 2: tides b, DR-002")).to_be_visible()
