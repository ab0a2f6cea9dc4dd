"""Figures of the served tool: a real server on a throw-away database, a real browser.

python -m bench.served
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import threading
import time
import urllib.request
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager

import httpx
from playwright.sync_api import Browser, Page, sync_playwright
from sqlalchemy import Engine, text
from tests.browser.hands import CHROMIUM

from bench.__main__ import ROOT, big_sheet_data
from bench.database import throw_away
from umbrak.cli.cluster import free_port
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.demo import seed
from umbrak.formats.sheet.reading import SheetReading, sheet_from_data
from umbrak.services.known.summaries import refresh_stale
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.plans.editing import start_plan
from umbrak.services.sheets.library import keep_sheet
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import open_engine

MACHINES = 10_000
DROPS = 60
WHO = {"name": "lead", "password": seed.PASSWORD}
_SERVE = """
import sys
from pathlib import Path
import uvicorn
from umbrak.server.app import make_app
from umbrak.store.engine import open_engine
app = make_app(open_engine(sys.argv[1]), Path(sys.argv[2]))
app.state.queue.start()
uvicorn.run(app, port=int(sys.argv[3]), log_level="warning")
"""


def p95(times: list[float]) -> float:
    return statistics.quantiles(times, n=20)[-1]


@contextmanager
def served() -> Iterator[tuple[Engine, str, str, str]]:
    """(engine, address, id of a machine of 96 slots, id of its plan), on a database of its own."""
    with throw_away() as url:
        engine = open_engine(url)
        seed.seed(engine)
        data = big_sheet_data()
        sheet = sheet_from_data(data)
        with engine.begin() as db:
            keep_sheet(db, SheetReading("", data, sheet, ()))
            known = find_credentials(db, seed.ACCOUNT)
        assert known
        module = decode_label("32GB 2Rx8 PC5-4800B-RA0").module
        fitted = Layout({s: module for s in sheet.slots if not s.endswith("3")})
        empty = [s for s in sheet.slots if s.endswith("3")]
        machine = make_machine(
            engine, known.account, NewMachine(name="big", sheet_hash=sheet.hash, fitted=fitted, emptied=empty)
        )
        plan = start_plan(engine, known.account, machine).id
        with serving(url) as address:
            yield engine, address, str(machine), str(plan)
        engine.dispose()


@contextmanager
def serving(url: str) -> Iterator[str]:
    """The address of a server of its own process on this database."""
    port = free_port()
    process = subprocess.Popen([sys.executable, "-c", _SERVE, url, str(ROOT / "web/dist"), str(port)])
    address = f"http://127.0.0.1:{port}"
    try:
        while True:
            try:
                urllib.request.urlopen(f"{address}/readyz", timeout=5)
                break
            except OSError:
                if process.poll() is not None:
                    raise RuntimeError("the server ended before it answered") from None
                time.sleep(0.05)
        yield address
    finally:
        process.terminate()
        process.wait()


def browser_of(address: str) -> httpx.Client:
    client = httpx.Client(base_url=address, timeout=30)
    client.post("/api/session", json={"name": seed.ACCOUNT, "password": seed.PASSWORD}).raise_for_status()
    return client


def answers(address: str, plan: str) -> tuple[list[float], list[float]]:
    """Time of each answer to a plan's evaluation, and to who is signed in, asked for in turn by ten clients twice a second for
    ten seconds. [ms]"""
    times: dict[str, list[float]] = {f"/api/plans/{plan}": [], "/api/session": []}
    # One signs in for all: who signs in ten times at once has to wait.
    cookies = browser_of(address).cookies

    def ask() -> None:
        client = httpx.Client(base_url=address, timeout=30, cookies=cookies)
        for i in range(20):
            for path, took in times.items():
                began = time.perf_counter()
                client.get(path).raise_for_status()
                if i > 1:
                    took.append((time.perf_counter() - began) * 1000)
                time.sleep(0.2)

    clients = [threading.Thread(target=ask) for _ in range(10)]
    for client in clients:
        client.start()
        time.sleep(0.05)  # they do not ask in step
    for client in clients:
        client.join()
    whole, empty = times.values()
    return whole, empty


@contextmanager
def writing(engine: Engine) -> Iterator[None]:
    """Somebody writes all the while: whatever is answered is made anew."""
    ended = threading.Event()

    def write() -> None:
        with engine.connect() as db:
            while not ended.wait(0.01):
                db.execute(text("SELECT pg_current_xact_id()"))  # a number is taken: what is seen is another
                db.commit()

    writer = threading.Thread(target=write)
    writer.start()
    yield
    ended.set()
    writer.join()


def add_machines(engine: Engine, count: int = MACHINES) -> None:
    """That many machines like the demo's desk-06, each with its survey."""
    with engine.begin() as db:
        db.execute(
            text(
                "INSERT INTO machine (id, name, place, sheet_hash, facts, duty_group) SELECT gen_random_uuid(),"
                " 'm-' || lpad(n::text, 5, '0'), 'rack ' || n % 90, sheet_hash, facts, '' FROM machine,"
                " generate_series(1, :count) n WHERE name = 'desk-06'"
            ),
            {"count": count},
        )
        db.execute(
            text(
                "INSERT INTO survey (id, machine_id, revision, kind, taken_at, document) SELECT gen_random_uuid(), m.id, 1,"
                " 'by hand', now(), s.document FROM machine m, survey s JOIN machine d ON d.id = s.machine_id"
                " WHERE d.name = 'desk-06' AND m.name LIKE 'm-%'"
            )
        )


