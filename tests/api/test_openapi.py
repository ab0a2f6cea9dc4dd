"""The API's shape: a snapshot shows every change, and the front end's types are made from it."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

from openapi_spec_validator import validate

from umbrak.server.app import make_app
from umbrak.server.examples import EXAMPLES
from umbrak.server.openapi import api_routes
from umbrak.server.routing import operation_id

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


def test_it_is_valid_and_says_who_may_ask() -> None:
    """By a public validator of OpenAPI 3.1, beside what only we know."""
    app = make_app(None)
    api = app.openapi()
    validate(api)
    operations = {o["operationId"]: o for path in api["paths"].values() for o in path.values()}
    assert len(operations) == sum(len(path) for path in api["paths"].values())
    anybody = {name for name, o in operations.items() if o["security"] == []}
    assert anybody == {
        "post_session", "delete_session", "get_session_ways", "get_session_directory", "get_session_directory_answer",
        "get_desk_feeds_token_ics",
    }  # fmt: skip
    assert operations["get_tokens"]["security"] == [{"session": []}]
    assert operations["get_machines"]["security"] == [{"session": []}, {"token": []}]
    # Each example is one that its operation takes.
    bodies = {operation_id(r): r.body_field for r in api_routes(app)}
    for name, example in EXAMPLES.items():
        field = bodies[name]
        assert field is not None, name
        _, errors = field.validate(example, {}, loc=("body",))
        assert not errors, (name, errors)


def test_fields_say_what_the_code_says_of_them() -> None:
    shown = make_app(None).openapi()["components"]["schemas"]
    assert shown["RoutesView"]["properties"]["relax"]["description"].startswith("Where there is no route")
    assert shown["Member"]["properties"]["active"]["description"].startswith("False: kept for its history"), "inherited"
    assert "description" not in shown["RoutesView"]["properties"]["money"], "not another field's"


if __name__ == "__main__":
    SNAPSHOT.write_text(
        json.dumps(make_app(None).openapi(), indent=1, ensure_ascii=False, sort_keys=True) + "\n", "utf-8"
    )
