"""A machine whose model was taken for another: brought under the right sheet, each of its slots where it belongs there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.known import Known, Origin
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.core.platform.survey import SlotFacts, match_slots
from umbrak.services.errors import Refused
from umbrak.services.known.loading import Loaded, load_machine, sound_layout, sources_of
from umbrak.services.known.summaries import refresh
from umbrak.services.known.view import current
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import load_sheet
from umbrak.services.shelf.changing import note_needs
from umbrak.store import machines as store
from umbrak.store import plans as plan_store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.plans import PlanRow
from umbrak.store.surveys import add_survey

_OPEN = ("draft", "approved")


@dataclass(frozen=True, slots=True)
class OldSlot:
    """A slot as it is called now, and where it seems to belong."""

    slot: str
    printed: str
    #: Whether something is known of it that would be lost without a place.
    is_used: bool
    #: The slot of the other sheet that has its name, or its place where both have as many; None where neither tells.
    to: str | None


@dataclass(frozen=True, slots=True)
class NewSlot:
    slot: str
    printed: str


@dataclass(frozen=True, slots=True)
class OtherModel:
    """What becomes of a machine under another sheet."""

    title: str
    slots: tuple[OldSlot, ...]
    #: Slots of the other sheet.
    places: tuple[NewSlot, ...]
    #: Plans that go over with it; what they will run with and an approval do not.
    plans: tuple[str, ...]
    #: What is known now and has no meaning there.
    dropped: tuple[str, ...]


def see_other_model(engine: Engine, key: UUID, sheet_hash: SheetHash) -> OtherModel:
    """Raises NotFound."""
    with engine.connect() as db:
        m, sheet = load_machine(db, key), load_sheet(db, sheet_hash)
        plans = _open_plans(db, m)
    used = {*m.layout, *m.survey.content.failed, *(s for p in plans for s in p.goal)}
    seems = _seem(m.sheet, sheet)
    slots = tuple(OldSlot(s.id, s.printed, s.id in used, seems[s.id]) for s in m.sheet.slots.values())
    return OtherModel(
        title=sheet.title,
        slots=slots,
        places=tuple(NewSlot(s.id, s.printed) for s in sheet.slots.values()),
        plans=tuple(p.name for p in plans),
        dropped=_dropped(m, sheet),
    )


def _seem(old: Sheet, new: Sheet) -> dict[str, str | None]:
    named = match_slots(new, [SlotFacts(locator=s.printed) for s in old.slots.values()])
    found: dict[str, str | None] = dict(zip(old.slots, named, strict=True))
    if len(old.slots) == len(new.slots) and not any(named):
        return dict(zip(old.slots, new.slots, strict=True))
    return found


def _open_plans(db: Connection, m: Loaded) -> list[PlanRow]:
    return [p for p in plan_store.plans_of(db, m.row.id) if p.state in _OPEN]


def _dropped(m: Loaded, sheet: Sheet) -> tuple[str, ...]:
    facts = m.machine
    known = {s.id: s.processors for s in sheet.sockets.values()}
    lost = [f"the processor in {s}" for s, p in facts.processors.items() if s not in known or (p and p not in known[s])]
    if facts.mode and all(mode.id != facts.mode for mode in sheet.memory.modes):
        lost.append(f"the mode {facts.mode}")
    lost += [f"the drive of bay {n}" for n in m.survey.content.bays if n not in sheet.bay_numbers]
    return tuple(lost)


def change_model(
    engine: Engine, account: Account, key: UUID, version: int, sheet_hash: SheetHash, to: Mapping[str, str]
) -> None:
    """Bring a machine under another model's sheet.

    Parameters
        to    slot as it is called now -> slot of the other sheet; slots left out lose what is known of them

    Raises
        NotFound, Stale
        Refused   it is on the bench; a slot is not there, or given to two; something known or planned has no place
    """
    need(account, Role.technician)
    with engine.begin() as db:
        m = current(db, key, version, {"sheet_hash": sheet_hash})
        sheet = load_sheet(db, sheet_hash)
        if sheet.id == m.sheet.id:
            raise Refused("sheet_hash", f"{m.row.name} is a {sheet.title} already.")
        if any(p.state == "under way" for p in plan_store.plans_of(db, key)):
            raise Refused("sheet_hash", f"{m.row.name} is on the bench: end its run first.")
        plans = _open_plans(db, m)
        _check(m, sheet, to, plans)
        now = datetime.now(UTC)
        facts = m.row.facts
        known = {s.id: s.processors for s in sheet.sockets.values()}
        processors = {s: p for s, p in facts.processors.items() if s in known and (p is None or p in known[s])}
        mode = facts.mode if any(x.id == facts.mode for x in sheet.memory.modes) else None
        facts = facts.model_copy(update={"processors": processors, "mode": mode})
        store.change_machine(db, key, version + 1, {"sheet_hash": sheet_hash, "facts": facts})
        survey = add_survey(db, key, m.survey.kind, _moved(m, sheet, to), account.id, None, m.survey.taken_at or now)
        for p in plans:
            _carry_over(db, account, p, sheet_hash, survey, to)
        m = load_machine(db, key)
        for p in _open_plans(db, m):
            note_needs(db, p.id, sound_layout(m), p.goal)
        refresh(db, key)
        record(db, "model changed", account.id, key, title=sheet.title, slots=dict(to), version=version + 1)


def _check(m: Loaded, sheet: Sheet, to: Mapping[str, str], plans: list[PlanRow]) -> None:
    given: dict[str, str] = {}
    for old, new in to.items():
        if old not in m.sheet.slots:
            raise Refused(f"slots.{old}", f"{m.sheet.title} has no slot {old}.")
        if new not in sheet.slots:
            raise Refused(f"slots.{old}", f"{sheet.title} has no slot {new}.")
        if new in given:
            raise Refused(f"slots.{old}", f"{new} is given to {given[new]} already.")
        given[new] = old
    for slot in m.layout:
        if m.layout[slot] is not UNKNOWN and slot not in to:
            raise Refused(
                f"slots.{slot}",
                f"What is in {m.sheet.slots[slot].printed} has no place in {sheet.title}: say where it belongs.",
            )
    for p in plans:
        for slot in (s for layout in (p.goal, *p.stages) for s in layout):
            if slot not in to:
                raise Refused(
                    f"slots.{slot}", f"The plan {p.name} fills {slot}: say where it belongs, or discard the plan first."
                )


def _moved(m: Loaded, sheet: Sheet, to: Mapping[str, str]) -> Known:
    """What is known, under the other sheet's names; its slots that come from none are not known."""
    content = m.survey.content

    def by(given: Mapping[str, Any]) -> dict[str, Any]:
        return {to[s]: v for s, v in given.items() if s in to}

    known = {**dict.fromkeys(sheet.slots, UNKNOWN), **{new: m.layout.get(old) for old, new in to.items()}}
    return replace(
        content,
        slots=Layout(known),
        failed=tuple(sorted(to[s] for s in content.failed if s in to)),
        in_use=tuple(sorted(to[s] for s in content.in_use if s in to)),
        # That the others are not known is told by who changed the model.
        sources={**dict.fromkeys(known, Origin("by hand", datetime.now(UTC))), **by(sources_of(m))},
        disputed=by(content.disputed),
        health=by(content.health),
        bays={n: d for n, d in content.bays.items() if n in sheet.bay_numbers},
    )


def _carry_over(
    db: Connection, account: Account, plan: PlanRow, sheet_hash: SheetHash, survey: UUID, to: Mapping[str, str]
) -> None:
    """The plan anew under the other sheet; the old one is discarded, with all that was edited in it."""

    def moved(layout: Layout) -> Layout:
        return Layout({to[s]: o for s, o in layout.items()})

    goal, stages = plan.goal, plan.stages
    plan_store.add_command(db, plan.id, plan.version + 1, "edit", {}, goal, account.id)
    plan_store.discard_plan(db, plan.id, plan.version + 1, True)
    key = plan_store.add_plan(db, plan.machine_id, plan.name, sheet_hash, survey, moved(goal))
    if key is not None:
        plan_store.set_stages(db, key, [moved(s) for s in stages])
