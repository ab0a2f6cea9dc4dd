"""What is wrong with an input, and where: one shape for every format.

InputError              an input that cannot be used
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong: where (line, byte or dotted path, in words), what was found and what was expected."""

    message: str
    where: str = ""
    #: 1-based; None where the input has no lines.
    line: int | None = None
    column: int | None = None
    #: Dotted path of the field, for documents.
    path: str = ""
    #: Code of the check, for linters.
    code: str = "format"
    #: What stands there, and what likely was meant, where something near is known; "": nothing is.
    stands: str = ""
    cure: str = ""

    def __str__(self) -> str:
        place = f"line {self.line}, column {self.column}: " if self.line else ""
        return f"{place}{self.path + ': ' if self.path else ''}{self.message}"


#: Kinds of fault that a checked type finds -> what is said of them, with the bound that is passed.
_KINDS = {
    "less_than_equal": "must be at most {le}",
    "greater_than_equal": "must be at least {ge}",
    "less_than": "must be less than {lt}",
    "greater_than": "must be more than {gt}",
    "string_too_long": "must have at most {max_length} characters",
    "string_too_short": "must have at least {min_length} characters",
    "string_pattern_mismatch": "has characters in it that cannot be used here",
    "too_long": "must have at most {max_length} entries",
    "too_short": "must have at least {min_length} entries",
    "finite_number": "must be a number that ends",
    "missing": "is needed",
    "extra_forbidden": "is not known here",
}


def type_fault(error: Mapping[str, Any]) -> str:
    """What a checked type found wrong, in words for people; the sentence goes on from the field's name or value."""
    words = _KINDS.get(error["type"])
    if words is not None:
        return words.format(**error.get("ctx", {}))
    told = error["msg"].removeprefix("Value error, ").removeprefix("Input ")
    return f"must be {told.removeprefix('should be ')}" if told.startswith("should be ") else told


def more_faults(count: int) -> str:
    """What stands in the place of faults that are not told."""
    return f"{count} more faults are not told; mend these first"


class InputError(Exception):
    """An input that cannot be used, with every fault found in it, in order of place."""

    def __init__(self, code: str, faults: list[Fault]) -> None:
        self.code = code
        self.faults = sorted(faults, key=lambda f: (f.line or 0, f.column or 0))
        super().__init__(code)

    def __str__(self) -> str:
        return "; ".join(str(f) for f in self.faults)
