"""The one intake: whatever a machine, a module or a person reports; and many machines at once."""

from __future__ import annotations

import io
import json
import re
import zipfile

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to, see
from tests.devices.standins import Start, demo_spec
from tests.formats.smbios_facts import Device, listing, table
from tests.formats.spd_facts import Chip, ddr4
from tests.formats.test_reports import MEMORY, collection, xlsx
from tests.jobs.test_jobs import a_whole_machine
from tests.services.test_taking_in import ROWS

FAST = {"speed": 3200, "configured": 3200, "rank": 2, "part": "NEW-1"}
#: Kind -> what is given, as a file (name, bytes) or as text; all of them tell of slot A1 of the first processor.
REPORTS: dict[str, tuple[str, bytes] | str] = {
    "SMBIOS tables": ("tables.bin", table([Device("P0_A1", 65536, **FAST)])),  # type: ignore[arg-type]
    "listing of its SMBIOS tables": listing([Device("P0_A1", 65536, **FAST)]),  # type: ignore[arg-type]
    "its management controller": ("saved.json", json.dumps(collection({**MEMORY, "DeviceLocator": "P0_A1", "CapacityMiB": 65536})).encode()),
    "labels read by hand": "P0_A1: 64GB 2Rx4 PC4-3200AA-RB2",
    "SPD of a module": ("module.spd", ddr4(Chip(gbit=16, rate=3200))),
}  # fmt: skip


def survey_of(page: Page, name: str) -> None:
    page.get_by_role("link", name=name, exact=True).click()
    go_to(page, "Survey")
    page.get_by_role("button", name="Survey it again").click()


@pytest.mark.parametrize("kind", REPORTS)
def test_every_kind_of_report_is_taken_in_at_one_place(sign_in: SignIn, kind: str) -> None:
    page, given = sign_in(), REPORTS[kind]
    survey_of(page, "hall-01")
    if isinstance(given, str):
        page.get_by_label("Paste what it reports").fill(given)
        page.get_by_role("button", name="Read it").click()
    else:
        name, raw = given
        page.get_by_label("or choose a file").set_input_files({"name": name, "mimeType": "application/octet-stream", "buffer": raw})  # fmt: skip
    panel = page.get_by_role("region", name=re.compile("^What .* says$"))
    expect(panel.get_by_label("Read as", exact=True).locator("option:checked")).to_have_text(kind)
    if kind == "SPD of a module":  # a module does not know where it sits
        panel.get_by_role("combobox", name=re.compile("^Slot of")).select_option(label="P0 A1")
    row = page.get_by_role("row", name=re.compile("A1 differs"))
    expect(row).to_contain_text("size: 32 64")
    row.get_by_role("checkbox").check()
    page.get_by_role("button", name="Keep this survey").click()
    see(page, "P0.A1", "fitted, 64 GB")


def test_a_machine_is_asked_and_its_certificate_trusted_first(sign_in: SignIn, start: Start) -> None:
    controller, _ = start("controller", demo_spec("hall-02", faults={"CPU1.2": "failed", "CPU2.11": "failed"}))
    page = sign_in()
    survey_of(page, "hall-02")
    page.get_by_role("button", name="Ask it over the network").click()
    form = page.get_by_role("form", name="Ask it over the network")
    form.get_by_label("Address").fill("https://192.0.2.1")
    form.get_by_role("button", name="Ask it").click()
    expect(form.get_by_role("alert")).to_contain_text("none of the networks that may be reached")
    form.get_by_label("Address").fill(controller)
    form.get_by_label("User").fill("umbrak")
    form.get_by_label("Password").fill("tide-gauge-7")
    form.get_by_role("button", name="Ask it").click()
    expect(form.get_by_role("alert")).to_contain_text("Nobody here has trusted its certificate yet")
    form.get_by_role("button", name="It is the same: trust it and ask").click()
    expect(page.get_by_text("In all it tells 736 GB installed")).to_be_visible()
    page.get_by_role("button", name="Take all").click()
    page.get_by_role("button", name="Keep this survey").click()
    see(page, "CPU1.2", "failed")
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_role("button", name="Ask it now").click()
    expect(page.get_by_text("64 slots agree")).to_be_visible()


def test_an_appliance_tells_its_total_by_snmp(sign_in: SignIn, start: Start) -> None:
    appliance, _ = start("appliance", {**demo_spec("gauge-01"), "usable_gib": 12})
    page = sign_in()
    survey_of(page, "gauge-01")
    page.get_by_role("button", name="Ask it over the network").click()
    page.get_by_role("combobox", name="It speaks").select_option("snmp")
    page.get_by_label("Address").fill(appliance)
    page.get_by_role("textbox", name="Community").fill("gauges")
    page.get_by_role("button", name="Ask it", exact=True).click()
    page.get_by_role("button", name="Keep this survey").click()
    expect(page.get_by_text("Does not agree: it tells 12 GB usable")).to_be_visible()


