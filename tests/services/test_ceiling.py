"""Statements beside the sheets: kept, judged by, of one machine or of all of a model, taken back."""

from __future__ import annotations

from datetime import date
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import Engine

from tests.services.test_taking_in import key_of
from umbrak.core.platform.machine import Layout
from umbrak.formats.documents import StatementDoc
from umbrak.services.errors import NotFound, Refused
from umbrak.services.evidence.ceiling import Tried, add_statement, say, see_ceiling, withdraw_statement
from umbrak.services.evidence.trials import list_trials
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.page import see_machine
from umbrak.store.accounts import Account

LESS = {
    "scope": "machine",
    "capacity_gib": 12,
    "source": {"title": "a mail from support", "kind": "named", "date": "2026-02-01"},
}


def said(**more: Any) -> StatementDoc:
    return StatementDoc(**{**LESS, **more})


def worst(engine: Engine, name: str) -> str | None:
    return next(m for m in list_machines(engine).machines if m.name == name).summary.worst_message


def test_a_statement_is_judged_by_until_it_is_taken_back(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "desk-05")
    installed = see_machine(engine, machine).evaluation.installed_gib
    assert installed > 12
    add_statement(engine, technician, machine, said(official=True), of_model=False)
    seen = see_ceiling(engine, machine)
    (mine,) = [s for s in seen.statements if s.stated_by]
    assert (mine.total_gib, mine.stated_by, mine.of_model, [k.value for k in mine.binds]) == (
        12,
        "I. Mar",
        False,
        ["official"],
    )
    assert (seen.ceilings[0].gib, seen.now_gib) == (12, installed)
    judged = see_machine(engine, machine).evaluation
    assert any(f.code == "risk.over-official" and "a mail from support" in f.message for f in judged.findings)
    withdraw_statement(engine, technician, machine, UUID(mine.id))
    assert not [s for s in see_ceiling(engine, machine).statements if s.stated_by]
    with pytest.raises(NotFound):
        withdraw_statement(engine, technician, machine, UUID(mine.id))


def test_of_a_model_it_holds_for_every_machine_and_in_the_list_at_once(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "desk-05")
    twin = make_machine(
        engine,
        technician,
        NewMachine(
            name="desk-09",
            sheet_hash=see_machine(engine, machine).sheet_hash,
            fitted=Layout(see_machine(engine, machine).slots),
        ),
    )
    add_statement(engine, technician, machine, said(capacity_gib=1, hard=True), of_model=True)
    for name, key in (("desk-05", machine), ("desk-09", twin)):
        assert "a mail from support states 1" in (worst(engine, name) or "")
        assert [s.of_model for s in see_ceiling(engine, key).statements if s.stated_by] == [True]
    assert not [s for s in see_ceiling(engine, key_of(engine, "desk-04")).statements if s.stated_by]


def test_a_limit_and_what_ran_are_said_once_and_kept_together_or_not_at_all(
    engine: Engine, technician: Account
) -> None:
    machine = key_of(engine, "desk-05")
    ran = {
        "outcome": "fine",
        "who": "named",
        "tried_on": date(2026, 1, 5),
        "total_gib": 24,
        "source": "a mail from support",
    }
    before = (len(see_ceiling(engine, machine).statements), len(list_trials(engine)))
    for wrong, field in (({"tried_on": date(2199, 1, 1)}, "date"), ({"total_gib": None}, "module")):
        with pytest.raises(Refused) as refused:
            say(engine, technician, machine, said(), False, Tried(**{**ran, **wrong}))
        assert refused.value.field == field
        assert (len(see_ceiling(engine, machine).statements), len(list_trials(engine))) == before
    with pytest.raises(Refused):
        say(engine, technician, machine, None, False, None)
    say(engine, technician, machine, said(), False, Tried(**ran))
    seen = see_ceiling(engine, machine)
    assert [s.source.title for s in seen.statements if s.stated_by] == ["a mail from support"]
    assert [(s.gib, s.who.value) for s in seen.shown if s.tried_on == date(2026, 1, 5)] == [(24, "named")]
    (trial,) = [t for t in list_trials(engine) if t.source == "a mail from support"]
    assert trial.total_gib == 24 and trial.moved


def test_what_nothing_can_pass_is_in_doubt_once_more_was_seen_to_run(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "desk-05")
    now = see_machine(engine, machine).evaluation.installed_gib

    def doubted(gib: float) -> str:
        add_statement(engine, technician, machine, said(capacity_gib=gib, hard=True), of_model=False)
        found = next(s for s in see_ceiling(engine, machine).statements if s.stated_by)
        withdraw_statement(engine, technician, machine, UUID(found.id))
        return found.ran_beyond

    assert doubted(now) == "" and doubted(now / 2) == f"{now:g} GB runs here now"
    ran = {"outcome": "fine", "tried_on": date(2026, 1, 5), "total_gib": 2 * now}
    say(engine, technician, machine, None, False, Tried(who="hearsay", **ran))
    assert doubted(now) == "", "a rumour is no proof"
    say(engine, technician, machine, None, False, Tried(who="own-proof", **ran))
    assert doubted(now) == f"{2 * now:g} GB ran by our own proof of 2026-01-05" and doubted(2 * now) == ""


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"scope": "slot", "where": "Z9"}, "where"),
        ({"where": "A"}, "where"),
        ({"processor": "nothing"}, "processor"),
        ({"replaces": ["nothing"]}, "replaces"),
    ],
)
def test_a_statement_about_nothing_is_refused(
    engine: Engine, technician: Account, wrong: dict[str, Any], field: str
) -> None:
    with pytest.raises(Refused) as refused:
        add_statement(engine, technician, key_of(engine, "desk-05"), said(**wrong), of_model=False)
    assert refused.value.field == field
