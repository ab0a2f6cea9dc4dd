"""A run as paper and as an appointment."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Occupant
from umbrak.core.runsheet.handling import place_words
from umbrak.formats.calendar import window_calendar
from umbrak.formats.paper import Paper, PaperSlot, paper_pdf
from umbrak.services.errors import Refused
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.runs.entries import found_run, layouts_of
from umbrak.store.runs import RunRow


def run_pdf(engine: Engine, key: UUID, now: datetime) -> tuple[str, bytes]:
    """(file name, PDF) of a run. Raises NotFound."""
    with engine.connect() as db:
        row = found_run(db, key)
        m = load_machine(db, row.machine_id)
    return f"{m.row.name}-run-sheet.pdf", paper_pdf(_paper(m, row, now))


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


def _paper(m: Loaded, row: RunRow, now: datetime) -> Paper:
    before, after, _ = layouts_of(row)
    zone = ZoneInfo(m.row.zone)

    def clock(at: datetime) -> str:
        return at.astimezone(zone).strftime("%Y-%m-%d %H:%M")

    groups: dict[str, list[PaperSlot]] = {}
    for s in m.sheet.slots.values():
        carrier = m.sheet.carriers.get(s.carrier or "")
        title = carrier.title if carrier else m.sheet.socket_of_slot[s.id]
        place = place_words(m.sheet, s.id).removeprefix(f"{s.printed}: ")
        groups.setdefault(title, []).append(
            PaperSlot(s.printed, place, _words(before.get(s.id)), _words(after.get(s.id)))
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
        made=f"printed {clock(now)}, times of {m.row.zone}",
        sheet=row.begun.sheet,
        slots=groups,
        bays={n: bays.get(n, "") for n in m.sheet.bay_numbers},
    )


def _words(occupant: Occupant | None) -> str:
    return occupant.short() if isinstance(occupant, Module) else "" if occupant is None else "not known"
