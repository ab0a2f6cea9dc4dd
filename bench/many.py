"""Ten thousand machines, served: the Desk, the list, the exports; then four hundred more by a table, in the background.

python -m bench.many
"""

from __future__ import annotations

import csv
import io
import statistics
import time
from collections.abc import Callable

import httpx

from bench.database import throw_away
from bench.served import MACHINES, add_machines, browser_of, serving
from umbrak.demo import seed
from umbrak.services.known.summaries import refresh_stale
from umbrak.store.engine import open_engine

ROWS, TIMES = 400, 5
#: A server of 32 slots, half of them told row by row.
MODEL, SLOTS = "halvard-r32", [f"P{p}.{c}{n}" for p in (0, 1) for c in "ABCDEFGH" for n in (1, 2)]
LABEL = "32GB 2Rx4 PC4-3200AA-R"


def table(rows: int) -> bytes:
    """Machines of one model, and every tenth of one that nobody knows."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(
        ["name", "model", "site", "rack", "serial", "asset tag", "cost centre", *(f"slot {s}" for s in SLOTS)]
    )
    for i in range(rows):
        model = f"Tarn T{i % 7}" if i % 10 == 9 else MODEL
        cells = [LABEL if s.endswith("1") else "empty" for s in SLOTS]
        writer.writerow(
            [f"new-{i:04}", model, "Harbour", f"rack {i % 30}", f"S{i:05}", f"A-{i:05}", 100 + i % 9, *cells]
        )
    return out.getvalue().encode()


def timed(work: Callable[[], object], times: int = TIMES) -> float:
    """The median of some times. [s]"""
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return statistics.median(took)


def taken(client: httpx.Client, raw: bytes) -> float:
    """How long a table takes from when it is sent until every row is done. [s]"""
    began = time.perf_counter()
    job = client.post("/api/jobs/tables", files={"file": ("t.csv", raw)}).raise_for_status().json()
    while not (seen := client.get(f"/api/jobs/{job['id']}").raise_for_status().json()["job"])["ended_at"]:
        time.sleep(0.1)
    took = time.perf_counter() - began
    if (seen["done"], seen["failed"]) != (ROWS, 0):
        raise SystemExit(f"{seen['failed']} of {seen['total']} rows failed")
    return took


def main() -> None:
    with throw_away() as url:
        engine = open_engine(url)
        seed.seed(engine)
        add_machines(engine)
        refresh_stale(engine)
        with serving(url) as address:
            client = browser_of(address)
            client.timeout = httpx.Timeout(120)

            def got(path: str) -> Callable[[], object]:
                return lambda: client.get(path).raise_for_status()

            base = timed(got("/healthz"), 20)
            print(f"{MACHINES} machines; an empty answer: {base * 1000:.1f} ms")
            paths = (
                "/api/desk",
                "/api/machines",
                "/api/machines?order=worst",
                "/api/machines?by=place",
                "/api/machines?q=m-09",
            )
            exports = [f"/api/machines/exports/{what}?as={as_}" for what in ("machines", "slots", "modules", "plans") for as_ in ("csv", "json", "xlsx")]  # fmt: skip
            for path in paths:
                took = timed(got(path))
                print(f"{path}: {took * 1000:.0f} ms, {took / base:.0f} empty answers")
            for path in exports:
                began = time.perf_counter()
                answer = client.get(path).raise_for_status()
                took = time.perf_counter() - began
                print(f"{path}: {took:.1f} s, {len(answer.content) / 1e6:.1f} MB, {took / base:.0f} empty answers")
            raw = table(ROWS)
            shown = timed(
                lambda: client.post("/api/intakes/fleet", files={"file": ("t.csv", raw)}).raise_for_status(), 3
            )
            print(f"what a table of {ROWS} rows of {len(SLOTS)} slots comes to: {shown:.1f} s")
            print(f"its rows taken in the background: {taken(client, raw):.1f} s")
        engine.dispose()


if __name__ == "__main__":
    main()
