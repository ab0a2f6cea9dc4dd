"""The list of machines."""

from __future__ import annotations

from dataclasses import dataclass, fields
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.formats.about import About
from umbrak.services.known.summaries import GlyphGroup, Summary, refresh_or_tell, summary_key
from umbrak.store import machines as store

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


@dataclass(frozen=True, slots=True)
class MachinePage:
    machines: tuple[MachineLine, ...]
    total: int
    page: int
    page_size: int


def list_machines(
    engine: Engine,
    text: str = "",
    page: int = 0,
    worst_first: bool = False,
    want: str | None = None,
    retired: bool = False,
) -> MachinePage:
    """A page of machines; a summary that is not of what is there now is computed and kept."""
    with engine.begin() as db:
        rows, total = store.page_of_machines(db, text.strip(), page, worst_first, want, retired)
        lines = tuple(_line(db, row) for row in rows)
    return MachinePage(lines, total, page, store.PAGE_SIZE)


def _line(db: Connection, row: store.ListRow) -> MachineLine:
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
    )


def _is_whole(document: dict[str, Any]) -> bool:
    """Whether a kept summary has all that the list shows."""
    return document.keys() >= {f.name for f in fields(Summary)}


def _summary(document: dict[str, Any]) -> Summary:
    shown = {k: v for k, v in document.items() if k != "verdicts"}
    return Summary(**{**shown, "glyph": tuple(GlyphGroup(**g) for g in document["glyph"])})
