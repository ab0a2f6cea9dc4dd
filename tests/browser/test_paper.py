"""The board on paper is arranged as on screen, for every sheet that the demo has: where things are is what one remembers."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.conftest import SignIn
from tests.browser.hands import go_to
from umbrak.core.platform.machine import Machine
from umbrak.demo.seed import Scenario
from umbrak.formats.board_picture import rows_of
from umbrak.services.known.drawn import drawn_of
from umbrak.services.sheets.board import board_of

#: Slots by where they stand: rows from top to bottom, each from left to right. The seats themselves are measured.
_ROWS = """() => {
  const at = [...document.querySelectorAll('svg.board [data-slot]')].map((e) => [e.dataset.slot, Number(e.getAttribute('x')), Math.round(Number(e.getAttribute('y')))]);
  const rows = new Map();
  for (const [slot, x, y] of at) rows.set(y, [...(rows.get(y) ?? []), [x, slot]]);
  return [...rows.keys()].sort((a, b) => a - b).map((y) => rows.get(y).sort((a, b) => a[0] - b[0]).map((p) => p[1]));
}"""


def test_as_on_screen(sign_in: SignIn) -> None:
    page, scenario = sign_in(), Scenario.read()
    expect(page.get_by_role("link", name="hall-03", exact=True)).to_be_visible()
    shown = set(page.get_by_role("row").get_by_role("link").all_inner_texts())
    by_sheet = {given["sheet"]: given["name"] for given in scenario.machines if given["name"] in shown}
    assert len(by_sheet) >= 5
    for sheet_id, machine in by_sheet.items():
        sheet = scenario.sheets[sheet_id].sheet
        page.goto("/machines")
        page.get_by_role("link", name=machine, exact=True).first.click()
        go_to(page, "Survey")
        expect(page.locator("svg.board [data-slot]")).to_have_count(len(sheet.slots))
        assert rows_of(drawn_of(board_of(sheet, Machine()))) == page.evaluate(_ROWS), sheet.title
