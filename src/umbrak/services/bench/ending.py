"""How a run ends: signed off, with everything that follows from that, or backed out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.evidence.doubts import held_by
from umbrak.core.evidence.table import Outcome
from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.difference import compare_slot
from umbrak.core.platform.known import Origin
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.statement import SourceKind
from umbrak.core.proof.compare import Seen
from umbrak.formats.documents import like_key
from umbrak.formats.entries import SignedDoc
from umbrak.services.bench.view import RunView, run_view
from umbrak.services.errors import Refused
from umbrak.services.evidence.trials import NewTrial, note_trial
from umbrak.services.known.judging import judged_question
from umbrak.services.known.loading import Loaded, as_planned, load_machine, sources_of, with_facts
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.proof.state import ProofState, newest_fresh, proof_state
from umbrak.services.runs.entries import found_run, keep, layouts_of, under_way
from umbrak.services.shelf.changing import clear_needs, put_away, take_from_shelf
from umbrak.services.shelf.view import StockState
from umbrak.store import machines as machine_store
from umbrak.store import plans as plan_store
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.engine import new_id
from umbrak.store.history import record
from umbrak.store.runs import RunRow
from umbrak.store.surveys import add_survey
from umbrak.store.whereabouts import end_stays


@dataclass(frozen=True, slots=True)
class Return:
    """A module that goes back to its maker or seller."""

    reference: str
    due_on: date | None


@dataclass(frozen=True, slots=True)
class SignOff:
    """What a person says when signing off."""

    #: fine or quirks.
    outcome: str
    note: str
    #: Where what came out is put.
    place: str
    #: Slot that a module came out of -> its return; the others go on the Shelf as pulled.
    returns: Mapping[str, Return]


def sign_off(engine: Engine, account: Account, key: UUID, said: SignOff, now: datetime) -> RunView:
    """End a proved run: what was planned is what is fitted, what came out goes on the Shelf or back, what was tried goes to
    Field notes, the machine returns to duty (or waits for its next stage).

    Raises NotFound; Refused, which names what is lacking.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        row = under_way(db, key)
        m = load_machine(db, row.machine_id)
        proof = proof_state(db, m, row, store.entries_of(db, row.id), now)
        if proof.lacking:
            raise Refused("proof", f"It cannot be signed off yet: {'; '.join(i.words for i in proof.lacking)}.")
        state = "waived" if proof.waived else "proved"
        waived = [f"{i.what}: {i.reason}" for i in proof.waived]
        signed = SignedDoc(kind="signed", outcome=said.outcome, note=said.note, waived=waived)
        keep(db, account, row, new_id(), signed, now)
        before, goal, failed = layouts_of(row)
        out = {a.source for a in actions(m.sheet, before, goal, failed) if a.do is Do.TAKE_OUT and a.source}
        end_stays(db, row.machine_id, out, now)
        survey_id, fitted = _becomes_fitted(db, account, m, row, proof, now)
        _runs_as_planned(db, account, m, row)
        came_out = _sort_out(db, account, m, row, said, proof.serials)
        if not waived:
            # Who went on without knowing has tried nothing that others could rely on.
            note_trials(db, account, row, said.outcome, proof.soak.day if proof.soak else 0.0, said.note, now)
        # Who went on without knowing cannot say that it was right.
        store.end_run(db, key, state, now, None if waived else said.outcome)
        last = row.stage == row.stages
        plan_store.set_state(db, row.plan_id, state if last else "under way", survey_id)
        _learn(db, account, row, fitted)
        if last:
            clear_needs(db, row.plan_id)
        refresh(db, row.machine_id)
        record(
            db, "run proved" if state == "proved" else "run back on duty", account.id, row.machine_id, row.plan_id, run=str(key), came_out=came_out, stage=row.stage, waived=waived
        )  # fmt: skip
        return run_view(db, found_run(db, key), now)


def back_out(
    engine: Engine, account: Account, key: UUID, reason: str, now: datetime, outcome: str | None = None
) -> RunView:
    """End a run with the machine as it was before. `outcome` (not-seen, unstable) becomes a trial in Field notes.

    Raises NotFound, Refused where it has ended, or nobody says why.
    """
    need(account, Role.technician)
    if not reason.strip():
        raise Refused("reason", "Say why: whoever plans again wants to know.")
    with engine.begin() as db:
        row = under_way(db, key)
        store.end_run(db, key, "backed out", now, outcome)
        plan_store.set_state(db, row.plan_id, "backed out")
        clear_needs(db, row.plan_id)
        if outcome is not None:
            note_trials(db, account, row, outcome, 0.0, reason.strip(), now)
        refresh(db, row.machine_id)
        record(db, "run backed out", account.id, row.machine_id, row.plan_id, run=str(key), reason=reason.strip())
        return run_view(db, found_run(db, key))


#: How a slot that was seen so is known from then on.
_KNOWN_BY = {Seen.RIGHT: "proof", Seen.BY_TOTAL: "total"}


