"""Labels of what is on the Shelf, one a module."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from uuid import UUID

from sqlalchemy import Engine

from umbrak.formats.labels import MOST, StickyLabel, labels_pdf, module_code
from umbrak.services.errors import NotFound, Refused
from umbrak.services.shelf.view import StockView, see_stock


def shelf_labels(engine: Engine, lines: Sequence[UUID]) -> bytes:
    """PDF of labels for lines of the Shelf, all of it where none is named. Raises NotFound for a line that is not there, Refused
    where there is nothing to print, or too much."""
    with engine.connect() as db:
        here = see_stock(db)
    wanted = set(lines)
    if wanted - {v.id for v in here}:
        raise NotFound("line on the shelf")
    chosen = [v for v in here if v.id in wanted or not wanted]
    count = sum(v.count for v in chosen)
    if not count:
        raise Refused("stock", "There is nothing on the Shelf to print labels for.")
    if count > MOST:
        raise Refused("stock", f"At most {MOST} labels are printed at a time, not {count}: choose lines.")
    return labels_pdf(label for v in chosen for label in _labels(v))


def _labels(v: StockView) -> Iterator[StickyLabel]:
    """One a module: those that plans have reserved first, in the order of the plans."""
    holders = [r for r in v.reserved for _ in range(r.count)]
    part = v.part or v.module.part
    for i in range(v.count):
        holder = holders[i] if i < len(holders) else None
        told = (
            f"P/N {part}" if part else "",
            f"S/N {v.module.serial}" if v.module.serial else "",
            f"for {holder.machine}: {holder.plan}" if holder else "",
            ", ".join(x for x in (v.state.value.replace("-", " "), v.reference, v.place) if x),
            v.note,
        )
        yield StickyLabel(v.words, told, module_code(v.module, part))
