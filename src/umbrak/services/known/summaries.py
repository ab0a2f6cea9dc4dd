"""Summaries of machines: kept anew in each transaction that changes what they rest on, so that thousands list at once."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine
from sqlalchemy.exc import SQLAlchemyError

from umbrak.core.evaluate import after_proof, worst
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.rules.finding import Severity
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import (
    Loaded,
    as_planned,
    known_slots,
    layout_of,
    load_machine,
    load_machines,
    official_gib,
)
from umbrak.services.known.rules_version import rules_version
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as store
from umbrak.store import plans as plan_store
from umbrak.store import runs as run_store
from umbrak.store.history import record
from umbrak.store.plans import PlanRow
from umbrak.store.surveys import find_survey

_log = logging.getLogger("umbrak.summaries")

#: Rank of "nothing against it", after every severity.
_NOTHING = 9
#: Summaries computed in one transaction when rules have changed.
_BATCH = 50


@dataclass(frozen=True, slots=True)
class GlyphGroup:
    """One socket of the small board: a letter for each slot in the sheet's order.

    f filled and stays, e empty, u unknown, p planned, x comes out, c changes, b failed (broken)
    """

    socket: str
    slots: str
    soldered: int


@dataclass(frozen=True, slots=True)
class Summary:
    """What the list of machines shows of one."""

    installed_gib: float
    #: Slots, and soldered memory, of whose size nobody knows: of these totals nothing counts them.
    not_counted: int
    planned_gib: float | None
    planned_not_counted: int
    #: What is usable of what is planned, or of what is fitted where nothing is.
    usable_gib: float
    official_gib: float | None
    verdict: str
    #: What it could still become.
    at_worst: str
    worst_severity: str | None
    worst_message: str | None
    known: int
    total: int
    #: Failed modules.
    failed: int
    glyph: tuple[GlyphGroup, ...]


def summary_key(m: store.MachineRow, survey_id: UUID, plan: PlanRow | None) -> str:
    """What a summary is computed from: any difference makes it stale."""
    planned = f"{plan.id}:{plan.version}" if plan else "-"
    return f"{m.version}:{m.sheet_hash}:{survey_id}:{planned}:{rules_version()}"


def refresh(db: Connection, machine_id: UUID) -> dict[str, Any]:
    """Compute a machine's summary and keep it: called within each transaction that changes what it rests on."""
    return _refresh_all(db, [load_machine(db, machine_id)])[machine_id]


def _refresh_all(db: Connection, machines: Sequence[Loaded]) -> dict[UUID, dict[str, Any]]:
    """Summaries of some machines, computed and kept in as many statements as one takes."""
    keys = [m.row.id for m in machines]
    plans, before = plan_store.plans_by_machine(db, keys), store.summaries_of(db, keys)
    found = {}
    for m in machines:
        own = plans.get(m.row.id, [])
        plan = next(iter(own), None)
        document = _summarise(m, plan, known_at_proof(db, plan) if plan else None)
        document["verdicts"] = _verdicts(db, m, own)
        _tell_changes(db, m, before.get(m.row.id), document["verdicts"])
        found[m.row.id] = _row(m.row.id, summary_key(m.row, m.survey.id, plan), document)
    store.keep_summaries(db, list(found.values()))
    return {key: row.document for key, row in found.items()}


def _row(machine_id: UUID, key: str, document: dict[str, Any]) -> store.SummaryRow:
    severity = document["worst_severity"]
    return store.SummaryRow(
        machine_id=machine_id,
        key=key,
        rules_version=rules_version(),
        installed_gib=document["installed_gib"],
        worst_rank=_RANKS[severity] if severity else _NOTHING,
        failed=document["failed"],
        document=document,
    )


def known_at_proof(db: Connection, plan: PlanRow) -> frozenset[str] | None:
    """Codes of what was held against a plan when the work began that proved it; None where it is not proved."""
    proof = run_store.proof_of_plan(db, plan.id) if plan.state == "proved" else None
    return frozenset(proof.begun.findings) if proof else None


def _verdicts(db: Connection, m: Loaded, plans: Sequence[PlanRow]) -> dict[str, Any]:
    """What is fitted and each plan that stands -> {what it is of, its verdict, what speaks against it}."""
    found = {"fitted": _verdict(m, str(m.survey.id), "what is fitted", m.layout, None)}
    for p in plans:
        if not p.ended:
            of = replace(m, sheet=load_sheet(db, p.sheet_hash)) if p.sheet_hash != m.row.sheet_hash else m
            base = layout_of(find_survey(db, p.survey_id).content) if p.survey_id != m.survey.id else m.layout
            found[str(p.id)] = _verdict(as_planned(of, p.runs_with), str(p.version), p.name, p.goal, base)
    return found


def _verdict(m: Loaded, of: str, name: str, layout: Layout, before: Layout | None) -> dict[str, Any]:
    judged = judge(m, layout, before)
    against = {f.code: f.message for f in reversed(judged.findings) if f.severity in _AGAINST}
    return {"of": of, "name": name, "verdict": judged.verdict.value, "against": against}


