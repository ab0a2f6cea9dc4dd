"""Field notes: what was tried where, how it went, and what that does to a belief."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field
from pydantic.dataclasses import dataclass as checked_dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.evidence.belief import Belief, believe
from umbrak.core.evidence.board import Board, board_of, reach_doubt
from umbrak.core.evidence.doubt import Doubt, part_doubt
from umbrak.core.evidence.doubts import resting_of
from umbrak.core.evidence.table import DoubtKind, Outcome, Table
from umbrak.core.evidence.trial import Held, Trial
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.core.platform.statement import SourceKind
from umbrak.formats.documents import CHECKED, Name, Text
from umbrak.formats.quantities import Day, SoakDays, TotalGib
from umbrak.services.errors import NotFound, Refused
from umbrak.services.evidence.exhibits import ExhibitView, exhibit_view
from umbrak.services.known.judging import judged_question
from umbrak.services.known.loading import Loaded
from umbrak.services.parts.known import Numbers
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import evidence_table
from umbrak.services.sheets.library import load_sheet
from umbrak.store import sheets as sheet_store
from umbrak.store import trials as store
from umbrak.store.accounts import Account
from umbrak.store.exhibits import exhibits_of
from umbrak.store.history import record
from umbrak.store.trials import TrialRow


@checked_dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewTrial:
    """A trial as a person notes it; part and organisation come from the label where they are not given."""

    sheet_id: Name
    outcome: Annotated[Outcome, Field(strict=False)]
    who: Annotated[SourceKind, Field(strict=False)]
    tried_on: Day
    processor: Name | None = None
    part: Name | None = None
    revision: Name | None = None
    module: Module | None = None
    total_gib: TotalGib | None = None
    soak_days: SoakDays = 0
    note: Text = ""
    #: Where it is told: a thread, a document, a machine. Those of one source do not add up.
    source: Text = ""
    #: The firmware that it ran with.
    firmware: Name | None = None
    #: What the machine held besides; its firmware where that is not told by itself.
    held: Held = field(default_factory=Held)


@dataclass(frozen=True, slots=True)
class Moved:
    """What a trial does to the belief in one thing that it tried, on the board it was tried on."""

    words: str
    kind: DoubtKind
    #: What it weighs, after all factors; 0 where another report of its source stands for it.
    weight: float
    before: float
    after: float


@dataclass(frozen=True, slots=True)
class TrialView:
    id: UUID
    sheet_id: str
    #: Title of the model, or its id where no sheet of it is kept.
    model: str
    processor: str | None
    part: str | None
    revision: str | None
    #: The module in a few words; "" where nobody said.
    module: str
    total_gib: float | None
    outcome: Outcome
    who: SourceKind
    tried_on: date
    soak_days: float
    note: str
    source: str
    firmware: str | None
    noted_by: str
    #: What is behind it.
    exhibits: tuple[ExhibitView, ...]
    #: What it does to the belief in the total and in the part that it tried, the one that it moves most first.
    moved: tuple[Moved, ...]


def trials_of(db: Connection, rows: Sequence[TrialRow]) -> tuple[Trial, ...]:
    """What evidence reasons with, of rows whose module can be read; each speaks of every number of its part."""
    numbers = Numbers.load(db)
    return tuple(replace(trial_of(r), also=numbers.also(r.part or "")) for r in rows if not r.unreadable)


def trial_of(row: TrialRow) -> Trial:
    return Trial(
        id=str(row.id), sheet=row.sheet_id, outcome=Outcome(row.outcome), who=SourceKind(row.who), date=row.tried_on,
        processor=row.processor, part=row.part, revision=row.revision, module=row.module, total_gib=row.total_gib,
        soak_days=row.soak_days, source=row.source, held=row.held,
    )  # fmt: skip


def list_trials(engine: Engine, text: str = "") -> list[TrialView]:
    """The newest first, with what each does to the belief in what it tried."""
    with engine.connect() as db:
        rows = store.all_trials(db, text.strip())
        current = {s.sheet_id: s for s in sheet_store.current_sheets(db)}
        table = evidence_table(db)
        known = trials_of(db, rows)
        behind = exhibits_of(db, [r.id for r in rows])
        boards = {
            (r.sheet_id, r.processor): _board(load_sheet(db, current[r.sheet_id].hash), r.processor)
            for r in rows
            if r.sheet_id in current
        }
    today = datetime.now(UTC).date()
    titles = {s.sheet_id: s.title for s in current.values()}
    return [
        _view(
            row, titles, known, today, table, boards.get((row.sheet_id, row.processor)),
            tuple(exhibit_view(x) for x in behind.get(row.id, ())),
        )
        for row in rows
    ]  # fmt: skip


def _board(sheet: Sheet, processor: str | None) -> Board:
    fitted = {s.id: processor for s in sheet.sockets.values() if processor in s.processors}
    return board_of(sheet, Machine(processors=fitted))


def _view(
    row: TrialRow, titles: dict[str, str], known: Sequence[Trial], today: date, table: Table, board: Board | None,
    behind: tuple[ExhibitView, ...],
) -> TrialView:  # fmt: skip
    t = trial_of(row)
    moved = (
        [] if board is None or row.unreadable else [_moved(board, d, t, known, today, table) for d in _tried(board, t)]
    )
    moved.sort(key=lambda x: -abs(x.after - x.before))
    return TrialView(
        id=row.id, sheet_id=row.sheet_id, model=titles.get(row.sheet_id, row.sheet_id), processor=row.processor, part=row.part, revision=row.revision, module=row.unreadable or (t.module.short() if t.module else ""), total_gib=row.total_gib,
        outcome=t.outcome, who=t.who, tried_on=row.tried_on, soak_days=row.soak_days, note=row.note, source=row.source, firmware=row.held.firmware, noted_by=row.by, exhibits=behind, moved=tuple(moved),
    )  # fmt: skip


def _tried(board: Board, t: Trial) -> Iterator[Doubt]:
    """What a trial tried: its total on its board, and its part."""
    if t.total_gib is not None:
        yield reach_doubt(board, t.total_gib)
    if t.module is not None or t.part:
        yield part_doubt(board.sheet, board.processors, replace(t.module or Module(), part=t.part, revision=t.revision))


def _moved(board: Board, doubt: Doubt, t: Trial, known: Sequence[Trial], today: date, table: Table) -> Moved:
    others = [k for k in known if k.id != t.id]
    before, after = (believe(board, doubt, ts, today, table) for ts in (others, [*others, t]))
    own = next((c for c in after.contributions if c.trial == t.id), None)
    return Moved(doubt.words, doubt.kind, own.weight if own and own.counts else 0.0, before.works, after.works)


def beliefs_of(db: Connection, m: Loaded, layout: Layout, before: Layout | None = None) -> tuple[Belief, ...]:
    """How far each thing that a layout rests on is believed, the weakest first."""
    ctx, judged = judged_question(m, layout, before)
    resting = resting_of(ctx, judged, before)
    fitted = [p for p in m.machine.processors.values() if p]
    trials = trials_of(db, store.trials_like(db, m.sheet.id, fitted)) if resting.doubts else ()
    board, today, table = board_of(m.sheet, m.machine, m.statements), datetime.now(UTC).date(), evidence_table(db)
    found = (believe(board, d, trials, today, table) for d in resting.doubts)
    return tuple(sorted(found, key=lambda b: b.works))


def add_trial(engine: Engine, account: Account, new: NewTrial) -> UUID:
    """Note a trial. Raises Refused, which names the field."""
    need(account, Role.technician)
    with engine.begin() as db:
        return note_trial(db, account, new)


def note_trial(db: Connection, account: Account, new: NewTrial, today: date | None = None) -> UUID:
    """Note a trial within a transaction; `today` where another clock than the system's says so. Raises Refused."""
    return note_within(db, account, new, {s.sheet_id: s.hash for s in sheet_store.current_sheets(db)}, today)


