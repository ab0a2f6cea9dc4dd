"""The library and a sheet as text: found, corrected at the line that is wrong, kept as a revision, taken over on its machines."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to


def replace(page: Page, old: str, new: str) -> None:
    """In the editor, by its own search: what somebody would do."""
    page.locator(".cm-content").click()
    page.keyboard.press("Control+f")
    page.locator(".cm-search input[name=search]").fill(old)
    page.locator(".cm-search input[name=replace]").fill(new)
    page.locator(".cm-search button[name=replaceAll]").click()
    page.keyboard.press("Escape")


def test_a_sheet_is_corrected_and_its_machine_judged_by_it(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="Sheets", exact=True).click()
    page.get_by_label("Find a sheet").fill("hr24b")  # another of its names
    expect(page.get_by_role("row").filter(has=page.get_by_role("link"))).to_have_count(1)
    page.get_by_role("link", name="Halvard R24").click()
    page.get_by_role("button", name="Text", exact=True).click()
    expect(page.locator(".cm-content")).to_contain_text("umbrak-sheet: 1")
    expect(page.get_by_role("button", name=re.compile("^Keep"))).to_have_count(0)

    # What is wrong is told with its line, and mended at a press; the last board stays.
    replace(page, "form: DIMM", "form: DIM")
    foot = page.get_by_role("region", name="As text")
    expect(foot).to_contain_text(re.compile(r"1 error:\s+line [0-9]+\s+memory.form"))
    expect(page.get_by_role("region", name="Its board").locator("[data-slot]")).to_have_count(24)
    expect(page.get_by_role("button", name=re.compile("^To keep: mend line [0-9]+$"))).to_be_visible()
    # What was written is still there after a reload: it is a draft.
    page.reload()
    expect(page.get_by_text("draft of revision")).to_be_visible()
    page.get_by_role("button", name="Text", exact=True).click()
    foot.get_by_role("button", name="Make it DIMM").click()
    expect(page.get_by_role("region", name="What it would change")).to_contain_text("It judges no layout otherwise")
    # What may stand there is offered, from the fields of a sheet.
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("starts:")
    page.keyboard.press("Enter")
    page.keyboard.type("  wi")
    page.get_by_role("listbox").get_by_role("option", name=re.compile("without_drives")).click()
    page.keyboard.type("tru")
    page.get_by_role("listbox").get_by_role("option", name="true").click()
    expect(page.locator(".cm-content")).to_contain_text("without_drives: true")

    replace(page, "generation: DDR5", "generation: DDR4")
    replace(page, "rails_v: [1.1]", "rails_v: [1.2]")
    changes = page.get_by_role("region", name="What it would change")
    expect(changes).to_contain_text(re.compile(r"hall-03\s+what is fitted: .* no go"))
    # Pressed while the last keys are being sent: neither the press nor the keys are lost.
    page.get_by_role("button", name="Keep as revision 2").click()
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("\n# typed last")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("revision 2", exact=True)).to_be_visible()
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    expect(page.locator(".cm-content")).to_contain_text("# typed last")
    changes.get_by_role("button", name="Bring 1 machine under this revision").click()
    expect(page.get_by_text("1 machine under this revision now: hall-03.")).to_be_visible()
    expect(changes.get_by_role("button")).to_have_count(0)
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Survey")
    expect(page.get_by_text("DDR5 does not fit").or_(page.get_by_text(re.compile("DDR5.*DDR4"))).first).to_be_visible()


def test_a_viewer_reads_and_changes_nothing(sign_in: SignIn) -> None:
    page = sign_in("viewer")
    page.get_by_role("link", name="Sheets", exact=True).click()
    page.get_by_role("link", name="Fjell N4").click()
    page.get_by_role("button", name="Text", exact=True).click()
    expect(page.locator(".cm-content")).to_contain_text("title: Fjell N4")
    page.locator(".cm-content").click()
    page.keyboard.insert_text("x")
    expect(page.locator(".cm-content")).not_to_contain_text("x#")
    expect(page.get_by_role("button", name=re.compile("^Keep"))).to_have_count(0)
