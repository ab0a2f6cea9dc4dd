"""How high a machine can go: every statement with its source, what they come to, and stating one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import UTC, date, datetime
from math import inf
from typing import Annotated
from uuid import UUID

from pydantic import Field
from pydantic.dataclasses import dataclass as checked_dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.ceiling import Ceiling, CeilingKind, Ceilings, Lift, Stated, ceilings
from umbrak.core.evidence.belief import believe
from umbrak.core.evidence.board import Board, as_it_runs, board_of, reach_doubt
from umbrak.core.evidence.doubts import Resting
from umbrak.core.evidence.table import DoubtKind, Outcome, Table
from umbrak.core.evidence.trial import Trial
from umbrak.core.evidence.trouble import range_of
from umbrak.core.memory.module import Module, amount
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Source, SourceKind, Statement
from umbrak.formats.documents import CHECKED, Name, StatementDoc, Text
from umbrak.formats.quantities import Day, SoakDays, TotalGib
from umbrak.services.errors import NotFound, Refused
from umbrak.services.evidence.exhibits import ExhibitView, exhibit_view
from umbrak.services.evidence.telling import BeliefView, belief_view
from umbrak.services.evidence.trials import NewTrial, beliefs_of, note_trial, trials_of
from umbrak.services.known.judging import judge, seen_running
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.known.summaries import refresh_or_tell
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import evidence_table
from umbrak.services.sheets.library import load_sheet
from umbrak.store import plans as plan_store
from umbrak.store import sheets as sheet_store
from umbrak.store import statements as store
from umbrak.store.accounts import Account
from umbrak.store.exhibits import exhibits_of
from umbrak.store.history import record
from umbrak.store.trials import trials_like


@dataclass(frozen=True, slots=True)
class StatementView:
    """A statement in words and numbers."""

    id: str
    #: sheet, processor, survey, or here (stated by a person).
    origin: str
    scope: str
    where: str | None
    #: What it allows at each place, in its unit: GB, Gbit, ranks, high.
    amount: float
    unit: str
    official: bool
    hard: bool
    source: Source
    #: Rank of trust, 0 = highest.
    trust: int
    #: "firmware from 7.4"; "" = always.
    condition: str
    #: The processor that it is about, by its title; "" = any.
    processor: str
    total_gib: float | None
    places: int
    holds: bool | None
    needs: tuple[str, ...]
    why_not: str
    binds: tuple[CeilingKind, ...]
    #: Of one stated by a person: who and when, and whether it is of every machine of the model.
    stated_by: str | None
    stated_at: datetime | None
    of_model: bool
    #: What is behind it.
    exhibits: tuple[ExhibitView, ...]
    #: What ran beyond it although nothing can, by our own proof or as it stands: one of the two is wrong; "" = nothing did.
    ran_beyond: str


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """What another model with the same processor is said to hold: no limit here, and worth knowing."""

    sheet: str
    processor: str
    scope: str
    gib: float
    official: bool
    source: Source
    condition: str


@dataclass(frozen=True, slots=True)
class Shown:
    """A total that somebody tried on this model or with its processor, and how far it is believed to work here."""

    gib: float
    outcome: Outcome
    who: SourceKind
    tried_on: date
    #: Where it was tried: "" = on this model.
    elsewhere: str
    #: Probability that so much runs here, by all trials.
    works: float


@dataclass(frozen=True, slots=True)
class Reach:
    """How probable it is that so much runs in this machine, whatever the modules: before any trial, and with them all,
    and how low and how high that comes to when it is looked at otherwise."""

    gib: float
    prior: float
    works: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class CeilingView:
    statements: tuple[StatementView, ...]
    ceilings: tuple[Ceiling, ...]
    lifts: tuple[Lift, ...]
    elsewhere: tuple[Elsewhere, ...]
    #: By total.
    shown: tuple[Shown, ...]
    #: Over the axis of totals, rising.
    reach: tuple[Reach, ...]
    #: What the machine as it stands, and its plan, rest on that nobody vouches for, the weakest first.
    rests_on: tuple[BeliefView, ...]
    #: As it stands; and what the plan changed last comes to, None where there is none.
    now_gib: float
    #: Slots of whose content nobody knows the size: it has at least `now_gib`.
    now_not_counted: int
    #: Whether it is known to run with all modules that are known to be in it: labels that somebody read show nothing of it.
    seen_running: bool
    planned_gib: float | None
    planned_not_counted: int
    #: Largest module that a slot can take, by standard and hard limits.
    largest_module_gib: float


def see_ceiling(engine: Engine, machine_id: UUID) -> CeilingView:
    """Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, machine_id)
        people = {str(r.id): r for r in store.statements_of(db, machine_id, m.sheet.id)}
        behind = exhibits_of(db, [r.id for r in people.values()])
        plan = next((p for p in plan_store.plans_of(db, machine_id) if not p.ended), None)
        elsewhere = tuple(_elsewhere(db, m))
        table = evidence_table(db)
        trials = _totals_tried(db, m)
        titles = {s.sheet_id: s.title for s in sheet_store.current_sheets(db)}
        goal = plan.goal if plan else None
        beliefs = beliefs_of(db, m, goal if goal is not None else m.layout, m.layout if goal is not None else None)
    found = ceilings(m.sheet, m.machine, m.statements)
    now = judge(m, m.layout)
    now_gib = now.installed_gib
    board, today = as_it_runs(board_of(m.sheet, m.machine, m.statements), now_gib), datetime.now(UTC).date()
    planned = judge(m, goal, m.layout) if goal is not None else None
    planned_gib = planned.installed_gib if planned else None
    return CeilingView(
        statements=tuple(
            _view(
                m.sheet,
                s,
                row := people.get(s.statement.id),
                tuple(map(exhibit_view, behind.get(row.id, ()) if row else ())),
                _ran_beyond(s, m, now_gib, trials),
            )
            for s in found.stated
        ),
        ceilings=found.ceilings,
        lifts=found.lifts,
        elsewhere=elsewhere,
        shown=tuple(_shown(board, now_gib, trials, titles, today, table)),
        reach=_reach(board, now_gib, _axis(board, found, trials, now_gib, planned_gib), trials, today, table),
        rests_on=tuple(belief_view(b, table) for b in beliefs),
        now_gib=now_gib,
        now_not_counted=now.not_counted,
        seen_running={s for s, x in m.layout.items() if isinstance(x, Module)} <= seen_running(m).keys(),
        planned_gib=planned_gib,
        planned_not_counted=planned.not_counted if planned else 0,
        largest_module_gib=found.largest_module_gib,
    )


