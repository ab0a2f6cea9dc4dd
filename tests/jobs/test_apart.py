"""Long calculations in processes of their own: what comes back, and what happens when one is ended."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from sqlalchemy import Engine

from tests.jobs.test_jobs import FILES
from umbrak.services.machines.in_bulk import GivenFile, start_reading
from umbrak.store.accounts import Account

ROOT = Path(__file__).resolve().parents[2]


def test_what_comes_back_and_what_is_ended(engine: Engine, technician: Account) -> None:
    files = [FILES[0], GivenFile("poison.txt", b"x"), FILES[1]]
    job = start_reading(engine, technician, files, make=False)
    url = engine.url.render_as_string(hide_password=False)
    script = [sys.executable, "-c", "from tests.jobs.apart_cases import main; main()", url, str(job)]
    # Its end is waited for, and that of whoever holds its output: no helper stays.
    done = subprocess.run(
        script, cwd=ROOT, env={**os.environ, "PYTHONPATH": "src"}, capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout.splitlines()[-1])
    read = told.pop("job")
    assert told == {
        "elsewhere": True,
        "less urgent by": 10,
        "asked": 1,
        "same": True,
        "refused": ["Refused", "slots", "A1 is said twice."],
        "where": True,
        "unsendable": "RuntimeError",
        "stopped": "the best so far",
        "died": True,
        "after that": 1,
        "another helper": 1,
    }
    # The step that ended its process twice has failed; the others were read.
    assert read.pop("poison.txt") == "The process that worked o" and len(read) == 2
    assert not any(outcome.startswith("The process") for outcome in read.values())
