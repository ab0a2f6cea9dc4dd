"""A team's day in twenty minutes: fifty clients, events, jobs, one large search at a time; server and database killed within.

    PYTHONPATH=src:. python -m bench.load [MINUTES]

`umbrak serve` as an operator starts it, on a durable cluster of its own, with the demo's machines and one of 96 slots. First
light reads alone and beside large searches (their 95th percentiles and ratio), then everybody at once: readers, writers that
try again until they are answered, streams of events that resume, a reader of fifty reports by job, a searcher. In the middle
third the server is killed (and started again, as its unit does), a backend, and the database's first process. Errors count
except from a kill until it is ready again. In the end every acknowledged write is looked for: lost, or there twice.
"""

from __future__ import annotations

import json
import os
import random
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx
from sqlalchemy import Engine, create_engine, text
from tests.formats.smbios_facts import Device, listing

from bench.__main__ import ROOT, big_sheet_data
from bench.served import p95
from umbrak.cli.cluster import Cluster, free_port
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.demo import seed
from umbrak.formats.sheet.reading import SheetReading, sheet_from_data
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.plans.editing import start_plan
from umbrak.services.sheets.library import keep_sheet
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import ensure_database, migrate, open_engine

READERS, WRITERS, STREAMS = 34, 8, 6  # with a searcher and a reader of reports: fifty
#: A reader waits so long between two pages, a writer between two writes. [s]
THINK, WRITE = 5.0, 3.0
#: Each of the light phases. [s]
LIGHT = 60.0


@dataclass
class Server:
    """`umbrak serve`, started again whenever it ends, as its unit does."""

    folder: Path
    port: int
    over: threading.Event = field(default_factory=threading.Event)
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "UMBRAK_DATA": str(self.folder), "UMBRAK_LOG": "json"}
        command = [sys.executable, "-m", "umbrak", "serve", "--port", str(self.port)]
        with open(self.folder / "serve.log", "ab") as log:
            self.process = subprocess.Popen(command, env=env, stdout=log, stderr=log, cwd=ROOT)

    def keep(self) -> None:
        while not self.over.wait(0.2):
            if self.process is None or self.process.poll() is not None:
                self.start()

    def memory(self) -> float:
        """Of the server itself. [MiB]"""
        try:
            status = Path(f"/proc/{self.process.pid}/status").read_text() if self.process else ""
        except OSError:
            return 0.0
        return next((int(x.split()[1]) / 1024 for x in status.splitlines() if x.startswith("VmRSS")), 0.0)


@dataclass
class Told:
    """What all the clients met with."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    down: bool = False
    #: When what was down last was up again.
    up_since: float = 0.0
    answered: Counter[str] = field(default_factory=Counter)
    errors: Counter[str] = field(default_factory=Counter)
    while_down: Counter[str] = field(default_factory=Counter)
    seconds: dict[str, list[float]] = field(default_factory=dict)
    acknowledged: list[str] = field(default_factory=list)
    stock: list[str] = field(default_factory=list)
    unsure: set[str] = field(default_factory=set)
    #: Of each stream: the line after which it began, and those that it was told.
    followed: list[tuple[int, set[int]]] = field(default_factory=list)

    def of(self, began: float) -> Counter[str]:
        """Where an error of what was begun then counts: what was begun before all was up again was cut off by a kill."""
        return self.while_down if self.down or began < self.up_since else self.errors


class Client:
    """One person, signed in; each answer's time and each error is noted."""

    def __init__(self, address: str, told: Told) -> None:
        self.told = told
        self.http = httpx.Client(base_url=address, timeout=90)
        body = {"name": seed.ACCOUNT, "password": seed.PASSWORD}
        self.http.post("/api/session", json=body).raise_for_status()

    def ask(self, what: str, method: str, path: str, **more: Any) -> httpx.Response | None:
        """The answer; None where there was none, or it was an error."""
        began = time.perf_counter()
        try:
            answer = self.http.request(method, path, **more)
            answer.raise_for_status()
        except httpx.HTTPError as error:
            status = error.response.status_code if isinstance(error, httpx.HTTPStatusError) else type(error).__name__
            with self.told.lock:
                self.told.of(began)[f"{what}: {status}"] += 1
            return None
        with self.told.lock:
            self.told.answered[what] += 1
            self.told.seconds.setdefault(what, []).append(time.perf_counter() - began)
        return answer


