"""Scripts and styles come in the smallest coding that was built and that a browser takes."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from umbrak.server.app import make_app

SCRIPT = b"export const words = 'the same as it was written'\n" * 40


@pytest.mark.parametrize(
    ("accepts", "coding"),
    [
        ("gzip, deflate, br", "br"),
        ("gzip", "gzip"),
        ("br;q=0, gzip;q=0.5", "gzip"),
        ("BR; q=1.0", "br"),
        ("gzip; q=0", None),
        ("identity", None),
        ("", None),
    ],
)
def test_what_is_sent(tmp_path: Path, accepts: str, coding: str | None) -> None:
    assets = tmp_path / "assets"
    assets.mkdir()
    (tmp_path / "index.html").write_text("<p>__NONCE__</p>")
    packed = {"br": b"as brotli has it", "gzip": gzip.compress(SCRIPT), None: SCRIPT}
    for name, ending in (("a.js", ""), ("a.js", ".br"), ("a.js", ".gz"), ("plain.js", "")):
        raw = packed[{"": None, ".br": "br", ".gz": "gzip"}[ending]]
        (assets / f"{name}{ending}").write_bytes(raw)
    browser = TestClient(make_app(None, tmp_path))
    with browser.stream("GET", "/assets/a.js", headers={"Accept-Encoding": accepts}) as answer:
        assert b"".join(answer.iter_raw()) == packed[coding]
    assert answer.headers.get("Content-Encoding") == coding
    assert answer.headers["Content-Type"].startswith("text/javascript") and answer.headers["Vary"] == "Accept-Encoding"
    assert "immutable" in answer.headers["Cache-Control"] and answer.headers["X-Content-Type-Options"] == "nosniff"
    again = browser.get("/assets/a.js", headers={"Accept-Encoding": accepts, "If-None-Match": answer.headers["ETag"]})
    assert (again.status_code, again.content) == (304, b"")
    assert browser.get("/assets/plain.js", headers={"Accept-Encoding": accepts}).content == SCRIPT
    assert browser.get("/assets/none.js", headers={"Accept-Encoding": accepts}).status_code == 404