def note_within(
    db: Connection, account: Account, new: NewTrial, sheets: Mapping[str, SheetHash], today: date | None = None
) -> UUID:
    if new.sheet_id not in sheets:
        raise Refused("model", f"There is no sheet {new.sheet_id}.")
    sheet: Sheet = load_sheet(db, sheets[new.sheet_id])
    if new.processor is not None and new.processor not in sheet.processors:
        raise Refused(
            "processor", f"{sheet.title} takes no processor {new.processor}; it takes {', '.join(sheet.processors)}."
        )
    if new.module is None and not new.part and new.total_gib is None:
        raise Refused("module", "Say what was tried: a module, a part number, or the total.")
    if new.tried_on > (today or datetime.now(UTC).date()):
        raise Refused("date", f"{new.tried_on} has not come yet.")
    part = new.part or (new.module.part if new.module else None)
    values = {
        "sheet_id": new.sheet_id, "processor": new.processor, "part": part, "revision": new.revision or (new.module and new.module.revision),
        "module": new.module, "total_gib": new.total_gib, "outcome": new.outcome.value,
        "who": new.who.value, "tried_on": new.tried_on, "soak_days": new.soak_days, "note": new.note.strip(), "source": new.source.strip(), "held": replace(new.held, firmware=new.firmware or new.held.firmware),
    }  # fmt: skip
    key = store.add_trial(db, account.id, values)
    record(db, "trial noted", account.id, id=str(key), sheet=new.sheet_id, outcome=values["outcome"])
    return key


def withdraw_trial(engine: Engine, account: Account, key: UUID) -> None:
    """Take a trial back; it stays in the history. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        if not store.withdraw_trial(db, key):
            raise NotFound("trial")
        record(db, "trial withdrawn", account.id, id=str(key))
