"""Rounds of the demo's machines: asked, proposed, accepted, changed under way, solved again from where they stand."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import Engine, update

from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import Layout
from umbrak.core.rounds.ways import onto
from umbrak.services.buying.ordering import NewPurchase, place_purchase
from umbrak.services.buying.wanted import see_buying
from umbrak.services.errors import Refused, Stale
from umbrak.services.known.loading import load_machine, sound_layout
from umbrak.services.machines.making import retire_machine
from umbrak.services.plans.editing import edit_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.rounds.asked import ASKED, AskedPin, AskedWave, RoundAsked
from umbrak.services.rounds.changing import (
    accept_round,
    ask_otherwise,
    close_round,
    do_search,
    make_round,
    search_round,
    stop_search,
)
from umbrak.services.rounds.proposal import PROPOSAL
from umbrak.services.rounds.view import RoundState, RoundView, see_round
from umbrak.services.shelf.changing import NewOffer, add_offer, change_stock
from umbrak.services.shelf.view import see_shelf
from umbrak.store import jobs
from umbrak.store import plans as plan_store
from umbrak.store.accounts import Account
from umbrak.store.machines import find_machine
from umbrak.store.tables import round_plan

TODAY = datetime.now(UTC).date()
MAPS = ("map-01", "map-02", "map-03", "map-04", "map-05")


def waves(*days: int, hours: float = 10.0) -> list[AskedWave]:
    return [AskedWave(day=TODAY + timedelta(days=d), hours=hours) for d in days]


def asked(engine: Engine, *names: str, **changes: Any) -> RoundAsked:
    given = {"machines": [key_of(engine, n) for n in names], "waves": waves(4, 11, 18, 25), "short_gb": Decimal(30)}
    return RoundAsked.model_validate({**given, **changes})


def solved(engine: Engine, account: Account, key: UUID) -> RoundView:
    job = search_round(engine, account, key)
    do_search(engine, job, key, 10.0)
    stop_search(engine, account, key)
    with engine.begin() as db:
        jobs.set_state(db, job, "done")
    return see_round(engine, key)


def served(view: RoundView) -> dict[str, date]:
    assert view.proposal
    return {r.machine: r.served.day for r in view.proposal.rows if r.served}


def why(view: RoundView) -> dict[str, str]:
    assert view.proposal
    return {r.machine: r.why for r in view.proposal.rows if not r.served}


def test_a_round_from_asking_to_plans_and_what_to_buy(engine: Engine, technician: Account) -> None:
    view = make_round(engine, technician, "", asked(engine, *MAPS, "desk-04", "hall-04"))
    assert (view.name, view.state, view.proposal) == ("Round 1", RoundState.ASKED, None)
    with pytest.raises(Refused, match="solve it again"):
        accept_round(engine, technician, view.id, view.version)
    view = solved(engine, technician, view.id)
    p = view.proposal
    assert p and view.fresh and view.state is RoundState.PROPOSED and not view.changed
    assert p.ended == "proved" and p.gap == 0
    whole = {r.machine: r.ways_whole for r in p.rows}
    assert whole["hall-04"] and not whole["map-03"], "more ways than a round chooses from"
    # What came out of a map machine goes into another of them, after it has soaked; never two of them in one wave.
    handed = [x for x in p.passed if x.donor]
    days = served(view)
    names = {r.machine_id: r.machine for r in p.rows}
    assert handed and all(days[names[x.to]] >= days[names[x.donor]] + timedelta(days=3) for x in handed if x.donor)
    open_on = [d for n, d in days.items() if n in MAPS]
    assert len(set(open_on)) == len(open_on) == 4, "four waves, and never two of a duty group in one"
    assert why(view)["hall-04"] == "it has what it needs"
    assert any(h.by == "group" and h.machine_id for h in p.holds)
    assert p.spent == sum(b.price for b in p.buy) == sum(w.money for w in p.waves)
    # Accepted: a plan a machine, its own modules where they are; what to buy is what was proposed to be bought.
    view = accept_round(engine, technician, view.id, view.version)
    assert view.state is RoundState.ACCEPTED and {x.machine_id for x in view.plans} == {
        r.machine_id for r in p.rows if r.served
    }
    buying = see_buying(engine, [x.plan_id for x in view.plans])
    bought = sum(t.modules for line in buying.lines for t in line.takes)
    assert bought == sum(b.kits * b.kit for b in p.buy), "what is passed on is not bought"
    assert sum(x.handed_on for x in buying.plans) == sum(x.count for x in handed)
    donor = next(x.plan_id for x in view.plans if x.machine_id == handed[0].donor)
    with engine.begin() as db:
        plan_store.set_state(db, donor, "backed out")
    lacking = see_buying(engine, [x.plan_id for x in view.plans])
    assert sum(x.handed_on for x in lacking.plans) < sum(x.count for x in handed), "nothing came out of it"
    with engine.begin() as db:
        plan_store.set_state(db, donor, "draft")
    again = accept_round(engine, technician, view.id, view.version)
    assert {x.plan_id for x in again.plans} == {x.plan_id for x in view.plans}, "accepting twice makes nothing twice"


def test_less_knowledge_is_said_and_serves_nobody_better(engine: Engine, technician: Account) -> None:
    nobody_said = make_round(engine, technician, "unsaid", asked(engine, "desk-06", "wave-01", "tide-01"))
    view = solved(engine, technician, nobody_said.id)
    assert why(view)["desk-06"].startswith("nobody said what it needs") and "wave-01" in why(view)
    assert view.proposal and {r.machine: r.not_counted for r in view.proposal.rows} == {
        "desk-06": 0,
        "wave-01": 2,
        "tide-01": 0,
    }
    here = asked(engine, "desk-06", needs={key_of(engine, "desk-06"): 90.0})
    told = make_round(engine, technician, "said here", here)
    said = solved(engine, technician, told.id)
    assert "desk-06" in served(said), why(said)
    out_of_reach = asked(engine, "tide-01", needs={key_of(engine, "tide-01"): 4000.0})
    view = solved(engine, technician, make_round(engine, technician, "too much", out_of_reach).id)
    assert why(view)["tide-01"].startswith("no way to 4000 GB")
    # A supplier that does not say how long it takes is not there before the days that the round reckons with.
    late = asked(engine, "tide-01", waves=waves(1), lead_untold=30, budget=Decimal(0))
    assert set(served(solved(engine, technician, make_round(engine, technician, "now", late).id))) <= {"tide-01"}
    # What is told against itself is told, and not used.
    odd = decode_label("33GB 2Rx8 PC5-5600B-UA0").module
    add_offer(
        engine,
        technician,
        NewOffer(part="ODD-33", module=odd, supplier="Quay Parts", price=Decimal(1), priced_on=TODAY),
    )
    again = solved(engine, technician, told.id)
    assert again.proposal and again.proposal.left_out[0].startswith("ODD-33 is told against itself")
    assert {b.part for b in again.proposal.buy}.isdisjoint({"ODD-33"}) and served(again) == served(said)


def test_pins_and_closed_waves_are_held(engine: Engine, technician: Account) -> None:
    first, second = (key_of(engine, n) for n in ("map-03", "map-04"))
    days = [w.day for w in waves(4, 11, 18, 25)]
    view = make_round(
        engine, technician, "pinned",
        asked(engine, *MAPS, pins={first: AskedPin(day=days[3]), second: AskedPin(out=True)}, closed={key_of(engine, "map-05"): days}),
    )  # fmt: skip
    view = solved(engine, technician, view.id)
    assert served(view)["map-03"] == days[3] and "map-04" not in served(view)
    assert why(view)["map-05"] == "no wave is open to it"
    both = asked(engine, *MAPS, pins={first: AskedPin(day=days[0]), second: AskedPin(day=days[0])})
    view = solved(engine, technician, ask_otherwise(engine, technician, view.id, view.version, both).id)
    assert view.proposal and len(view.proposal.unheld) == 1 and view.proposal.unheld[0] in ("map-03", "map-04")


def test_two_people_at_one_round_and_what_changed_meanwhile(engine: Engine, technician: Account, lead: Account) -> None:
    view = make_round(engine, technician, "two", asked(engine, "tide-01", "tide-02", "map-03"))
    view = solved(engine, technician, view.id)
    theirs = ask_otherwise(engine, lead, view.id, view.version, asked(engine, "tide-01", "tide-02"))
    with pytest.raises(Stale) as stale:
        ask_otherwise(engine, technician, view.id, view.version, asked(engine, "map-03"))
    assert stale.value.theirs.version == theirs.version and not see_round(engine, view.id).fresh
    with pytest.raises(Refused, match="another question"):
        accept_round(engine, technician, view.id, theirs.version)
    view = solved(engine, technician, view.id)
    # Stock is taken by hand between proposal and acceptance.
    assert view.proposal and any(x.source == "shelf" for x in view.proposal.passed)
    for line in see_shelf(engine).stock:
        if line.part == "ZX4E-8":
            change_stock(engine, technician, line.id, line.version, {"count": 0})
    view = see_round(engine, view.id)
    assert any("somebody took them" in c for c in view.changed)
    with pytest.raises(Refused, match="took them"):
        accept_round(engine, technician, view.id, view.version)
    view = solved(engine, technician, view.id)
    assert not view.changed and accept_round(engine, technician, view.id, view.version).plans
    close_round(engine, technician, view.id)
    assert see_round(engine, view.id).state is RoundState.DONE
    with pytest.raises(Refused, match="is done"):
        search_round(engine, technician, view.id)


def test_solved_again_from_where_it_stands(engine: Engine, technician: Account) -> None:
    view = make_round(engine, technician, "again", asked(engine, *MAPS))
    view = accept_round(engine, technician, view.id, solved(engine, technician, view.id).version)
    plans = {x.machine_id: x for x in view.plans}
    assert view.proposal
    donor = next(x.donor for x in view.proposal.passed if x.donor)
    heir = next(x.to for x in view.proposal.passed if x.donor == donor)
    # What is ordered costs nothing more, and comes when it is due.
    buying = see_buying(engine, [p.plan_id for p in view.plans])
    supplier = next(t.supplier for line in buying.lines for t in line.takes)
    cost = sum(t.price for line in buying.lines for t in line.takes if t.supplier == supplier)
    place_purchase(
        engine, technician,
        NewPurchase(supplier=supplier, ordered_on=TODAY, due_on=TODAY + timedelta(days=2), plans=tuple(p.plan_id for p in view.plans), cost=cost),
    )  # fmt: skip
    spent = view.proposal.spent
    # The donor is on the bench: it stays as it is, and what it gives up still serves its heir.
    with engine.begin() as db:
        plan_store.set_state(db, plans[donor].plan_id, "under way")
    view = solved(engine, technician, view.id)
    assert view.proposal and view.proposal.spent < spent
    assert any(x.donor == donor for x in view.proposal.passed), "what is under way gives up what it takes out"
    view = accept_round(engine, technician, view.id, view.version)
    assert {x.machine_id: x.plan_id for x in view.plans}[donor] == plans[donor].plan_id
    # It goes back to what it was: said, and the heir has to have others.
    with engine.begin() as db:
        plan_store.set_state(db, plans[donor].plan_id, "backed out")
        missed = update(round_plan).where(round_plan.c.machine_id == heir)
        db.execute(missed.values(day=TODAY - timedelta(days=1)))
    view = see_round(engine, view.id)
    assert any("went back" in c for c in view.changed)
    assert [x.missed for x in view.plans if x.machine_id == heir] == [True]
    view = solved(engine, technician, view.id)
    view = accept_round(engine, technician, view.id, view.version)
    mine = [x for x in view.plans if x.machine_id == donor]
    assert not mine or mine[0].plan_id != plans[donor].plan_id


def test_a_machine_that_is_not_what_it_was_is_not_planned_for(engine: Engine, technician: Account) -> None:
    view = solved(engine, technician, make_round(engine, technician, "moved", asked(engine, "tide-03", "map-05")).id)
    key = key_of(engine, "map-05")
    with engine.connect() as db:
        row = find_machine(db, key)
    assert row
    retire_machine(engine, technician, key, row.version, True)
    view = see_round(engine, view.id)
    assert any("map-05 is not what it was" in c for c in view.changed)
    with pytest.raises(Refused, match="map-05"):
        accept_round(engine, technician, view.id, view.version)
    view = solved(engine, technician, view.id)
    assert why(view)["map-05"] == "it is retired"


def test_a_plan_of_a_round_that_somebody_changed_by_hand_is_kept_in_sight(engine: Engine, technician: Account) -> None:
    view = make_round(engine, technician, "by hand", asked(engine, "tide-02"))
    view = accept_round(engine, technician, view.id, solved(engine, technician, view.id).version)
    plan = see_plan(engine, view.plans[0].plan_id)
    edit_plan(engine, technician, plan.id, plan.version, Layout({}), tuple(plan.goal))
    before = view.plans[0].plan_id
    assert [c for c in see_round(engine, view.id).changed if "changed the plan" in c]
    view = accept_round(engine, technician, view.id, solved(engine, technician, view.id).version)
    assert not [c for c in view.changed if "changed the plan" in c]
    assert view.plans[0].plan_id != before and see_plan(engine, before).discarded, "it gives way, and is not lost"


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"machines": []}, "machines"),
        ({"waves": []}, "waves"),
        ({"waves": waves(3, 3)}, "waves"),
        ({"pins": {UUID(int=1): AskedPin(day=TODAY)}}, f"pins.{UUID(int=1)}"),
        ({"machines": [UUID(int=1)]}, "machines"),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_is_refused_by_name(
    engine: Engine, technician: Account, changes: dict[str, Any], field: str
) -> None:
    with pytest.raises(Refused) as refused:
        make_round(engine, technician, "wrong", asked(engine, "tide-01", **changes))
    assert refused.value.field == field


def test_a_goal_of_kinds_becomes_one_of_a_machines_own_modules(engine: Engine, technician: Account) -> None:
    with engine.connect() as db:
        now = sound_layout(load_machine(db, key_of(engine, "map-03")))
    own = Layout({s: replace(m, serial=f"S{i}") for i, (s, m) in enumerate(now.items()) if isinstance(m, Module)})
    slots = list(own)
    kind = alike(next(m for m in own.values() if isinstance(m, Module)))
    goal = onto(own, Layout({slots[0]: kind, "A1": kind, "B1": kind}))
    assert goal[slots[0]] == own[slots[0]], "what stays is itself"
    serials = {m.serial for m in goal.values() if isinstance(m, Module)}
    assert len(serials) == 3 and serials < {m.serial for m in own.values() if isinstance(m, Module)}


def test_what_was_kept_by_this_revision_is_read_by_later_ones() -> None:
    """Samples of the first shape: whoever changes it writes an upgrader and keeps these."""
    key = "01a22617-a446-77b5-864c-fc353ac9c75b"
    was_asked = ASKED.read({
        "schema": 1, "machines": [key], "waves": [{"day": "2026-12-03", "hours": 10.0, "people": "I. Mar"}], "needs": {key: 64.0},
        "closed": {key: ["2026-12-03"]}, "pins": {key: {"day": None, "route": "128 GB: 4 × 16 GB", "out": False}}, "budget": "1400",
        "passing_on": True, "keep_warranty": False, "third_party": True, "short_gb": "20", "lead_untold": 14, "soak_days": 3.0,
    })  # fmt: skip
    assert was_asked.pins[UUID(key)].route == "128 GB: 4 × 16 GB" and was_asked.budget == Decimal(1400)
    assert ASKED.read(ASKED.write(was_asked)) == was_asked
    was = PROPOSAL.read({
        "schema": 1, "at": "2026-11-29T07:00:00Z", "ended": "proved", "seconds": 0.1, "cost": 958.83, "gap": 0.0, "gap_money": 0.0,
        "spent": "528.00", "hours": 8.6, "gib": 127.6, "trouble": 0.2, "troubled": 0.2, "saved": "164.00", "currency": "EUR",
        "rows": [{"machine_id": key, "machine": "map-01", "model": "Tarrow Q4", "group": "maps", "usable_gib": 127.4, "need_gib": None,
                  "ways": [], "served": None, "why": "nobody said", "stamp": "1:x:y"}],
        "waves": [{"day": "2026-12-03", "hours": 10.0, "hours_used": 0.0, "money": "0.00", "gib": 0.0, "trouble": 0.0, "machines": 0, "buy": ""}],
        "passed": [{"kind": "k", "words": "16 GB", "count": 4, "source": "pulled", "donor": key, "to": key}],
        "buy": [{"part": "T32", "words": "32 GB", "supplier": "Merrow Supply", "kits": 4, "kit": 1, "price": "264.00", "lead_days": None, "left_over": 0}],
        "holds": [{"by": "hours", "day": "2026-12-03", "machine_id": None, "words": "2 more hours", "more": 2.0, "gain": 90.0, "sure": True, "comes_in": ["map-02"], "goes_out": []}],
        "unheld": [], "version": 1, "knew": {key: "draft"},
    })  # fmt: skip
    assert was.rows[0].served is None and was.passed[0].donor == UUID(key) and PROPOSAL.read(PROPOSAL.write(was)) == was
