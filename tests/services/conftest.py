"""The demo's data, and somebody who may change it."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from umbrak.demo import seed
from umbrak.store.accounts import Account, find_credentials


@pytest.fixture
def technician(engine: Engine, seeded: str) -> Account:
    with engine.connect() as db:
        known = find_credentials(db, seed.ACCOUNT)
    assert known
    return known.account


@pytest.fixture
def lead(engine: Engine, technician: Account) -> Account:
    with engine.connect() as db:
        known = find_credentials(db, "lead")
    assert known
    return known.account
