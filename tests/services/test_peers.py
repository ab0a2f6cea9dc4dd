"""Machines of the same model beside one that was worked on: what each tells, and why one is no measure."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from tests.services.test_runs import OFFICIAL, begin
from tests.services.test_taking_in import key_of
from umbrak.core.platform.machine import Layout
from umbrak.services.errors import NotFound
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.page import see_machine
from umbrak.services.proof.peers import list_peers
from umbrak.store.accounts import Account
from umbrak.store.engine import new_id


def test_others_of_its_model_and_why_they_are_no_measure(engine: Engine, technician: Account, lead: Account) -> None:
    here = see_machine(engine, key_of(engine, "hall-03"))
    assert list_peers(engine, here.id) == ()
    fitted = Layout(here.slots)
    emptied = [s.id for s in here.board.slots if s.id not in fitted]
    like = NewMachine(name="hall-13", sheet_hash=here.sheet_hash, fitted=fitted, emptied=emptied)
    twin = make_machine(engine, technician, like)
    make_machine(engine, technician, NewMachine(name="hall-12", sheet_hash=here.sheet_hash))
    measure, unknown = list_peers(engine, here.id)
    assert (measure.name, measure.but) == ("hall-13", ""), "what is a measure comes first"
    assert (unknown.name, unknown.but) == ("hall-12", f"{len(here.board.slots)} of its slots are not known")
    assert (measure.installed_gib, measure.correctable) == (None, None), "what it never told is not told"
    # What another showed in its run is what this one may show too.
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.enter("alert", text="Memory is not on the list", expected=True)
    (seen,) = [p for p in list_peers(engine, twin) if p.name == "hall-03"]
    assert [a.text for a in seen.alerts] == ["Memory is not on the list"]
    with pytest.raises(NotFound):
        list_peers(engine, new_id())
