"""Part numbers: what carries one in machines, and what people told of one."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    Connection,
    Select,
    Text,
    cast,
    delete,
    func,
    insert,
    literal,
    literal_column,
    or_,
    select,
    union,
    union_all,
    update,
)
from sqlalchemy.dialects.postgresql import distinct_on

from umbrak.core.memory.module import Module, alike, healthy, read_off
from umbrak.core.memory.parts import Seen, key_of
from umbrak.core.platform.known import Known, Origin
from umbrak.formats.documents import like_key
from umbrak.formats.kept import MODULE, read_or_say
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import fitted_part, machine, offer, part_word, plan, sheet, stock, trial


@dataclass(frozen=True, slots=True)
class FittedRow:
    """Modules of one kind in one machine."""

    number: str
    module: Module
    seen: Seen
    count: int
    seen_on: date
    machine_id: UUID
    machine: str


@dataclass(frozen=True, slots=True)
class WordRow:
    """What somebody told of a number: that it is a module, or the same as another number."""

    id: UUID
    number: str
    same: str | None
    module: Module | None
    source: str
    by: str
    at: datetime


#: By what a module in a machine was seen, by the kind of source that told of it first. What was put there by a plan or taken
#: from its part number is no sighting of its own.
_SEEN = {
    "spd": Seen.SPD, "labels": Seen.READ, "by hand": Seen.READ, "proof": Seen.READ,
    "redfish": Seen.REPORTED, "smbios": Seen.REPORTED, "smbios-text": Seen.REPORTED,
}  # fmt: skip


def keep_fitted(db: Connection, machine_id: UUID, kind: str, content: Known, taken_at: datetime) -> None:
    """Note what the newest survey of a machine has under part numbers, over what an older one had."""
    found: dict[tuple[Seen, str], dict[str, Any]] = {}
    for slot, held in content.slots.items():
        origin = content.sources.get(slot, Origin(kind, taken_at))
        seen = _SEEN.get(origin.first)
        if not isinstance(held, Module) or not held.part or seen is None or origin.kind == "part":
            continue
        module = healthy(alike(read_off(held)))
        line = found.setdefault((seen, like_key(module)), {
            "machine_id": machine_id, "seen": seen.value, "kind": like_key(module), "key": key_of(held.part), "number": held.part,
            "module": MODULE.write(module), "count": 0, "seen_on": origin.at.date(),
        })  # fmt: skip
        line["count"] += 1
    db.execute(delete(fitted_part).where(fitted_part.c.machine_id == machine_id))
    if found:
        db.execute(insert(fitted_part), list(found.values()))


def fitted_of(db: Connection, keys: Collection[str]) -> list[FittedRow]:
    """Modules in machines that carry one of these numbers, by machine; those that cannot be read are left out."""
    query = select(fitted_part, machine.c.name).join(machine).where(fitted_part.c.key.in_(keys))
    found = []
    for r in db.execute(query.order_by(machine.c.name, fitted_part.c.kind)):
        module, unreadable = read_or_say(MODULE, r.module, Module())
        if not unreadable:
            found.append(FittedRow(number=r.number, module=module, seen=Seen(r.seen), count=r._mapping["count"], seen_on=r.seen_on, machine_id=r.machine_id, machine=r.name))  # fmt: skip
    return found


def is_one_of(number: ColumnElement[Any], keys: Collection[str]) -> ColumnElement[bool]:
    """Whether a column's part number is one of these, however it is spelt."""
    return spelt(number).in_(keys)


def spelt(number: ColumnElement[Any]) -> ColumnElement[str]:
    """`core.memory.parts.key_of`, of a column."""
    return func.upper(func.regexp_replace(number, r"\s+", "", "g"))


def add_word(
    db: Connection, account_id: UUID, number: str, source: str, *, same: str | None = None, module: Module | None = None
) -> UUID:
    key = new_id()
    values = {"id": key, "account_id": account_id, "key": key_of(number), "number": number, "source": source}
    told = {"module": MODULE.write(module)} if module else {"same_key": key_of(same or ""), "same_number": same}
    db.execute(insert(part_word).values(**values, **told))
    return key


def find_word(db: Connection, key: UUID) -> WordRow | None:
    return next(iter(_words(db, part_word.c.id == key)), None)


def withdraw_word(db: Connection, key: UUID) -> None:
    db.execute(update(part_word).where(part_word.c.id == key).values(withdrawn_at=func.now()))


