"""The Python client, against a real server."""

from __future__ import annotations

import csv
import io
import socket
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from sqlalchemy import Engine, text

from tests.api.test_events import served
from tests.api.test_recipes import REPORT
from umbrak.client import ApiError, Umbrak
from umbrak.demo import seed
from umbrak.services.known.summaries import refresh_stale
from umbrak.services.people.access import new_token
from umbrak.store.accounts import find_credentials


@contextmanager
def client(engine: Engine, role: str) -> Iterator[Umbrak]:
    with engine.connect() as db:
        known = find_credentials(db, seed.ACCOUNT)
    assert known
    token = new_token(engine, known.account, "client", role, 1).token
    with served(engine) as at, Umbrak(str(at.base_url), token) as umbrak:
        yield umbrak


def test_it_reads_compares_and_keeps(engine: Engine, seeded: str) -> None:
    with engine.begin() as db:
        db.execute(
            text(
                "WITH made AS (INSERT INTO machine (id, name, place, sheet_hash, facts, duty_group) SELECT gen_random_uuid(),"
                " 'm-' || n, '', sheet_hash, facts, '' FROM machine, generate_series(1, 120) n WHERE name = 'desk-06' RETURNING id)"
                " INSERT INTO survey (id, machine_id, revision, kind, taken_at, document) SELECT gen_random_uuid(), made.id, 1,"
                " 'by hand', now(), s.document FROM made, survey s JOIN machine d ON d.id = s.machine_id WHERE d.name = 'desk-06'"
            )
        )
        counts = dict(
            db.execute(text("SELECT name, count(*) FROM machine WHERE retired_at IS NULL GROUP BY name")).all()  # type: ignore[arg-type]
        )
    refresh_stale(engine)
    with client(engine, "technician") as umbrak:
        names = [m.name for m in umbrak.machines()]
        assert sorted(names) == sorted(counts), "every page, each machine once"
        stopped = list(umbrak.machines(want="stop"))
        assert stopped and all(m.worst and m.verdict for m in stopped)
        machine = umbrak.machine("radar-02")
        found = umbrak.compare(machine.id, REPORT.encode(), "radar-02.txt")
        assert "differs" in {s.change for s in found.slots} and found.intake_id
        rows = list(csv.DictReader(io.StringIO(umbrak.export().decode("utf-8-sig"))))
        assert {r["machine"] for r in rows} >= {"radar-02"}
        umbrak.put_on_shelf("HLV5R-16", 4, place="drawer 9")
        with engine.connect() as db:
            assert db.execute(text("SELECT sum(count) FROM stock WHERE place = 'drawer 9'")).scalar_one() == 4
        assert umbrak.desk()["items"]
        for ask, status, kind in (
            (lambda: umbrak.machine("nobody-1"), 404, "not-found"),
            (lambda: umbrak.put_on_shelf("HLV5R-16", 0), 422, "wrong-field"),
            (lambda: umbrak.request("GET", "/api/people"), 403, "not-allowed"),
        ):
            with pytest.raises(ApiError) as refused:
                ask()  # type: ignore[no-untyped-call]
            assert (refused.value.status, refused.value.kind) == (status, kind)
            assert str(refused.value)


def test_a_server_that_is_not_there_and_a_token_that_is_none() -> None:
    with socket.create_server(("127.0.0.1", 0)) as held:
        port = held.getsockname()[1]
    with (
        Umbrak(f"http://127.0.0.1:{port}", "umbrak_x") as umbrak,
        pytest.raises(ApiError, match="did not answer") as gone,
    ):
        umbrak.put_on_shelf("HLV5R-16", 1)
    assert gone.value.status == 0
