"""A machine with all that judging it takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.evaluate import Evaluation
from umbrak.core.platform.known import Claim, Known, Origin
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, marked
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Source, SourceKind, Statement
from umbrak.formats.documents import MachineDoc
from umbrak.services.errors import NotFound, Refused
from umbrak.services.parts.known import Numbers
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as store
from umbrak.store.machines import MachineRow
from umbrak.store.statements import StatementRow, statements_about
from umbrak.store.surveys import SurveyRow, newest_surveys


@dataclass(frozen=True, slots=True)
class Loaded:
    row: MachineRow
    sheet: Sheet
    machine: Machine
    survey: SurveyRow
    layout: Layout
    #: Limits stated beside the sheet's own.
    statements: tuple[Statement, ...] = ()


def load_machine(db: Connection, key: UUID) -> Loaded:
    """Raises NotFound."""
    row = store.find_machine(db, key)
    if row is None:
        raise NotFound("machine")
    return loaded(db, row)


def loaded(db: Connection, row: MachineRow) -> Loaded:
    """A machine whose row is known. Raises Unreadable."""
    return _loaded(db, [row])[0]


def load_machines(db: Connection, keys: Sequence[UUID]) -> list[Loaded]:
    """Those of some machines that there are, by name, in as many queries as one takes."""
    return _loaded(db, store.find_machines(db, keys))


def _loaded(db: Connection, rows: Sequence[MachineRow]) -> list[Loaded]:
    numbers = Numbers.load(db)
    sheets = {r.sheet_hash: numbers.widened(load_sheet(db, r.sheet_hash)) for r in rows}
    surveys = newest_surveys(db, [r.id for r in rows])
    stated = statements_about(db, [r.id for r in rows], [s.id for s in sheets.values()])
    return [_put_together(r, sheets[r.sheet_hash], surveys[r.id], stated) for r in rows]


def _put_together(row: MachineRow, sheet: Sheet, survey: SurveyRow, about: Sequence[StatementRow]) -> Loaded:
    machine = row.facts.value()
    claimed = _claimed(survey.content.claim, sheet)
    stated = [stated_value(r) for r in about if r.machine_id == row.id or r.sheet_id == sheet.id]
    return Loaded(
        row=row,
        sheet=sheet,
        machine=machine,
        survey=survey,
        layout=layout_of(survey.content),
        statements=(*stated, *([claimed] if claimed else [])),
    )


def layout_of(content: Known) -> Layout:
    """What is fitted, modules that have failed marked as such."""
    return marked(content.slots, content.failed, content.in_use)


def as_planned(m: Loaded, runs_with: MachineDoc | None) -> Loaded:
    """The machine as a plan will have it run: other versions, processors or mode than today's."""
    return replace(m, machine=with_facts(m.row.facts, runs_with).value()) if runs_with else m


def with_facts(facts: MachineDoc, changes: MachineDoc) -> MachineDoc:
    """Facts with those that the changes set, socket by socket for processors."""
    told = {name: getattr(changes, name) for name in changes.model_fields_set}
    return facts.model_copy(update={**told, "processors": {**facts.processors, **changes.processors}})


def sound_layout(m: Loaded) -> Layout:
    """What is fitted without the modules that have failed: nobody plans with those."""
    failed = set(m.survey.content.failed)
    return Layout({s: o for s, o in m.layout.items() if s not in failed}) if failed else m.layout


def stated_value(row: StatementRow) -> Statement:
    """What somebody stated, under its row's id: unlike a sheet's ids, that is nobody else's."""
    return replace(row.stated.value(str(row.id)), id=str(row.id))


def _claimed(claim: Claim | None, sheet: Sheet) -> Statement | None:
    """What the machine's firmware claims it can hold, as a statement: often copied from another board, so of low trust. None
    where the sheet tells it already, made from such a report."""
    told = {s.capacity_gib for s in sheet.limits if s.scope == "machine" and s.source.kind is SourceKind.SURVEY}
    if claim is None or claim.gib in told:
        return None
    source = Source("what its firmware claims", SourceKind.SURVEY, claim.at.date().isoformat())
    return Statement(id="survey-claim", scope="machine", source=source, capacity_gib=claim.gib)


def sources_of(m: Loaded) -> dict[str, Origin]:
    """Slot -> where what is known of it is from: where the survey is from, where nothing else is kept."""
    own = Origin(m.survey.kind, m.survey.taken_at)
    return {slot: m.survey.content.sources.get(slot, own) for slot in m.sheet.slots}


def known_slots(m: Loaded) -> int:
    return sum(1 for s in m.sheet.slots if m.layout.get(s) is not UNKNOWN)


def official_gib(evaluation: Evaluation) -> float | None:
    """The lowest machine-wide total that the machine's maker states and that is in force."""
    stated = [
        u.limit
        for u in evaluation.limits
        if u.scope == "machine" and u.unit == "GiB" and u.source.kind == "machine-maker"
    ]
    return min(stated, default=None)


def check_facts(sheet: Sheet, facts: MachineDoc) -> None:
    """Raises Refused for a processor, mode or setting that the model does not have."""
    check_processors(sheet, facts.processors)
    if facts.mode is not None and facts.mode not in {m.id for m in sheet.memory.modes}:
        raise Refused("facts.mode", f"{sheet.title} has no mode {facts.mode}.")


def check_processors(sheet: Sheet, processors: Mapping[str, str | None]) -> None:
    for socket, processor in processors.items():
        if socket not in sheet.sockets:
            raise Refused(f"processors.{socket}", f"{sheet.title} has no socket {socket}.")
        known = sheet.sockets[socket]
        if processor is None and not known.may_be_absent:
            raise Refused(f"processors.{socket}", f"{socket} always holds a processor.")
        if processor is not None and processor not in known.processors:
            raise Refused(f"processors.{socket}", f"{socket} does not take {processor}.")
