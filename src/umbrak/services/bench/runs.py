"""Runs: the run sheet of one stage made and kept, what is ticked and noted of it, and how it ends early.

Everything that happens at the bench is an entry under an id that the bench made: sent twice it is kept once, and what is kept
is never changed. What a step's state is, and what is proved, follows from the entries.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.evaluate import RULES_VERSION
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.plan.sizing import Member, duty_while_open
from umbrak.core.platform.machine import Layout
from umbrak.core.rules.finding import Verdict, could_harm
from umbrak.core.runsheet.before import differences
from umbrak.core.runsheet.make import run_sheet
from umbrak.core.runsheet.step import Minutes, Phase, Who, Work
from umbrak.formats.documents import layout_json, read_layout
from umbrak.formats.entries import DoneDoc, EntryDoc
from umbrak.formats.photo import clean_photo
from umbrak.formats.to_json import run_sheet_json
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.evidence.trials import beliefs_of
from umbrak.services.known.judging import judge
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import money_settings
from umbrak.services.plans.approval import HARM, may_run
from umbrak.services.plans.editing import OpenPlan, open_plan, stage_layouts
from umbrak.services.routes.sizing import duty_of
from umbrak.store import plans as plan_store
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.machines import find_machine
from umbrak.store.runs import EntryRow, RunRow

#: A bench's clock may be so far ahead of the server's; what it says beyond is not believed.
_AHEAD = timedelta(minutes=5)
#: Entries of one run: more is no work at a bench.
MAX_ENTRIES = 20_000


@dataclass(frozen=True, slots=True)
class StepView:
    """A step of the run sheet, under the names of the command line's contract, and how it stands."""

    number: int
    key: str
    phase: Phase
    text: str
    why: str
    details: tuple[str, ...]
    checks: tuple[str, ...]
    slots: tuple[str, ...]
    bays: tuple[int, ...]
    carrier: str | None
    tools: tuple[str, ...]
    minutes: Minutes
    waits: bool
    hold: bool
    who: Who
    back_out: tuple[str, ...]
    closes: str | None
    #: take-out, put-in or move, with the slots in `slots`; None where no module is handled.
    do: str | None
    #: Who ticked it and when; None = open.
    done_by: str | None
    done_at: datetime | None
    #: Somebody found it not to be as it says, and nobody ticked it since.
    not_right: str | None


@dataclass(frozen=True, slots=True)
class RemarkView:
    """A note or a photo of a step."""

    id: UUID
    step: str | None
    text: str
    is_photo: bool
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class RunView:
    id: UUID
    machine_id: UUID
    machine: str
    place: str
    sheet_title: str
    plan_id: UUID
    plan: str
    stage: int
    stages: int
    state: str
    window_start: datetime | None
    window_end: datetime | None
    started_by: str
    started_at: datetime
    ended_at: datetime | None
    steps: tuple[StepView, ...]
    #: Number of the step at hand: the first that is open; one more than there are when all are done.
    at_step: int
    remarks: tuple[RemarkView, ...]
    #: Estimated, from switching off until the soak. [min]
    down: Minutes
    hands_on: Minutes
    #: Since it was switched off, as far as the ticks go; None before. [min]
    taken_min: float | None
    #: Who ticked last: a hold point wants somebody else, or a lead.
    last_by: UUID | None
    #: What is in the slots before, and shall be after.
    now: dict[str, Any]
    goal: dict[str, Any]
    #: Bay -> what tells its drive apart.
    bays: dict[str, str]
    #: Entries so far: whoever knows as many knows all.
    entries: int


@dataclass(frozen=True, slots=True)
class PreviewView:
    """A run sheet before it is begun; no steps where the plan changes nothing."""

    steps: tuple[StepView, ...]
    down: Minutes
    hands_on: Minutes
    stages: int


@dataclass(frozen=True, slots=True)
class RunBrief:
    id: UUID
    plan: str
    stage: int
    stages: int
    state: str
    started_at: datetime
    ended_at: datetime | None
    done: int
    steps: int


