"""The guide of ten minutes, followed to the letter on an empty installation; and the walk that shows it."""

from __future__ import annotations

import re
import socket
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine

from tests.browser.conftest import PATIENCE, ROOT, Served
from tests.browser.guided import Follower, steps_of
from umbrak.demo import seed
from umbrak.services.people.accounts import add_account

GUIDE = ROOT / "docs/ten-minutes.md"


@pytest.fixture
def fresh(
    engine: Engine, database_url: str, mother: socket.socket, chromium: Browser, tmp_path: Path
) -> Iterator[Callable[[str], Page]]:
    """An installation with two people and nothing else; `fresh(name)`: a window of that person's."""
    for name in ("technician", "lead"):
        add_account(engine, name, shown_as=name.title(), password=seed.PASSWORD, role=name)
    (tmp_path / "ahead").write_text("0")
    server = Served(database_url, tmp_path / "ahead", mother)
    contexts, errors = [], []

    def open_window(name: str) -> Page:
        context = chromium.new_context(
            base_url=server.url, viewport={"width": 1280, "height": 800}, reduced_motion="reduce"
        )
        contexts.append(context)
        context.set_default_timeout(PATIENCE)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        page.goto("/sign-in")
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(seed.PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Desk")).to_be_visible()
        return page

    try:
        server.start()
        yield open_window
    finally:
        for context in contexts:
            context.close()
        server.kill()
    assert not errors


def test_the_guide_is_followed_to_the_letter(fresh: Callable[[str], Page]) -> None:
    page = fresh("technician")
    walk = page.get_by_role("region", name="First walk")
    page.get_by_role("button", name="Walk me through a first one").click()
    expect(walk).to_contain_text("1 of 8")
    follower = Follower(page, fresh)
    done = 0
    for sentence in steps_of(GUIDE):
        done += follower.follow(sentence)
    assert done > 50
    # The walk went along by itself, and is left.
    expect(walk).to_contain_text("8 of 8")
    walk.get_by_role("button", name="That was it").click()
    expect(walk).to_have_count(0)
    page.goto("/machines")
    expect(page.get_by_role("link", name="practice-01", exact=True)).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("practice-01.*16 GB"))).to_be_visible()


def test_the_walk_is_left_at_any_step_and_begun_again(fresh: Callable[[str], Page]) -> None:
    page = fresh("technician")
    walk = page.get_by_role("region", name="First walk")
    page.get_by_role("button", name="Walk me through a first one").click()
    walk.get_by_role("button", name="Next").click()
    walk.get_by_role("button", name="Next").click()
    page.reload()
    expect(walk).to_contain_text("3 of 8")
    walk.get_by_role("button", name="Leave the walk").click()
    page.reload()
    expect(page.get_by_role("heading", name="Desk")).to_be_visible()
    expect(walk).to_have_count(0)
    page.locator("h1").first.click()
    page.keyboard.press("?")
    page.get_by_role("button", name="The first walk").click()
    expect(walk).to_contain_text("1 of 8")
