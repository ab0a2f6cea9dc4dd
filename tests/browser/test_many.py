"""Machines chosen and changed together, those made twice put together, one made by mistake deleted."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.conftest import SignIn

TABLE = b"buoy;make;type;serial no;serial;unit\nbuoy-1;;Fjell N2;x;SN-0815;3\nbuoy-2;;Fjell N2;;sn 0815;\nbuoy-3;;Fjell N2;;;\nbuoy-4;Tarn;T9;;;\n"


def test_machines_chosen_from_the_list(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="Many at once").click()
    page.get_by_label("choose the table").set_input_files({"name": "b.csv", "mimeType": "text/csv", "buffer": TABLE})
    preview = page.get_by_role("region", name="What b.csv comes to")
    # A list as somebody keeps it: its heads are told what they mean.
    expect(preview.get_by_role("alert")).to_contain_text("Which column names the machines?")
    preview.get_by_label("What buoy means").select_option("name")
    preview.get_by_label("What type means").select_option("model")
    expect(preview.get_by_text("3 new machines, 1 that waits for a sheet")).to_be_visible()
    preview.get_by_role("button", name="Take 4 rows").click()
    expect(page.get_by_role("article", name="Take 4 machines").get_by_text("4 done of 4")).to_be_visible()

    page.get_by_role("link", name="Machines", exact=True).click()
    expect(page.get_by_role("region", name="Machines that wait for a sheet")).to_contain_text("Tarn T9")
    page.get_by_text("1 number of more than one machine").click()
    page.get_by_role("button", name="Put buoy-1 and buoy-2 together").click()
    page.get_by_role("radio", name="buoy-2").check()
    page.get_by_role("button", name="Put them together").click()
    expect(page.get_by_text("1 number of more than one machine")).to_have_count(0)

    page.get_by_label("Filter machines").fill("buoy")
    page.get_by_role("button", name="Choose some").click()
    expect(page.get_by_role("row")).to_have_count(3)
    page.get_by_role("checkbox", name="Choose buoy-3").check()
    page.get_by_role("button", name="Choose all 2 that the list finds").click()
    page.get_by_role("button", name="Say something of them").click()
    page.get_by_role("button", name="Say it of 2 machines").click()
    expect(page.get_by_role("alert")).to_contain_text("Say something of them first")
    page.get_by_label("Duty group").fill("buoys")
    page.get_by_role("button", name="Say it of 2 machines").click()
    job = page.get_by_role("article", name="Change what is said of 2 machines")
    expect(job.get_by_text("2 done of 2")).to_be_visible()
    job.get_by_role("row", name=re.compile("buoy-2 changed: duty group")).get_by_role("link", name="Open it").click()
    expect(page.get_by_role("definition").filter(has_text="buoys")).to_be_visible()

    page.get_by_role("button", name="Edit", exact=True).click()
    page.get_by_role("button", name="Delete it").click()
    page.get_by_role("button", name="Really delete it").click()
    page.get_by_label("Filter machines").fill("buoy")
    expect(page.get_by_role("row")).to_have_count(2)