def test_a_folder_and_a_table_make_many_machines(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Many at once").click()
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w") as z:
        z.writestr("hall-07.txt", a_whole_machine("hall-07", "HR-7"))
        z.writestr("odd.bin", b"\0\0\0 nothing that is read")
        z.writestr("hall-01.txt", listing([Device("P0_A1", 65536, **FAST)]))  # type: ignore[arg-type]
    page.get_by_label("or choose files").set_input_files({"name": "all.zip", "mimeType": "application/zip", "buffer": archive.getvalue()})  # fmt: skip
    job = page.get_by_role("article", name="Read 3 files")
    expect(job.get_by_role("row", name=re.compile("hall-07.txt new: made as Halvard R32"))).to_be_visible()
    expect(job.get_by_text("2 done, 1 failed of 3")).to_be_visible()
    job.get_by_role("button", name="failed").click()
    expect(job.get_by_role("row", name=re.compile("odd.bin none of the kinds"))).to_be_visible()
    job.get_by_role("button", name="something new").click()
    job.get_by_role("row", name=re.compile("hall-01.txt")).get_by_role("link", name="See what differs").click()
    expect(page.get_by_role("row", name=re.compile("A1 differs"))).to_contain_text("size: 32 64")
    page.get_by_role("button", name="Cancel").click()

    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="Many at once").click()
    page.get_by_label("choose the table").set_input_files({"name": "fleet.xlsx", "mimeType": "application/octet-stream", "buffer": xlsx(ROWS)})  # fmt: skip
    preview = page.get_by_role("region", name="What fleet.xlsx comes to")
    expect(preview.get_by_text("2 new machines, 1 with nothing new, 4 not in order")).to_be_visible()
    expect(preview.get_by_role("row", name=re.compile("gauge-11"))).to_contain_text(
        ["stands in an earlier row too", ""]
    )
    expect(preview.get_by_label("What colour means")).to_have_value("own")
    preview.get_by_role("button", name="Take 2 rows").click()
    job = page.get_by_role("article", name="Take 7 machines from a table")
    expect(job.get_by_text("3 done, 4 failed of 7")).to_be_visible()
    job.get_by_role("row", name=re.compile("gauge-11 new: made as Fjell N2")).get_by_role("link").click()
    see(page, "B1", "fitted, 16 GB")
    expect(page.get_by_role("definition").filter(has_text="until 2027-03-31")).to_be_visible()
    expect(page.get_by_role("definition").filter(has_text="grey")).to_be_visible()
    page.get_by_role("button", name="Edit", exact=True).click()
    page.get_by_role("button", name="Add one").click()
    page.get_by_label("Name of the column").last.fill("Cost centre")
    page.get_by_role("textbox", name="Cost centre").fill("78")
    page.get_by_label("Asset tag").fill("A-0001")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("definition").filter(has_text="A-0001")).to_be_visible()
    expect(page.get_by_role("definition").filter(has_text="78")).to_be_visible()


def test_a_server_that_no_sheet_knows_comes_from_its_listing_to_fit(sign_in: SignIn) -> None:
    """Two processors of eight channels, long names: sockets and channels by the names, seen and not told."""
    devices = [Device(f"CPU{s}_DIMM_{c}1", 16384 if c in "AE" else 0) for s in (1, 2) for c in "ABCDEFGH"]
    page = sign_in()
    page.get_by_role("link", name="New machine").click()
    page.get_by_role("button", name="Drop or paste a report").click()
    page.get_by_label("Paste what it reports").fill(listing(devices))
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_text("64 GB seen, 4 of 16 slots")).to_be_visible()
    expect(page.get_by_text("the letter in their names is taken for the channel. Seen, not told.")).to_be_visible()
    expect(page.get_by_text("every report has its slot")).to_be_visible()
    expect(page.get_by_text("Makes the sheet Lorne K12")).to_be_visible()  # its maker once
    page.get_by_label("Name", exact=True).fill("hall-09")
    page.get_by_role("button", name="Keep hall-09, on to Ceiling").click()
    expect(page.get_by_role("heading", name="hall-09")).to_be_visible()

    expect(page.get_by_role("region", name="Statements")).to_contain_text("768")
    go_to(page, "Fit")
    see(page, "CPU1_DIMM_A1", "CPU1_DIMM_A1, fitted, 16 GB")
    drawn = page.locator("svg.board text")
    expect(drawn.filter(has_text=re.compile(r"CPU1_DIMM_$"))).to_have_count(1)
    expect(drawn.filter(has_text=re.compile("^H1$"))).to_have_count(2)
    verdict = page.get_by_role("region", name="Verdict")
    # Its second processor is not there, as the listing says.
    expect(verdict).to_contain_text("CPU2_DIMM_A1 and CPU2_DIMM_E1 hang on CPU2, which has no processor")
    expect(verdict.locator(".figures").first).to_contain_text("Bandwidthnot told")
    asked = page.get_by_role("region", name="Answer first")
    # What its guide must tell leads to that question of its sheet.
    expect(asked).to_contain_text("What rate it runs")
    asked.get_by_role("link", name="Say it in its model's sheet").click()
    expect(page.get_by_role("heading", name="Lorne K12")).to_be_visible()
    expect(
        page.get_by_role("list", name="Questions").get_by_role("button", name=re.compile("Speeds"))
    ).to_have_attribute("aria-expanded", "true")