def _becomes_fitted(
    db: Connection, account: Account, m: Loaded, row: RunRow, proof: ProofState, now: datetime
) -> tuple[UUID, Layout]:
    """A new survey: the goal, with what the machine told of each module beside it, and the serials noted at the bench. A slot
    that nobody saw is known by the run sheet alone."""
    begun, goal, _ = layouts_of(row)
    fresh = newest_fresh(db, m, store.entries_of(db, row.id))
    seen = fresh[0].slots if fresh else {}
    fitted: dict[str, Occupant | None] = {
        s: _with_serial(compare_slot(s, o, seen[s]).merged if s in seen else o, proof.serials.get(s)) for s, o in goal.items()
    }  # fmt: skip
    known = m.survey.content
    compared = {p.slot: p.seen for p in proof.seen.comparison.slots} if proof.seen and not proof.seen.stale else {}
    handled = goal.changed_from(begun)
    shown = {s: Origin(_KNOWN_BY[how], now) for s, how in compared.items() if how in _KNOWN_BY}
    # What somebody found meanwhile in a slot that the run leaves alone stands where the proof did not see it.
    found = {s: m.layout.get(s) for s in m.layout.changed_from(begun) if s not in handled and s not in shown}
    sources = {**sources_of(m), **{s: Origin("run sheet", now) for s in handled}, **shown}
    content = replace(
        known,
        slots=(held := Layout({s: x for s, x in {**fitted, **found}.items() if x is not None})),
        failed=(),
        in_use=(),
        sources=sources,
        disputed={},
        health={},
        totals=None,
        running=None,
    )
    return add_survey(db, row.machine_id, "proof", content, account.id, None, now), held


def _with_serial(occupant: Occupant | None, serial: str | None) -> Occupant | None:
    known = isinstance(occupant, Module) and not occupant.serial and serial
    return replace(occupant, serial=serial) if known and isinstance(occupant, Module) else occupant


def _runs_as_planned(db: Connection, account: Account, m: Loaded, row: RunRow) -> None:
    """What the plan said that the machine would run with is what it runs with: bringing it there was a step of the run."""
    plan = plan_store.find_plan(db, row.plan_id)
    if plan and plan.runs_with and as_planned(m, plan.runs_with).machine != m.machine:
        facts = with_facts(m.row.facts, plan.runs_with)
        machine_store.change_machine(db, m.row.id, m.row.version + 1, {"facts": facts})
        record(db, "machine changed", account.id, m.row.id, changed={"facts": None}, version=m.row.version + 1)


def _learn(db: Connection, account: Account, row: RunRow, fitted: Layout) -> None:
    """The plan's goal with what is known by now of the modules that this stage fitted: its next stage must not take them for
    others."""
    plan = plan_store.find_plan(db, row.plan_id)
    assert plan is not None
    _, stage, _ = layouts_of(row)
    goal = plan.goal

    def learnt(of: Layout) -> Layout:
        return Layout({s: fitted.get(s) if of.get(s) == stage.get(s) else of.get(s) for s in {*of, *fitted}})

    plan_store.set_stages(db, plan.id, [learnt(s) for s in plan.stages[1:]])
    known = learnt(goal)
    if known != goal:
        plan_store.add_command(db, plan.id, plan.version + 1, "edit", {}, known, account.id)


def _sort_out(
    db: Connection, account: Account, m: Loaded, row: RunRow, said: SignOff, serials: Mapping[str, str]
) -> list[str]:
    """Modules that left go on the Shelf; modules that came are taken from it, where it had them.

    Parameters
        serials   slot -> serial of what went in, as noted at the bench
    """
    before, goal, failed = layouts_of(row)
    done = actions(m.sheet, before, goal, failed)
    told = []
    for a in done:
        if a.do is Do.TAKE_OUT and a.target is None and a.module is not None and a.source is not None:
            back = said.returns.get(a.source)
            state = StockState.TO_RETURN if back else StockState.SUSPECT if a.source in failed else StockState.PULLED
            note = f"from {m.row.name}, slot {m.sheet.slots[a.source].printed}"
            put_away(
                db,
                account,
                a.module,
                state=state,
                place=said.place,
                note=note,
                reference=back.reference if back else "",
                due_on=back.due_on if back else None,
            )
            told.append(a.source)
    came: dict[Module, list[str]] = {}
    for a in done:
        if a.do is Do.PUT_IN and a.source is None and a.module is not None:
            came.setdefault(alike(a.module), []).append(serials.get(a.target or "", ""))
    for module, numbers in came.items():
        take_from_shelf(db, account, like_key(module), len(numbers), numbers)
    return told


def note_trials(
    db: Connection, account: Account, row: RunRow, outcome: str, days: float, note: str, now: datetime
) -> None:
    """What was tried, for Field notes: each kind of module that came in, and the total it made."""
    m = load_machine(db, row.machine_id)
    before, goal, failed = layouts_of(row)
    came = {
        alike(a.module) for a in actions(m.sheet, before, goal, failed) if a.do is Do.PUT_IN and a.module is not None
    }
    new = [x for x in came if x not in {alike(o) for o in before.values() if isinstance(o, Module)}] or sorted(came, key=like_key)[:1]  # fmt: skip
    processor = next((p for p in m.machine.processors.values() if p), None)
    ctx, judged = judged_question(m, goal, before)
    total, held = judged.installed_gib, held_by(ctx, judged, before)
    for module in sorted(new, key=like_key):
        trial = NewTrial(
            sheet_id=m.sheet.id, outcome=Outcome(outcome), who=SourceKind.OWN_PROOF, tried_on=now.date(), processor=processor, part=module.part, revision=module.revision, module=module, total_gib=total, soak_days=round(days, 2),
            note=" ".join(p for p in (f"{m.row.name}, {row.plan}.", note) if p), source=m.row.name, held=held,
        )  # fmt: skip
        note_trial(db, account, trial, now.date())