_UNITS = {"capacity_gib": "GB", "die_gbit": "Gbit", "package_ranks": "ranks", "stack_height": "high"}


def _ran_beyond(s: Stated, m: Loaded, now_gib: float, trials: Sequence[Trial]) -> str:
    """More than a hard statement allows in all, where we saw it run on this model."""
    if not s.statement.hard or s.total_gib is None or s.holds is False:
        return ""
    if now_gib > s.total_gib:
        return f"{amount(now_gib)} GB runs here now"
    proved = [t for t in trials if t.who is SourceKind.OWN_PROOF and t.outcome.ran and t.sheet == m.sheet.id]
    beyond = max((t for t in proved if (t.total_gib or 0) > s.total_gib), key=lambda t: t.date, default=None)
    return f"{amount(beyond.total_gib)} GB ran by our own proof of {beyond.date}" if beyond else ""


def _view(
    sheet: Sheet, s: Stated, row: store.StatementRow | None, behind: tuple[ExhibitView, ...], ran_beyond: str
) -> StatementView:
    st = s.statement
    member = next(n for n in _UNITS if getattr(st, n) is not None)
    about = next((p.title for p in sheet.processors.values() if p.id == st.processor or st in p.limits), "")
    return StatementView(
        id=st.id,
        origin="survey" if st.source.kind == "survey" and row is None else s.origin,
        scope=st.scope,
        where=st.where,
        amount=getattr(st, member),
        unit=_UNITS[member],
        official=st.official,
        hard=st.hard,
        source=st.source,
        trust=st.source.trust,
        condition=st.condition_words(),
        processor=about,
        total_gib=s.total_gib,
        places=s.places,
        holds=s.holds,
        needs=s.needs,
        why_not=s.why_not,
        binds=s.binds,
        stated_by=row.by if row else None,
        stated_at=row.at if row else None,
        of_model=bool(row and row.sheet_id),
        exhibits=behind,
        ran_beyond=ran_beyond,
    )


