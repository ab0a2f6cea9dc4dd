"""Machines: making one from what it reports, and seeing them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy import Connection, Engine

from umbrak.core.evaluate import RULES_VERSION, Evaluation, evaluate, worst
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotState
from umbrak.core.targets import Target, targets
from umbrak.formats.documents import MachineDoc, layout_json, read_layout
from umbrak.services.accounts import Role, need
from umbrak.services.board import Board, board_of
from umbrak.services.errors import NotFound, Refused
from umbrak.services.intake import load_intake
from umbrak.services.sheets import load_sheet
from umbrak.store import machines as store
from umbrak.store import plans as plan_store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.machines import MachineRow, SurveyRow


@dataclass(frozen=True, slots=True)
class PlanName:
    id: UUID
    name: str
    state: str
    updated_at: datetime


@dataclass(frozen=True, slots=True)
class SurveyFacts:
    """What is known of the slots, from where and since when."""

    revision: int
    kind: str
    taken_at: datetime
    taken_by: str | None
    known: int
    total: int


@dataclass(frozen=True, slots=True)
class MachineView:
    """One machine with its board and what it comes to as it stands."""

    id: UUID
    name: str
    place: str
    site: str | None
    zone: str
    sheet_title: str
    firmware: str | None
    version: int
    survey: SurveyFacts
    board: Board
    slots: Mapping[str, Occupant]
    evaluation: Evaluation
    #: The lowest official total in force; None where nobody states one.
    official_gib: float | None
    plans: tuple[PlanName, ...]


@dataclass(frozen=True, slots=True)
class GlyphGroup:
    """One socket of the small board: a letter for each slot in the sheet's order.

    f filled and stays, e empty, u unknown, p planned, x comes out, c changes
    """

    socket: str
    slots: str
    soldered: int


@dataclass(frozen=True, slots=True)
class Summary:
    """What the list of machines shows of one."""

    installed_gib: float
    planned_gib: float | None
    official_gib: float | None
    verdict: str
    worst_severity: str | None
    worst_message: str | None
    known: int
    total: int
    glyph: tuple[GlyphGroup, ...]


@dataclass(frozen=True, slots=True)
class MachineLine:
    id: UUID
    name: str
    place: str
    site: str | None
    sheet_title: str
    surveyed_at: datetime
    plan: str | None
    summary: Summary


@dataclass(frozen=True, slots=True)
class MachinePage:
    machines: tuple[MachineLine, ...]
    total: int
    page: int
    page_size: int


def make_machine(
    engine: Engine,
    account: Account,
    name: str,
    sheet_hash: str,
    intake_id: UUID,
    slots: Mapping[str, int],
    processors: Mapping[str, str | None],
    place: str = "",
    site: str | None = None,
    zone: str = "UTC",
) -> UUID:
    """A machine from an intake. Slots of the sheet that no report is mapped to stay unknown.

    Parameters
        slots        slot -> index of its report in the intake's reading
        processors   socket -> processor id, or None where the socket is empty; left out = unknown

    Raises
        Refused      a name that is taken, a slot, report or processor that does not exist; names the field
        NotFound     no such sheet or intake
    """
    need(account, Role.technician)
    name = name.strip()
    if not name:
        raise Refused("name", "Give the machine a name.")
    try:
        ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise Refused("zone", f"{zone} is no time zone; write one such as Atlantic/Faroe.") from error
    with engine.begin() as db:
        sheet = load_sheet(db, sheet_hash)
        intake = load_intake(db, intake_id)
        reports = intake.reading.slots
        occupants: dict[str, Occupant | None] = dict.fromkeys(sheet.slots, UNKNOWN)
        used: dict[int, str] = {}
        for slot, index in slots.items():
            if slot not in sheet.slots:
                raise Refused(f"slots.{slot}", f"{sheet.title} has no slot {slot}.")
            if not 0 <= index < len(reports) or reports[index].state is SlotState.SOLDERED:
                raise Refused(f"slots.{slot}", f"There is no report {index} of a slot.")
            if index in used:
                raise Refused(
                    f"slots.{slot}", f"The report of {reports[index].locator} is given to {used[index]} already."
                )
            used[index] = slot
            occupants[slot] = reports[index].occupant()
        _check_processors(sheet, processors)
        firmware = intake.reading.firmware.version if intake.reading.firmware else None
        facts = MachineDoc(processors=dict(processors), firmware=firmware).model_dump(exclude_none=False)
        site_id = store.find_or_add_site(db, site.strip(), zone) if site and site.strip() else None
        key = store.add_machine(db, name, site_id, place.strip(), sheet_hash, facts)
        if key is None:
            raise Refused("name", f"There is a machine {name} already.")
        store.add_survey(
            db, key, intake.reading.kind, layout_json(Layout(occupants)), account.id, intake.id, datetime.now(UTC)
        )
        record(db, "machine made", account.id, key, name=name, sheet=sheet_hash)
    return key


def _check_processors(sheet: Sheet, processors: Mapping[str, str | None]) -> None:
    for socket, processor in processors.items():
        if socket not in sheet.sockets:
            raise Refused(f"processors.{socket}", f"{sheet.title} has no socket {socket}.")
        known = sheet.sockets[socket]
        if processor is None and not known.may_be_absent:
            raise Refused(f"processors.{socket}", f"{socket} always holds a processor.")
        if processor is not None and processor not in known.processors:
            raise Refused(f"processors.{socket}", f"{socket} does not take {processor}.")


@dataclass(frozen=True, slots=True)
class Loaded:
    """A machine with all that judging it takes."""

    row: MachineRow
    sheet: Sheet
    machine: Machine
    survey: SurveyRow
    layout: Layout


def load_machine(db: Connection, key: UUID) -> Loaded:
    """Raises NotFound."""
    row = store.find_machine(db, key)
    if row is None:
        raise NotFound("machine")
    return _loaded(db, row)


def _loaded(db: Connection, row: MachineRow) -> Loaded:
    survey = store.newest_survey(db, row.id)
    return Loaded(
        row, load_sheet(db, row.sheet_hash), MachineDoc(**row.facts).value(), survey, read_layout(survey.slots)
    )


def see_machine(engine: Engine, key: UUID) -> MachineView:
    """Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, key)
        plans = tuple(PlanName(p.id, p.name, p.state, p.updated_at) for p in plan_store.plans_of(db, key))
    evaluation = evaluate(m.sheet, m.machine, m.layout)
    return MachineView(
        id=m.row.id,
        name=m.row.name,
        place=m.row.place,
        site=m.row.site,
        zone=m.row.zone,
        sheet_title=m.row.sheet_title,
        firmware=m.machine.firmware,
        version=m.row.version,
        survey=SurveyFacts(
            m.survey.revision, m.survey.kind, m.survey.taken_at, m.survey.taken_by, _known(m), len(m.sheet.slots)
        ),
        board=board_of(m.sheet, m.machine),
        slots=dict(m.layout),
        evaluation=evaluation,
        official_gib=official_gib(evaluation),
        plans=plans,
    )


