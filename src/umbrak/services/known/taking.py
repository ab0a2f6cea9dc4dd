"""Tables that come in: every row tried in a transaction that is kept whole or not at all."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain
from typing import Generic, TypeVar

from sqlalchemy import Connection

from umbrak.formats.rows import CellFault, RowReader
from umbrak.formats.spreadsheet import Table, plain_name
from umbrak.services.errors import Refused, ServiceError
from umbrak.services.parts.understanding import Labels

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Taken(Generic[T]):
    """What came of each row that could be taken; what is wrong in the others, all of it; whether anything was kept."""

    rows: tuple[T, ...]
    faults: tuple[CellFault, ...]
    kept: bool


def meanings(
    columns: Sequence[str], told: Mapping[str, str], known: Mapping[str, Sequence[str]], besides: Sequence[str]
) -> dict[str, str]:
    """Column of a table -> what is meant by it: as told, else by its name. Of several that mean one thing the plain name does, else
    the first; the others mean nothing. Raises Refused where what is told names no column, no meaning, or one twice.

    Parameters
        told      column -> its meaning, one of `known` or `besides`
        known     meaning -> other names that people give such a column
        besides   what a column may be said to be that is none of these, as often as one likes
    """
    for column, meaning in told.items():
        if column not in columns:
            raise Refused("meant", f"The table has no column “{column}”; it has {', '.join(columns)}.")
        if meaning not in (*known, *besides):
            raise Refused("meant", f"“{meaning}” is nothing that a column may mean: {', '.join((*known, *besides))}.")
    found = {c: m for c, m in told.items() if m in known}
    if twice := next((m for m in found.values() if list(found.values()).count(m) > 1), None):
        raise Refused("meant", f"Two columns are said to be the {twice}.")
    free = [c for c in columns if c not in told]
    for meant, also in known.items():
        named = next(
            (c for c in (meant, *free) if c in free and (c in (meant, *also) or plain_name(c) in (meant, *also))), None
        )
        if named and meant not in found.values():
            found[named] = meant
    return found


def names_of(known: Mapping[str, Sequence[str]], told: Iterable[str] = ()) -> frozenset[str]:
    """By which a table's row of names is known: see `read_table`."""
    return frozenset(plain_name(c) for c in (*known, *chain.from_iterable(known.values()), *told))


def check_columns(table: Table, needed: Iterable[str], names: Mapping[str, str] | None = None) -> None:
    """Raises Refused where a column is missing that every row needs."""
    meant = {(names or {}).get(c, c) for c in table.columns}
    for column in needed:
        if column not in meant:
            raise Refused("file", f"The table has no column “{column}”; it has {', '.join(table.columns)}.")


def take_each(
    db: Connection,
    table: Table,
    take: Callable[[RowReader], T],
    *,
    keep: bool,
    partly: bool = False,
    names: Mapping[str, str] | None = None,
) -> Taken[T]:
    """Take every row, in order, each in a part of the transaction of its own: a row that cannot be taken leaves nothing.

    Without `keep` all is undone in the end, so a preview says whatever keeping would say.

    Parameters
        take    makes something of a row; it tells what is wrong by the reader's faults, or raises Refused with the column
        partly  keep the good rows beside wrong ones; otherwise one wrong row keeps all of them out
        names   the table's column -> the one that is meant by it
    """
    done: list[T] = []
    faults: list[CellFault] = []
    labels = Labels(db)
    outer = db.begin_nested()
    for row in table.rows:
        reader = RowReader(row, names, labels.read)
        inner = db.begin_nested()
        made: list[T] = []
        try:
            made.append(take(reader))
        except ServiceError as error:
            reader.fault(error.field if isinstance(error, Refused) else "", str(error))
        if reader.faults:
            inner.rollback()
            faults += reader.faults
        else:
            inner.commit()
            done += made
    kept = keep and (partly or not faults)
    if kept:
        outer.commit()
    else:
        outer.rollback()
    return Taken(tuple(done), tuple(faults), kept)
