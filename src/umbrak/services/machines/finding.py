"""Finding anything by a text in it."""

from __future__ import annotations

from sqlalchemy import Engine

from umbrak.store import finding
from umbrak.store.finding import Hit

#: Of each kind so many: who sees more types more.
EACH = 6
#: Shorter texts are in everything.
LEAST = 2


def find(engine: Engine, text: str) -> tuple[Hit, ...]:
    """Machines, plans, sheets, parts and modules by serial that have the text; none for a text of one letter."""
    wanted = text.strip()
    if len(wanted) < LEAST:
        return ()
    with engine.connect() as db:
        return tuple(finding.find(db, wanted, EACH))
