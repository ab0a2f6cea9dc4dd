"""Labels of a run: a bag for each module that comes out, a slot for each that goes in."""

from __future__ import annotations

from collections.abc import Iterator
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Do, actions
from umbrak.formats.labels import StickyLabel, labels_pdf, module_code
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.runs.entries import found_run, layouts_of
from umbrak.store.runs import RunRow


def run_labels(engine: Engine, key: UUID) -> tuple[str, bytes]:
    """(file name, PDF) of the labels of a run. Raises NotFound."""
    with engine.connect() as db:
        row = found_run(db, key)
        m = load_machine(db, row.machine_id)
    return f"{m.row.name}-labels.pdf", labels_pdf(_labels(m, row))


def _labels(m: Loaded, row: RunRow) -> Iterator[StickyLabel]:
    before, goal, failed = layouts_of(row)
    place = ", ".join(p for p in (m.row.site, m.row.about.place) if p)
    for a in actions(m.sheet, before, goal, failed):
        if a.do is Do.TAKE_OUT and a.source is not None and a.source in m.sheet.slots:
            printed = m.sheet.slots[a.source].printed
            target = m.sheet.slots.get(a.target or "")
            where = target.printed if target else ""
            fate = f"goes to {where}" if where else "at fault" if a.source in failed else "comes out"
            yield _label(m, f"{m.row.name} {printed}", a.module, (fate, row.plan, place))
        elif a.do is Do.PUT_IN and (slot := m.sheet.slots.get(a.target or "")) is not None:
            yield _label(m, f"{m.row.name} {slot.printed}", a.module, ("goes in here", row.plan, place))


def _label(m: Loaded, title: str, module: Module | None, lines: tuple[str, ...]) -> StickyLabel:
    if module is None:
        return StickyLabel(title, ("not known what it is", *lines))
    number = f"P/N {module.part}" if module.part else ""
    serial = f"S/N {module.serial}" if module.serial else ""
    return StickyLabel(title, (module.short(), number, serial, *lines), module_code(module))
