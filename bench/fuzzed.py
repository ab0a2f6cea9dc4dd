"""Every operation of the API asked from its own description, as each role and as nobody, plainly and spoiled.

    PYTHONPATH=src python -m bench.fuzzed [EXAMPLES]

EXAMPLES (100) requests an operation, role and way, on a database of its own with the demo's data. Exits with 1 when any answer is
of the server's own failing, is not described, or is an error that is no problem document; each is printed.
"""

from __future__ import annotations

import logging
import sys
import time
import warnings

import schemathesis
from fastapi.testclient import TestClient
from sqlalchemy import text
from tests.api.fuzz import fuzz

from bench.database import throw_away
from umbrak.demo import seed
from umbrak.server.app import make_app
from umbrak.services.people.accounts import add_account
from umbrak.store.engine import open_engine

PASSWORD = "a password of the bench"


def main(examples: int) -> int:
    warnings.simplefilter("ignore")
    logging.disable(logging.CRITICAL)  # what fails is printed here
    broken: list[tuple[object, ...]] = []
    asked = 0

    def told(_: schemathesis.APIOperation) -> None:
        nonlocal asked
        asked += 1
        print(f"\r{asked} operations, {len(broken)} odd answers, {time.monotonic() - began:.0f} s ", end="", flush=True)

    began = time.monotonic()
    with throw_away() as url:
        engine = open_engine(url)
        seed.seed(engine)
        app = make_app(engine)
        for role in ("lead", "technician", "viewer", None):
            for spoiled in (False, True):
                browser = TestClient(app)
                if role:
                    name = f"{role}-{spoiled}"
                    add_account(engine, name, shown_as=name, password=PASSWORD, role=role)
                    with engine.begin() as db:  # signing in was fuzzed too, and this address is throttled for it
                        db.execute(text("DELETE FROM sign_in_failure"))
                    browser.post("/api/session", json={"name": name, "password": PASSWORD}).raise_for_status()
                found = fuzz(browser, examples, spoiled, told)
                broken += found
                for one in found[:20]:
                    print("\n", role, *one)
        app.state.hub.close()
        engine.dispose()
    print(f"\n{asked} times {examples} requests, {len(broken)} odd answers, {time.monotonic() - began:.0f} s")
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 100))
