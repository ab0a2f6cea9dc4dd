"""Machines that no sheet knows, built by answers in the real interface: how many answers, how long, what is told of them, and what
their first verdicts are for a module that is right there and one that is wrong.

python -m bench.built        a table of every kind of tests/browser/kinds.py
python -m bench.built keys   by keys alone
"""

from __future__ import annotations

import sys
import time

from playwright.sync_api import expect, sync_playwright
from tests.browser.hands import CHROMIUM
from tests.browser.kinds import KINDS, build, keep, verdict_of

from bench.pictures import DESK, demo
from umbrak.demo import seed


def main(args: list[str]) -> None:
    with demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM)
        page = browser.new_context(viewport=DESK, base_url=address).new_page()
        page.goto(address)
        page.get_by_label("Name").fill(seed.ACCOUNT)
        page.get_by_label("Password").fill(seed.PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Machines")).to_be_visible()
        print("| board | slots | answers | s | facts told | open | one more of its kind | another kind |")
        print("|---|---|---|---|---|---|---|---|")
        for name, kind in KINDS.items():
            page.goto(f"{address}/machines/new")
            began = time.perf_counter()
            given = build(page, name, kind, by_keys="keys" in args)
            heading = page.get_by_role("region", name="What will be asked later").get_by_role("heading").inner_text()
            told, of = (int(w) for w in heading.split("\n")[-1].split(" facts")[0].split()[-3::2])
            machine = keep(page, name)
            took = time.perf_counter() - began
            right, wrong = (verdict_of(page, machine, what, label) for what, label in (("right", kind.label), ("wrong", kind.wrong)))  # fmt: skip
            print(f"| {name} | {kind.slots} | {given} | {took:.1f} | {told} | {of - told} | {right} | {wrong} |", flush=True)  # fmt: skip
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1:])