def machines_with(db: Connection, keys: Collection[str]) -> list[UUID]:
    """Machines that hold, or whose plans put in, a part of one of these numbers."""
    planned = select(plan.c.machine_id).where(
        plan.c.discarded_at.is_(None),
        or_(*(spelt(cast(plan.c.goal, Text)).like(f"%{_escaped(k)}%") for k in keys)),
    )
    query = union(select(fitted_part.c.machine_id).where(fitted_part.c.key.in_(keys)), planned)
    return list(db.execute(query).scalars())


def _escaped(key: str) -> str:
    """For LIKE: every character is itself."""
    return key.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def words_of(db: Connection, keys: Collection[str]) -> list[WordRow]:
    """What is told of these numbers and stands, the newest first; what cannot be read is left out."""
    return _words(db, or_(part_word.c.key.in_(keys), part_word.c.same_key.in_(keys)))


def all_same(db: Connection) -> list[WordRow]:
    """Every two numbers that somebody told to be of the same thing."""
    return _words(db, part_word.c.same_key.is_not(None))


def _words(db: Connection, condition: ColumnElement[bool]) -> list[WordRow]:
    query = select(part_word, account.c.shown_as).join(account).where(part_word.c.withdrawn_at.is_(None), condition)
    found = []
    for r in db.execute(query.order_by(part_word.c.id.desc())):
        module, unreadable = (None, "") if r.module is None else read_or_say(MODULE, r.module, Module())
        if not unreadable:
            found.append(WordRow(id=r.id, number=r.number, same=r.same_number, module=module, source=r.source, by=r.shown_as, at=r.created_at))  # fmt: skip
    return found


@dataclass(frozen=True, slots=True)
class NumberRow:
    """A part number, and how often it is met."""

    number: str
    #: Modules in machines and on the Shelf; offers, trials and words.
    fitted: int
    on_hand: int
    offers: int
    trials: int
    words: int
    #: Qualified lists that have it by itself, not by a pattern.
    listed: int


def numbers(db: Connection, text: str = "", most: int = 200) -> list[NumberRow]:
    """Part numbers that were met anywhere, by number; those that have the text, however it is spelt."""
    met = union_all(
        _met(fitted_part.c.number, fitted=fitted_part.c.count),
        _met(stock.c.part, on_hand=stock.c.count).where(stock.c.gone_at.is_(None)),
        _met(offer.c.part, offers=literal(1)).where(offer.c.gone_at.is_(None)),
        _met(trial.c.part, trials=literal(1)).where(trial.c.withdrawn_at.is_(None)),
        _met(part_word.c.number, words=literal(1)).where(part_word.c.withdrawn_at.is_(None)),
        _met(part_word.c.same_number, words=literal(1)).where(part_word.c.withdrawn_at.is_(None)),
        _met(_listed.c.number, listed=literal(1)),
    ).subquery()
    counted = [func.sum(met.c[name]).label(name) for name in _COUNTS]
    query = select(func.min(met.c.number).label("number"), *counted).where(met.c.key.is_not(None)).group_by(met.c.key)
    if text:
        bare = re.sub(r"[^A-Z0-9]", "", key_of(text))
        like = [met.c.key.like(f"%{_escaped(key_of(text))}%")]
        # Dashes and points are left out as often as not.
        if bare:
            like.append(func.regexp_replace(met.c.key, "[^A-Z0-9]", "", "g").like(f"%{bare}%"))
        query = query.where(or_(*like))
    rows = db.execute(query.order_by(met.c.key).limit(most))
    return [NumberRow(**{n: getattr(r, n) for n in ("number", *_COUNTS)}) for r in rows]


_COUNTS = ("fitted", "on_hand", "offers", "trials", "words", "listed")
#: Parts of the lists of the newest revisions.
_newest = (
    select(sheet.c.document).ext(distinct_on(sheet.c.sheet_id)).order_by(sheet.c.sheet_id, sheet.c.revision.desc())
)
_path: ColumnElement[Any] = literal_column("'$.listed[*].part'::jsonpath")
_line = func.jsonb_path_query(_newest.subquery("newest").c.document, _path).op("#>>")(literal_column("'{}'::text[]"))
_lines = select(_line.label("number")).subquery("lines")
_listed = select(_lines.c.number).where(_lines.c.number.not_like("%*%")).subquery("listed")


def _met(number: ColumnElement[Any], **counts: Any) -> Select[Any]:
    columns = (counts.get(name, literal(0)).label(name) for name in _COUNTS)
    return select(spelt(number).label("key"), number.label("number"), *columns)
