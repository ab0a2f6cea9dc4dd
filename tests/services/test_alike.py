"""A route, and the plan that is made of it, say the same of one layout."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.routes.problem import Wishes
from umbrak.formats.sheet.built import BoardAnswers
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.plans.editing import start_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.plans.weighed import see_worth
from umbrak.services.routes.finding import find_routes
from umbrak.store.accounts import Account


def _reported(engine: Engine, technician: Account) -> UUID:
    return key_of(engine, "hall-03")


def _read_by_hand(engine: Engine, technician: Account) -> UUID:
    """What is in it is typed from labels: nobody saw it run."""
    key = key_of(engine, "map-01")
    with engine.begin() as db:
        db.execute(text("UPDATE survey SET kind = 'labels' WHERE machine_id = :key"), {"key": key})
    return key


def _of_no_sheet(engine: Engine, technician: Account) -> UUID:
    """Three of its four slots were looked into, and no more than its board is told."""
    board = BoardAnswers(make="Ansel", model="G9", generation="DDR3", form="DIMM")
    module = decode_label("8GB DDR3-1333 RDIMM ECC").module
    by_hand = NewMachine(name="gannet", board=board, fitted=Layout({"A1": module, "B1": module}), emptied=["A2"])
    return make_machine(engine, technician, by_hand)


@pytest.mark.parametrize("machine", [_reported, _read_by_hand, _of_no_sheet])
def test_it_is_weighed_alike(engine: Engine, technician: Account, machine: Callable[[Engine, Account], UUID]) -> None:
    key = machine(engine, technician)
    found = find_routes(engine, key, Wishes(), 5)
    assert found.routes
    for route in (found.routes[0], found.routes[len(found.routes) // 2], found.routes[-1]):
        held = {s: UNKNOWN if i is None else found.modules[i] for s, i in found.fitted.items()}
        comes = {s: None if i is None else found.modules[i] for s, i in route.changes.items()}
        wanted = Layout({s: x for s, x in {**held, **comes}.items() if x is not None})
        plan = start_plan(engine, technician, key, f"to {route.usable_gib} for {route.cost}", wanted=wanted)
        worth, judged = see_worth(engine, plan.id), see_plan(engine, plan.id).evaluation
        assert (judged.verdict, judged.findings) == (route.evaluation.verdict, route.evaluation.findings)
        assert worth.trouble == pytest.approx(route.trouble) and worth.trouble_range == route.trouble_range
        assert worth.unpriced or worth.cost == route.cost
