"""Machines made twice become one and lose nothing; many are changed alike, each on its own."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine

from tests.services.test_taking_in import OUTSIDE, key_of, sheet_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.joined import Side, joined
from umbrak.core.platform.known import Known, Origin
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.formats.about import About
from umbrak.formats.documents import MachineDoc
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.machines.in_bulk import run_job, see_job, start_change
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.merging import delete_machine, list_twins, merge_machines
from umbrak.services.machines.page import machine_history, see_machine
from umbrak.services.machines.together import Renewed, Retired, Said
from umbrak.services.machines.waiting import NewWaiting, keep_waiting, list_waiting
from umbrak.services.plans.editing import start_plan
from umbrak.store.accounts import Account
from umbrak.store.machines import Listing

EARLY = datetime(2026, 3, 1, tzinfo=UTC)
MODULES = [decode_label(f"{gb}GB 2Rx8 PC4-2400T-RE1").module for gb in (8, 16)]
SLOTS = ("A", "B", "C", "D")


@st.composite
def sides(draw: st.DrawFn) -> Side:
    held = {s: draw(st.sampled_from([None, UNKNOWN, *MODULES])) for s in SLOTS}
    known = Known(slots=Layout(held), failed=tuple(s for s in SLOTS if held[s] in MODULES and draw(st.booleans())))
    ages = {
        s: Origin(
            draw(st.sampled_from(["by hand", "smbios"])), EARLY + timedelta(days=draw(st.integers(0, 3)), seconds=i)
        )
        for i, s in enumerate(SLOTS)
    }
    return Side(known, ages)


@given(sides(), sides())
def test_what_is_known_of_two_is_known_of_the_one(one: Side, other: Side) -> None:
    """No slot is less known than before; what contradicts is not dropped but disputed; a fault seen stays, if its module does."""
    other = replace(other, sources={s: replace(o, at=o.at + timedelta(hours=1)) for s, o in other.sources.items()})
    both = joined(one, other, SLOTS)
    assert both == joined(other, one, SLOTS)
    for s in SLOTS:
        told = {side.occupant(s) for side in (one, other)} - {UNKNOWN}
        assert both.slots.get(s) in (told or {UNKNOWN})
        if len(told) == 2:
            assert {both.slots.get(s), both.disputed[s].says} == told
            late = max((one, other), key=lambda side: side.sources[s].at)
            assert both.slots.get(s) == late.occupant(s) and (s in both.failed) == (s in late.known.failed)
        else:
            assert s not in both.disputed and (s in both.failed) == any(s in x.known.failed for x in (one, other))
            told_by = [side.sources[s] for side in (one, other) if side.occupant(s) is not UNKNOWN]
            if both.slots.get(s) in MODULES:
                assert both.sources[s].is_running == any(o.is_running for o in told_by)


def make(engine: Engine, account: Account, name: str, **more: object) -> UUID:
    return make_machine(engine, account, NewMachine(name=name, sheet_hash=sheet_of(engine, "fjell-n2"), **more))  # type: ignore[arg-type]


def test_a_machine_made_twice(engine: Engine, technician: Account) -> None:
    module = decode_label("16GB 1Rx8 PC5-4800B-SA0").module
    one = make(engine, technician, "twin-a", about=About(serial="SN 77", keeper="Ida", own={"cost centre": "1"}))
    two = make(
        engine,
        technician,
        "twin-b",
        fitted=Layout({"B1": module}),
        about=About(serial="sn-77", asset_tag="A-5", keeper="Bo", own={"cost centre": "2", "floor": "3"}),
        facts=MachineDoc(firmware="2.1"),
    )
    plans = [start_plan(engine, technician, m, "More").id for m in (one, two)]
    for name in ("unread-a", "unread-b"):
        make(engine, technician, name, about=About(serial="n/a", asset_tag="none"))
    assert not [t for t in list_twins(engine) if t.value in ("NA", "NONE")], "that nobody knows them makes them not one"
    [pair] = [t for t in list_twins(engine) if t.value == "SN77"]
    assert [m.name for m in pair.machines] == ["twin-a", "twin-b"]
    a, b = see_machine(engine, one), see_machine(engine, two)
    with pytest.raises(Stale):
        merge_machines(engine, technician, one, a.version, two, b.version + 1)
    with pytest.raises(Refused, match="one machine already"):
        merge_machines(engine, technician, one, a.version, one, a.version)
    other_model = see_machine(engine, key_of(engine, "store-01"))
    with pytest.raises(Refused, match="say which it is first"):
        merge_machines(engine, technician, one, a.version, other_model.id, other_model.version)
    merge_machines(engine, technician, one, a.version, two, b.version)
    seen = see_machine(engine, one)
    assert (seen.name, seen.about.asset_tag, seen.about.keeper, seen.facts.firmware) == ("twin-a", "A-5", "Ida", "2.1")
    assert seen.about.own == {"cost centre": "1", "floor": "3"} and seen.evaluation.installed_gib == 24
    assert {p.id: p.name for p in seen.plans} == {plans[0]: "More", plans[1]: "More (twin-b)"}
    told = [(line.action, line.detail.get("name")) for line in machine_history(engine, one)]
    assert told[0] == ("machines merged", "twin-b") and ("machine made", "twin-b") in told
    assert not [t for t in list_twins(engine) if t.value == "SN77"]
    with pytest.raises(NotFound):
        see_machine(engine, two)


def test_what_was_made_by_mistake_is_deleted_and_what_was_worked_on_is_not(engine: Engine, technician: Account) -> None:
    key = make(engine, technician, "mistake")
    start_plan(engine, technician, key, "Never")
    delete_machine(engine, technician, key, see_machine(engine, key).version)
    with pytest.raises(NotFound):
        see_machine(engine, key)
    worked = next(m for m in list_machines(engine).machines if see_machine(engine, m.id).runs)
    with pytest.raises(Refused, match="was worked on"):
        delete_machine(engine, technician, worked.id, see_machine(engine, worked.id).version)
    in_round = see_machine(engine, key_of(engine, "map-01"))
    with pytest.raises(Refused, match="in the round"):
        delete_machine(engine, technician, in_round.id, in_round.version)


def test_many_are_changed_alike(engine: Engine, technician: Account) -> None:
    keys = [make(engine, technician, f"row-{i}", about=About(own={"floor": "1"})) for i in range(45)]
    gone = make(engine, technician, "gone-meanwhile")
    said = Said(do="say", duty_group="blue", keeper=None, own={"unit": "7"}, site="Pier")
    job = start_change(engine, technician, said, [*keys, gone, keys[0]])
    delete_machine(engine, technician, gone, 1)
    run_job(engine, OUTSIDE, job)
    view, steps = see_job(engine, job)
    assert (view.total, view.done, view.failed) == (46, 45, 1) and steps[0].outcome == "There is no such machine."
    one = see_machine(engine, keys[7])
    assert (one.about.duty_group, one.site, one.about.own) == ("blue", "Pier", {"floor": "1", "unit": "7"})
    # By what the list finds, over its pages; what there is nothing to change of is left as it is.
    for change, outcome in (
        (said, "nothing to change"),
        (Renewed(do="renew"), "under the newest revision already"),
        (Retired(do="retire"), "retired"),
    ):
        job = start_change(engine, technician, change, Listing("row-"))
        run_job(engine, OUTSIDE, job)
        assert {s.outcome for s in see_job(engine, job)[1]} == {outcome}
    assert see_machine(engine, keys[7]).version == one.version + 1 and list_machines(engine, Listing("row-")).total == 0
    run_job(engine, OUTSIDE, start_change(engine, technician, Retired(do="bring back"), Listing("row-", retired=True)))
    assert list_machines(engine, Listing("row-")).total == 45
    with pytest.raises(Refused, match="no machine"):
        start_change(engine, technician, said, Listing("nothing has this name"))


def test_what_waits_is_laid_beside_the_machine_that_has_its_number(engine: Engine, technician: Account) -> None:
    make(engine, technician, "there", about=About(serial="SN 88"))
    make(engine, technician, "unread", about=About(serial="n/a"))
    for name, serial in (("again", "sn-88"), ("nameless", "N/A")):
        keep_waiting(engine, technician, NewWaiting(name=name, model="OV 12", about=About(serial=serial)))
    [group] = [g for g in list_waiting(engine) if g.model == "OV 12"]
    assert [(t.field, t.name) for t in group.there] == [("serial", "there")]