def work_of(db: Connection, plan: OpenPlan, soak_days: float = 3.0) -> list[Work]:
    """What is to be done in each stage of a plan, with all that stands around it."""
    m = plan.machine
    stages = stage_layouts(plan)
    group = duty_of(db, m.row.id, m.row.duty_group)
    duty = None
    if group is not None and len(group.members) > 1:
        duty = duty_while_open([Member(v.name, v.usable_gib, v.load_gib) for v in group.members], m.row.name)
    today = datetime.now(UTC).date()
    content = m.survey.content
    claims = tuple(b.claim.words for b in beliefs_of(db, m, plan.goal, plan.now))
    first = Work(
        now=plan.now,
        goal=stages[0],
        failed=frozenset(content.failed),
        stages=len(stages),
        title=f"{m.row.name}: {plan.row.name}",
        bays={int(n): (d["serial"] or d["label"]) if d else "" for n, d in content.bays.items()},
        group=m.row.duty_group,
        duty=duty,
        claims=claims,
        backup_tiers=max(1, money_settings(db).backup_tiers),
        soak_days=soak_days,
        versions=versions_of(plan),
        under_warranty=m.row.warranty_end is not None and m.row.warranty_end >= today,
    )
    works = [first]
    for i, goal in enumerate(stages[1:], 2):
        works.append(replace(first, now=stages[i - 2], goal=goal, failed=frozenset(), stage=i))
    return works


def versions_of(plan: OpenPlan) -> tuple[tuple[str, str, str], ...]:
    """(what, as it is, as it will be) of the firmware and system that the plan runs with."""
    then, now = plan.row.runs_with or {}, plan.machine.row.facts
    return tuple((what, now.get(what) or "", then[what]) for what in ("firmware", "system") if then.get(what))


def start_run(engine: Engine, account: Account, plan_id: UUID, soak_days: float = 3.0) -> RunView:
    """Make the run sheet of the plan's next stage and begin it.

    Raises
        NotFound
        Refused   there is nothing to do, or a stop against it; a lead has to approve it first; the machine is at work already; its
                  slots are not known to be what the plan starts from
    """
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, plan_id, lock=True)
        m = plan.machine
        done = [r for r in store.runs_of_plan(db, plan_id) if r.state == "proved"]
        _may_start(db, plan)
        works = work_of(db, plan, soak_days)
        # Proved stages are in the plan's `now` already.
        stage = len(done) + 1
        stages = len(done) + len(works)
        work = replace(works[0], stage=stage, stages=stages)
        made = run_sheet(m.sheet, m.machine, work)
        if not any(s.action for s in made.steps):
            raise Refused("plan", "The plan changes nothing: plan modules in Fit first.")
        judged = judge(plan.then, plan.goal, plan.now)
        document = {
            "schema": 1,
            "sheet": run_sheet_json(made),
            "now": layout_json(work.now),
            "goal": layout_json(work.goal),
            "failed": sorted(work.failed),
            "bays": {str(n): d for n, d in work.bays.items()},
            "soak_days": soak_days,
            "verdict": judged.verdict.value,
            "findings": sorted({f.code for f in judged.findings}),
            "sheet_hash": m.sheet.hash,
            "firmware": m.machine.firmware,
            "rules": RULES_VERSION,
        }
        values = {"machine_id": m.row.id, "plan_id": plan_id, "stage": stage, "stages": stages, "document": document}
        key = store.add_run(db, {**values, "account_id": account.id})
        if key is None:
            raise Refused("machine", f"{m.row.name} is on the bench already: end the run that is under way first.")
        plan_store.set_state(db, plan_id, "under way")
        refresh(db, m.row.id)
        record(db, "run started", account.id, m.row.id, plan_id, run=str(key), stage=stage, stages=stages)
        return run_view(db, found_run(db, key))