_AGAINST = (Severity.STOP, Severity.ASK, Severity.RISK)


def _tell_changes(db: Connection, m: Loaded, before: dict[str, Any] | None, now: dict[str, Any]) -> None:
    """Write down where the same layout is judged otherwise than before: a firmware version, a statement or a corrected sheet
    did that, and whoever planned or proved it should know."""
    for key, new in now.items():
        old = (before or {}).get("verdicts", {}).get(key)
        if old is None or old["of"] != new["of"] or old["verdict"] == new["verdict"]:
            continue
        came = [words for code, words in new["against"].items() if code not in old["against"]]
        went = [words for code, words in old["against"].items() if code not in new["against"]]
        because = came[0] if came else f"no longer: {went[0]}" if went else ""
        plan_id = None if key == "fitted" else UUID(key)
        told = {"was": old["verdict"], "verdict": new["verdict"], "because": because, "name": new["name"]}
        record(db, "verdict changed", None, m.row.id, plan_id, **told)


_RANKS = {"stop": 0, "ask": 1, "risk": 2, "slow": 3, "note": 4}


def refresh_stale(engine: Engine) -> int:
    """Bring every summary up to these rules, a batch a transaction. Returns how many were computed."""
    done = 0
    while True:
        with engine.begin() as db:
            batch = store.summaries_lacking(db, rules_version(), _BATCH)
            _refresh_or_tell_all(db, batch)
        done += len(batch)
        if not batch:
            return done


def _refresh_or_tell_all(db: Connection, machines: Sequence[UUID]) -> None:
    """All at once; where one of them cannot be read, one by one."""
    try:
        with db.begin_nested():
            _refresh_all(db, load_machines(db, machines))
    except SQLAlchemyError:
        raise
    except Exception:  # whichever of them it was: told by its own line
        for machine_id in machines:
            refresh_or_tell(db, machine_id)


def refresh_or_tell(db: Connection, machine_id: UUID) -> dict[str, Any]:
    """`refresh`, or a summary that says that what is kept of the machine cannot be read: that costs its own line alone."""
    try:
        with db.begin_nested():
            return refresh(db, machine_id)
    except SQLAlchemyError:
        raise
    except Exception as error:  # a document that this version does not understand: any reader of it may stumble
        _log.error("what is kept of machine %s cannot be read: %s", machine_id, type(error).__name__, exc_info=error)
    document: dict[str, Any] = {
        "installed_gib": 0,
        "not_counted": 0,
        "planned_gib": None,
        "planned_not_counted": 0,
        "usable_gib": 0,
        "official_gib": None,
        "verdict": "undecided",
        "at_worst": "no-go",
        "worst_severity": "stop",
        "worst_message": "What is kept of this machine cannot be read by this version: start the version that wrote it, or restore a backup.",
        "known": 0,
        "total": 0,
        "failed": 0,
        "glyph": [],
        "verdicts": {},
    }
    # Under a key that nothing has: each look tries anew, so that what was mended is shown.
    store.keep_summaries(db, [_row(machine_id, "unreadable", document)])
    return document


def _summarise(m: Loaded, plan: PlanRow | None, proved: frozenset[str] | None) -> dict[str, Any]:
    now = judge(m, m.layout)
    goal = plan.goal if plan and not plan.ended else None
    shown = judge(as_planned(m, plan.runs_with), goal, m.layout) if plan and goal is not None else now
    if plan and proved is not None and plan.goal == m.layout:
        shown = after_proof(shown, proved)
    against = worst(shown)
    after = goal if goal is not None else m.layout
    failed = set(m.survey.content.failed)
    return {
        "installed_gib": now.installed_gib,
        "not_counted": now.not_counted,
        "planned_not_counted": shown.not_counted,
        "planned_gib": shown.installed_gib if goal is not None and goal != m.layout else None,
        "usable_gib": shown.usable_gib,
        "official_gib": official_gib(now),
        "verdict": shown.verdict.value,
        "at_worst": shown.at_worst.value,
        "worst_severity": against.severity.value if against else None,
        "worst_message": against.message if against else None,
        "known": known_slots(m),
        "total": len(m.sheet.slots),
        "failed": len(failed),
        "glyph": [asdict(g) for g in glyph_of(m, after)],
    }


def glyph_of(m: Loaded, goal: Layout) -> tuple[GlyphGroup, ...]:
    """The small board of a machine with what a goal changes of it."""
    failed, groups = set(m.survey.content.failed), []
    for socket in m.sheet.sockets:
        slots = [s for c in m.sheet.channels_of[socket] for s in c.slots]
        letters = "".join(_glyph_letter(m.layout.get(s), goal.get(s), s in failed) for s in slots)
        soldered = sum(1 for c in m.sheet.channels_of[socket] if c.soldered)
        groups.append(GlyphGroup(socket=socket, slots=letters, soldered=soldered))
    return tuple(groups)


def _glyph_letter(now: Occupant | None, then: Occupant | None, failed: bool) -> str:
    if now == then:
        return "b" if failed else "e" if now is None else "u" if now is UNKNOWN else "f"
    return "x" if then is None else "p" if now is None or now is UNKNOWN else "c"
