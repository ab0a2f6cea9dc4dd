"""`umbrak demo` as a process: it serves, keeps its data over a restart, and leaves nothing running."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import tempfile
import threading
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

from umbrak.demo import seed
from umbrak.services.people.accounts import TRIES

ROOT = Path(__file__).resolve().parents[2]


_started: list[subprocess.Popen[str]] = []


@pytest.fixture
def data() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="umbrak-demo-", dir="/var/tmp") as name:
        Path(name).chmod(0o755)
        yield Path(name)
        # A test that fails half-way leaves nothing running either.
        while _started:
            process = _started.pop()
            if process.poll() is None:
                process.terminate()
                process.wait()


def start(data: Path, *options: str) -> tuple[subprocess.Popen[str], str]:
    """The demo on any free port; waits for the line that tells its address."""
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "UMBRAK_DATA": str(data), "PYTHONUNBUFFERED": "1"}
    command = [sys.executable, "-m", "umbrak", "demo", "--port", "0", *options]
    process = subprocess.Popen(
        command, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, cwd=ROOT, start_new_session=True
    )
    _started.append(process)
    assert process.stdout
    for line in process.stdout:
        if found := re.search(r"open\s+(http\S+)/", line):
            return process, found[1]
    raise AssertionError("the demo ended without telling its address")


def serve(data: Path, url: str, **env: str) -> subprocess.Popen[str]:
    """`umbrak serve` on a given database, on any free port; not waited for."""
    told = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "UMBRAK_DATA": str(data), "UMBRAK_DATABASE_URL": url, **env}
    command = [sys.executable, "-u", "-m", "umbrak", "serve", "--port", "0"]
    process = subprocess.Popen(command, env=told, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, cwd=ROOT)
    _started.append(process)
    return process


def address_of(process: subprocess.Popen[str]) -> str:
    """Where it can be reached, once it says so."""
    assert process.stdout
    said = []
    for line in process.stdout:
        said.append(line)
        if found := re.search(r"open\s+(http\S+)/", line):
            return found[1]
    raise AssertionError(f"it ended without telling its address: {''.join(said)}")


@pytest.fixture
def empty_database(database_url: str) -> Iterator[str]:
    """A database with nothing in it, not even tables."""
    server, name = database_url.rsplit("/", 1)
    admin = create_engine(f"{server}/postgres", isolation_level="AUTOCOMMIT")
    with admin.connect() as db:
        db.execute(text(f'CREATE DATABASE "{name}_empty"'))
    yield f"{server}/{name}_empty"
    with admin.connect() as db:
        db.execute(text(f'DROP DATABASE "{name}_empty" WITH (FORCE)'))
    admin.dispose()


def test_a_token_is_made_at_the_command_line_and_nothing_else_is_on_its_output(
    data: Path, seeded: str, database_url: str
) -> None:
    def token(*arguments: str) -> subprocess.CompletedProcess[str]:
        env = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "UMBRAK_DATA": str(data),
            "UMBRAK_DATABASE_URL": database_url,
        }
        command = [sys.executable, "-m", "umbrak", "token", "add", *arguments]
        return subprocess.run(command, env=env, capture_output=True, text=True, check=False)

    made = token(seed.ACCOUNT, "--for", "exports", "--days", "7")
    assert made.returncode == 0 and re.fullmatch(r"umbrak_[\w-]{43}\n", made.stdout), made.stderr
    assert "as a viewer" in made.stderr
    nobody, long = token("nobody"), token(seed.ACCOUNT, "--days", "9999")
    assert (nobody.returncode, nobody.stdout) == (1, "") and "nobody signs in as nobody" in nobody.stderr
    assert long.returncode == 1 and "ends after 1 to 400 days" in long.stderr


def test_three_first_starts_at_once_all_come_up(data: Path, empty_database: str) -> None:
    processes = [serve(data, empty_database) for _ in range(3)]
    for process in processes:
        with urllib.request.urlopen(f"{address_of(process)}/readyz") as answer:
            assert json.load(answer)["status"] == "ready"
    engine = create_engine(empty_database)
    with engine.connect() as db:
        kept = db.execute(text("SELECT count(*), count(DISTINCT sheet_id) FROM sheet")).one()
    engine.dispose()
    assert kept[0] == kept[1] > 5  # each architecture once
    for process in processes:
        process.terminate()
    assert [p.wait(30) for p in processes] == [0, 0, 0]
    assert len(list(data.glob("secret.key*"))) == 1


@pytest.mark.parametrize(("proxies", "last"), [("", 429), ("127.0.0.1", 401)])
def test_where_a_request_comes_from_is_believed_of_named_proxies_alone(
    data: Path, database_url: str, proxies: str, last: int
) -> None:
    process = serve(data, database_url, UMBRAK_PROXIES=proxies)
    address = address_of(process)
    statuses = []
    for i in range(TRIES + 1):
        body = json.dumps({"name": "somebody", "password": "wrong"}).encode()
        headers = {"Content-Type": "application/json", "X-Forwarded-For": f"192.0.2.{i}"}
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(urllib.request.Request(f"{address}/api/session", body, headers))
        statuses.append(refused.value.code)
        refused.value.close()
    process.terminate()  # before its database goes
    assert (statuses, process.wait(60)) == ([401] * TRIES + [last], 0)


def machines(address: str) -> list[str]:
    body = json.dumps({"name": seed.ACCOUNT, "password": seed.PASSWORD}).encode()
    request = urllib.request.Request(f"{address}/api/session", body, {"Content-Type": "application/json"})
    with urllib.request.urlopen(request) as answer:
        cookie = answer.headers["Set-Cookie"].split(";")[0]
    with urllib.request.urlopen(
        urllib.request.Request(f"{address}/api/machines", headers={"Cookie": cookie})
    ) as answer:
        return [m["id"] for m in json.load(answer)["machines"]]


def simulated(data: Path) -> list[str]:
    """Command lines of the simulated machines that run from a data folder."""
    found = []
    for process in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            words = process.read_bytes().decode().split("\0")
        except OSError:  # it ended meanwhile
            continue
        if "umbrak.standins" in words and any(w.startswith(str(data)) for w in words):
            found.append(" ".join(words))
    return found


def test_it_serves_keeps_and_cleans_up(data: Path) -> None:
    process, address = start(data)
    first = machines(address)
    assert len(first) == 21
    process.send_signal(signal.SIGTERM)
    assert process.wait(30) == 0
    assert not (data / "postgres/postmaster.pid").exists(), "PostgreSQL was left running"

    process, address = start(data)
    assert machines(address) == first
    assert len(simulated(data)) == 3
    killed = int((data / "postgres/postmaster.pid").read_text().split()[0])
    os.kill(killed, signal.SIGKILL)  # its own PostgreSQL dies: it is started again
    waiting = threading.Event()
    for _ in range(1200):
        try:
            assert machines(address) == first
            break
        except urllib.error.HTTPError as down:
            assert down.code == 503
            down.close()
            waiting.wait(0.05)
    else:
        pytest.fail("PostgreSQL was not started again")
    assert int((data / "postgres/postmaster.pid").read_text().split()[0]) != killed
    process.kill()  # nothing can be put in order: the next start has to cope
    process.wait()
    ended = threading.Event()
    for _ in range(1200):
        if not simulated(data):
            break
        ended.wait(0.05)
    assert not simulated(data), "simulated machines outlived the demo"

    process, address = start(data, "--reset")
    assert set(machines(address)).isdisjoint(first)
    os.killpg(process.pid, signal.SIGINT)  # as Ctrl+C does, while the simulated machines are still starting
    assert process.wait(30) == 0
    assert process.stdout
    assert "Traceback" not in process.stdout.read()
    assert not (data / "postgres/postmaster.pid").exists()