@dataclass
class Place:
    """What the clients work on."""

    address: str
    machines: list[str]
    plans: list[str]
    big: str
    run: str


def read(client: Client, place: Place, over: threading.Event, chance: random.Random, think: float = THINK) -> None:
    """A page after another: the list, a machine, a plan, the Desk, the Shelf."""
    while not over.wait(chance.uniform(0, 2 * think)):
        what = chance.choice(("list", "list", "machine", "machine", "machine", "plan", "shelf", "light"))
        path = {
            "list": "/api/machines",
            "machine": f"/api/machines/{chance.choice(place.machines)}",
            "plan": f"/api/plans/{chance.choice(place.plans)}",
            "shelf": "/api/shelf",
            "light": "/api/session",
        }[what]
        client.ask(what, "GET", path)


def write(client: Client, place: Place, over: threading.Event, chance: random.Random) -> None:
    """Notes at the bench, sent until they are kept; and lines of the Shelf, sent once."""
    while not over.wait(chance.uniform(0, 2 * WRITE)):
        if chance.random() < 0.5:
            key = str(uuid.uuid4())
            body = {"at": datetime.now(UTC).isoformat(), "entry": {"kind": "note", "text": f"load {key}"}}
            while client.ask("note", "PUT", f"/api/runs/{place.run}/entries/{key}", json=body) is None:
                if over.wait(0.5):
                    return
            with client.told.lock:
                client.told.acknowledged.append(key)
        else:
            key = str(uuid.uuid4())
            body = {"module": {}, "part": "HLV5R-16", "count": 1, "place": key, "note": "load"}
            kept = client.ask("stock", "POST", "/api/shelf/stock", json=body)
            with client.told.lock:
                if kept is None:
                    client.told.unsure.add(key)
                else:
                    client.told.stock.append(key)


def follow(client: Client, place: Place, over: threading.Event, _: random.Random) -> None:
    """A stream of events that resumes where it broke off."""
    last, seen = "", set[int]()
    while not over.is_set():
        if client.ask("light", "GET", "/api/session") is None:
            over.wait(0.5)
            continue
        headers = {"Last-Event-ID": last} if last else {}
        wait = httpx.Timeout(30, read=45)
        try:
            with client.http.stream(
                "GET", "/api/events", params={"machine": place.machines[:20]}, headers=headers, timeout=wait
            ) as stream:
                stream.raise_for_status()
                for line in stream.iter_lines():
                    if over.is_set():
                        return
                    if line.startswith("id:"):
                        if not last:
                            client.told.followed.append((int(line[3:]), seen))
                        last = line[3:].strip()
                        seen.add(int(last))
                        client.told.answered["event"] += 1
        except httpx.HTTPError as error:
            client.told.of(time.perf_counter())[f"stream: {type(error).__name__}"] += 1
            over.wait(0.5)


def report(client: Client, place: Place, over: threading.Event, chance: random.Random) -> None:
    """Fifty reports by a job, one after another, each waited for."""
    while not over.wait(2):
        files = [("files", (f"{uuid.uuid4()}.txt", listing([Device("A1")]).encode())) for _ in range(50)]
        job = client.ask("job", "POST", "/api/jobs/readings", files=files, data={"make": "false"})
        if job is None:
            continue
        while not over.wait(0.5):
            seen = client.ask("job seen", "GET", f"/api/jobs/{job.json()['id']}")
            if seen is not None and (told := seen.json()["job"])["ended_at"]:
                with client.told.lock:
                    client.told.answered["report read"] += told["done"]
                    if told["done"] != 50:
                        client.told.errors[f"job ended with {told['done']} of 50"] += 1
                break


def search(client: Client, place: Place, over: threading.Event, _: random.Random) -> None:
    """One large search after another."""
    while not over.wait(0.2):
        body = {"wishes": {"usable_gib": 3000}, "seconds": 10}
        client.ask("search", "POST", f"/api/machines/{place.big}/routes", json=body)


