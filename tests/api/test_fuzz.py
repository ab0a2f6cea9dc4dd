"""Requests made from the API's own description: every answer is one that the description names."""

from __future__ import annotations

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings

from tests.api.conftest import Client


@pytest.mark.filterwarnings("ignore:Use 'content")
def test_every_described_request_gets_a_described_answer(client: Client) -> None:
    browser = client("technician")
    odd: list[tuple[object, ...]] = []

    def try_out(operation: schemathesis.APIOperation) -> None:
        described = {int(status) for status in operation.definition.raw["responses"]}

        @settings(max_examples=20, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
        @given(case=operation.as_strategy())
        def ask(case: schemathesis.Case) -> None:
            sent = case.as_transport_kwargs(base_url="http://testserver")
            sent.pop("cookies", None)
            answer = browser.request(**sent)
            if answer.status_code not in described:
                odd.append((case.method, case.path, answer.status_code, repr(case.body)[:200], answer.text[:200]))

        ask()

    schema = schemathesis.openapi.from_dict(browser.app.openapi())  # type: ignore[attr-defined]
    for found in schema.get_all_operations():
        operation = found.ok()
        if operation.path not in ("/api/session", "/api/events"):  # would sign out; would not end
            try_out(operation)
    assert not odd
