"""The list of machines."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.plan.sizing import need_of
from umbrak.formats.about import About
from umbrak.services.known.summaries import GlyphGroup, Summary, refresh_or_tell, summary_key
from umbrak.store import machines as store
from umbrak.store.machines import Listing
from umbrak.store.purchases import Waits, waited_for
from umbrak.store.sizings import find_sizings

#: Station that a machine is at by the state of the plan changed last.
_STATIONS = {
    "draft": "Fit",
    "approved": "Run",
    "under way": "Run",
    "proved": "Proof",
    "waived": "Proof",
    "backed out": "Proof",
}


@dataclass(frozen=True, slots=True)
class MachineLine:
    id: UUID
    name: str
    site: str | None
    about: About
    sheet_title: str
    surveyed_at: datetime
    plan: str | None
    #: Where the work on it stands: Survey, Fit, Run or Proof.
    station: str
    summary: Summary
    #: What it is to have usable; None where nobody said.
    need_gib: float | None
    #: What is on order for its plan and has not come; None where nothing is.
    waits: Waits | None


@dataclass(frozen=True, slots=True)
class MachineGroup:
    """Machines that have something in common: all that are listed, not only the page's."""

    #: "" where nothing is said of it.
    name: str
    count: int
    installed_gib: float
    #: Doublings of a GiB (5 = from 32 up to 64) -> how many machines have that much fitted.
    spread: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class MachinePage:
    machines: tuple[MachineLine, ...]
    total: int
    page: int
    page_size: int
    #: Of the machines with the text: how many in all, to each thing that the list can be narrowed to, and how many want somebody.
    counts: Mapping[str, int]
    #: In the list's order; empty where it is not grouped.
    groups: tuple[MachineGroup, ...]


def list_machines(engine: Engine, wanted: Listing = Listing(), page: int = 0) -> MachinePage:  # noqa: B008
    """A page of machines; a summary that is not of what is there now is computed and kept."""
    with engine.begin() as db:
        rows = store.page_of_machines(db, wanted, page)
        needs = {k: need_of(s).total or None for k, s in find_sizings(db, [r.machine.id for r in rows]).items()}
        waits = waited_for(db, [row.plan.id for row in rows if row.plan])
        lines = tuple(
            _line(db, row, needs.get(row.machine.id), waits.get(row.plan.id) if row.plan else None) for row in rows
        )
        groups = tuple(
            MachineGroup(g.name, g.count, round(g.installed_gib, 3), {str(k): n for k, n in sorted(g.spread.items())})
            for g in store.groups_of(db, wanted)
        )
        counts = store.counts_of(db, wanted)
    total = counts[wanted.want or "all"]
    return MachinePage(machines=lines, total=total, page=page, page_size=store.PAGE_SIZE, counts=counts, groups=groups)


def _line(db: Connection, row: store.ListRow, need_gib: float | None, waits: Waits | None) -> MachineLine:
    m, plan = row.machine, row.plan
    document = row.summary if row.summary_key == summary_key(m, row.survey_id, plan) else None
    if document is None or not _is_whole(document):
        document = refresh_or_tell(db, m.id)
    unknown = document["known"] < document["total"]
    return MachineLine(
        id=m.id,
        name=m.name,
        site=m.site,
        about=m.about,
        sheet_title=m.sheet_title,
        surveyed_at=row.surveyed_at,
        plan=plan.name if plan else None,
        station=_STATIONS[plan.state] if plan else "Survey" if unknown else "Fit",
        summary=_summary(document),
        need_gib=need_gib,
        waits=waits,
    )


def _is_whole(document: dict[str, Any]) -> bool:
    """Whether a kept summary has all that the list shows."""
    return document.keys() >= {f.name for f in fields(Summary)}


def _summary(document: dict[str, Any]) -> Summary:
    shown = {k: v for k, v in document.items() if k != "verdicts"}
    return Summary(**{**shown, "glyph": tuple(GlyphGroup(**g) for g in document["glyph"])})
