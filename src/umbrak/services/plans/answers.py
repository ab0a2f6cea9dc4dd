"""Answers to what a plan's verdict asks: facts of the machine and of modules, kept where they belong, with who told them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from pydantic import ValidationError
from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import FIELD_NAMES, Module, against_itself, known_by_number, read_off
from umbrak.core.platform.known import Origin
from umbrak.core.platform.machine import Layout, Occupant, unmarked
from umbrak.core.questions import RUNS
from umbrak.formats.documents import MachineDoc, ModuleDoc, module_json
from umbrak.formats.faults import type_fault
from umbrak.services.errors import Refused
from umbrak.services.known.loading import Loaded, check_facts, sources_of
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.plans.editing import append_command, may_change, not_stale
from umbrak.services.plans.view import OpenPlan, PlanView, open_plan, view_of_plan
from umbrak.store import machines as machine_store
from umbrak.store import plans as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.surveys import add_survey, add_to_survey

_MACHINE = "machine."


def answer_plan(
    engine: Engine, account: Account, key: UUID, version: int, facts: Mapping[str, Any], by_part: bool = False
) -> PlanView:
    """Keep the answer to a question of a plan: facts of the machine with the machine, of modules in the plan, and of those
    that are fitted in a survey by hand too, which the plan then starts from.

    Parameters
        facts     need ("SLOT.member", "machine.member") -> value; "machine.runs" -> True, by itself: the machine runs with what is in it
        by_part   they are taken from what is known of the modules' part numbers, and not seen on these

    Raises
        NotFound, Stale   as `edit_plan`
        Refused           a need that nobody asks, or a value that it cannot have; names it
    """
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"answer": dict(facts)})
        may_change(plan)
        # A plan that was made before the last survey knows nothing of what was seen since.
        newest = plan.machine.layout
        if RUNS in facts:
            if dict(facts) != {RUNS: True}:
                raise Refused(f"facts.{RUNS}", "It runs with all that is in it: nothing else is an answer to that.")
            kept: UUID | None = _runs(db, account, plan)
            told = {}
        else:
            told = _told(plan, {n: v for n, v in facts.items() if not n.startswith(_MACHINE)}, by_part)
            _tell_machine(db, account, plan.machine, {n: v for n, v in facts.items() if n.startswith(_MACHINE)})
            fitted = {s: m for s, m in told.items() if plan.now.get(s) == plan.goal.get(s) == newest.get(s)}
            kept = _survey(db, account, plan, fitted, "part" if by_part else "by hand") if fitted else None
        if kept and newest == plan.now:
            store.set_state(db, key, plan.row.state, kept)
        if told:
            append_command(db, plan, account, "edit", {s: (plan.goal.get(s), m) for s, m in told.items()})
        refresh(db, plan.row.machine_id)
        return view_of_plan(open_plan(db, key))


def _told(plan: OpenPlan, facts: Mapping[str, Any], by_part: bool) -> dict[str, Occupant]:
    """Slot -> its module with what is told of it."""
    told: dict[str, Occupant] = {}
    for name, value in facts.items():
        slot, _, member = name.rpartition(".")
        held = told.get(slot, plan.goal.get(slot))
        if not isinstance(held, Module) or member not in FIELD_NAMES:
            raise Refused(
                f"facts.{name}", f"There is no module in {slot or 'that slot'} of which {member} could be told."
            )
        try:
            new = _with(held, member, value)
        except ValidationError as error:
            raise Refused(f"facts.{name}", type_fault(error.errors()[0])) from error
        read = read_off(held)
        told[slot] = known_by_number(new, read if by_part else replace(read, **{member: getattr(new, member)}))
    return told


def _with(held: Module, member: str, value: Any) -> Module:
    """A module with another value of a member; what followed from the old one alone goes with it. Raises ValidationError."""
    said = {**module_json(held), member: value}
    new = ModuleDoc(**said).value()
    if member == "capacity_gib" and against_itself(new):
        return ModuleDoc(**{**said, "die_gbit": None}).value()
    return new


def _tell_machine(db: Connection, account: Account, m: Loaded, facts: Mapping[str, Any]) -> None:
    """What is told of the machine, kept with it."""
    if not facts:
        return
    known: dict[str, Any] = m.row.facts.model_dump()
    for name, value in facts.items():
        member, _, socket = name.removeprefix(_MACHINE).partition(".")
        known[member] = {**known.get(member, {}), socket: value} if socket else value
    try:
        document = MachineDoc(**known)
    except ValidationError as error:
        where = ".".join(map(str, error.errors()[0]["loc"]))
        raise Refused(f"facts.{_MACHINE}{where}", type_fault(error.errors()[0])) from error
    check_facts(m.sheet, document)
    machine_store.change_machine(db, m.row.id, m.row.version + 1, {"facts": document})
    record(db, "machine changed", account.id, m.row.id, changed={"facts": None}, version=m.row.version + 1)


def _runs(db: Connection, account: Account, plan: OpenPlan) -> UUID:
    """The newest survey with that somebody saw the machine run with all that is known to be in it. Returns its id."""
    m = plan.machine
    seen = {s: replace(o, ran=True) for s, o in sources_of(m).items() if isinstance(m.layout.get(s), Module)}
    content = replace(m.survey.content, sources={**sources_of(m), **seen})
    record(db, "said to run", account.id, m.row.id, slots=sorted(seen), revision=m.survey.revision + 1)
    return add_to_survey(db, m.row.id, m.survey.id, content)


def _survey(db: Connection, account: Account, plan: OpenPlan, fitted: Mapping[str, Occupant], kind: str) -> UUID:
    """A survey by hand, or by part numbers, with what is told of fitted modules. Returns its id."""
    m, now = plan.machine, datetime.now(UTC)
    known = m.survey.content
    slots = unmarked(Layout({**m.layout, **fitted}))
    sources = sources_of(m)
    # Over the machine's own report: that it runs with the module stays known.
    told = {s: Origin(kind, now, over=sources[s].first, ran=sources[s].ran) for s in fitted}
    content = replace(known, slots=slots, sources={**sources, **told})
    done = "told by part number" if kind == "part" else "surveyed by hand"
    record(db, done, account.id, m.row.id, slots=sorted(fitted), revision=m.survey.revision + 1)
    return add_survey(db, m.row.id, kind, content, account.id, None, now)
