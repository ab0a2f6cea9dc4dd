"""Rows of a table that comes in: each cell read by its type, and all faults of a row told at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from enum import Enum
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.module import Module
from umbrak.formats.documents import Name, ReadLabel, ShortText, Text
from umbrak.formats.faults import type_fault
from umbrak.formats.quantities import Day, at_hand, days, is_at_hand, number, price, whole_number
from umbrak.formats.slot_words import SAYS_FAILED
from umbrak.formats.spreadsheet import Row

E = TypeVar("E", bound=Enum)
#: Types of cells that tables share.
NAME: TypeAdapter[str] = TypeAdapter(Name)
SHORT: TypeAdapter[str] = TypeAdapter(ShortText)
TEXT: TypeAdapter[str] = TypeAdapter(Text)
DAY: TypeAdapter[date] = TypeAdapter(Day)
_SHOWN = 60


@dataclass(frozen=True, slots=True)
class CellFault:
    """What is wrong in a table, and where."""

    row: int
    #: Name of the column as the table has it.
    column: str
    message: str


class RowReader:
    """One row, cell by cell. A cell that cannot be read gives its fault and stands for nothing.

    Parameters
        names   the table's column -> the one that is meant by it
        read    how labels are read
    """

    def __init__(self, row: Row, names: Mapping[str, str] | None = None, read: ReadLabel = decode_label) -> None:
        self._read_label = read
        self.number = row.number
        self.faults: list[CellFault] = []
        self._called = {(names or {}).get(c, c): c for c in row.cells}
        # What our own tables put before a cell that a spreadsheet would take for a formula.
        self._cells = {(names or {}).get(c, c): v.removeprefix("'") for c, v in row.cells.items()}

    def fault(self, column: str, message: str) -> None:
        self.faults.append(CellFault(self.number, self.called(column), message))

    def called(self, column: str) -> str:
        """What the table calls a column."""
        return self._called.get(column, column)

    def peek(self, column: str) -> str:
        """What stands in a cell, unread; "" where nothing does."""
        return self._cells.get(column, "")

    @property
    def columns(self) -> tuple[str, ...]:
        """Columns with something in this row, by the names that are meant."""
        return tuple(self._cells)

    def read(
        self,
        column: str,
        kind: TypeAdapter[Any],
        convert: Callable[[str], Any] = str,
        empty: Any = None,
        needed: bool = False,
    ) -> Any:
        """A cell as a type has it; `empty` where there is nothing in it, or nothing that can be read."""
        text = self._cells.get(column, "")
        if not text:
            if needed:
                self.fault(column, f"{column} is needed")
            return empty
        try:
            return kind.validate_python(convert(text))
        except ValidationError as error:
            told = type_fault(error.errors()[0])
            self.fault(column, told if text[:40] in told else f"“{text[:_SHOWN]}” {told}")
        except ValueError as error:
            self.fault(column, f"“{text[:_SHOWN]}” {error}")
        return empty

    def text(self, column: str, kind: TypeAdapter[Any], empty: Any = "", needed: bool = False) -> Any:
        return self.read(column, kind, empty=empty, needed=needed)

    def whole(self, column: str, kind: TypeAdapter[Any], empty: int | None = None) -> Any:
        return self.read(column, kind, whole_number, empty)

    def decimal(self, column: str, kind: TypeAdapter[Any], empty: float | None = None, needed: bool = False) -> Any:
        """A number with decimals, as the type has it."""
        return self.read(column, kind, number, empty, needed)

    def price(self, column: str, kind: TypeAdapter[Any], currency: str, needed: bool = False) -> Any:
        """An amount of money in this currency, which may stand beside it."""
        return self.read(column, kind, lambda text: price(text, currency), needed=needed)

    def days(self, column: str, kind: TypeAdapter[Any]) -> Any:
        """Days, the later of two; None where it says that there are some, which is not how soon they come."""
        return None if is_at_hand(self.peek(column)) else self.read(column, kind, days)

    def at_hand(self, column: str, kind: TypeAdapter[Any]) -> Any:
        """How many there are at least; None where that is not told."""
        return self.read(column, kind, at_hand)

    def choice(self, column: str, choices: type[E], empty: E) -> E:
        """One of some words, however its case, spaces and hyphens."""
        text = self._cells.get(column, "")
        wanted = "-".join(text.casefold().replace("-", " ").split())
        found = next((c for c in choices if c.value == wanted), None)
        if text and found is None:
            known = ", ".join(c.value for c in choices)
            self.fault(column, f"“{text[:_SHOWN]}” is none of {known}")
        return found or empty

    def yes_or_no(self, column: str) -> bool | None:
        text = self._cells.get(column, "").casefold()
        if text and text not in ("yes", "no", "true", "false", "1", "0"):
            self.fault(column, f"“{text[:_SHOWN]}” is neither yes nor no")
            return None
        return text in ("yes", "true", "1") if text else None

    def kit(self, column: str) -> int | None:
        """Of how many modules a label tells; None where it tells of one, or of no kit."""
        text = self._cells.get(column, "")
        return self._read_label(text[:MAX_LABEL_LENGTH]).kit if text else None

    def remarks(self, column: str) -> tuple[str, ...]:
        """What of a label was read otherwise than it says."""
        text = self._cells.get(column, "")
        return self._read_label(text[:MAX_LABEL_LENGTH]).remarks if text else ()

    def label(self, column: str) -> Module | None:
        """The module that a label tells; its size has to be told."""
        text = self._cells.get(column, "")
        if not text:
            return None
        reading = self._read_label(text[:MAX_LABEL_LENGTH])
        if reading.contradictions:
            self.fault(column, reading.contradictions[0])
        elif reading.module.capacity_gib is None:
            self.fault(column, f"“{text[:_SHOWN]}” tells no size; write a label such as 16GB 2Rx8 PC4-2400T-RE1")
        elif SAYS_FAILED.search(" ".join(reading.text[a:b] for a, b in reading.not_understood)):
            self.fault(
                column,
                f"“{text[:_SHOWN]}” says that it is no good: leave that out, and tell it where the state is told",
            )
        else:
            return reading.module
        return None
