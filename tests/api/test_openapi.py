"""The API's shape: a snapshot shows every change, and the front end's types are made from it."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

from umbrak.server.app import make_app

SNAPSHOT = Path(__file__).parent / "openapi.json"
WEB = Path(__file__).resolve().parents[2] / "web"


def test_the_snapshot_is_current() -> None:
    text = json.dumps(make_app(None).openapi(), indent=1, ensure_ascii=False, sort_keys=True) + "\n"
    kept = SNAPSHOT.read_text("utf-8")
    assert text == kept, (
        "the API's shape changed; if that is meant, write the snapshot anew: python -m tests.api.test_openapi"
    )


def test_the_front_ends_types_are_current(tmp_path: Path) -> None:
    made = tmp_path / "schema.d.ts"
    command = [
        "npx",
        "--no-install",
        "openapi-typescript",
        str(SNAPSHOT),
        "--default-non-nullable=false",
        "-o",
        str(made),
    ]
    subprocess.run(command, cwd=WEB, check=True, capture_output=True)
    assert made.read_text() == (WEB / "src/api/schema.d.ts").read_text(), "run `npm run types` in web/"


if __name__ == "__main__":
    SNAPSHOT.write_text(
        json.dumps(make_app(None).openapi(), indent=1, ensure_ascii=False, sort_keys=True) + "\n", "utf-8"
    )
