"""Requests made from the API's own description, as they should be and spoiled; shared by the tests and bench.fuzzed.

What is spoiled is one of the request's texts (path, query, header, cookie, or a member of its body), which becomes something that
nobody sends by hand: zero bytes, halves of characters, thousands of digits, numbers that are none.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import quote

import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

#: Would sign the fuzzing itself out; would not end.
LEFT_OUT = {("DELETE", "/api/session"), ("GET", "/api/events")}
ODD = (
    "", " ", "\0", "a\0b", "\ud800", "\u202e", "²", "9" * 400, "9" * 5000, "-1", "1e999", "NaN", "1_0", "null", "[]", "{}", "x" * 5000,
    "../../etc/passwd", "%00", "%ED%A0%80", "'; --", "0001-01-01", "9999-12-31T23:59:59+14:00", "00000000-0000-0000-0000-000000000000",
    "\x07bell", "America", "ﷺ" * 300, "true", "-0.0", "0x10",
)  # fmt: skip
ODD_VALUES = (*ODD, None, True, -1, 0, 1e308, 10**400, [], {}, [[]], 5e-324)
HEADERS = (
    "Last-Event-ID",
    "Content-Type",
    "Origin",
    "Host",
    "Sec-Fetch-Site",
    "Accept",
    "Cookie",
    "X-Forwarded-For",
    "Range",
)


def operations(app: Any) -> Iterator[schemathesis.APIOperation]:
    """Every operation of the API but LEFT_OUT."""
    for found in schemathesis.openapi.from_dict(app.openapi()).get_all_operations():
        operation = found.ok()
        if (operation.method.upper(), operation.path) not in LEFT_OUT:
            yield operation


def _sendable(text: str) -> bytes:
    """A header's value as a client may send it: any bytes without ends of lines."""
    return text.encode("utf-8", "surrogatepass").translate(None, b"\r\n\0")


def _spoil(draw: st.DrawFn, sent: dict[str, Any]) -> None:
    """Make one thing of a request odd, in place."""
    odd = draw(st.sampled_from(ODD))
    match draw(st.sampled_from(("query", "header", "cookie", "body", "path"))):
        case "query":
            names = list(sent.get("params") or {}) or ["q", "page", "before"]
            sent["params"] = {
                **(sent.get("params") or {}),
                draw(st.sampled_from(names)): odd.encode("utf-8", "surrogatepass"),
            }
        case "header":
            name = draw(st.sampled_from(HEADERS))
            sent["headers"] = {**(sent.get("headers") or {}), name: _sendable(odd)}
        case "cookie":
            sent["headers"] = {
                **(sent.get("headers") or {}),
                "Cookie": b"umbrak_session=%b; umbrak_browser=%b" % (_sendable(odd), _sendable(odd)),
            }
        case "body" if isinstance(sent.get("json"), dict) and sent["json"]:
            # As text: a client may send what JSON's own writers refuse to.
            body = {**sent.pop("json")}
            body[draw(st.sampled_from(list(body)))] = draw(st.sampled_from(ODD_VALUES))
            sent["content"] = json.dumps(body).encode()
            sent["headers"] = {**(sent.get("headers") or {}), "Content-Type": "application/json"}
        case _:
            parts = sent["url"].split("/")
            if len(parts) > 5:
                parts[draw(st.integers(5, len(parts) - 1))] = quote(odd.encode("utf-8", "surrogatepass"), safe="")
                sent["url"] = "/".join(parts)  # fmt: skip


def fuzz(
    browser: TestClient,
    examples: int,
    spoiled: bool,
    told: Callable[[schemathesis.APIOperation], None] = lambda _: None,
) -> list[tuple[object, ...]]:
    """Ask every operation some times; returns the answers that should not have been: of a status that is not described, of
    the server's own failing, or an error that is no problem document."""
    odd: list[tuple[object, ...]] = []
    for operation in operations(browser.app):
        told(operation)
        odd += _asked(browser, operation, examples, spoiled)
    return odd


def _asked(
    browser: TestClient, operation: schemathesis.APIOperation, examples: int, spoiled: bool
) -> list[tuple[object, ...]]:
    odd: list[tuple[object, ...]] = []
    described = {int(s) for s in operation.definition.raw["responses"] if s != "default"}

    @settings(max_examples=examples, phases=[Phase.generate], suppress_health_check=list(HealthCheck), deadline=None)
    @given(case=operation.as_strategy(), data=st.data())
    def ask(case: schemathesis.Case, data: st.DataObject) -> None:
        sent = case.as_transport_kwargs(base_url="http://testserver")
        sent.pop("cookies", None)
        if spoiled:
            data.draw(st.composite(lambda draw: _spoil(draw, sent))())
        answer = browser.request(**sent)
        status = answer.status_code
        plain = status >= 400 and answer.headers.get("content-type") != "application/problem+json"
        # Described as they are; what any operation may answer stands under "default".
        if (
            (status >= 500 and status not in described)
            or plain
            or (status < 400 and status not in described and not spoiled)
        ):
            odd.append((case.method, operation.path, status, repr(sent)[:300], answer.text[:300]))

    ask()
    return odd