def many_machines(engine: Engine, address: str) -> list[float]:
    """Time of a page of ten thousand machines, by name and worst first, searched and not. [ms]"""
    add_machines(engine)
    began = time.perf_counter()
    count = refresh_stale(engine)
    print(f"{count} summaries computed and kept: {time.perf_counter() - began:.1f} s")
    client = browser_of(address)
    times = []
    for query in ("", "?page=150", "?order=worst", "?q=m-09", "?want=risk", "?q=rack 7&page=1") * 5:
        began = time.perf_counter()
        client.get(f"/api/machines{query}").raise_for_status()
        times.append((time.perf_counter() - began) * 1000)
    return times


#: Writes a setting that nobody reads here, draws a word anew, and tells how long both took. [ms]
_EMPTY_WRITE = """async () => {
  const word = document.querySelector('h1')
  const began = performance.now()
  const body = JSON.stringify({ jobs: 30 })
  await fetch('/api/people/retention', { method: 'PUT', headers: { 'Content-Type': 'application/json' }, body })
  word.title = String(began)
  return await new Promise((done) => requestAnimationFrame(() => done(performance.now() - began)))
}"""


def drops(page: Page, address: str, machine: str) -> tuple[list[float], list[float]]:
    """(time from letting a module go over a slot until the total in the verdict has changed, time of an empty write with a
    repaint), measured in turn. [ms]"""
    empty = []
    page.goto(f"{address}/machines/{machine}/fit")
    page.wait_for_selector("[data-slot]")
    page.evaluate(
        """() => {
          window.times = []
          let began = 0
          addEventListener('pointerup', () => { began = performance.now() }, true)
          new MutationObserver(() => {
            if (!began) return
            const started = began
            began = 0
            requestAnimationFrame(() => window.times.push(performance.now() - started))
          }).observe(document.querySelector('.verdict .total'), { childList: true, subtree: true, characterData: true })
        }"""
    )
    chip = page.locator(".kind").first
    start = chip.bounding_box()
    assert start
    for i in range(DROPS):
        empty.append(page.evaluate(_EMPTY_WRITE))
        slot = f"P{i % 4 + 1}.{'ABCDEFGH'[i % 8]}3"
        end = page.locator(f'[data-slot="{slot}"]').bounding_box()
        assert end
        page.mouse.move(start["x"] + 8, start["y"] + 8)
        page.mouse.down()
        page.mouse.move(start["x"] + 20, start["y"] + 18)
        page.mouse.move(end["x"] + end["width"] / 2, end["y"] + end["height"] / 2, steps=3)
        page.wait_for_timeout(120)
        page.mouse.up()
        page.wait_for_function("n => window.times.length > n", arg=i)
        page.keyboard.press("Control+z")
        page.wait_for_function("() => document.querySelector('.tools button:last-child').disabled === false")
    return list(page.evaluate("window.times")), empty


def on_the_wire(chromium: Browser, address: str) -> dict[str, float]:
    """What a browser that was never here takes in until Machines stands, by kind. [kB]"""
    # Without a service worker: what that fetches is not told of by the page.
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, service_workers="block")
    assert context.request.post(f"{address}/api/session", data=WHO).ok
    page = context.new_page()
    kinds: dict[str, str] = {}
    taken: Counter[str] = Counter()
    session = context.new_cdp_session(page)
    session.send("Network.enable")
    session.on("Network.responseReceived", lambda event: kinds.update({event["requestId"]: event["type"]}))
    session.on(
        "Network.loadingFinished",
        lambda event: taken.update({kinds.get(event["requestId"], "other"): event["encodedDataLength"]}),
    )
    page.goto(f"{address}/machines")
    page.get_by_role("link", name="hall-03", exact=True).wait_for()
    page.wait_for_load_state("networkidle")
    context.close()
    return {kind: size / 1000 for kind, size in taken.items()}


def middle(times: list[float]) -> str:
    return f"median {statistics.median(times):.0f} ms, p95 {p95(times):.0f} ms"


def times_of(times: list[float], empty: list[float]) -> str:
    ratio = statistics.median(times) / statistics.median(empty)
    return f"{middle(times)}; empty {middle(empty)}; {ratio:.1f} times"


def main() -> None:
    with served() as (engine, address, machine, plan):
        print(f"answer of a 96-slot plan, 10 clients twice a second: {times_of(*answers(address, plan))}")
        with writing(engine):
            print(f"the same, each made anew: {times_of(*answers(address, plan))}")
        with sync_playwright() as playwright:
            chromium = playwright.chromium.launch(executable_path=CHROMIUM)
            sizes = on_the_wire(chromium, address)
            told = ", ".join(f"{kind} {size:.0f}" for kind, size in sorted(sizes.items()))
            print(f"Machines on the wire: {sum(sizes.values()):.0f} kB ({told})")
            page = chromium.new_page(viewport={"width": 1280, "height": 800})
            assert page.context.request.post(f"{address}/api/session", data=WHO).ok
            print(f"96 slots, drop to verdict on screen: {times_of(*drops(page, address, machine))}")
            chromium.close()
        times = many_machines(engine, address)
        print(f"page of {MACHINES} machines: {middle(times)}")


if __name__ == "__main__":
    main()
