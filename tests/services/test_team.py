"""Whose word a plan at risk wants: one's own is marked, two may be asked for, and small risks are left to technicians."""

from __future__ import annotations

from dataclasses import replace

import pytest
from sqlalchemy import Engine

from tests.services.test_taking_in import key_of
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.services.bench.making import start_run
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.people.accounts import add_account
from umbrak.services.people.settings import TeamSettings, see_team, set_team
from umbrak.services.plans.approval import approve, see_risk
from umbrak.services.plans.editing import start_plan
from umbrak.services.plans.view import PlanView, see_plan
from umbrak.store.accounts import Account
from umbrak.store.plans import plans_of


def at_risk(engine: Engine, account: Account, like: str = "Open it up") -> PlanView:
    """A copy of the demo's plan that is at risk, by whoever begins it."""
    machine = key_of(engine, "store-01")
    with engine.connect() as db:
        model = next(p.id for p in plans_of(db, machine) if p.name == like)
    return start_plan(engine, account, machine, f"of {account.name}", like=model)


def other(engine: Engine, name: str, role: str) -> Account:
    return add_account(engine, name, shown_as=name, password="long enough 1", role=role)


def test_a_leads_word_for_a_plan_of_their_own_is_marked(engine: Engine, technician: Account, lead: Account) -> None:
    mine, theirs = at_risk(engine, lead), at_risk(engine, technician)
    assert [a.own for a in approve(engine, lead, mine.id, mine.version).approvals] == [True]
    assert [a.own for a in approve(engine, lead, theirs.id, theirs.version).approvals] == [False]


def test_two_people_may_be_asked_for(engine: Engine, technician: Account, lead: Account) -> None:
    plan = at_risk(engine, technician)
    with pytest.raises(NotAllowed):
        set_team(engine, technician, TeamSettings(approvals=2))
    set_team(engine, lead, TeamSettings(approvals=2))
    with pytest.raises(Refused, match="two have to approve"):
        start_run(engine, technician, plan.id)
    once = approve(engine, lead, plan.id, plan.version)
    assert (len(once.approvals), once.wanted) == (1, 2) and see_plan(engine, plan.id).state == "draft"
    # The same word twice is one word.
    assert len(approve(engine, lead, plan.id, plan.version).approvals) == 1
    with pytest.raises(Refused, match="one more has to"):
        start_run(engine, technician, plan.id)
    twice = approve(engine, other(engine, "second lead", "lead"), plan.id, plan.version)
    assert len(twice.approvals) == 2 and see_plan(engine, plan.id).state == "approved"
    assert start_run(engine, technician, plan.id).plan_id == plan.id


def test_small_risks_are_left_to_technicians_but_not_their_own(
    engine: Engine, technician: Account, lead: Account
) -> None:
    mine, theirs = at_risk(engine, technician), at_risk(engine, lead)
    with pytest.raises(NotAllowed, match="it takes a lead"):
        approve(engine, technician, theirs.id, theirs.version)
    risk = see_risk(engine, theirs.id)
    below = TeamSettings(delegated_trouble=risk.trouble / 2, delegated_cost=10_000)
    for team in (below, TeamSettings(delegated_trouble=1.0, delegated_cost=0.01)):
        set_team(engine, lead, team)
        with pytest.raises(NotAllowed, match="is a lead’s to take"):
            approve(engine, technician, theirs.id, theirs.version)
    set_team(engine, lead, TeamSettings(delegated_trouble=1.0, delegated_cost=10_000))
    assert see_team(engine).delegated_trouble == 1.0
    with pytest.raises(NotAllowed, match="your own plan"):
        approve(engine, technician, mine.id, mine.version)
    # Of a module whose size nobody knows the trouble is not all told: no figure covers it.
    unsized = replace(
        next(m for m in theirs.goal.values() if isinstance(m, Module)), capacity_gib=None, die_gbit=None, part=None
    )
    vague = start_plan(engine, lead, theirs.machine_id, wanted=Layout(dict.fromkeys(theirs.goal, unsized)))
    with pytest.raises(NotAllowed, match="how much is in 2 of its slots is not known"):
        approve(engine, technician, vague.id, vague.version)
    assert approve(engine, technician, theirs.id, theirs.version).approvals[0].by == technician.shown_as
    with pytest.raises(NotAllowed):
        approve(engine, other(engine, "looks on", "viewer"), theirs.id, theirs.version)
