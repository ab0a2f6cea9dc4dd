"""Machines of the same model, to hold one against that was worked on: what do their gauges, totals and alerts show?"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.machine import UNKNOWN
from umbrak.formats.entries import AlertDoc
from umbrak.services.known.loading import Loaded, load_machine, load_machines
from umbrak.services.runs.entries import every
from umbrak.store import runs as store
from umbrak.store.sheets import machines_under

#: As many as a person looks through.
MOST = 40


@dataclass(frozen=True, slots=True)
class PeerAlert:
    text: str
    at: datetime


@dataclass(frozen=True, slots=True)
class PeerView:
    """What is known of a machine of the same model; None = it does not tell."""

    id: UUID
    name: str
    site: str | None
    surveyed_at: datetime
    #: Why it is no measure for others; "" = nothing is known against it, and every slot is known.
    but: str
    #: Totals as it tells them itself.
    installed_gib: float | None
    usable_gib: float | None
    #: Errors that it counted, over all its slots.
    correctable: int | None
    uncorrectable: int | None
    firmware: str | None
    system: str | None
    #: What it showed in its newest run.
    alerts: tuple[PeerAlert, ...]


def list_peers(engine: Engine, machine_id: UUID) -> tuple[PeerView, ...]:
    """Those that nothing is known against first, then by name. Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, machine_id)
        others = [key for key in machines_under(db, m.sheet.id) if key != machine_id][:MOST]
        peers = [_peer(db, other) for other in load_machines(db, others)]
    return tuple(sorted(peers, key=lambda p: (bool(p.but), p.name.lower())))


def _peer(db: Connection, m: Loaded) -> PeerView:
    known = m.survey.content
    counted = [known.health[s] for s in sorted(known.health)]
    runs = store.runs_of(db, m.row.id)
    entries = store.entries_of(db, runs[0].id) if runs else []
    return PeerView(
        id=m.row.id,
        name=m.row.name,
        site=m.row.site,
        surveyed_at=m.survey.taken_at,
        but=_but(m),
        installed_gib=known.totals.installed_gib if known.totals else None,
        usable_gib=known.totals.usable_gib if known.totals else None,
        correctable=_sum([h.correctable for h in counted]),
        uncorrectable=_sum([h.uncorrectable for h in counted]),
        firmware=m.machine.firmware,
        system=m.machine.system,
        alerts=tuple(PeerAlert(a.text, e.at) for e, a in every(entries, AlertDoc)),
    )


def _sum(counts: list[int | None]) -> int | None:
    """Of those that are told; None where none is."""
    told = [n for n in counts if n is not None]
    return sum(told) if told else None


def _but(m: Loaded) -> str:
    known = m.survey.content
    if known.failed:
        return f"{', '.join(known.failed)} failed"
    if any(h.uncorrectable for h in known.health.values()):
        return "it counted errors that could not be corrected"
    if known.disputed:
        return f"{len(known.disputed)} of its slots are disputed"
    unknown = sum(occupant is UNKNOWN for occupant in m.layout.values())
    if unknown:
        return f"{unknown} of its slots are not known"
    return ""
