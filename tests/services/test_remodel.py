"""A machine that was taken for another model: what is known and planned goes over slot by slot, and nothing goes unsaid."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.services.errors import Refused, Stale
from umbrak.services.machines.page import see_machine
from umbrak.services.machines.remodel import change_model, see_other_model
from umbrak.services.plans.editing import discard_plan, start_plan
from umbrak.services.plans.view import see_plan
from umbrak.store import plans as plan_store
from umbrak.store.accounts import Account
from umbrak.store.machines import machine_by_name_or_serial
from umbrak.store.sheets import current_sheets


def test_its_slots_go_where_they_belong(engine: Engine, technician: Account) -> None:
    with engine.connect() as db:
        row = machine_by_name_or_serial(db, "hall-03", "")
        sheets = {s.sheet_id: s.hash for s in current_sheets(db)}
    assert row
    before = see_machine(engine, row.id)
    plan = start_plan(engine, technician, row.id, "Carried over", wanted=before_layout(engine, row.id))
    seen = see_other_model(engine, row.id, sheets["halvard-r32"])
    assert "Carried over" in seen.plans and {s.slot for s in seen.slots} == {s.id for s in before.board.slots}
    places = [p.slot for p in seen.places]
    to = dict(zip((s.slot for s in seen.slots), places, strict=False))

    def change(version: int, slots: dict[str, str], sheet: str = "halvard-r32") -> None:
        change_model(engine, technician, row.id, version, sheets[sheet], slots)

    first, second = list(to)[:2]
    for slots, words in (
        ({}, "has no place"),
        ({**to, first: "nowhere"}, "has no slot nowhere"),
        ({**to, first: to[second]}, "is given to"),
        ({**to, "odd": to[first]}, "has no slot odd"),
    ):
        with pytest.raises(Refused, match=words):
            change(before.version, slots)
    with pytest.raises(Refused, match="already"):
        change(before.version, to, "halvard-r24")
    with pytest.raises(Stale):
        change(before.version - 1, to)
    assert see_machine(engine, row.id).slots == before.slots  # nothing was half done

    change(before.version, to)
    now = see_machine(engine, row.id)
    assert now.board.title == "Halvard R32" and now.version == before.version + 1
    assert {to[s]: m for s, m in before.slots.items()} == {s: m for s, m in now.slots.items() if s in to.values()}
    assert all(m is UNKNOWN for s, m in now.slots.items() if s not in to.values())  # nobody looked into the others
    kinds = {s: o.kind for s, o in now.survey.sources.items()}
    assert {to[s]: o.kind for s, o in before.survey.sources.items()} == {
        s: k for s, k in kinds.items() if s in to.values()
    }
    assert {k for s, k in kinds.items() if s not in to.values()} == {"by hand"}
    with engine.connect() as db:
        carried = next(p for p in plan_store.plans_of(db, row.id) if p.name == "Carried over")
    assert carried.id != plan.id and see_plan(engine, carried.id).goal.keys() <= set(places)
    with pytest.raises(Refused, match="has another plan Carried over"):
        discard_plan(engine, technician, plan.id, see_plan(engine, plan.id).version, False)


def before_layout(engine: Engine, key: object) -> Layout:
    return Layout(see_machine(engine, key).slots)  # type: ignore[arg-type]
