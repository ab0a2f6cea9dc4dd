"""Telling what a part number is, or which other number the same thing has; and taking that back."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated
from uuid import UUID

from pydantic import Field
from pydantic.dataclasses import dataclass
from sqlalchemy import Connection

from umbrak.core.memory.module import Module, against_itself, alike, read_off
from umbrak.core.memory.parts import candidates, differ, key_of
from umbrak.formats.documents import CHECKED, Name, ShortText
from umbrak.services.errors import NotFound, Refused
from umbrak.services.parts.known import Numbers, parts_of
from umbrak.services.people.accounts import Role, need
from umbrak.store import parts as store
from umbrak.store.accounts import Account
from umbrak.store.history import record


@dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewWord:
    """What somebody tells of a part number: another number of the same thing, or what it is."""

    number: Name
    same: Name | None = None
    module: Module | None = None
    #: Where it is written: a maker's list, a data sheet, the two labels on one module.
    source: Annotated[ShortText, Field(min_length=1)]


def tell(db: Connection, account: Account, new: NewWord) -> frozenset[str]:
    """Keep it. Returns the numbers (keys) whose meaning it changes: who calls it keeps summaries of their machines anew.

    Raises
        Refused   two numbers whose modules are known and differ, a module that cannot be; names the field
    """
    need(account, Role.technician)
    if (new.same is None) == (new.module is None):
        raise Refused("same", "Tell either another number of the same thing, or what it is.")
    for name, number in (("number", new.number), ("same", new.same)):
        if number is not None and not candidates(number):
            raise Refused(name, f"“{number}” reads as words of a label, and could not be told from them.")  # fmt: skip
    if new.same is not None:
        _check_same(db, new.number, new.same)
    module = _module(new)
    key = store.add_word(db, account.id, new.number.strip(), new.source.strip(), same=new.same, module=module)
    record(db, "part told", account.id, id=str(key), number=new.number, same=new.same)
    return frozenset(Numbers.load(db).keys(key_of(new.number)))


def _module(new: NewWord) -> Module | None:
    if new.module is None:
        return None
    # What a number is, is not told by the number.
    told = read_off(new.module)
    if told.capacity_gib is None:
        raise Refused("module", "How large it is, is needed: give its label.")
    if wrong := against_itself(told):
        raise Refused("module", f"It cannot be so: {wrong[0].message}.")
    return replace(alike(told), part=new.number.strip())


def _check_same(db: Connection, number: str, same: str) -> None:
    """Two numbers that carried modules which differ are not of the same thing, whoever says so."""
    if key_of(number) == key_of(same):
        raise Refused("same", "That is the same number.")
    if key_of(same) in Numbers.load(db).keys(key_of(number)):
        raise Refused("same", f"{same} is known as another number of {number} already.")
    known = parts_of(db, [key_of(number), key_of(same)])
    one, other = known.get(key_of(number)), known.get(key_of(same))
    if one and other and (odd := differ(one.module, other.module)):
        facts = {f.member: f.sentence() for f in (*one.facts, *other.facts) if f.member in odd}
        raise Refused("same", f"They are not the same thing: {'; '.join(facts.values())}. Other number: {other.module.short()}.")  # fmt: skip


def withdraw_word(db: Connection, account: Account, key: UUID) -> frozenset[str]:
    """Take back what somebody told. Returns the numbers (keys) whose meaning that changes. Raises NotFound."""
    need(account, Role.technician)
    row = store.find_word(db, key)
    if row is None:
        raise NotFound("word of a part number")
    before = frozenset(Numbers.load(db).keys(key_of(row.number)))
    store.withdraw_word(db, key)
    record(db, "part told no more", account.id, id=str(key), number=row.number, same=row.same)
    return before
