"""Many windows of one browser: all live, on one stream of events."""

from __future__ import annotations

import json

from playwright.sync_api import Page, Request, expect

from tests.browser.conftest import PATIENCE, Served, SignIn

WINDOWS = 8


def test_eight_windows_on_eight_machines_are_live_on_one_stream(sign_in: SignIn, served: Served) -> None:
    first = sign_in()
    listed = first.evaluate("fetch('/api/machines').then(r => r.json()).then(p => p.machines)")
    machines = [m["id"] for m in listed][:WINDOWS]
    streams: set[Request] = set()

    def watch(page: Page) -> None:
        page.on("request", lambda r: streams.add(r) if "/api/events" in r.url else None)
        page.on("requestfinished", lambda r: streams.discard(r))
        page.on("requestfailed", lambda r: streams.discard(r))

    windows = [first, *(first.context.new_page() for _ in machines[1:])]
    for page, machine in zip(windows, machines, strict=True):
        watch(page)
        page.set_default_timeout(PATIENCE)
        page.goto(f"{served.url}/machines/{machine}/history")
        expect(page.get_by_role("heading", name="Who did what")).to_be_visible()

    other = sign_in("lead")
    for n, machine in enumerate(machines):
        change = json.dumps({"keeper": f"Keeper {n}"})
        other.evaluate(
            """async ([key, change]) => {
                const { version } = await (await fetch(`/api/machines/${key}`)).json()
                const body = JSON.stringify({ version, ...JSON.parse(change) })
                await fetch(`/api/machines/${key}`, { method: 'PATCH', headers: { 'Content-Type': 'application/json' }, body })
            }""",
            [machine, change],
        )
    for page in windows:
        expect(page.get_by_text("R. Holm changed who looks after it")).to_be_visible()
    assert len(streams) == 1, [s.url for s in streams]

    # The window that keeps the stream goes; another one takes over, and nothing is lost.
    (keeper,) = (s.frame.page for s in streams)
    left = [p for p in windows if p is not keeper]
    keeper.close()
    other.evaluate(
        """async (keys) => {
            for (const key of keys) {
                const { version } = await (await fetch(`/api/machines/${key}`)).json()
                const body = JSON.stringify({ version, place: 'Moved' })
                await fetch(`/api/machines/${key}`, { method: 'PATCH', headers: { 'Content-Type': 'application/json' }, body })
            }
        }""",
        machines,
    )
    for page in left:
        expect(page.get_by_text("R. Holm changed place")).to_be_visible()
    assert len([s for s in streams if s.frame.page is not keeper]) == 1
