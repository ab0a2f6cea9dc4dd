"""What a technician does, in the real interface: from what a machine reports to a checked, saved plan."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Route, expect

from tests.browser.conftest import Served, SignIn
from tests.browser.hands import drag, go_to, open_fit, plan_shown, serious_faults, slot, type_label, verdict
from tests.browser.looked import check as look
from tests.formats.smbios_facts import Device, listing, table

DEVICES = [Device(f"CPU{n}_DIMM_{c}{i}", 16384 if i == 1 else 0) for n in (1, 2) for c in "ABCDEF" for i in (1, 2)]
DEVICES[-1] = Device("SPARE", 0)


@pytest.mark.parametrize("way", ["paste", "file"])
def test_the_whole_path_by_mouse_and_through_a_restart(sign_in: SignIn, served: Served, way: str) -> None:
    page = sign_in()
    # 1: two machines, with totals and worst finding
    expect(page.get_by_role("row", name=re.compile("hall-03.*480 → 576 GB.*holds all back"))).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("radar-02.*1 GB.*only channel A of 2 works"))).to_be_visible()

    # 2: a machine from what it reports
    page.get_by_role("link", name="New machine").click()
    page.get_by_role("button", name="Drop or paste a report").click()
    if way == "paste":
        page.get_by_label("Paste what it reports").fill(listing(DEVICES))
        page.get_by_role("button", name="Read it").click()
    else:
        page.get_by_label("or choose a file").set_input_files(
            {"name": "tables.bin", "mimeType": "application/octet-stream", "buffer": table(DEVICES)}
        )
    expect(page.get_by_text("24 slots reported")).to_be_visible()
    # One of its slots has a name that tells nothing: the board is taken from the common ones, and that slot is told.
    page.get_by_role("button", name="2 sockets").click()
    expect(page.get_by_text("1 report without a slot")).to_be_visible()
    expect(slot(page, "CPU2 F2")).to_have_accessible_name(re.compile("CPU2 F2, not known"))
    page.get_by_label("SPARE").select_option(label="CPU2 F2")
    page.get_by_label("Processor in CPU2").select_option(index=1)  # the listing shows none there
    expect(page.get_by_text("every report has its slot")).to_be_visible()
    page.get_by_label("Name", exact=True).fill("hall-07")
    page.get_by_role("button", name=re.compile("^Keep hall-07")).click()
    expect(page.get_by_role("heading", name="hall-07")).to_be_visible()
    go_to(page, "Survey")
    expect(page.get_by_text("24 of 24 known")).to_be_visible()
    expect(slot(page, "CPU1 A1")).to_have_accessible_name(re.compile("CPU1 A1, fitted, 16 GB DDR4 registered 2400"))
    expect(slot(page, "CPU1 A2")).to_have_accessible_name(re.compile("CPU1 A2, empty"))

    # 3: type a label, see it decoded, drag it, move it, take it out, undo
    go_to(page, "Fit")
    type_label(page, "32gb 2rx4 ddr4 reg 2400 shiny")
    for piece in ("32 GB", "2 ranks x 4", "DDR4-2400", "registered"):
        expect(page.locator("#label-meaning").get_by_text(piece, exact=True)).to_be_visible()
    expect(page.get_by_text("not understood: “shiny”")).to_be_visible()
    drag(page, page.get_by_role("button", name=re.compile("take it in hand")), slot(page, "CPU1 A2"))
    page.mouse.up()
    expect(slot(page, "CPU1 A2")).to_have_accessible_name(re.compile("CPU1 A2, planned, 32 GB DDR4 registered 2400"))
    # 4: the verdict at once
    expect(verdict(page).locator(".total strong").get_by_text("224", exact=True)).to_be_visible()
    expect(verdict(page).get_by_text(re.compile("The data rate cannot be told"))).to_be_visible()
    drag(page, slot(page, "CPU1 A2"), slot(page, "CPU1 B2"))
    page.mouse.up()
    expect(slot(page, "CPU1 B2")).to_have_accessible_name(re.compile("planned, 32 GB"))
    expect(slot(page, "CPU1 A2")).to_have_accessible_name(re.compile("CPU1 A2, empty"))
    page.get_by_role("button", name="Undo").click()
    expect(slot(page, "CPU1 A2")).to_have_accessible_name(re.compile("planned, 32 GB"))
    slot(page, "CPU1 B1").focus()
    page.keyboard.press("Delete")
    expect(slot(page, "CPU1 B1")).to_have_accessible_name(re.compile("CPU1 B1, comes out, 16 GB"))

    # 5: a name, a reload, a killed server and another start: it is as it was
    page.get_by_role("button", name="Rename").click()
    page.get_by_label("Name of this plan").fill("One larger")
    page.get_by_label("Name of this plan").press("Enter")
    expect(plan_shown(page)).to_have_text("One larger")
    expect(page.get_by_text(re.compile("^saved "))).to_be_visible()
    served.kill()
    served.start()
    page.reload()
    expect(plan_shown(page)).to_have_text("One larger")
    expect(slot(page, "CPU1 A2")).to_have_accessible_name(re.compile("planned, 32 GB"))
    expect(slot(page, "CPU1 B1")).to_have_accessible_name(re.compile("comes out"))
    expect(verdict(page).locator(".total strong").get_by_text("208", exact=True)).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(slot(page, "CPU1 B1")).to_have_accessible_name(re.compile("fitted"))


def test_by_keyboard_alone(sign_in: SignIn) -> None:
    page = sign_in()
    open_fit(page, "radar-02")
    page.keyboard.press("Tab")
    page.get_by_label("Type what the label says").focus()
    page.keyboard.type("4GB 2Rx8 PC3L-10600S")
    expect(page.get_by_text("1.35 or 1.5 V")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_text("In hand: 4 GB DDR3 unbuffered 1333 1.35/1.5 V")).to_be_visible()
    expect(page.locator("[data-slot]:focus")).to_have_count(1)
    page.keyboard.press("ArrowRight")
    expect(slot(page, "B")).to_be_focused()
    page.keyboard.press("Enter")
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, planned, 4 GB"))
    page.keyboard.press("Escape")
    expect(verdict(page).locator(".total strong").get_by_text("5", exact=True)).to_be_visible()
    page.keyboard.press("Enter")  # picks it up again
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Enter")  # and changes places with what is there
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, planned, 1 GB"))
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, empty"))
    page.keyboard.press("Control+Shift+z")
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, planned"))


def test_a_refused_target_says_why_and_takes_nothing(sign_in: SignIn) -> None:
    page = sign_in()
    open_fit(page, "radar-02")
    type_label(page, "8GB 2Rx8 PC3-10600S")
    drag(page, page.get_by_role("button", name=re.compile("take it in hand")), slot(page, "B"))
    expect(page.get_by_text("SLOT 2 runs at 1.5 V; the board gives 1.35 V and no other")).to_be_visible()
    page.mouse.up()
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, empty"))
    # In hand by key, and placed by a click: the same answer.
    page.get_by_label("Type what the label says").press("Enter")
    expect(page.get_by_text("In hand: 8 GB")).to_be_visible()
    expect(page.locator(".slot.refused")).to_have_count(2)
    page.mouse.move(5, 5)
    slot(page, "B").hover()
    expect(page.get_by_role("status").filter(has_text="In hand")).to_contain_text("SLOT 2 runs at 1.5 V")
    slot(page, "B").click()
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, empty"))


def test_what_is_dragged_never_hides_where_it_goes(sign_in: SignIn) -> None:
    page = sign_in()
    open_fit(page, "hall-02")
    page.set_viewport_size({"width": 1024, "height": 768})
    tray = page.get_by_role("button", name=re.compile("^Take another")).first
    for name in ("CPU1.1", "CPU4.16"):
        drag(page, tray, slot(page, name))
        target, flying = slot(page, name).bounding_box(), page.locator(".flying").bounding_box()
        assert target and flying
        apart_x = flying["x"] >= target["x"] + target["width"] or flying["x"] + flying["width"] <= target["x"]
        apart_y = flying["y"] >= target["y"] + target["height"] or flying["y"] + flying["height"] <= target["y"]
        assert apart_x or apart_y, (name, target, flying)
        page.keyboard.press("Escape")
        page.mouse.up()


def test_a_finding_lights_its_slots(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03").click()
    expect(verdict(page).get_by_text("was 4800; bound by the modules")).to_be_visible()
    lit = page.locator(".slot.lit [data-slot]")
    expect(lit).to_have_count(1)
    expect(lit).to_have_attribute("data-slot", "CPU2.F2")
    finding = verdict(page).get_by_role("button", name=re.compile("CPU2 F2 holds all back"))
    finding.click()
    expect(verdict(page).get_by_text(re.compile("Source: R24 service guide, 6.1"))).to_be_visible()
    box = finding.bounding_box()
    assert box and box["y"] + box["height"] < 800, "the worst finding is seen without scrolling"


def test_a_cure_is_one_press(sign_in: SignIn) -> None:
    page = sign_in()
    open_fit(page, "radar-02")
    type_label(page, "2GB 1Rx8 PC3L-10600S")
    page.get_by_label("Type what the label says").press("Enter")
    page.keyboard.press("Enter")  # into slot A, in place of the smaller module
    page.keyboard.press("Escape")
    expect(slot(page, "A")).to_have_accessible_name(re.compile("SLOT 1, planned, 2 GB"))
    slot(page, "A").focus()
    page.keyboard.press("Enter")  # picked up
    page.keyboard.press("ArrowRight")
    answers: list[Route] = []
    page.route("**/worth", lambda route: answers.append(route))
    page.keyboard.press("Enter")  # put into B, which the order fills second
    expect(slot(page, "B")).to_have_accessible_name(re.compile("SLOT 2, planned, 2 GB"))
    finding = verdict(page).get_by_role("listitem").filter(has_text="should be empty with 1 module; SLOT 1 comes first")
    expect(finding).to_contain_text("move 2 GB 1Rx8 U 1333, SLOT 2 to SLOT 1")
    # What the plan costs comes later, and moves nothing that is being pressed.
    cure = finding.get_by_role("button", name="Cure it")
    expect(verdict(page).get_by_text("is worked out")).to_be_visible()
    before = cure.bounding_box()
    for answer in answers:
        answer.continue_()
    page.unroute("**/worth")
    expect(verdict(page).get_by_text("is worked out")).to_have_count(0)
    assert cure.bounding_box() == before
    cure.click()
    expect(slot(page, "A")).to_have_accessible_name(re.compile("SLOT 1, planned, 2 GB"))
    expect(finding).to_have_count(0)


@pytest.mark.parametrize(
    ("away", "said"), [("server", "Umbrak cannot be reached."), ("database", "The database does not answer")]
)
def test_what_is_away_is_said_and_the_edit_is_kept(sign_in: SignIn, served: Served, away: str, said: str) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03").click()
    expect(slot(page, "CPU2.F2")).to_have_accessible_name(re.compile("planned"))
    if away == "server":
        served.kill()
    else:
        served.close_database()
    slot(page, "CPU2.F2").focus()
    page.keyboard.press("Delete")
    expect(page.get_by_role("alert")).to_contain_text(said)
    expect(page.get_by_text("not saved yet")).to_be_visible()
    if away == "server":
        served.start()
    else:
        served.open_database()
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.get_by_text(re.compile("^saved "))).to_be_visible()
    page.reload()
    expect(slot(page, "CPU2.F2")).to_have_accessible_name(re.compile("CPU2 F2, empty"))


def test_a_page_asked_for_while_the_server_is_away_comes_when_it_is_back(sign_in: SignIn, served: Served) -> None:
    page = sign_in()
    served.kill()
    page.get_by_role("link", name="New machine").click()
    expect(page.get_by_role("alert")).to_contain_text("Umbrak cannot be reached.")
    served.start()
    expect(page.get_by_role("heading", name="New machine")).to_be_visible()


@pytest.mark.parametrize("theme", ["light", pytest.param("dark", marks=pytest.mark.wide)])
def test_no_serious_accessibility_fault_on_any_view(sign_in: SignIn, theme: str) -> None:
    page = sign_in("lead", theme=theme)

    def check(view: str) -> None:
        serious = serious_faults(page)
        assert not serious, f"{view}: {serious}"

    check("Machines")
    page.get_by_role("link", name="Desk", exact=True).click()
    expect(page.get_by_role("heading", name="Desk")).to_be_visible()
    check("Desk")
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("link", name="Maps and tide gauges").click()
    page.get_by_role("button", name="Ask otherwise").click()
    check("a round")
    page.get_by_role("link", name="Field notes").click()
    page.get_by_role("button", name="Note a trial").click()
    check("Field notes")
    page.get_by_role("link", name="Shelf").click()
    page.get_by_role("button", name="Put on the Shelf").click()
    page.get_by_role("region", name="Offers").get_by_role("button", name="From a file").click()
    check("Shelf")
    page.get_by_role("button", name="Add an offer").click()
    check("an offer")
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="Many at once").click()
    table = b"name,model\ngauge-11,Fjell N2\ngauge-12,nothing\ngauge-11,Fjell N2\n"
    page.get_by_label("choose the table").set_input_files({"name": "t.csv", "mimeType": "text/csv", "buffer": table})
    expect(page.get_by_text("1 new machine, 1 that waits for a sheet, 1 not in order")).to_be_visible()
    page.get_by_label("or choose files").set_input_files(
        {"name": "odd.bin", "mimeType": "application/zip", "buffer": b"x"}
    )
    expect(page.get_by_role("row", name=re.compile("odd.bin"))).to_contain_text("begins nothing that is read here")
    check("many at once")
    page.get_by_role("link", name="Back to the machines").click()
    page.get_by_role("link", name="New machine").click()
    check("new")
    page.get_by_role("button", name="Drop or paste a report").click()
    page.get_by_role("button", name="Ask it over the network").click()
    check("ask")
    page.get_by_label("Paste what it reports").fill(listing(DEVICES))
    page.get_by_role("button", name="Read it").click()
    # What is pressed before the report is there, the report answers anew.
    expect(page.get_by_role("region", name="What it reports")).to_be_visible()
    page.get_by_role("button", name="2 sockets").click()
    page.get_by_role("button", name="channels differ").click()
    page.get_by_label("bays", exact=True).fill("4")
    page.get_by_label("bays", exact=True).press("Enter")
    expect(page.get_by_text("1 report without a slot")).to_be_visible()
    slot(page, "CPU1 A1").click()
    expect(page.get_by_label("Printed at this slot")).to_be_visible()
    check("a board by answers")
    page.get_by_label("Sheet of the model").select_option(label="Marle T3")
    expect(slot(page, "1")).to_be_visible()
    check("a known model")
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="hall-02").click()
    slot(page, "CPU2.11").click()
    expect(page.get_by_role("button", name="It works after all")).to_be_visible()
    check("Survey")
    go_to(page, "Ceiling")
    page.get_by_role("button", name="Say what is known").click()
    page.get_by_role("combobox", name="They say").select_option("both")
    check("Ceiling")
    go_to(page, "Target")
    expect(page.get_by_role("row", name=re.compile("^need"))).to_be_visible()
    check("Target")
    go_to(page, "Routes")
    page.get_by_role("button", name="Pin route A").click()
    check("Routes")
    page.get_by_role("button", name="Unpin route A").first.click()
    expect(page.get_by_role("region", name="Route A")).to_be_visible()
    check("a route")
    go_to(page, "Survey")
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_label("Paste what it reports").fill(listing(DEVICES))
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("button", name="Keep this survey")).to_be_visible()
    check("difference")
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="store-01").click()
    go_to(page, "Survey")
    page.get_by_role("button", name="Bay 2: not known").click()
    check("bays")
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="hall-02").click()
    page.get_by_role("link", name="History").click()
    expect(page.get_by_role("heading", name="Who did what")).to_be_visible()
    check("history")
    page.get_by_role("button", name="Edit", exact=True).click()
    expect(page.get_by_label("Firmware")).to_have_value("4.2")
    check("edit")
    page.get_by_role("button", name="Cancel").click()
    go_to(page, "Fit")
    type_label(page, "8GB 2Rx8 PC3-12800S spoon")
    page.keyboard.press("Enter")
    check("Fit")
    page.get_by_role("link", name="Machines", exact=True).click()
    open_fit(page, "desk-03")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_role("columnheader", name="as it is")).to_be_visible()
    check("compare")
    page.get_by_role("button", name="Close").click()
    page.get_by_role("link", name="People").click()
    expect(page.get_by_role("heading", name="Somebody new")).to_be_visible()
    check("People")
    if theme == "light":  # of the dark theme a sample: all of it is of the wide matrix
        page.get_by_role("button", name="Dark", exact=True).click()
        check("People, dark")
        page.get_by_role("link", name="Machines", exact=True).click()
        open_fit(page, "desk-03")
        check("Fit, dark")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    check("sign-in")


def test_nothing_is_small_or_cut_off_on_the_largest_board(sign_in: SignIn) -> None:
    """Measured on screen: SVG text is scaled with its board."""
    page = sign_in()
    page.get_by_role("link", name="hall-03").click()
    for width, height in ((1280, 800), (1024, 768)):
        page.set_viewport_size({"width": width, "height": height})
        expect(slot(page, "CPU2.F2")).to_be_visible()
        look(page, f"{width}x{height}")