def _elsewhere(db: Connection, m: Loaded) -> list[Elsewhere]:
    """Statements of other sheets about a processor that this machine holds, and their machines' official totals."""
    known = m.sheet.processors
    fitted = {known[p].title.casefold() for p in m.machine.processors.values() if p is not None and p in known}
    found = []
    for row in sheet_store.current_sheets(db):
        other = load_sheet(db, row.hash)
        if other.id == m.sheet.id or other.archetype:
            continue
        for p in other.processors.values():
            if p.title.casefold() in fitted:
                said: list[Statement] = [*p.limits, *(s for s in other.limits if s.scope == "machine" and s.official)]
                found += [
                    Elsewhere(
                        sheet=other.title,
                        processor=p.title,
                        scope=s.scope,
                        gib=s.capacity_gib,
                        official=s.official,
                        source=s.source,
                        condition=s.condition_words(),
                    )
                    for s in said
                    if s.capacity_gib is not None
                ]
    return found


def _totals_tried(db: Connection, m: Loaded) -> tuple[Trial, ...]:
    """Trials of a total on this model, or with its processors."""
    fitted = [p for p in m.machine.processors.values() if p]
    return trials_of(db, [r for r in trials_like(db, m.sheet.id, fitted) if r.total_gib is not None])


def _shown(
    board: Board, now_gib: float, trials: Sequence[Trial], titles: Mapping[str, str], today: date, table: Table
) -> Iterator[Shown]:
    """Totals that were tried, each with the belief that so much runs here."""
    for t in sorted(trials, key=lambda t: (t.total_gib or 0, t.date)):
        gib = t.total_gib or 0
        works = believe(board, reach_doubt(board, gib, now_gib), trials, today, table).works
        where = "" if t.sheet == board.sheet.id else titles.get(t.sheet, t.sheet)
        yield Shown(gib=gib, outcome=t.outcome, who=t.who, tried_on=t.date, elsewhere=where, works=works)


#: Points of the curve; between them it is a straight line.
_POINTS = 48


def _axis(
    board: Board, found: Ceilings, trials: Sequence[Trial], now_gib: float, planned: float | None
) -> tuple[float, ...]:
    """Totals to draw: where the curve breaks (figures, trials, what is fitted and planned) and even steps of a logarithm. Where
    nobody states a figure it ends with what runs or was tried: nothing tells how likely more is."""
    figures = [f.value for f in board.ladders[DoubtKind.REACH].figures]
    marks = figures + [t.total_gib for t in trials if t.total_gib] + [g for g in (now_gib,) if g]
    if figures:
        marks += [c.gib for c in found.ceilings if c.gib] + [g for g in (planned,) if g]
    if not marks:
        return ()
    built = min((c.gib for c in found.ceilings if c.kind is CeilingKind.PHYSICAL and c.gib), default=inf)
    # No question is how likely a total runs that no modules make up.
    low, high = min(marks) / 2, max(now_gib, min(built, max(marks)))
    even = [low * (high / low) ** (i / _POINTS) for i in range(_POINTS + 1)]
    # What passes a mark falls at once: a point on each side of it.
    return tuple(sorted({round(x, 4) for x in (*even, *marks, *(m * 1.0001 for m in marks)) if x <= high}))


