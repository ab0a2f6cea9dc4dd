"""What a rule says: severities, findings, verdicts."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.platform.statement import Source


class Severity(StrEnum):
    """Worst first."""

    STOP = "stop"  # will not fit, not start, not be seen, or may do harm
    ASK = "ask"  # cannot be decided: a fact is missing
    RISK = "risk"  # may work; unsupported, unproved or at the expense of the warranty
    SLOW = "slow"  # works, below what these modules could do
    NOTE = "note"  # worth knowing

    @property
    def rank(self) -> int:
        return _RANK[self]


_RANK = {severity: i for i, severity in enumerate(Severity)}


class Verdict(StrEnum):
    NO_GO = "no-go"
    UNDECIDED = "undecided"
    AT_RISK = "at-risk"
    GO = "go"


@dataclass(frozen=True, slots=True)
class Finding:
    """One fact about a layout, complete when its rule returns it."""

    code: str
    severity: Severity
    #: In the sheet's order; soldered memory has no slot.
    slots: tuple[str, ...]
    #: One sentence: what and why, with the values in it.
    message: str
    source: Source | None = None
    #: Of an ask: the facts that would settle it, as "SLOT.member", "machine.member" or "sheet.member".
    needs: tuple[str, ...] = ()
    #: Of an ask: the worst that the missing fact could hide.
    could_be: Severity | None = None


def verdict_of(findings: Iterable[Finding]) -> Verdict:
    """The one word that the findings come to: the worst of them decides."""
    found = list(findings)
    if any(f.severity is Severity.STOP for f in found):
        return Verdict.NO_GO
    if any(f.could_be is Severity.STOP for f in found):
        return Verdict.UNDECIDED
    return Verdict.AT_RISK if any(f.severity is Severity.RISK for f in found) else Verdict.GO