def _may_start(db: Connection, plan: OpenPlan) -> None:
    judged = judge(plan.then, plan.goal, plan.now)
    if plan.discarded or plan.row.state in ("proved", "backed out"):
        raise Refused("plan", f"This plan is {'discarded' if plan.discarded else plan.row.state}: start another one.")
    if plan.machine.layout != plan.now:
        raise Refused(
            "plan", "A newer survey found something else in the slots: make a new plan from what is fitted now."
        )
    if judged.verdict is Verdict.NO_GO:
        raise Refused("plan", "Something stops this plan: Fit says what. Nothing of it may be fitted.")
    if could_harm(judged.findings):
        raise Refused("plan", HARM)
    if why := may_run(db, plan):
        raise Refused("approval", why)


def preview(engine: Engine, plan_id: UUID) -> PreviewView:
    """The run sheet that the plan's next stage would have today. Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, plan_id)
        work = work_of(db, plan)[0]
        made = run_sheet(plan.machine.sheet, plan.machine.machine, work)
    steps = run_sheet_json(made)["steps"]
    changes = any(s.action for s in made.steps)
    return PreviewView(
        tuple(_step(i, s, None, None) for i, s in enumerate(steps, 1)) if changes else (),
        made.down,
        made.hands_on,
        work.stages,
    )


def see_run(engine: Engine, key: UUID) -> RunView:
    """Raises NotFound."""
    with engine.connect() as db:
        return run_view(db, found_run(db, key))


def runs_of_machine(db: Connection, machine_id: UUID) -> tuple[RunBrief, ...]:
    """The newest first."""
    return tuple(_brief(db, r) for r in store.runs_of(db, machine_id))


def _brief(db: Connection, r: RunRow) -> RunBrief:
    steps = r.document["sheet"]["steps"]
    ticked = _ticks(store.entries_of(db, r.id))
    done = sum(1 for s in steps if s["key"] in ticked)
    return RunBrief(r.id, r.plan, r.stage, r.stages, r.state, r.created_at, r.ended_at, done, len(steps))


def set_window(engine: Engine, account: Account, key: UUID, start: datetime | None, end: datetime | None) -> RunView:
    """The maintenance window. Raises NotFound, Refused where it ends before it begins."""
    need(account, Role.technician)
    if start is not None and end is not None and end <= start:
        raise Refused("window_end", "The window ends before it begins.")
    with engine.begin() as db:
        row = under_way(db, key)
        store.set_window(db, key, start, end)
        told = {"start": start and start.isoformat(), "end": end and end.isoformat()}
        record(db, "window set", account.id, row.machine_id, row.plan_id, run=str(key), **told)
        return run_view(db, found_run(db, key))


def add_entry(
    engine: Engine, account: Account, run_id: UUID, entry_id: UUID, entry: EntryDoc, at: datetime, now: datetime
) -> None:
    """Keep an entry; one that is kept already is left as it is.

    Parameters
        at    by the clock at the bench; never later than `now` (the server's clock)

    Raises
        NotFound     no such run, or step
        NotAllowed   a hold point that somebody else has to tick
        Refused      the run has ended; a step beyond a hold point that is open; an id that another run has
    """
    need(account, Role.technician)
    with engine.begin() as db:
        row = store.find_run(db, run_id, lock=True)
        if row is None:
            raise NotFound("run")
        if _is_known(db, run_id, entry_id):
            return
        if row.state != "under way":
            raise Refused("run", f"This run is {row.state}: nothing is entered any more.")
        entries = store.entries_of(db, run_id)
        if len(entries) >= MAX_ENTRIES:
            raise Refused("run", f"A run holds at most {MAX_ENTRIES} entries.")
        step = getattr(entry, "step", None)
        if step is not None:
            _check_step(row, entries, account, entry, step)
        document = entry.model_dump(mode="json", exclude={"kind", "step"})
        keep(db, account, row, entry_id, entry.kind, step, document, at if at <= now + _AHEAD else now)


def keep(
    db: Connection,
    account: Account,
    row: RunRow,
    entry_id: UUID,
    kind: str,
    step: str | None,
    document: dict[str, Any],
    at: datetime,
    attachment: bytes | None = None,
    media_type: str = "",
) -> None:
    """Append an entry and tell everybody who looks at the machine."""
    values = {
        "id": entry_id, "run_id": row.id, "kind": kind, "step": step, "document": document, "account_id": account.id, "at": at,
        "attachment": attachment, "media_type": media_type,
    }  # fmt: skip
    store.add_entry(db, values)
    record(db, f"run {kind}", account.id, row.machine_id, row.plan_id, run=str(row.id), step=step)


def _is_known(db: Connection, run_id: UUID, entry_id: UUID) -> bool:
    known = store.entry_run(db, entry_id)
    if known is not None and known != run_id:
        raise Refused("entry_id", "Another run has an entry of this id.")
    return known is not None


def _check_step(row: RunRow, entries: Sequence[EntryRow], account: Account, entry: EntryDoc, key: str) -> None:
    steps = row.document["sheet"]["steps"]
    index = next((i for i, s in enumerate(steps) if s["key"] == key), None)
    if index is None:
        raise NotFound("step")
    if not isinstance(entry, DoneDoc):
        return
    ticked = _ticks(entries)
    hold = next((s for s in steps[:index] if s["hold"] and s["key"] not in ticked), None)
    if hold is not None:
        raise Refused("step", f"First: {hold['text']}")
    if steps[index]["who"] == Who.SECOND and account.role != Role.lead.name and account.id == _last_by(row, entries):
        raise NotAllowed("Somebody else than who did the steps before ticks this, or a lead.")


def _last_by(row: RunRow, entries: Sequence[EntryRow]) -> UUID | None:
    """Who ticked the last step that is no hold point."""
    holds = {s["key"] for s in row.document["sheet"]["steps"] if s["hold"]}
    return next((e.account_id for e in reversed(entries) if e.kind == "done" and e.step not in holds), None)


def _ticks(entries: Sequence[EntryRow]) -> dict[str, EntryRow]:
    """Step -> the tick that stands. Of several the first counts, until it is taken back."""
    standing: dict[str, EntryRow] = {}
    for e in entries:
        if e.kind == "done" and e.step is not None:
            standing.setdefault(e.step, e)
        elif e.kind in ("undone", "not-right") and e.step is not None:
            standing.pop(e.step, None)
    return standing


def add_photo(
    engine: Engine,
    account: Account,
    run_id: UUID,
    entry_id: UUID,
    step: str | None,
    raw: bytes,
    at: datetime,
    now: datetime,
) -> None:
    """Keep a photo of a step, written anew. Raises NotFound, Refused, InputError where it is no picture."""
    need(account, Role.technician)
    clean = clean_photo(raw)
    with engine.begin() as db:
        row = under_way(db, run_id)
        if _is_known(db, run_id, entry_id):
            return
        if step is not None and step not in {s["key"] for s in row.document["sheet"]["steps"]}:
            raise NotFound("step")
        keep(db, account, row, entry_id, "photo", step, {}, min(at, now), clean, "image/jpeg")


@dataclass(frozen=True, slots=True)
class InHand:
    """A module in somebody's hand beside the one that a slot is to get."""

    short: str
    matches: bool
    #: What differs and matters; what differs and is only the sticker.
    differs: tuple[str, ...]
    stickers: tuple[str, ...]


def compare_label(engine: Engine, run_id: UUID, slot: str, text: str) -> InHand:
    """What a label says beside what the goal has in a slot. Raises NotFound; Refused where the label says nothing known."""
    with engine.connect() as db:
        row = found_run(db, run_id)
    planned = read_layout(row.document["goal"]).get(slot)
    if not isinstance(planned, Module):
        raise NotFound("module planned for this slot")
    reading = decode_label(text)
    if not reading.understood:
        raise Refused("text", "Nothing in it is known from a module's label.")
    matter, stickers = differences(planned, reading.module)
    return InHand(reading.module.short(), not matter, matter, stickers)


def see_attachment(engine: Engine, run_id: UUID, entry_id: UUID) -> tuple[bytes, str]:
    """(bytes, media type). Raises NotFound."""
    with engine.connect() as db:
        found = store.attachment(db, run_id, entry_id)
    if found is None:
        raise NotFound("attachment")
    return found


def found_run(db: Connection, key: UUID) -> RunRow:
    """Raises NotFound."""
    row = store.find_run(db, key)
    if row is None:
        raise NotFound("run")
    return row


def under_way(db: Connection, key: UUID) -> RunRow:
    """A run that has not ended, locked. Raises NotFound, Refused."""
    row = store.find_run(db, key, lock=True)
    if row is None:
        raise NotFound("run")
    if row.state != "under way":
        raise Refused("run", f"This run is {row.state}: nothing of it changes any more.")
    return row


def run_view(db: Connection, row: RunRow) -> RunView:
    """A run with its steps as they stand."""
    entries = store.entries_of(db, row.id)
    machine = find_machine(db, row.machine_id)
    assert machine is not None
    ticked = _ticks(entries)
    wrong = {e.step: e.document["text"] for e in entries if e.kind == "not-right" and e.step}
    sheet = row.document["sheet"]
    steps = tuple(_step(i, s, ticked.get(s["key"]), wrong.get(s["key"])) for i, s in enumerate(sheet["steps"], 1))
    return RunView(
        id=row.id,
        machine_id=row.machine_id,
        machine=machine.name,
        place=machine.place,
        sheet_title=machine.sheet_title,
        plan_id=row.plan_id,
        plan=row.plan,
        stage=row.stage,
        stages=row.stages,
        state=row.state,
        window_start=row.window_start,
        window_end=row.window_end,
        started_by=row.by,
        started_at=row.created_at,
        ended_at=row.ended_at,
        steps=steps,
        at_step=next((s.number for s in steps if s.done_at is None), len(steps) + 1),
        remarks=tuple(
            RemarkView(e.id, e.step, e.document.get("text", ""), e.kind == "photo", e.by, e.at)
            for e in entries
            if e.kind in ("note", "photo", "not-right")
        ),
        down=Minutes(**sheet["down"]),
        hands_on=Minutes(**sheet["hands_on"]),
        taken_min=_taken(steps),
        last_by=_last_by(row, entries),
        now=row.document["now"],
        goal=row.document["goal"],
        bays=row.document["bays"],
        entries=len(entries),
    )


#: Phases in which the machine is down.
_DOWN = (Phase.OFF, Phase.OPEN, Phase.HANDLE, Phase.CLOSE, Phase.START, Phase.PROVE)


def _taken(steps: Sequence[StepView]) -> float | None:
    """Minutes between the first and the last tick of the phases in which it is down."""
    times = [s.done_at for s in steps if s.phase in _DOWN and s.done_at is not None]
    return round((max(times) - min(times)).total_seconds() / 60, 1) if times else None


def _step(number: int, s: dict[str, Any], tick: EntryRow | None, wrong: str | None) -> StepView:
    told: dict[str, Any] = {n: s[n] for n in ("key", "text", "why", "waits", "hold", "carrier", "closes")}
    told |= {n: tuple(s[n]) for n in ("details", "checks", "slots", "bays", "tools", "back_out")}
    return StepView(
        number=number,
        phase=Phase(s["phase"]),
        who=Who(s["who"]),
        minutes=Minutes(**s["minutes"]),
        do=s["action"] and s["action"]["do"],
        done_by=tick.by if tick else None,
        done_at=tick.at if tick else None,
        not_right=wrong if tick is None else None,
        **told,
    )


def layouts_of(row: RunRow) -> tuple[Layout, Layout, frozenset[str]]:
    """(before, goal, failed slots) of a run."""
    return read_layout(row.document["now"]), read_layout(row.document["goal"]), frozenset(row.document["failed"])