def _reach(
    board: Board, now_gib: float, axis: Sequence[float], trials: Sequence[Trial], today: date, table: Table
) -> tuple[Reach, ...]:
    found = []
    for gib in axis:
        doubt = reach_doubt(board, gib, now_gib)
        belief = believe(board, doubt, trials, today, table)
        spread = range_of(board, Resting((doubt,), 0), trials, today, table=table)
        found.append(Reach(gib, belief.prior, belief.works, 1 - spread.high, 1 - spread.low))
    return tuple(found)


@checked_dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class Tried:
    """That something was tried on a machine's model: `NewTrial` without what the machine tells."""

    outcome: Annotated[Outcome, Field(strict=False)]
    who: Annotated[SourceKind, Field(strict=False)]
    tried_on: Day
    total_gib: TotalGib | None = None
    part: Name | None = None
    module: Module | None = None
    soak_days: SoakDays = 0
    firmware: Name | None = None
    source: Text = ""
    note: Text = ""


def say(
    engine: Engine, account: Account, machine_id: UUID, said: StatementDoc | None, of_model: bool, tried: Tried | None
) -> None:
    """Keep what somebody knows, both or neither: a limit, and that something was tried. Raises NotFound, Refused."""
    need(account, Role.technician)
    if said is None and tried is None:
        raise Refused("statement", "Say a limit, or what was tried.")
    with engine.begin() as db:
        m = load_machine(db, machine_id)
        if said is not None:
            _state(db, account, m, said, of_model)
        if tried is not None:
            processor = next((p for p in m.machine.processors.values() if p in m.sheet.processors), None)
            told = {n: getattr(tried, n) for n in _TRIED}
            note_trial(db, account, NewTrial(sheet_id=m.sheet.id, processor=processor, **told))


_TRIED = tuple(f.name for f in fields(Tried))


def add_statement(engine: Engine, account: Account, machine_id: UUID, said: StatementDoc, of_model: bool) -> None:
    """State a limit of this machine, or of every machine of its model. Raises NotFound, Refused."""
    say(engine, account, machine_id, said, of_model, None)


def _state(db: Connection, account: Account, m: Loaded, said: StatementDoc, of_model: bool) -> None:
    machine_id = m.row.id
    _check(m.sheet, said)
    key = store.add_statement(db, account.id, said, None if of_model else machine_id, m.sheet.id if of_model else None)
    _refresh(db, machine_id, m.sheet.id if of_model else None)
    amount = said.capacity_gib or said.die_gbit or said.package_ranks or said.stack_height
    record(db, "stated", account.id, machine_id, id=str(key), source=said.source.title, amount=amount, model=of_model)


def withdraw_statement(engine: Engine, account: Account, machine_id: UUID, key: UUID) -> None:
    """Take back what somebody stated; it stays in the history. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        m = load_machine(db, machine_id)
        row = next((r for r in store.statements_of(db, machine_id, m.sheet.id) if r.id == key), None)
        if row is None:
            raise NotFound("statement")
        store.withdraw_statement(db, key)
        _refresh(db, machine_id, row.sheet_id)
        title = row.stated.source.title
        record(db, "statement withdrawn", account.id, machine_id, id=str(key), source=title)


def _refresh(db: Connection, machine_id: UUID, sheet_id: str | None) -> None:
    for key in store.machines_of_model(db, sheet_id) if sheet_id else [machine_id]:
        refresh_or_tell(db, key)


def _check(sheet: Sheet, said: StatementDoc) -> None:
    places = {
        "socket": set(sheet.sockets),
        "controller": {c.controller for c in sheet.channels.values() if c.controller},
        "channel": set(sheet.channels),
        "slot": set(sheet.slots),
    }
    if said.where is not None and said.where not in places.get(said.scope, set()):
        raise Refused("where", f"{sheet.title} has no {said.scope} {said.where}.")
    if said.processor is not None and said.processor not in sheet.processors:
        raise Refused("processor", f"{sheet.title} takes no processor {said.processor}.")
    known = {s.id for s in sheet.limits} | {s.id for p in sheet.processors.values() for s in p.limits}
    for name in said.replaces:
        if name not in known:
            raise Refused("replaces", f"{sheet.title} has no statement {name}.")
