"""A run as paper and as an appointment."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.plan.actions import Do, actions
from umbrak.core.proof.standing import State
from umbrak.core.runsheet.handling import place_words
from umbrak.formats.calendar import window_calendar
from umbrak.formats.paper import Paper, PaperSlot, PaperStand, paper_pdf
from umbrak.services.bench.view import RemarkView, RunView, StepView, run_view
from umbrak.services.errors import Refused
from umbrak.services.known.clock import Clock
from umbrak.services.known.drawn import at_work, drawn_board
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.runs.entries import found_run, layouts_of
from umbrak.store.runs import RunRow


def run_pdf(engine: Engine, key: UUID, now: datetime) -> tuple[str, bytes]:
    """(file name, PDF) of a run. Raises NotFound."""
    with engine.connect() as db:
        row = found_run(db, key)
        m = load_machine(db, row.machine_id)
        told = _paper(db, m, row, now)
    return f"{m.row.name}-run-sheet.pdf", paper_pdf(told)


def run_calendar(engine: Engine, key: UUID, now: datetime) -> tuple[str, bytes]:
    """(file name, iCalendar) of a run's window. Raises NotFound, Refused where it has none."""
    with engine.connect() as db:
        row = found_run(db, key)
        m = load_machine(db, row.machine_id)
    if row.window_start is None or row.window_end is None:
        raise Refused("window", "Set the maintenance window first.")
    about = f"{m.row.sheet_title}, {row.plan}; down for {row.begun.sheet.down.high:g} minutes at most."
    title = f"Memory: {m.row.name}"
    place = ", ".join(p for p in (m.row.site, m.row.about.place) if p)
    return f"{m.row.name}-window.ics", window_calendar(
        key=str(row.id), title=title, place=place, about=about, start=row.window_start, end=row.window_end, made=now
    )


def _paper(db: Connection, m: Loaded, row: RunRow, now: datetime) -> Paper:
    before, after, failed = layouts_of(row)
    view = run_view(db, row, now)
    clock = Clock(m)
    touched = {
        slot for a in actions(m.sheet, before, after, failed) if a.do is not Do.KEEP for slot in (a.source, a.target)
    }
    groups: dict[str, list[PaperSlot]] = {}
    for s in m.sheet.slots.values():
        carrier = m.sheet.carriers.get(s.carrier or "")
        title = carrier.title if carrier else m.sheet.socket_of_slot[s.id]
        place = place_words(m.sheet, s.id).removeprefix(f"{s.printed}: ")
        groups.setdefault(title, []).append(
            PaperSlot(
                printed=s.printed, place=place, before=before.get(s.id), after=after.get(s.id), touched=s.id in touched
            )
        )
    window = (
        f"window {clock(row.window_start)} to {clock(row.window_end)}" if row.window_start and row.window_end else ""
    )
    bays = row.begun.bays
    return Paper(
        machine=m.row.name,
        model=m.row.sheet_title,
        place=", ".join(p for p in (m.row.site, m.row.about.place) if p),
        plan=row.plan,
        stage=f"stage {row.stage} of {row.stages}" if row.stages > 1 else "",
        window=window,
        told=_told(view, clock, now),
        sheet=row.begun.sheet,
        stands={s.key: _stand(s, view, clock) for s in view.steps},
        notes=[_remark(r, clock) for r in view.remarks if r.step is None],
        serials=view.serials,
        board=drawn_board(m, at_work(m, before, after, failed)),
        slots=groups,
        bays={n: bays.get(n, "") for n in m.sheet.bay_numbers},
        bay_columns=m.sheet.bays.columns if m.sheet.bays else 1,
        bay_numbering=m.sheet.bays.numbering if m.sheet.bays else "",
        bays_out=frozenset(n for s in view.steps for n in s.bays),
    )


def _told(view: RunView, clock: Clock, now: datetime) -> list[str]:
    begun = f"begun {clock(view.started_at)} by {view.started_by}"
    done = sum(s.done_at is not None for s in view.steps)
    state = (
        f"{view.state} {clock(view.ended_at)}"
        if view.ended_at
        else f"under way, {done} of {len(view.steps)} steps done when this was printed"
    )
    return [f"{begun}; {state}", f"printed {clock(now)}, times of {clock.zone}"]


def _stand(s: StepView, view: RunView, clock: Clock) -> PaperStand:
    lines = []
    if s.not_right is not None:
        lines.append(f"not right: {s.not_right}" if s.not_right else "not right")
    if s.alone:
        lines.append(f"nobody else looked: {s.alone}")
    if s.proof and s.proof != State.LACKING.value:
        lines.append(f"{s.proof}: {s.proof_words}")
    lines += [_remark(r, clock) for r in view.remarks if r.step == s.key and r.kind != "not-right"]
    return PaperStand(s.done_by or "", clock(s.done_at) if s.done_at else "", tuple(lines))


def _remark(r: RemarkView, clock: Clock) -> str:
    what = "a photo" if r.is_photo else f"in doubt: {r.text}" if r.kind == "doubt" else r.text
    return f"{what} ({r.by}, {clock(r.at)})"