def machine_targets(engine: Engine, key: UUID, module: Module, taken_from: str | None) -> tuple[Target, ...]:
    """Every slot of the machine as it is, as a place for a module (see core.targets). Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, key)
    return targets(m.sheet, m.machine, m.layout, module, taken_from=taken_from)


def official_gib(evaluation: Evaluation) -> float | None:
    """The lowest machine-wide total that the machine's maker states and that is in force."""
    stated = [
        u.limit
        for u in evaluation.limits
        if u.scope == "machine" and u.unit == "GiB" and u.source.kind == "machine-maker"
    ]
    return min(stated, default=None)


def _known(m: Loaded) -> int:
    return sum(1 for s in m.sheet.slots if m.layout.get(s) is not UNKNOWN)


def list_machines(engine: Engine, text: str = "", page: int = 0) -> MachinePage:
    """A page of machines by name. Summaries are kept, and computed anew only where something they rest on changed."""
    lines = []
    with engine.begin() as db:
        rows, total = store.page_of_machines(db, text.strip(), page)
        for row in rows:
            survey = store.newest_survey(db, row.id)
            plan = next(iter(plan_store.plans_of(db, row.id)), None)
            summary = _summary(db, row, survey, plan)
            lines.append(
                MachineLine(
                    row.id,
                    row.name,
                    row.place,
                    row.site,
                    row.sheet_title,
                    survey.taken_at,
                    plan.name if plan else None,
                    summary,
                )
            )
    return MachinePage(tuple(lines), total, page, store.PAGE_SIZE)


def _summary(db: Connection, row: MachineRow, survey: SurveyRow, plan: plan_store.PlanRow | None) -> Summary:
    planned = f"{plan.id}:{plan.version}" if plan else "-"
    key = f"{row.version}:{row.sheet_hash}:{survey.id}:{planned}:{RULES_VERSION}"
    kept = store.find_summary(db, row.id, key)
    if kept is None:
        kept = _summarise(_loaded(db, row), read_layout(plan.slots) if plan else None)
        store.keep_summary(db, row.id, key, kept["installed_gib"], kept)
    return Summary(**{**kept, "glyph": tuple(GlyphGroup(**g) for g in kept["glyph"])})


def _summarise(m: Loaded, goal: Layout | None) -> dict[str, Any]:
    now = evaluate(m.sheet, m.machine, m.layout)
    shown = evaluate(m.sheet, m.machine, goal, before=m.layout) if goal is not None else now
    against = worst(shown)
    glyph = []
    for socket in m.sheet.sockets:
        slots = [s for c in m.sheet.channels_of[socket] for s in c.slots]
        soldered = sum(1 for c in m.sheet.channels_of[socket] if c.soldered)
        states = "".join(_glyph_letter(m.layout.get(s), (goal if goal is not None else m.layout).get(s)) for s in slots)
        glyph.append({"socket": socket, "slots": states, "soldered": soldered})
    return {
        "installed_gib": now.installed_gib,
        "planned_gib": shown.installed_gib if goal is not None and goal != m.layout else None,
        "official_gib": official_gib(now),
        "verdict": shown.verdict.value,
        "worst_severity": against.severity.value if against else None,
        "worst_message": against.message if against else None,
        "known": _known(m),
        "total": len(m.sheet.slots),
        "glyph": glyph,
    }


def _glyph_letter(now: Occupant | None, then: Occupant | None) -> str:
    if now == then:
        return "e" if now is None else "u" if now is UNKNOWN else "f"
    return "x" if then is None else "p" if now is None or now is UNKNOWN else "c"
