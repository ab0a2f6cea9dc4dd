"""Plans against a simple model: whatever is done, undone and done again, by however many at once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any
from uuid import UUID

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine, text

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.demo import seed
from umbrak.services.errors import Refused, Stale
from umbrak.services.evidence.ceiling import see_ceiling
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.page import see_machine
from umbrak.services.plans.answers import answer_plan
from umbrak.services.plans.editing import edit_plan, rename_plan, start_plan, step_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.store.accounts import Account, find_credentials

L4, L8 = decode_label("4GB 2Rx8 PC3L-12800S").module, decode_label("8GB 2Rx8 PC3L-12800S").module


@pytest.fixture
def plan(engine: Engine, seeded: str) -> tuple[Account, UUID]:
    """A new plan of the demo's small appliance, and who works on it."""
    with engine.connect() as db:
        known = find_credentials(db, seed.ACCOUNT)
        (machine,) = db.execute(text("SELECT id FROM machine WHERE name = 'radar-02'")).one()
    assert known
    return known.account, start_plan(engine, known.account, machine).id


_STEPS = st.lists(
    st.tuples(
        st.just("edit"), st.dictionaries(st.sampled_from(["A", "B"]), st.sampled_from([L4, L8, None]), min_size=1)
    )
    | st.tuples(st.sampled_from(["undo", "redo"]), st.none())
    | st.tuples(st.just("rename"), st.sampled_from(["one", "two"])),
    max_size=14,
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(_STEPS)
def test_undo_and_redo_follow_a_simple_model(
    engine: Engine, plan: tuple[Account, UUID], steps: list[tuple[str, Any]]
) -> None:
    account, key = plan
    view = see_plan(engine, key)
    past: list[Any] = [dict(view.goal)]
    future: list[Any] = []
    # The plan is kept between examples, and so is what earlier ones left to undo.
    older = view.can_undo
    for kind, what in steps:
        if kind == "edit":
            emptied = [s for s, m in what.items() if m is None]
            view = edit_plan(engine, account, key, view.version, Layout(what), emptied)
            goal = {s: m for s, m in {**past[-1], **what}.items() if m is not None}
            if goal != past[-1]:
                past.append(goal)
                future = []
        elif kind == "rename":
            view = rename_plan(engine, account, key, view.version, what)
            assert view.name == what
        elif kind == "undo" and len(past) > 1:
            future.append(past.pop())
            view = step_plan(engine, account, key, view.version, "undo")
        elif kind == "redo" and future:
            past.append(future.pop())
            view = step_plan(engine, account, key, view.version, "redo")
        elif kind == "redo" and len(past) > 1:
            with pytest.raises(Refused, match="nothing to redo"):
                step_plan(engine, account, key, view.version, "redo")
        assert dict(view.goal) == past[-1]
        assert view.can_undo == (older or len(past) > 1)
    assert see_plan(engine, key) == view


def test_of_many_who_write_at_once_one_wins_and_nobody_is_overwritten(
    engine: Engine, plan: tuple[Account, UUID]
) -> None:
    account, key = plan
    version = see_plan(engine, key).version

    def write(size: Any) -> str:
        try:
            edit_plan(engine, account, key, version, Layout({"B": size}), ())
        except Stale as error:
            assert error.theirs.version == version + 1
            return "refused"
        return "kept"

    with ThreadPoolExecutor(6) as pool:
        outcomes = list(pool.map(write, [L4, L8] * 3))
    assert sorted(outcomes) == ["kept"] + ["refused"] * 5
    assert see_plan(engine, key).version == version + 1


def test_a_plan_keeps_the_survey_it_was_made_with(engine: Engine, plan: tuple[Account, UUID]) -> None:
    _, key = plan
    before = see_plan(engine, key)
    with engine.begin() as db:
        db.execute(
            text(
                "INSERT INTO survey (id, machine_id, revision, kind, taken_at, document) "
                "SELECT gen_random_uuid(), machine_id, 2, 'smbios', now(), '{\"schema\": 1, \"slots\": {}}' FROM plan WHERE id = :key"
            ),
            {"key": key},
        )
    after = see_plan(engine, key)
    assert (after.now, after.survey_changed, before.survey_changed) == (before.now, True, False)


def test_totals_say_that_they_leave_out_what_nobody_knows(engine: Engine, plan: tuple[Account, UUID]) -> None:
    """A slot that was not looked into, of what is fitted and of a plan; the plan that fills it counts all."""
    account, key = plan
    machine = see_plan(engine, key).machine_id
    survey_by_hand(engine, account, machine, see_machine(engine, machine).survey.revision, Layout({"A": UNKNOWN}), ())
    begun = start_plan(engine, account, machine, "later").id

    def told() -> list[tuple[int, int]]:
        line, ceiling = (
            next(m for m in list_machines(engine).machines if m.id == machine).summary,
            see_ceiling(engine, machine),
        )
        return [(line.not_counted, line.planned_not_counted), (ceiling.now_not_counted, ceiling.planned_not_counted)]

    edit_plan(engine, account, begun, 1, Layout({"B": L8}), ())
    assert told() == [(1, 1)] * 2
    edit_plan(engine, account, begun, 2, Layout({"A": L8}), ())
    assert told() == [(1, 0)] * 2


def test_an_answer_overwrites_nothing_that_was_seen_since_the_plan_was_made(
    engine: Engine, plan: tuple[Account, UUID]
) -> None:
    account, key = plan
    begun = see_plan(engine, key)
    survey_by_hand(
        engine, account, begun.machine_id, see_machine(engine, begun.machine_id).survey.revision, Layout({"A": L8}), ()
    )
    seen = see_plan(engine, key)
    assert seen.survey_changed and seen.now["A"] == begun.now["A"] != L8
    answered = answer_plan(engine, account, key, seen.version, {"A.device_width": 16, "A.package_ranks": 1})
    assert see_machine(engine, begun.machine_id).slots["A"] == L8
    goal = answered.goal["A"]
    assert isinstance(goal, Module) and goal.device_width == 16 and answered.survey_changed
