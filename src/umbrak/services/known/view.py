"""A machine as it stands, with its board: what any page of it begins with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.core.platform.known import REPORTS, Disputed, Drive
from umbrak.core.platform.machine import Machine, Occupant
from umbrak.core.platform.sheet import SheetHash
from umbrak.core.platform.survey import ROUNDED, SlotHealth
from umbrak.core.questions import Question
from umbrak.formats.about import About
from umbrak.services.errors import NotFound, Stale
from umbrak.services.known.judging import asked_first, judge
from umbrak.services.known.loading import Loaded, known_slots, loaded, official_gib, sources_of
from umbrak.services.sheets.board import Board, board_of
from umbrak.store import machines as store


@dataclass(frozen=True, slots=True)
class SurveyFacts:
    """What is known of the slots, from where and since when."""

    revision: int
    kind: str
    taken_at: datetime
    taken_by: str | None
    known: int
    total: int
    #: Slot -> what is known of it is from where and when.
    sources: Mapping[str, FactSource]
    #: Kind of source -> how sure what it tells is, for those above.
    sure: Mapping[str, str]
    #: Slot -> a report that differs and is not settled yet.
    disputed: Mapping[str, Disputed]
    #: Slot -> what the machine counted and measured there, as it told last.
    health: Mapping[str, SlotHealth]
    #: Totals that the machine told; None where it never did.
    told: ToldTotals | None
    #: The most that its firmware claims it can hold [GiB].
    claimed_gib: float | None
    #: The data rate to which its firmware had set its modules, of several the lowest; None where it was not told, or worked on since
    #: [MT/s].
    running_mts: int | None


@dataclass(frozen=True, slots=True)
class BayView:
    number: int
    known: bool
    #: None where the bay is empty, or not known.
    drive: Drive | None


@dataclass(frozen=True, slots=True)
class FactSource:
    kind: str
    at: datetime


@dataclass(frozen=True, slots=True)
class ToldTotals:
    """Totals that a machine told apart from its slots. [GiB]"""

    installed_gib: float | None
    usable_gib: float | None
    kind: str
    at: datetime
    #: Why they do not agree with what is known of the slots; "" where they do, or where that cannot be told.
    conflict: str


@dataclass(frozen=True, slots=True)
class MachineState:
    """A machine with its board and what it comes to as it stands."""

    id: UUID
    name: str
    site: str | None
    zone: str
    sheet_title: str
    version: int
    about: About
    retired_at: datetime | None
    #: What is particular to this unit; what is left out is unknown.
    facts: Machine
    sheet_hash: SheetHash
    #: Modes that its sheet names.
    modes: tuple[str, ...]
    #: Socket -> the processors it may hold, in the sheet's order.
    may_hold: Mapping[str, tuple[str, ...]]
    #: Sockets that may be empty.
    may_be_bare: tuple[str, ...]
    survey: SurveyFacts
    board: Board
    slots: Mapping[str, Occupant]
    #: Slots whose module is at fault.
    failed: tuple[str, ...]
    #: Drive bays by number, and how they stand on the front; none where the model has none.
    bays: tuple[BayView, ...]
    bay_columns: int
    bay_numbering: str
    evaluation: Evaluation
    #: What to answer first.
    questions: tuple[Question, ...]
    #: The lowest official total in force; None where nobody states one.
    official_gib: float | None


def view_of(m: Loaded) -> MachineState:
    evaluation = judge(m, m.layout)
    return MachineState(
        id=m.row.id,
        name=m.row.name,
        site=m.row.site,
        zone=m.row.zone,
        sheet_title=m.row.sheet_title,
        version=m.row.version,
        about=m.row.about,
        retired_at=m.row.retired_at,
        facts=m.machine,
        sheet_hash=m.row.sheet_hash,
        modes=tuple(mode.id for mode in m.sheet.memory.modes),
        may_hold={s.id: s.processors for s in m.sheet.sockets.values()},
        may_be_bare=tuple(s.id for s in m.sheet.sockets.values() if s.may_be_absent),
        survey=_survey_facts(m, evaluation),
        board=board_of(m.sheet, m.machine),
        slots=dict(m.layout),
        failed=tuple(s for s in m.sheet.slots if s in m.survey.content.failed),
        bays=_bays(m),
        bay_columns=m.sheet.bays.columns if m.sheet.bays else 0,
        bay_numbering=m.sheet.bays.numbering if m.sheet.bays else "",
        evaluation=evaluation,
        questions=asked_first(m, m.layout, evaluation),
        official_gib=official_gib(evaluation),
    )


def _bays(m: Loaded) -> tuple[BayView, ...]:
    known = m.survey.content.bays
    return tuple(BayView(n, n in known, known.get(n)) for n in m.sheet.bay_numbers)


def _survey_facts(m: Loaded, evaluation: Evaluation) -> SurveyFacts:
    s, sources = m.survey, sources_of(m)
    return SurveyFacts(
        revision=s.revision,
        kind=s.kind,
        taken_at=s.taken_at,
        taken_by=s.taken_by,
        known=known_slots(m),
        total=len(m.sheet.slots),
        sources={slot: FactSource(x.kind, x.at) for slot, x in sources.items()},
        sure={k: REPORTS[k].sure for k in sorted({x.kind for x in sources.values()}) if k in REPORTS},
        disputed=s.content.disputed,
        health=s.content.health,
        told=_told_totals(m, evaluation),
        claimed_gib=s.content.claim.gib if s.content.claim else None,
        running_mts=s.content.running.rate_mts if s.content.running else None,
    )


#: Between what a system tells and what is computed, where the sheet does not say how far they may be apart: firmware,
#: graphics and kernel keep some for themselves. [share of the installed]
_SLACK = 0.05


def _told_totals(m: Loaded, evaluation: Evaluation) -> ToldTotals | None:
    """What the machine told of its totals beside what its slots come to, as far as all of them are known."""
    told = m.survey.content.totals
    if told is None:
        return None
    installed, usable, conflict = told.installed_gib, told.usable_gib, ""
    seen = sum(
        x.capacity_gib or 0 for s, x in m.layout.items() if isinstance(x, Module) and s not in m.survey.content.failed
    )
    held = seen + sum(c.soldered.capacity_gib or 0 for c in m.sheet.channels.values() if c.soldered)
    whole = known_slots(m) == len(m.sheet.slots)
    if installed is not None and (held > installed * (1 + ROUNDED) or (whole and held < installed * (1 - ROUNDED))):
        conflict = (
            f"it tells {_gb(installed)} GB installed; its slots come to {_gb(held)}{'' if whole else ' and more'}"
        )
    elif usable is not None:
        reserved = m.sheet.reserve.tolerance_mib / 1024 if m.sheet.reserve else 0
        slack = max(reserved, _SLACK * held)
        more = usable - evaluation.usable_gib
        if more < -slack or (whole and more > slack):
            come_to = f"about {_gb(evaluation.usable_gib)}{'' if whole else ' and more'}"
            conflict = f"it tells {_gb(usable)} GB usable; its slots come to {come_to}"
    return ToldTotals(installed, usable, told.kind, told.at, conflict)


def _gb(gib: float) -> str:
    return f"{gib:.1f}".removesuffix(".0")


def current(db: Connection, key: UUID, version: int | None, yours: Any) -> Loaded:
    """The machine, locked. Raises NotFound, or Stale when it is not at `version` any more."""
    row = store.find_machine(db, key, lock=True)
    if row is None:
        raise NotFound("machine")
    m = loaded(db, row)
    if version is not None and row.version != version:
        raise Stale(f"{row.name} was changed meanwhile; nothing of yours was saved.", view_of(m), yours)
    return m
