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


def at_worst_of(findings: Iterable[Finding]) -> Verdict:
    """What the verdict would be if every missing fact turned out as bad as it can."""
    worst = {f.could_be or f.severity for f in findings}
    return Verdict.NO_GO if Severity.STOP in worst else Verdict.AT_RISK if Severity.RISK in worst else Verdict.GO


def verdict_of(findings: Iterable[Finding]) -> Verdict:
    """The one word that the findings come to: of those that are sure the worst decides, and where a fact that is missing
    could make it worse, nothing is decided yet."""
    found = list(findings)
    sure = at_worst_of(f for f in found if f.severity is not Severity.ASK)
    return sure if at_worst_of(found) is sure else Verdict.UNDECIDED


#: Codes whose stop may do harm, and not only fail: a missing fact of these is looked up, nobody tries it out.
_HARMFUL = ("power.rail", "fit.generation", "fit.form", "fit.height", "fit.facing")


def could_harm(findings: Iterable[Finding]) -> bool:
    """Whether a missing fact could hide harm to hardware."""
    return any(f.could_be is Severity.STOP and f.code in _HARMFUL for f in findings)
