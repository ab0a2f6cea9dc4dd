"""What a plan costs and risks, and other ways from where it is."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine, text

from tests.core.routes_cases import random_problem
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module, usable_size
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.routes.same_total import layouts_of_total
from umbrak.core.routes.weighing import Scales
from umbrak.services.plans.another import more_for, same_total
from umbrak.services.plans.editing import edit_plan, start_plan
from umbrak.services.plans.view import PlanView, see_plan
from umbrak.services.plans.weighed import see_worth
from umbrak.services.routes.sizing import need_gib
from umbrak.store.accounts import Account


def _plan_of(engine: Engine, machine: str) -> UUID:
    with engine.connect() as db:
        query = "SELECT p.id FROM plan p JOIN machine m ON m.id = p.machine_id WHERE m.name = :name"
        key: UUID = db.execute(text(query), {"name": machine}).scalar_one()
    return key


def _fitted(
    engine: Engine, account: Account, machine: str, changes: dict[str, str | None], part: str | None = None
) -> PlanView:
    """A new plan with these labels in its slots; every module of one part, where that is said."""
    with engine.connect() as db:
        key = db.execute(text("SELECT id FROM machine WHERE name = :name"), {"name": machine}).scalar_one()
    plan = start_plan(engine, account, key)
    given = {s: decode_label(f"{x} P/N: {part}" if part else x).module if x else None for s, x in changes.items()}
    return edit_plan(engine, account, plan.id, plan.version, Layout(given), [s for s, x in given.items() if x is None])


_SECOND = [f"CPU2.{c}2" for c in "ABCDEF"]
_R16 = "16GB 1Rx8 PC5-4800B-RC0"


@pytest.mark.parametrize(
    ("slots", "label", "part", "cost", "shelf", "unpriced", "stand_ins"),
    [
        # Four on the Shelf, the rest as the maker's parts desk asks.
        (_SECOND, _R16, "HLV5R-16", "296", 4, 0, {}),
        # The Shelf holds six of another part; what is beyond the four is that, with nothing to buy.
        (_SECOND, _R16, None, "0", 6, 0, {"HLV5R-16": 4, "QD5R-16": 2}),
        # A part that nobody has costs an unknown sum, whoever has one of its organisation.
        (_SECOND[:2], _R16, "NOBODY-16", "0", 0, 2, {}),
        # Nor does another rate stand for it.
        (_SECOND[:1], "16GB 1Rx8 PC5-4400B-RC0", None, "0", 0, 1, {}),
        # Nothing comes in.
        (["CPU1.A2"], None, None, "0", 0, 0, {}),
    ],
)
def test_the_cost_of_a_plan_is_what_has_a_price_and_says_what_has_none(
    engine: Engine,
    technician: Account,
    slots: list[str],
    label: str | None,
    part: str | None,
    cost: str,
    shelf: int,
    unpriced: int,
    stand_ins: dict[str, int],
) -> None:
    plan = _fitted(engine, technician, "hall-03", dict.fromkeys(slots, label), part)
    worth = see_worth(engine, plan.id)
    assert (worth.cost, worth.from_shelf, worth.unpriced) == (Decimal(cost), shelf, unpriced)
    assert worth.stand_ins == stand_ins
    assert worth.bought == (0 if label is None else len(slots)) - shelf - unpriced


def test_what_goes_out_is_no_source_for_what_comes_in(engine: Engine, technician: Account) -> None:
    """A fitted part that nobody offers any more goes out, and one of its organisation without a part number comes in."""
    with engine.begin() as db:
        db.execute(text("DELETE FROM offer WHERE part = 'FJM4T-8A'"))
    view = see_plan(engine, _plan_of(engine, "store-01"))
    fitted = view.now["S1"]
    assert isinstance(fitted, Module)
    plan = start_plan(engine, technician, view.machine_id)
    plan = edit_plan(engine, technician, plan.id, plan.version, Layout({"S1": replace(fitted, part=None)}), [])
    worth = see_worth(engine, plan.id)
    assert (worth.unpriced, worth.bought, worth.stand_ins) == (1, 0, {})


def test_trouble_of_a_plan_is_that_of_what_it_rests_on(engine: Engine, technician: Account) -> None:
    worth = see_worth(engine, _plan_of(engine, "store-01"))
    assert worth.rests_on == ("Fjell N4 runs 16 GB",)
    spread = worth.trouble_range
    assert 0 < spread.low < worth.trouble < spread.high < 1 and spread.ways[0].trouble in (spread.low, spread.high)
    assert 0 < worth.fails_early < worth.trouble and worth.quirks > 0
    # All of it vouched for: only as doubtful as anything that comes in. Of those on the Shelf one was pulled, the others are new.
    vouched = see_worth(engine, _plan_of(engine, "hall-03"))
    assert vouched.rests_on == () and (vouched.from_shelf, vouched.bought + vouched.unpriced) == (5, 1)
    assert vouched.fails_early == pytest.approx(1 - 0.99 * 0.997**5) and vouched.trouble < 0.06


def test_what_more_meets_the_need_does_so_when_it_is_put_in(engine: Engine, technician: Account) -> None:
    plan = see_plan(engine, _plan_of(engine, "hall-03"))
    with engine.connect() as db:
        need = need_gib(db, plan.machine_id)
    assert need and plan.evaluation.usable_gib < need
    before = see_worth(engine, plan.id)
    more = more_for(engine, plan.id)
    assert more and more.usable_gib >= need
    emptied = [s for s, m in more.changes.items() if m is None]
    after = edit_plan(engine, technician, plan.id, plan.version, Layout(more.changes), emptied)
    assert (after.evaluation.usable_gib, after.evaluation.verdict) == (more.usable_gib, more.verdict)
    assert see_worth(engine, plan.id).cost <= before.cost + more.cost
    assert more_for(engine, plan.id) is None, "nothing is lacking"


def test_nothing_more_is_asked_of_a_machine_without_a_need(engine: Engine, technician: Account) -> None:
    assert more_for(engine, _plan_of(engine, "store-01")) is None


def test_the_same_total_by_the_way_that_opens_less(engine: Engine, technician: Account) -> None:
    plan = see_plan(engine, _plan_of(engine, "store-01"))
    mine, other = same_total(engine, plan.id)
    assert (mine.changes, mine.minutes, mine.ends_warranty, mine.cost) == ({}, 45, True, Decimal(31))
    assert (other.minutes, other.ends_warranty, other.cost, other.takes_out) == (3, False, Decimal(58), ("S1",))
    emptied = [s for s, m in other.changes.items() if m is None]
    after = edit_plan(engine, technician, plan.id, plan.version, Layout(other.changes), emptied)
    assert after.evaluation.installed_gib == plan.evaluation.installed_gib
    assert after.evaluation.verdict is other.verdict
    assert same_total(engine, plan.id) == (), "nothing opens less than a door"


def test_no_two_ways_where_nobody_tells_how_one_gets_in(engine: Engine, technician: Account) -> None:
    plan = _fitted(engine, technician, "radar-02", {"B": "4GB 2Rx8 PC3L-12800S"})
    assert same_total(engine, plan.id) == ()


@given(st.integers(0, 400), st.data())
def test_layouts_of_a_total_are_of_that_total_and_touch_nothing_else(seed: int, data: st.DataObject) -> None:
    problem = random_problem(seed)
    now, kinds = problem.layout, Scales(problem).kinds
    slots = data.draw(st.lists(st.sampled_from(sorted(problem.sheet.slots)), unique=True, max_size=3))
    gib = data.draw(st.sampled_from([0, 8, 16, 32, 48]))
    held = {k.module: len(k.cost) - 1 for k in kinds if k.module}
    seen = set()
    for layout in layouts_of_total(kinds, now, slots, gib):
        assert layout not in seen
        seen.add(layout)
        assert all(layout.get(s) == now.get(s) for s in problem.sheet.slots if s not in slots)
        inside = [m for s in slots if isinstance(m := layout.get(s), Module)]
        assert sum(map(usable_size, inside)) == gib
        assert all(layout.get(s) is UNKNOWN for s in slots if now.get(s) is UNKNOWN)
        for module, most in held.items():
            assert sum(m == module for m in layout.values()) <= max(most, sum(m == module for m in now.values()))
