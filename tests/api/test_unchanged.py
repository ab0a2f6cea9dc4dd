"""Answers that are given again: as long as nothing was written, and never once something was, however it fell between."""

from __future__ import annotations

import json
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from itertools import count
from threading import Event

import pytest
from sqlalchemy import Connection, Engine, text

from tests.api.conftest import Client
from umbrak.server.unchanged import Kept, while_unchanged
from umbrak.store.engine import snapshot_of

Step = Callable[["Bench"], None]


class Bench:
    """An endpoint that counts how often it is asked, and others that write in the same database."""

    def __init__(self, engine: Engine) -> None:
        self.engine, self.times, self.meanwhile = engine, 0, [lambda: None]
        self.open: Connection | None = None

        def see(key: int, engine: Engine) -> list[int]:
            self.times += 1
            with engine.connect() as db:
                seen = list(db.execute(text("SELECT n FROM told WHERE key = :key ORDER BY n"), {"key": key}).scalars())
            while len(self.meanwhile) > 1:
                self.meanwhile.pop()()
            return seen

        self.see = while_unchanged(see)
        with engine.begin() as db:
            db.execute(text("CREATE TABLE told (key int, n int)"))

    def write(self, n: int, key: int = 1) -> None:
        with self.engine.begin() as db:
            db.execute(text("INSERT INTO told VALUES (:key, :n)"), {"key": key, "n": n})

    def begin(self, n: int) -> None:
        """Write and do not commit."""
        self.open = self.engine.connect()
        self.open.execute(text("INSERT INTO told VALUES (1, :n)"), {"n": n})

    def commit(self) -> None:
        assert self.open
        self.open.commit()
        self.open.close()

    def told(self, key: int = 1) -> list[int]:
        answer = self.see(key=key, engine=self.engine)
        return json.loads(answer.body)  # type: ignore[attr-defined,no-any-return]


@pytest.fixture
def bench(engine: Engine) -> Bench:
    return Bench(engine)


def quietly(engine: Engine, attempt: Callable[[int], None]) -> None:
    """Others write on the same server: tried until nobody did."""
    for n in count():
        before = snapshot_of(engine)
        attempt(n)
        if snapshot_of(engine) == before:
            return


def test_it_is_made_once_as_long_as_nothing_is_written_and_by_what_is_asked(bench: Bench) -> None:
    bench.write(7)
    times: list[int] = []

    def ask(_: int) -> None:
        before = bench.times
        assert [bench.told(), bench.told(), bench.told(), bench.told(2)] == [[7], [7], [7], []]
        times.append(bench.times - before)

    quietly(bench.engine, ask)
    assert times[-1] <= 2


@pytest.mark.parametrize(
    ("steps", "seen"),
    [
        pytest.param([lambda b: b.write(1)], [1], id="before it is asked"),
        pytest.param([lambda b: b.told(), lambda b: b.write(1)], [1], id="after an answer"),
        pytest.param([lambda b: b.told(), lambda b: b.write(1, key=2), lambda b: b.write(2)], [2], id="twice"),
        pytest.param([lambda b: b.meanwhile.append(lambda: b.write(1)), lambda b: b.told()], [1], id="while it is made"),
        pytest.param([lambda b: b.begin(1), lambda b: b.told(), lambda b: b.commit()], [1], id="begun before, ended after"),
        pytest.param(
            [lambda b: b.begin(1), lambda b: b.meanwhile.append(b.commit), lambda b: b.told()], [1], id="ended while it is made"
        ),
        pytest.param(
            [lambda b: b.meanwhile.append(lambda: b.begin(1)), lambda b: b.told(), lambda b: b.told(), lambda b: b.commit()],
            [1],
            id="begun while it is made, ended after two answers",
        ),
        pytest.param(
            [lambda b: b.begin(1), lambda b: b.write(2), lambda b: b.told(), lambda b: b.commit()], [1, 2], id="two that cross"
        ),
    ],
)  # fmt: skip
def test_what_is_written_is_in_the_next_answer(bench: Bench, steps: list[Step], seen: list[int]) -> None:
    for step in steps:
        step(bench)
    assert bench.told() == seen


def test_one_that_rests_on_the_time_is_made_anew_each_minute(engine: Engine) -> None:
    def see(attempt: int, engine: Engine, now: datetime) -> str:
        made.append(now)
        return now.isoformat()

    made: list[datetime] = []
    told: list[bytes] = []
    kept, at = while_unchanged(see), datetime(2026, 5, 4, 10, 30, 20, tzinfo=UTC)

    def ask(n: int) -> None:
        made.clear()
        answers = [kept(attempt=n, engine=engine, now=at + timedelta(seconds=s)) for s in (0, 39, 40)]
        told[:] = [a.body for a in answers]  # type: ignore[attr-defined]

    quietly(engine, ask)
    assert told[0] == told[1] != told[2] and made == [at, at + timedelta(seconds=40)]


def test_those_who_ask_for_the_same_at_once_have_it_made_once(engine: Engine) -> None:
    begun, go = Event(), Event()

    def see(attempt: int, engine: Engine) -> int:
        made.append(attempt)
        begun.set()
        assert go.wait(30)
        return 7

    made: list[int] = []
    kept = while_unchanged(see)

    def ask(n: int) -> None:
        for event in (begun, go):
            event.clear()
        made.clear()
        with ThreadPoolExecutor() as threads:
            first = threads.submit(kept, attempt=n, engine=engine)
            assert begun.wait(30)
            others = [threads.submit(kept, attempt=n, engine=engine) for _ in range(3)]
            go.set()
            assert [f.result(30).body for f in (first, *others)] == [b"7"] * 4  # type: ignore[attr-defined]

    quietly(engine, ask)
    assert len(made) == 1


def test_those_asked_for_longest_ago_go_first() -> None:
    kept = Kept(most=25)
    for key in "abc":
        kept.keep(key, "s", b"1234567890")
        kept.find("a", "s")
    assert [kept.find(k, "s") is not None for k in "abc"] == [True, False, True]
    kept.keep("a", "t", b"12345")
    kept.keep("d", "t", b"1234567890")
    assert [kept.find(k, "t") is not None for k in "ad"] == [True, True]
    assert kept.find("a", "s") is None
    kept.keep("e", "t", b"1" * 26)
    assert [kept.find(k, "t") is not None for k in "ade"] == [True, True, False], "longer than all together: not kept"


def test_who_may_not_is_not_answered_from_what_is_kept(client: Client) -> None:
    lead, nobody = client("lead"), client(None)
    assert lead.get("/api/sheets/library").status_code == 200
    assert nobody.get("/api/sheets/library").status_code == 401
