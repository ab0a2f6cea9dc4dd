"""The numbers that beliefs start from. None is measured: each has its reasoning, and an installation may set its own.

A prior of four pseudo-counts that sum to n weighs as much as n trials of the best kind. Low sums let the first real
trials speak; what remains uncertain stays visible as a wide interval.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from umbrak.core.platform.statement import SourceKind


class Outcome(StrEnum):
    """How a trial went."""

    FINE = "fine"
    #: It runs, with something odd: a gauge that shows less, an alert, a slow start.
    QUIRKS = "quirks"
    #: Not seen, seen in the wrong size, or the machine does not start.
    NOT_SEEN = "not-seen"
    #: It starts, and fails under load or in time.
    UNSTABLE = "unstable"


class ClaimKind(StrEnum):
    OVER_OFFICIAL = "over-official"
    OVER_PROCESSOR = "over-processor"
    DENSITY = "density"
    UNPROVED = "unproved"
    PART = "part"
    MIXED_MAKERS = "mixed-makers"
    MIXED_KITS = "mixed-kits"


@dataclass(frozen=True, slots=True)
class Prior:
    """Pseudo-counts of each outcome, and why."""

    fine: float
    quirks: float
    not_seen: float
    unstable: float
    because: str

    def counts(self) -> dict[Outcome, float]:
        return {
            Outcome.FINE: self.fine,
            Outcome.QUIRKS: self.quirks,
            Outcome.NOT_SEEN: self.not_seen,
            Outcome.UNSTABLE: self.unstable,
        }


@dataclass(frozen=True, slots=True)
class Cost:
    """What an outcome takes besides money for the module: hours of hands, hours without the machine, returns, exposure."""

    hours: float
    downtime_h: float
    returns: float
    exposure: float
    because: str


def _priors() -> dict[ClaimKind, Prior]:
    return {
        ClaimKind.OVER_OFFICIAL: Prior(1.2, 0.4, 0.3, 0.1, "official totals are often what was tried at launch; more usually works, sometimes shown oddly"),
        ClaimKind.OVER_PROCESSOR: Prior(0.5, 0.1, 1.0, 0.4, "a processor's figure is nearer to its address lines than a machine's: past it modules are often not seen"),
        ClaimKind.DENSITY: Prior(0.5, 0.1, 1.2, 0.2, "a controller either knows a density or halves the module or does not start"),
        ClaimKind.UNPROVED: Prior(0.8, 0.2, 0.6, 0.4, "somebody states less and may have a reason; nothing else is known"),
        ClaimKind.PART: Prior(2.4, 0.2, 0.2, 0.2, "standards make most modules of the right kind work; a few boards are choosy"),
        ClaimKind.MIXED_MAKERS: Prior(2.4, 0.1, 0.1, 0.4, "timings are trained to suit all; where it fails it fails under load"),
        ClaimKind.MIXED_KITS: Prior(3.2, 0.1, 0.1, 0.3, "one maker's parts differ less than two makers'"),
    }  # fmt: skip


def _says() -> dict[SourceKind, float]:
    return {
        SourceKind.OWN_PROOF: 1.0, SourceKind.MACHINE_MAKER: 1.0, SourceKind.PROCESSOR_MAKER: 0.8, SourceKind.MODULE_MAKER: 0.8,
        SourceKind.BOARD_MAKER: 0.8, SourceKind.NAMED: 0.7, SourceKind.SURVEY: 0.7, SourceKind.HEARSAY: 0.3,
    }  # fmt: skip


def _costs() -> dict[Outcome, Cost]:
    return {
        Outcome.FINE: Cost(0, 0, 0, 0, "nothing to do"),
        Outcome.QUIRKS: Cost(1, 0, 0, 0, "an hour to find that it is only shown wrong, and to note it"),
        Outcome.NOT_SEEN: Cost(2, 1, 1, 0, "opened again, swapped round, taken out; the modules go back"),
        Outcome.UNSTABLE: Cost(4, 3, 1, 1, "found only under load: restarts, a search, the modules go back, and data was at stake meanwhile"),
    }  # fmt: skip


@dataclass(frozen=True)
class Table:
    """Everything that a belief is made from besides trials."""

    priors: Mapping[ClaimKind, Prior] = field(default_factory=_priors)
    #: How far who says so is believed.
    says: Mapping[SourceKind, float] = field(default_factory=_says)
    costs: Mapping[Outcome, Cost] = field(default_factory=_costs)
    #: Same board and same part and revision; same board, like organisation; same processor on another board.
    same_part: float = 1.0
    like_organisation: float = 0.6
    same_processor: float = 0.3
    #: After so many days a trial weighs half: firmware and chips change under the same names.
    half_life_days: float = 1095
    #: A trial that nobody let run weighs so much; one of `full_soak_days` weighs 1.
    unsoaked: float = 0.5
    full_soak_days: float = 14
    #: What exposure of data costs is divided by this for each tier of backup beyond the first.
    backup_factor: float = 10


#: The table as it ships.
USUAL = Table()