Work = Callable[[Client, Place, threading.Event, random.Random], None]


@contextmanager
def at_work(place: Place, told: Told, crowd: list[tuple[int, Work]]) -> Iterator[None]:
    over, threads = threading.Event(), []
    for count, work in crowd:
        for i in range(count):
            given = (Client(place.address, told), place, over, random.Random(f"{work}{i}"))
            threads.append(threading.Thread(target=work, args=given, daemon=True))
    for thread in threads:
        thread.start()
    try:
        yield
    finally:
        over.set()
        for thread in threads:
            thread.join(100)


def light(place: Place, crowd: list[tuple[int, Work]]) -> float:
    """The 95th percentile of light reads by four people while others work. [ms]"""
    told, quiet = Told(), Told()
    with at_work(place, quiet, crowd), at_work(place, told, [(4, lambda c, p, o, r: read(c, p, o, r, 0.25))]):
        time.sleep(LIGHT)
    if told.errors or quiet.errors:
        print("errors:", dict(told.errors), dict(quiet.errors))
    return 1000 * p95([s for each in ("list", "machine", "plan", "shelf", "light") for s in told.seconds[each]])


def wait_ready(address: str) -> float:
    began = time.monotonic()
    while True:
        try:
            if httpx.get(f"{address}/readyz", timeout=5).json().get("events") in ("idle", "listening"):
                return time.monotonic() - began
        except (httpx.HTTPError, ValueError):
            pass
        time.sleep(0.1)


def prepared(engine: Engine) -> tuple[str, str]:
    """(id of a machine of 96 slots that is half full, id of a plan that can be begun)."""
    seed.seed(engine)
    data = big_sheet_data()
    sheet = sheet_from_data(data)
    with engine.begin() as db:
        keep_sheet(db, SheetReading("", data, sheet, ()))
        known = find_credentials(db, seed.ACCOUNT)
    assert known
    module = decode_label("32GB 2Rx8 PC5-4800B-RA0").module
    fitted = Layout({s: module for s in sheet.slots if s.endswith("1")})
    emptied = [s for s in sheet.slots if not s.endswith("1")]
    new = NewMachine(name="big", sheet_hash=sheet.hash, fitted=fitted, emptied=emptied)
    machine = make_machine(engine, known.account, new)
    return str(machine), str(start_plan(engine, known.account, machine).id)


def begun(address: str, plans: list[str]) -> str:
    """A run of the first plan that can be begun."""
    client = Client(address, Told())
    for plan in plans:
        if run := client.ask("run", "POST", f"/api/plans/{plan}/runs", json={}):
            return str(run.json()["id"])
    raise SystemExit("no plan of the demo can be begun")


