"""Field notes: what was tried where, how it went, and what that does to a belief."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field
from pydantic.dataclasses import dataclass as checked_dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.evidence.belief import Belief, Contribution, Trial, believe
from umbrak.core.evidence.claims import Claim, claims_of
from umbrak.core.evidence.table import ClaimKind, Outcome, Table
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.core.platform.statement import SourceKind
from umbrak.formats.documents import CHECKED, Name, Text
from umbrak.formats.quantities import Day, SoakDays, TotalGib
from umbrak.services.errors import NotFound, Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded
from umbrak.services.parts.known import Numbers
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import evidence_table
from umbrak.services.sheets.library import load_sheet
from umbrak.store import sheets as sheet_store
from umbrak.store import trials as store
from umbrak.store.accounts import Account
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


@dataclass(frozen=True, slots=True)
class BeliefView:
    """A claim, how far it is believed, and every term of that."""

    words: str
    kind: ClaimKind
    #: Probability of "fine": its mean, and where 90 % of it lies.
    mean: float
    low: float
    high: float
    #: Outcome -> pseudo-counts of the prior, and of prior and trials together.
    prior: dict[str, float]
    counts: dict[str, float]
    because: str
    contributions: tuple[Contribution, ...]
    #: True where no trial speaks of it: then it is the prior alone.
    is_prior: bool


def belief_view(b: Belief) -> BeliefView:
    prior = b.prior
    low, high = b.interval()
    return BeliefView(
        words=b.claim.words,
        kind=b.claim.kind,
        mean=b.mean(),
        low=low,
        high=high,
        prior={o.value: n for o, n in prior.counts().items()},
        counts={o.value: n for o, n in b.counts.items()},
        because=prior.because,
        contributions=b.contributions,
        is_prior=b.is_prior,
    )


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
    noted_by: str
    #: What it weighs today where it speaks of just what was tried, and what it did to the belief in that.
    weight: float
    claim: str
    before: float
    after: float


def trials_of(db: Connection, rows: Sequence[TrialRow]) -> tuple[Trial, ...]:
    """What evidence reasons with, of rows whose module can be read; each speaks of every number of its part."""
    numbers = Numbers.load(db)
    return tuple(replace(trial_of(r), also=numbers.also(r.part or "")) for r in rows if not r.unreadable)


def trial_of(row: TrialRow) -> Trial:
    return Trial(
        str(row.id),
        row.sheet_id,
        Outcome(row.outcome),
        SourceKind(row.who),
        row.tried_on,
        row.processor,
        row.part,
        row.revision,
        row.module,
        row.total_gib,
        row.soak_days,
    )


def list_trials(engine: Engine, text: str = "") -> list[TrialView]:
    """The newest first, with what each does to the belief in what it tried."""
    with engine.connect() as db:
        rows = store.all_trials(db, text.strip())
        titles = {s.sheet_id: s.title for s in sheet_store.current_sheets(db)}
        table = evidence_table(db)
        known = trials_of(db, rows)
    today = datetime.now(UTC).date()
    return [_view(row, titles, known, today, table) for row in rows]


def _view(row: TrialRow, titles: dict[str, str], known: Sequence[Trial], today: date, table: Table) -> TrialView:
    t = trial_of(row)
    model = titles.get(row.sheet_id, row.sheet_id)
    claim = _claim_of(t, model)
    others = [k for k in known if k.id != t.id]
    before, after = believe(claim, others, today, table), believe(claim, [*others, t], today, table)
    own = next((c for c in after.contributions if c.trial == t.id), None)
    return TrialView(
        id=row.id, sheet_id=row.sheet_id, model=model, processor=row.processor, part=row.part, revision=row.revision, module=row.unreadable or (t.module.short() if t.module else ""), total_gib=row.total_gib,
        outcome=t.outcome, who=t.who, tried_on=row.tried_on, soak_days=row.soak_days, note=row.note, noted_by=row.by, weight=own.weight if own else 0.0, claim=claim.words, before=before.mean(), after=after.mean(),
    )  # fmt: skip


def _claim_of(t: Trial, model: str) -> Claim:
    """What a trial tried: its part on its board, or where no module is told its total."""
    processors = (t.processor,) if t.processor else ()
    if t.module is None and not t.part:
        return Claim(ClaimKind.OVER_OFFICIAL, f"{model} runs {t.total_gib:g} GB", t.sheet, processors, t.total_gib)
    module = replace(t.module or Module(), part=t.part, revision=t.revision)
    return Claim(ClaimKind.PART, f"{t.part or module.short()} runs on {model}", t.sheet, processors, None, module)


def beliefs_of(db: Connection, m: Loaded, layout: Layout, before: Layout | None = None) -> tuple[Belief, ...]:
    """How far each claim that a layout rests on is believed, the weakest first."""
    claims = claims_of(m.sheet, m.machine, layout, judge(m, layout, before))
    fitted = [p for p in m.machine.processors.values() if p]
    trials = trials_of(db, store.trials_like(db, m.sheet.id, fitted)) if claims else ()
    today, table = datetime.now(UTC).date(), evidence_table(db)
    return tuple(sorted((believe(c, trials, today, table) for c in claims), key=lambda b: b.mean()))


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
        "who": new.who.value, "tried_on": new.tried_on, "soak_days": new.soak_days, "note": new.note.strip(),
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
