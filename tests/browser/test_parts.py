"""Facts that are open, in the browser: part numbers and qualified lists that tell them, and who saw a machine run."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.conftest import SignIn
from tests.browser.hands import open_fit, slot, type_label


def test_a_fact_that_is_open_is_known_by_the_part_number(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Shelf", exact=True).click()
    page.get_by_role("button", name="Add an offer").click()
    form = page.get_by_role("form")
    form.get_by_label("Part number").fill("osm3l-1s13")
    form.get_by_label("Label").fill("1GB 1Rx8 PC3L-10600S")
    form.get_by_label("Price").fill("9.50")
    form.get_by_label("Supplier").fill("Tarn & Daughter")
    form.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("row", name=re.compile("osm3l-1s13"))).to_be_visible()

    # In its slot: each fact with where it is from; one is taken at a press, and shown as known by the number.
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="radar-02").click()
    slot(page, "A").click()
    known = page.get_by_role("group", name="Known of its part number")
    volts = known.get_by_role("button", name=re.compile(r"1\.35 or 1\.5 V offer of Tarn & Daughter"))
    expect(volts).to_be_visible()
    expect(known.get_by_role("button", name=re.compile("^x8"))).to_be_visible()
    volts.click()
    expect(volts).to_have_count(0)
    expect(page.get_by_text("by its part number, seen elsewhere").first).to_be_visible()
    known.get_by_role("link", name="OSM3L-1S13").click()

    # What each says of it, side by side; other chips are told of, and nothing is taken for known.
    expect(page.get_by_role("columnheader", name=re.compile("offer of Tarn & Daughter"))).to_be_visible()
    page.get_by_role("button", name="Say what it is").click()
    told = page.get_by_role("form", name="What it is")
    told.get_by_label("Its label").fill("1GB 2Rx16 PC3L-10600S")
    told.get_by_label("Where it is written").fill("data sheet")
    expect(told.get_by_role("status")).to_contain_text("1 GB 2Rx16")
    told.get_by_role("button", name="That is what it is").click()
    expect(page.get_by_role("status")).to_contain_text("differ in ranks, device width")
    expect(page.get_by_role("row", name=re.compile("^ranks open"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Take back what")).click()
    expect(page.get_by_role("row", name=re.compile("^ranks 1"))).to_be_visible()

    # Another number of the same thing is understood in Fit; one that is nearly typed is put beside it.
    page.get_by_role("button", name="Add a number").click()
    same = page.get_by_role("form", name="Another number of the same thing")
    same.get_by_label("Number").fill("ML3E-4")
    same.get_by_label("Where both are written").fill("a guess")
    same.get_by_role("button", name="They are the same").click()
    expect(same.get_by_role("alert").or_(same.get_by_text("not the same thing")).first).to_contain_text(
        "not the same thing"
    )
    same.get_by_label("Number").fill("55-900-1")
    same.get_by_role("button", name="They are the same").click()
    expect(page.get_by_role("link", name="55-900-1")).to_be_visible()
    page.get_by_role("link", name="Machines", exact=True).click()
    open_fit(page, "radar-02")
    page.get_by_label("Type what the label says").fill("55-9")
    page.get_by_role("button", name="55-900-1").click()
    expect(page.locator("#label-meaning")).to_contain_text("By its number: ")
    expect(page.locator("#label-meaning")).to_contain_text("offer of Tarn & Daughter")
    page.keyboard.press("Escape")
    type_label(page, "55-900-1")
    expect(page.locator(".chip").first).to_contain_text("1")


def test_a_qualified_list_comes_into_the_sheets_it_names(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Sheets", exact=True).click()
    page.get_by_role("button", name="Qualified list").click()
    coming = page.get_by_role("region", name="A qualified list")
    table = b"Part number,Capacity (GB),System,Remarks\nHLQ5R-16X,16,HR-24B,from firmware 2.4 on\nHLQ5R-16X,16,Halvard R99,\n"
    coming.get_by_label("CSV or XLSX").set_input_files(
        {"name": "halvard 7.csv", "mimeType": "text/csv", "buffer": table}
    )
    expect(coming.get_by_label("What the list is called")).to_have_value("halvard 7")
    expect(coming.get_by_role("table", name=re.compile("What with the list says otherwise"))).to_contain_text(
        "part HLQ5R-16X, 16 GB"
    )
    expect(coming).to_contain_text("no sheet is called so: 1 line will wait")
    coming.get_by_role("button", name="Keep it").click()
    expect(coming.get_by_role("status")).to_contain_text("1 part listed in 1 sheet; 1 line waits")
    expect(page.get_by_role("row", name=re.compile("Halvard R24"))).to_contain_text("revision 2")
    # Somebody knows that the other model is one of those here.
    waits = page.get_by_role("region", name="Lists that wait for a sheet")
    waits.get_by_label("Sheet for Halvard R99").select_option(label="Halvard R32")
    waits.get_by_role("button", name="List them there").click()
    expect(waits.get_by_role("status")).to_contain_text("1 part listed in Halvard R32")
    page.keyboard.press("/")
    page.keyboard.type("HLQ5R")
    page.get_by_role("option", name=re.compile("^part HLQ5R-16X listed")).click()
    expect(page.get_by_text("Halvard R24 lists HLQ5R-16X")).to_contain_text("halvard 7; from firmware 2.4 on")


def test_what_nobody_saw_run_is_asked_first_and_its_answer_is_weighed(sign_in: SignIn) -> None:
    page = sign_in()
    board = {"make": "Ansel", "model": "G9", "generation": "DDR4", "form": "DIMM"}
    held = {
        "generation": "DDR4",
        "form": "DIMM",
        "buffering": "registered",
        "ecc": True,
        "capacity_gib": 8,
        "rails_v": [1.2],
    }
    slots = {"A1": held, "A2": None, "B1": held, "B2": None}
    machine = {"name": "gannet", "board": board, "fitted": slots}
    made = page.request.post("/api/machines", data=machine)
    assert made.ok, made.text()
    page.goto(f"/machines/{made.json()['id']}/fit")
    type_label(page, "8GB 1Rx8 PC4-2400T-RD0")
    page.keyboard.press("Enter")
    slot(page, "A2").click()
    asked = page.get_by_role("region", name="Answer first")
    expect(asked).to_contain_text("Does it run with what is in it now?")
    trouble = page.locator("dt", has_text="Trouble").locator("xpath=following-sibling::dd[1]")
    expect(trouble).to_contain_text("%")
    before = trouble.inner_text()
    asked.get_by_role("button", name="Yes, with all of it").click()
    expect(asked).not_to_contain_text("Does it run")
    expect(trouble).not_to_have_text(before)
