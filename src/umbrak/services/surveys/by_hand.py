"""What somebody saw with their own eyes: modules in slots, drives in bays."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.difference import AGREES, compare_slot
from umbrak.core.platform.known import Drive, Origin
from umbrak.core.platform.machine import Layout, Occupant, unmarked
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import as_its_slot
from umbrak.formats.documents import layout_json
from umbrak.services.errors import Refused, Stale
from umbrak.services.known.loading import sources_of
from umbrak.services.known.summaries import refresh
from umbrak.services.known.view import current, view_of
from umbrak.services.people.accounts import Role, need
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.surveys import add_survey


def seen_slots(sheet: Sheet, fitted: Layout, emptied: Sequence[str], field_name: str) -> dict[str, Occupant | None]:
    told: dict[str, Occupant | None] = {**dict.fromkeys(emptied), **fitted}
    for slot in told:
        if slot not in sheet.slots:
            raise Refused(f"{field_name}.{slot}", f"{sheet.title} has no slot {slot}.")
    return told


def survey_by_hand(
    engine: Engine,
    account: Account,
    key: UUID,
    revision: int,
    found: Layout,
    emptied: Sequence[str],
    failed: Sequence[str] | None = None,
    by_part: bool = False,
) -> None:
    """What somebody saw in some slots, as a new survey over the newest one; `failed` = all slots now at fault; `by_part` =
    it adds what is known of the part numbers there, and nobody saw it on these modules.

    Raises
        NotFound, Refused
        Stale      the newest survey is not `revision` any more
    """
    need(account, Role.technician)
    with engine.begin() as db:
        m = current(db, key, None, {})
        told = {s: as_its_slot(m.sheet, o) for s, o in seen_slots(m.sheet, found, emptied, "slots").items()}
        known = m.survey.content
        broken = sorted(known.failed if failed is None else failed)
        for slot in broken:
            if slot not in m.sheet.slots:
                raise Refused("failed", f"{m.sheet.title} has no slot {slot}.")
        slots = unmarked(Layout({**m.layout, **told}))
        same = slots == known.slots and _unread(slots) == _unread(known.slots) and broken == sorted(known.failed)
        # What stands there already, said of an older survey, was sent twice; said of the newest, somebody looked and found it so.
        looked = bool(told) and not by_part and m.survey.revision == revision
        if same and not looked:
            return
        if m.survey.revision != revision:
            yours = {"slots": layout_json(found), "emptied": list(emptied)}
            raise Stale("The machine was surveyed again meanwhile; nothing of yours was saved.", view_of(m), yours)
        now = datetime.now(UTC)
        kind, before = "part" if by_part else "by hand", sources_of(m)
        # Who has looked settles what was disputed there; who takes a fact from a part number has not looked.
        disputed = {s: d for s, d in known.disputed.items() if by_part or s not in told}
        new = {
            s: Origin(kind, now, over=before[s].first if by_part else None).after(
                before[s], compare_slot(s, m.layout.get(s), o).change in AGREES
            )
            for s, o in told.items()
        }
        sources = {**before, **new}
        content = replace(
            known,
            slots=slots,
            failed=tuple(broken),
            in_use=tuple(s for s in known.in_use if s in broken),
            sources=sources,
            disputed=disputed,
        )
        add_survey(db, key, kind, content, account.id, None, now)
        refresh(db, key)
        done = "told by part number" if by_part else "looked and found as known" if same else "surveyed by hand"
        record(db, done, account.id, key, slots=sorted(told), failed=broken, revision=revision + 1)


def _unread(slots: Layout) -> list[tuple[str, ...]]:
    """Of each slot's module what nobody read off it."""
    return [x.by_number if isinstance(x, Module) else () for x in slots.values()]


def record_bays(
    engine: Engine,
    account: Account,
    key: UUID,
    revision: int,
    bays: Mapping[int, Drive | None],
    unknown: Sequence[int] = (),
) -> None:
    """Which drive somebody saw in which bay, None = empty, over what is known. Raises NotFound, Refused, Stale."""
    need(account, Role.technician)
    with engine.begin() as db:
        m = current(db, key, None, {})
        for number in (*bays, *unknown):
            check_bay(m.sheet, number)
        before = m.survey.content.bays
        known = {n: d for n, d in {**before, **bays}.items() if n not in unknown}
        check_drives(known)
        if known == before:
            return
        if m.survey.revision != revision:
            raise Stale("The machine was surveyed again meanwhile; nothing of yours was saved.", view_of(m), None)
        content = replace(m.survey.content, bays=known, sources=sources_of(m))
        add_survey(db, key, m.survey.kind, content, account.id, None, m.survey.taken_at)
        record(db, "bays recorded", account.id, key, bays=sorted(bays), revision=revision + 1)


def check_bay(sheet: Sheet, number: int) -> None:
    """Raises Refused for a bay that the model does not have."""
    numbers = sheet.bay_numbers
    if number not in numbers:
        has = f"it has {numbers[0]} to {numbers[-1]}" if numbers else "its sheet tells of none"
        raise Refused(f"bays.{number}", f"{sheet.title} has no bay {number}; {has}.")


def check_drives(bays: Mapping[int, Drive | None]) -> None:
    """Raises Refused when one drive is said to be in two bays."""
    serials = [d.serial.casefold() for d in bays.values() if d and d.serial]
    twice = next((s for s in serials if serials.count(s) > 1), None)
    if twice:
        raise Refused("bays", f"The drive {twice} cannot be in two bays.")
