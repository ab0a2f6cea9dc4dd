"""A route, and the plan that is made of it, say the same of one layout; what nobody saw run is asked about, and stays answered."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Do
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.questions import RUNS
from umbrak.core.routes.problem import Wishes
from umbrak.formats.sheet.built import BoardAnswers
from umbrak.services.errors import Refused
from umbrak.services.evidence.ceiling import see_ceiling
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.page import machine_history, see_machine
from umbrak.services.plans.answers import answer_plan
from umbrak.services.plans.editing import start_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.plans.weighed import see_worth
from umbrak.services.routes.finding import find_routes
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.services.surveys.intake import take_in
from umbrak.services.surveys.resurvey import Acceptance, accept
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


def _with_a_failed_module(engine: Engine, technician: Account) -> UUID:
    key = _of_no_sheet(engine, technician)
    revision = see_machine(engine, key).survey.revision
    survey_by_hand(engine, technician, key, revision, Layout(), [], failed=["B1"])
    return key


@pytest.mark.parametrize("machine", [_reported, _read_by_hand, _of_no_sheet, _with_a_failed_module])
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
        assert Counter((a.do, a.source, a.target) for a in route.actions) == Counter(
            (a.do, a.source, a.target) for a in plan.actions
        )
        assert route.touches == sum({Do.KEEP: 0, Do.MOVE: 2}.get(a.do, 1) for a in plan.actions)
        assert (judged.verdict, judged.findings) == (route.evaluation.verdict, route.evaluation.findings)
        assert worth.trouble == pytest.approx(route.trouble) and worth.trouble_range == route.trouble_range
        assert worth.unpriced or worth.cost == route.cost


def test_that_it_runs_is_asked_once_and_answers_what_hangs_on_it(engine: Engine, technician: Account) -> None:
    key = _of_no_sheet(engine, technician)
    comes = decode_label("8GB DDR3-1333 RDIMM ECC").module
    plan = start_plan(engine, technician, key, wanted=Layout({"A1": comes, "B1": comes, "B2": comes}))
    asked = plan.questions[0]
    assert (asked.text, asked.needs, asked.slots) == ("Does it run with what is in it now?", (RUNS,), ("A1", "B1"))
    doubted = see_worth(engine, plan.id).trouble
    assert not see_ceiling(engine, key).seen_running
    with pytest.raises(Refused):
        answer_plan(engine, technician, plan.id, plan.version, {RUNS: False})

    told = answer_plan(engine, technician, plan.id, plan.version, dict(asked.answers[0].facts))
    assert RUNS not in {n for q in told.questions for n in q.needs} and not told.survey_changed
    assert see_worth(engine, plan.id).trouble < doubted and see_ceiling(engine, key).seen_running
    assert any(line.action == "said to run" for line in machine_history(engine, key))

    # Who looks and finds it so, or adds to it, takes nothing away; another module there was not seen to run.
    for seen, still in (
        (comes, True),
        (replace(comes, serial="S1"), True),
        (decode_label("4GB PC3-8500R").module, False),
    ):
        revision = see_machine(engine, key).survey.revision
        survey_by_hand(engine, technician, key, revision, Layout({"A1": seen}), [])
        assert see_ceiling(engine, key).seen_running is still


def test_labels_that_agree_with_the_machines_own_report_leave_it_running(engine: Engine, technician: Account) -> None:
    key = key_of(engine, "map-01")
    before = see_machine(engine, key)
    slot, held = next((s, m) for s, m in before.slots.items() if isinstance(m, Module))
    assert see_ceiling(engine, key).seen_running
    survey_by_hand(engine, technician, key, before.survey.revision, Layout({slot: held}), [])
    printed = next(s.printed for s in before.board.slots if s.id == slot)
    typed = take_in(engine, technician, "typed", f"{printed}: {held.capacity_gib:g}GB {held.generation}".encode())
    accept(engine, technician, key, Acceptance(typed.id, before.survey.revision + 1, {slot: 0}, [slot], []))
    assert see_machine(engine, key).survey.revision == before.survey.revision + 2
    assert see_ceiling(engine, key).seen_running and see_machine(engine, key).evaluation == before.evaluation
