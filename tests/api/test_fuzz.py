"""Requests made from the API's own description: none makes the server fail, every error is a problem document. A sample;
bench.fuzzed asks each operation hundreds of times as each role."""

from __future__ import annotations

import pytest

from tests.api.conftest import Client
from tests.api.fuzz import fuzz


@pytest.mark.filterwarnings("ignore:Use 'content")
@pytest.mark.parametrize(
    ("role", "examples", "spoiled"),
    [("technician", 1, False), ("lead", 1, True)],
)
def test_every_described_request_gets_an_answer_that_it_may_get(
    client: Client, role: str, examples: int, spoiled: bool
) -> None:
    assert fuzz(client(role), examples, spoiled) == []
