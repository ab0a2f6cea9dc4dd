"""A run's proof as one page of paper."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import amount
from umbrak.core.plan.actions import Action, Do, actions
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.proof.compare import Seen
from umbrak.core.runsheet.handling import module_words, slot_words
from umbrak.formats.board_picture import Look
from umbrak.formats.entries import NoteDoc
from umbrak.formats.proof_paper import PaperItem, ProofPaper, proof_paper_pdf
from umbrak.services.known.clock import Clock
from umbrak.services.known.drawn import as_fitted, drawn_board
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.proof.memory_tests import TestView
from umbrak.services.proof.view import ProofView, proof_view
from umbrak.services.runs.entries import ON_DUTY, every, found_run, layouts_of
from umbrak.store import runs as store
from umbrak.store.runs import RunRow

_PROVED = (Seen.RIGHT, Seen.BY_TOTAL)
#: So many slots are told each with the serial that was noted.
_WITH_SERIALS = 16


def proof_pdf(engine: Engine, key: UUID, now: datetime) -> tuple[str, bytes]:
    """(file name, PDF) of a run's proof as it stands. Raises NotFound."""
    with engine.connect() as db:
        row = found_run(db, key)
        m = load_machine(db, row.machine_id)
        told = _paper(db, m, row, proof_view(db, row, now), now)
    return f"{m.row.name}-proof.pdf", proof_paper_pdf(told)


def _paper(db: Connection, m: Loaded, row: RunRow, proof: ProofView, now: datetime) -> ProofPaper:
    before, goal, failed = layouts_of(row)
    clock = Clock(m)
    seen = proof.seen if proof.seen and not proof.seen.stale else None
    proved = {s.slot for s in seen.comparison.slots if s.seen in _PROVED} if seen else set()
    done = [a for a in actions(m.sheet, before, goal, failed) if a.do is not Do.KEEP]
    emptied = {a.source for a in done if a.source} - set(goal)
    notes = every(store.entries_of(db, row.id), NoteDoc)
    remarks = [f"{a.text} (alert, {_expected(a.expected)})" for a in proof.alerts]
    remarks += seen.comparison.remarks if seen else ()
    remarks += [f"{n.text} ({e.by}, {clock(e.at)})" for e, n in notes]
    stage = f", stage {row.stage} of {row.stages}" if row.stages > 1 else ""
    ended = f"{row.state} {clock(row.ended_at)}" if row.ended_at else "not ended"
    return ProofPaper(
        machine=m.row.name,
        model=m.row.sheet_title,
        place=", ".join(p for p in (m.row.site, m.row.about.place) if p),
        plan=row.plan + stage,
        told=[
            f"run begun {clock(row.created_at)} by {row.by}; {ended}",
            f"printed {clock(now)}, times of {clock.zone}",
        ],
        figures=list(_figures(proof)),
        before_gib=_installed(m, before),
        after_gib=_installed(m, goal),
        seen=f"{seen.source}, {clock(seen.at)}, {seen.by}" if seen else "",
        board=drawn_board(
            m,
            lambda slot: (as_fitted(goal[slot]), goal[slot]) if slot in goal else _gone(slot, emptied, before),
            sealed=proved,
        ),
        changes=list(_changes(m, done, proof)),
        ended=row.state in ON_DUTY,
        items=[
            PaperItem(i.what, i.state, i.words, i.reason, f"{i.by}, {clock(i.at)}" if i.at else "") for i in proof.items
        ],
        tests=[f"{_test(t)} ({t.by}, {clock(t.at)})" for t in proof.tests],
        soak=_soak(proof),
        remarks=remarks,
        signed=f"by {proof.signed.by}, {clock(proof.signed.at)}: {', '.join(w for w in (proof.signed.outcome, proof.signed.note) if w)}"
        if proof.signed
        else "",
        lacking=[i.words for i in proof.items if i.state not in ("there", "waived")],
    )


def _test(t: TestView) -> str:
    words = f"{t.tool}: {t.passes} {'pass' if t.passes == 1 else 'passes'}, {t.errors} errors"
    over = f", over {amount(t.tested_gib)} GB alone" if t.tested_gib is not None else ""
    stale = ", before modules were handled again" if t.stale else ""
    return words + over + stale + (f", taken back: {t.withdrawn}" if t.withdrawn else "")


def _gone(slot: str, emptied: set[str], before: Layout) -> tuple[Look, Occupant | None]:
    return (Look.COMES_OUT, before.get(slot)) if slot in emptied else (Look.EMPTY, None)


def _installed(m: Loaded, layout: Layout) -> float | None:
    """None where it is not known of every slot what is in it."""
    return None if UNKNOWN in layout.values() else judge(m, layout).installed_gib


def _figures(proof: ProofView) -> Iterator[tuple[str, str, str, str]]:
    if proof.seen is None or proof.seen.stale:
        return
    for t in proof.seen.comparison.totals:
        yield t.name, t.planned_words, f"{t.seen:g} GB" if t.seen is not None else "not told", t.words
    rate = proof.seen.comparison.rate
    yield "rate", _mts(rate.planned_mts), _mts(rate.seen_mts), rate.words


def _mts(rate: int | None) -> str:
    return f"{rate} MT/s" if rate is not None else "not told"


def _changes(m: Loaded, done: list[Action], proof: ProofView) -> Iterator[str]:
    """Alike actions in one line, with the serials noted where that stays readable."""
    in_words = {Do.PUT_IN: "in", Do.TAKE_OUT: "out", Do.MOVE: "moved"}
    alike: dict[tuple[str, str], list[str]] = {}
    few = len(done) <= _WITH_SERIALS
    for a in done:
        source, target = slot_words(m.sheet, a.source or ""), slot_words(m.sheet, a.target or "")
        serial = proof.serials.get(a.target or "", "") if few else ""
        where = f"{source} to {target}" if a.do is Do.MOVE else target or source
        alike.setdefault((in_words[a.do], module_words(a.module)), []).append(
            f"{where} (S/N {serial})" if serial else where
        )
    for (how, what), places in alike.items():
        yield f"{how}: {len(places)} × {what}: {', '.join(places)}"


def _soak(proof: ProofView) -> str:
    s = proof.soak
    if s is None:
        return ""
    counts = [c.correctable for reading in s.readings[-1:] for c in reading.slots.values() if c.correctable is not None]
    errors = f"{sum(counts)} corrected errors at the last reading" if counts else "no counter was read"
    state = "passed" if s.state.passed else "failed" if s.state.passed is False else "runs"
    return f"soak {state}: day {s.day:.1f} of {s.days:g}, {errors}"


def _expected(expected: bool | None) -> str:
    return "expected" if expected else "not expected" if expected is False else "nobody says whether expected"
