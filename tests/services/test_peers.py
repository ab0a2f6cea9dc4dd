"""Machines of the same model beside one that was worked on: what each tells, and why one is no measure."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from tests.services.test_runs import OFFICIAL, begin
from tests.services.test_taking_in import key_of
from umbrak.services.errors import NotFound
from umbrak.services.machines.listing import list_machines
from umbrak.services.proof.peers import list_peers
from umbrak.store.accounts import Account
from umbrak.store.engine import new_id


def test_others_of_its_model_and_why_they_are_no_measure(engine: Engine, technician: Account, lead: Account) -> None:
    here = key_of(engine, "hall-03")
    models = {m.name: m.sheet_title for m in list_machines(engine).machines}
    peers = list_peers(engine, here)
    assert {p.name for p in peers} == {n for n, model in models.items() if model == models["hall-03"]} - {"hall-03"}
    assert [bool(p.but) for p in peers] == sorted(bool(p.but) for p in peers), "those that are a measure come first"
    (failed,) = [p for p in peers if p.name == "hall-02"]
    assert failed.but.endswith("failed")
    assert all(p.correctable is None or p.correctable >= 0 for p in peers)
    # What another showed in its run is what this one may show too.
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.enter("alert", text="Memory is not on the list", expected=True)
    (seen,) = [p for p in list_peers(engine, key_of(engine, "hall-02")) if p.name == "hall-03"]
    assert [a.text for a in seen.alerts] == ["Memory is not on the list"]
    with pytest.raises(NotFound):
        list_peers(engine, new_id())
