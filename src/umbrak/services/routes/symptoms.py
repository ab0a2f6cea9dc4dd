"""What a machine shows of lacking memory, the need that follows, and whether its upgrade helped."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.plan.symptoms import FromSeen, Helped, Symptoms, did_it_help, need_seen
from umbrak.services.errors import NotFound, Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import load_machine
from umbrak.services.people.accounts import Role, need
from umbrak.store import figures as store
from umbrak.store import runs as run_store
from umbrak.store.accounts import Account
from umbrak.store.figures import SeenRow
from umbrak.store.history import record

#: So many are shown of a machine.
_MOST = 50


@dataclass(frozen=True, slots=True)
class SymptomsView:
    #: The newest first.
    seen: tuple[SeenRow, ...]
    #: By the newest; None where nothing was seen.
    need: FromSeen | None
    usable_gib: float
    #: What the machine told of its use when it was last asked; None where it told none. [GiB]
    told_used_gib: float | None
    #: What was seen last before modules were handled last, beside the newest since; None where nothing was seen before.
    helped: Helped | None
    #: When modules were handled last; None where no run of it ended with its machine on duty.
    changed_at: datetime | None


def see_symptoms(engine: Engine, machine_id: UUID) -> SymptomsView:
    """Raises NotFound."""
    with engine.connect() as db:
        return _view(db, machine_id)


def add_symptoms(engine: Engine, account: Account, machine_id: UUID, said: Symptoms, now: datetime) -> SymptomsView:
    """Keep what somebody saw. Raises NotFound; Refused where it says nothing."""
    need(account, Role.technician)
    if not said.is_told:
        raise Refused(
            "used_gib", "Say at least one figure: what is in use, in swap, in the cache, or what found no room."
        )
    with engine.begin() as db:
        m = load_machine(db, machine_id)
        store.add_seen(db, machine_id, account.id, said, judge(m, m.layout).usable_gib, now)
        record(db, "use seen", account.id, machine_id)
        return _view(db, machine_id)


def drop_symptoms(engine: Engine, account: Account, machine_id: UUID, key: UUID) -> SymptomsView:
    """Take back what was entered wrongly. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        load_machine(db, machine_id)
        if not store.drop_seen(db, machine_id, key):
            raise NotFound("figures")
        record(db, "use taken back", account.id, machine_id)
        return _view(db, machine_id)


def _view(db: Connection, machine_id: UUID) -> SymptomsView:
    m = load_machine(db, machine_id)
    rows = store.seen_of(db, machine_id, _MOST)
    usable = judge(m, m.layout).usable_gib
    ended = [r for r in run_store.runs_of(db, machine_id) if r.ended_at and r.state in ("proved", "waived")]
    last = ended[0] if ended else None
    helped = None
    if last and last.ended_at:
        # Between begin and end it is neither the one machine nor the other.
        before = next((r for r in rows if r.at <= last.created_at), None)
        after = next((r for r in rows if r.at >= last.ended_at), None)
        if before:
            then = after or SeenRow(before.id, Symptoms(), usable, last.ended_at, "")
            helped = did_it_help(before.symptoms, before.usable_gib, then.symptoms, then.usable_gib)
    totals = m.survey.content.totals
    return SymptomsView(
        seen=tuple(rows),
        need=need_seen(rows[0].symptoms, rows[0].usable_gib) if rows else None,
        usable_gib=usable,
        told_used_gib=totals.used_gib if totals else None,
        helped=helped,
        changed_at=last.ended_at if last else None,
    )