def kills(server: Server, cluster: Cluster, engine: Engine, told: Told, address: str, seconds: float) -> list[str]:
    """Each third of the time one is killed: the server, a backend, the database's first process; twice each."""
    said = []
    for who in ("server", "backend", "database") * 2:
        time.sleep(seconds / 6)
        told.down = True
        if who == "server" and server.process:
            server.process.send_signal(signal.SIGKILL)
        elif who == "backend":
            with engine.connect() as db:
                found = db.execute(
                    text(
                        "SELECT pid FROM pg_stat_activity WHERE usename = 'umbrak_app' AND pid <> pg_backend_pid() LIMIT 1"
                    )
                ).scalar_one()
            os.kill(found, signal.SIGKILL)
        elif who == "database":
            os.kill(int((cluster.data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        time.sleep(0.5)
        took = wait_ready(address)
        time.sleep(1)
        told.down, told.up_since = False, time.perf_counter()
        said.append(f"{who} {took + 0.5:.1f} s")
    return said


def missed(engine: Engine, told: Told, place: Place) -> int:
    """Lines that a stream should have told and did not; those of its last moments may still have been on their way."""
    followed = place.machines[:20]
    with engine.connect() as db:
        of = text("SELECT id FROM history WHERE machine_id = ANY(CAST(:m AS uuid[])) ORDER BY id")
        lines = list(db.execute(of, {"m": followed}).scalars())
    return sum(len({k for k in lines if first < k <= max(seen) - 20} - seen) for first, seen in told.followed)


def counted(engine: Engine, told: Told) -> str:
    """What is kept of what was acknowledged, and of what nobody heard of."""
    with engine.connect() as db:
        notes = Counter(
            x.removeprefix("load ")
            for x in db.execute(
                text("SELECT document->>'text' FROM run_entry WHERE document->>'text' LIKE 'load %'")
            ).scalars()
        )
        stock = Counter(db.execute(text("SELECT place FROM stock WHERE note = 'load'")).scalars())
    lost = sum(notes[k] == 0 for k in told.acknowledged) + sum(stock[k] == 0 for k in told.stock)
    twice = sum(n > 1 for n in notes.values()) + sum(n > 1 for n in stock.values())
    return (
        f"{len(told.acknowledged)} notes and {len(told.stock)} lines of stock acknowledged: {lost} lost, {twice} twice; "
        f"of {len(told.unsure)} without an answer {sum(stock[k] for k in told.unsure)} are kept"
    )


def main(minutes: float) -> None:
    with tempfile.TemporaryDirectory(prefix="umbrak-load-", dir="/var/tmp") as name:
        folder = Path(name)
        folder.chmod(0o755)
        with Cluster(folder).running() as cluster:
            url = cluster.url("umbrak")
            ensure_database(url)
            migrate(url)
            engine = open_engine(url)
            big, _ = prepared(engine)
            server = Server(folder, free_port())
            keeper = threading.Thread(target=server.keep, daemon=True)
            keeper.start()
            try:
                run(server, cluster, create_engine(url, pool_pre_ping=True), big, minutes)
            finally:
                server.over.set()
                keeper.join()
                if server.process:
                    server.process.terminate()
                    server.process.wait(60)


def run(server: Server, cluster: Cluster, engine: Engine, big: str, minutes: float) -> None:
    address = f"http://127.0.0.1:{server.port}"
    print(f"ready after {wait_ready(address):.1f} s")
    with engine.connect() as db:
        machines = [str(k) for k in db.execute(text("SELECT id FROM machine WHERE retired_at IS NULL")).scalars()]
        plans = [str(k) for k in db.execute(text("SELECT id FROM plan")).scalars()]
    place = Place(address, machines, plans, big, begun(address, plans))
    alone = light(place, [])
    beside = light(place, [(1, search)])
    print(f"light reads, p95: {alone:.0f} ms alone, {beside:.0f} ms beside a large search: {beside / alone:.2f} times")
    told, memory, said = Told(), [], []
    crowd: list[tuple[int, Work]] = [(READERS, read), (WRITERS, write), (STREAMS, follow), (1, report), (1, search)]
    third = minutes * 60 / 3
    with at_work(place, told, crowd):
        for part in range(3):
            ends = time.monotonic() + third
            if part == 1:
                said = kills(server, cluster, engine, told, address, third)
            memory.append([])
            while time.monotonic() < ends or not memory[-1]:
                memory[-1].append(server.memory())
                time.sleep(5)
    last = memory[-1]
    half = len(last) // 2
    print(f"ready again after: {', '.join(said)}")
    print(f"answered: {dict(told.answered)}")
    print(
        f"errors: {dict(told.errors)}; while something was down: {sum(told.while_down.values())} {dict(told.while_down)}"
    )
    print("p95 [ms]:", {k: round(1000 * p95(v)) for k, v in told.seconds.items() if len(v) > 20})
    print(f"events that {len(told.followed)} streams missed: {missed(engine, told, place)}; {counted(engine, told)}")
    print(
        f"memory of the server [MiB]: first third {memory[0][0]:.0f} to {memory[0][-1]:.0f}; last third, after the kills: "
        f"{statistics.mean(last[:half]):.0f} in its first half, {statistics.mean(last[half:]):.0f} in its second"
    )
    log = (server.folder / "serve.log").read_text()
    print(
        f"errors in the log: {Counter(json.loads(x).get('event', '')[:60] for x in log.splitlines() if x.startswith('{') and json.loads(x).get('level') == 'error')}"
    )


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 20)
