"""The recipes of docs/api.md, run as they stand against a server of its own process."""

from __future__ import annotations

import json
import os
import re
import subprocess
from pathlib import Path

import pytest
from sqlalchemy import Engine, text

from tests.api.test_events import served
from umbrak.demo import seed
from umbrak.services.people.access import new_token
from umbrak.store.accounts import find_credentials

ROOT = Path(__file__).resolve().parents[2]
REPORT = """Handle 0x0011, DMI type 17, 34 bytes
Memory Device
\tSize: 4096 MB
\tForm Factor: SODIMM
\tLocator: DIMM0
\tType: DDR3
\tSpeed: 1333 MT/s
"""


def test_the_recipes_do_what_they_say(engine: Engine, seeded: str, tmp_path: Path) -> None:
    with engine.connect() as db:
        known = find_credentials(db, seed.ACCOUNT)
    assert known
    token = new_token(engine, known.account, "recipes", "technician", 1).token
    (tmp_path / "report.txt").write_text(REPORT)
    recipes = re.findall(r"```sh\n(.*?)```", (ROOT / "docs/api.md").read_text(), re.S)
    assert len(recipes) == 5
    with served(engine) as at:
        address = str(at.base_url).rstrip("/")
        env = {"PATH": os.environ["PATH"], "UMBRAK": address, "TOKEN": token, "HOME": str(tmp_path)}
        for recipe in recipes:
            done = subprocess.run(
                ["bash", "-euo", "pipefail", "-c", recipe],
                cwd=tmp_path,
                env=env,
                capture_output=True,
                text=True,
                check=False,
            )
            assert done.returncode == 0, (recipe, done.stderr)
    lines = (tmp_path / "slots.csv").read_text("utf-8-sig").splitlines()
    with engine.connect() as db:
        count = db.execute(text("SELECT count(*) FROM machine WHERE retired_at IS NULL")).scalar_one()
        kept = db.execute(text("SELECT sum(count) FROM stock WHERE place = 'drawer 7'")).scalar_one()
    assert len(lines) > count and "radar-02" in "".join(lines)
    assert (tmp_path / "stopped.txt").read_text().split(), "the demo has machines that cannot go"
    slots = {s["slot"]: s["change"] for s in json.loads((tmp_path / "difference.json").read_text())["slots"]}
    assert "differs" in slots.values()
    assert json.loads((tmp_path / "desk.json").read_text())
    assert kept == 4


@pytest.mark.parametrize("word", ["UMBRAK", "TOKEN"])
def test_a_recipe_that_lacks_something_fails(word: str, tmp_path: Path) -> None:
    recipe = re.findall(r"```sh\n(.*?)```", (ROOT / "docs/api.md").read_text(), re.S)[0]
    env = {"PATH": os.environ["PATH"], "UMBRAK": "http://127.0.0.1:1", "TOKEN": "x"}
    env.pop(word)
    assert subprocess.run(
        ["bash", "-euo", "pipefail", "-c", recipe], cwd=tmp_path, env=env, capture_output=True, check=False
    ).returncode
