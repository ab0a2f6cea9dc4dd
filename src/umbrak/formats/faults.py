"""What is wrong with an input, and where: one shape for every format.

InputError              an input that cannot be used
"""

from __future__ import annotations

from dataclasses import dataclass


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

    def __str__(self) -> str:
        place = f"line {self.line}, column {self.column}: " if self.line else ""
        return f"{place}{self.path + ': ' if self.path else ''}{self.message}"


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
