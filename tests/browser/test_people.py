"""People: what lets somebody in, and who is told what happens."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pyotp
from playwright.sync_api import expect

from tests.browser.conftest import SignIn
from tests.browser.hands import serious_faults
from umbrak.demo import seed


def test_an_authenticator_is_added_and_asked_for(sign_in: SignIn) -> None:
    page = sign_in("lead", width=390, height=844)
    page.goto("/people")
    page.get_by_role("button", name="Add an authenticator").click()
    expect(page.get_by_alt_text("A code for the authenticator")).to_be_visible()
    totp = pyotp.TOTP(page.locator(".begun b").inner_text().replace(" ", ""))
    code = page.get_by_label("The code that it shows now")
    code.fill("000 00")
    page.get_by_role("button", name="Ask for it from now on").click()
    expect(page.get_by_text("This is not the code of now")).to_be_visible()
    code.fill(totp.now())
    page.get_by_role("button", name="Ask for it from now on").click()
    expect(page.get_by_text("Keep these ten codes")).to_be_visible()
    codes = page.locator(".codes li").all_inner_texts()
    page.get_by_role("button", name="I have them").click()
    expect(page.get_by_text("10 recovery codes are left")).to_be_visible()
    # Nothing is cut off, and everything has a name.
    assert page.evaluate("document.documentElement.scrollWidth") == 390
    assert serious_faults(page) == []

    for given in (totp.at(datetime.now(UTC) + timedelta(seconds=30)), codes[0].lower()):
        page.get_by_role("button", name="Sign out", exact=True).click()
        page.wait_for_url("**/sign-in")
        page.get_by_label("Name").fill("lead")
        page.get_by_label("Password").fill(seed.PASSWORD)
        page.keyboard.press("Enter")
        field = page.get_by_label("Code of your authenticator")
        expect(field).to_be_focused()
        field.fill(given)
        page.keyboard.press("Enter")
        page.wait_for_url("**/desk")
        page.goto("/people")
    expect(page.get_by_text("9 recovery codes are left")).to_be_visible()


def test_an_address_is_told_and_bulk_kept_for_so_long(sign_in: SignIn) -> None:
    page = sign_in("lead")
    page.goto("/people")
    team = page.get_by_role("form", name="Plans at risk")
    expect(team.get_by_role("button", name="Kept so")).to_be_disabled()
    team.get_by_label("By technicians too").fill("4.5")
    team.get_by_role("button", name="Keep it so").click()
    expect(team.get_by_role("button", name="Kept so")).to_be_disabled()
    page.reload()
    expect(team.get_by_label("By technicians too")).to_have_value("4.5")
    page.get_by_label("Address").fill("https://192.0.2.7/x")
    page.get_by_role("button", name="Have it told").click()
    expect(page.get_by_text("none of the networks that may be reached")).to_be_visible()
    expect(page.get_by_label("Address")).to_have_value("https://192.0.2.7/x")
    page.get_by_label("Address").fill("https://127.0.0.1:9/told")
    page.get_by_role("button", name="Have it told").click()
    expect(page.get_by_role("status").filter(has_text="Copy its secret now")).to_contain_text("whsec_")
    page.get_by_role("button", name="Seen").click()
    expect(page.get_by_text("has had none yet")).to_be_visible()
    page.get_by_role("button", name="Not for now").click()
    expect(page.get_by_text("not told for now")).to_be_visible()
    bulk = page.get_by_role("region", name="For how long bulk is kept")
    keep, kept = (bulk.get_by_role("button", name=name) for name in ("Keep it so", "Kept so"))
    expect(kept).to_be_disabled()
    page.get_by_label("Jobs that have ended").fill("ninety")
    page.get_by_label("Reports as they came").fill("long")
    # What is typed stays when the addresses are loaded anew.
    page.get_by_role("button", name="Tell it again").click()
    expect(page.get_by_text("not told for now")).to_have_count(0)
    keep.click()
    expect(page.get_by_text("“ninety” is no number")).to_be_visible()
    expect(page.get_by_text("“long” is no number")).to_be_visible()
    page.get_by_label("Jobs that have ended").fill("90")
    page.get_by_label("Reports as they came").fill("0")
    keep.click()
    expect(kept).to_be_disabled()
    page.reload()
    expect(page.get_by_label("Jobs that have ended")).to_have_value("90")
    expect(page.get_by_text("said for how long bulk is kept: reports as they came for good")).to_be_visible()
