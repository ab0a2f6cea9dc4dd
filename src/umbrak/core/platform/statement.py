"""Statements: limits that somebody states, with source, trust and conditions."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.platform.fact import Unsaid


class SourceKind(StrEnum):
    """Who says so; the order is the order of trust, highest first."""

    OWN_PROOF = "own-proof"
    MACHINE_MAKER = "machine-maker"
    PROCESSOR_MAKER = "processor-maker"
    MODULE_MAKER = "module-maker"
    BOARD_MAKER = "board-maker"
    NAMED = "named"
    SURVEY = "survey"
    HEARSAY = "hearsay"


_RANK = {kind: rank for rank, kind in enumerate(SourceKind)}


@dataclass(frozen=True, slots=True)
class Source:
    """Where a rule or limit is written."""

    title: str
    kind: SourceKind
    date: str | None = None
    clause: str | None = None
    id: str | None = None

    @property
    def trust(self) -> int:
        """Rank of trust: 0 = highest."""
        return _RANK[self.kind]


@dataclass(frozen=True, slots=True)
class Versions:
    """A span of firmware or system versions: from (included) until (not included)."""

    first: str | None = None
    until: str | None = None

    def holds(self, version: str | None) -> bool | None:
        """Whether a version lies in the span; None when the version is unknown."""
        if self.first is None and self.until is None:
            return True
        if version is None:
            return None
        key = version_key(version)
        return not (
            (self.first is not None and key < version_key(self.first))
            or (self.until is not None and key >= version_key(self.until))
        )

    def words(self) -> str:
        if self.first is None and self.until is None:
            return ""
        return " ".join(
            w for w in (f"from {self.first}" if self.first else "", f"before {self.until}" if self.until else "") if w
        )


def version_key(version: str) -> tuple[tuple[int, str], ...]:
    """A key by which "9.10" sorts after "9.2": numbers compare as numbers, letters as letters.

    Examples
        >>> version_key("9.10") > version_key("9.2"), version_key("1.2b") > version_key("1.2a")
        (True, True)
    """
    return tuple((int(n), "") if n else (-1, w) for n, w in re.findall(r"(\d+)|([a-z]+)", version.lower()))


@dataclass(frozen=True, slots=True)
class Statement:
    """One limit: exactly one of the four amounts is set."""

    id: str
    #: machine, socket, controller, channel, slot, die; package ranks and stack height are checked per channel and module.
    scope: str
    source: Source
    #: Name of the one socket, channel or slot that it is about; None = every one of its scope.
    where: str | None = None
    capacity_gib: float | None = None
    die_gbit: float | None = None
    package_ranks: int | None = None
    stack_height: int | None = None
    #: Only hard limits stop: address lines, chip selects, a density the controller is known to refuse.
    hard: bool = False
    official: bool = False
    replaces: tuple[str, ...] = ()
    firmware: Versions = Versions()
    system: Versions = Versions()
    processor: str | None = None
    #: Where its number is open or untold: then the number is what is known to run, or 0.
    unsaid: Unsaid | None = None

    def conditions_hold(self, firmware: str | None, system: str | None) -> bool | None:
        """Whether its version conditions hold: None when that hangs on a version nobody gave."""
        answers = (self.firmware.holds(firmware), self.system.holds(system))
        return False if False in answers else None if None in answers else True

    @property
    def of_version(self) -> bool:
        """Whether it hangs on a version of firmware or system."""
        return self.firmware != Versions() or self.system != Versions()

    def condition_words(self) -> str:
        parts = []
        if words := self.firmware.words():
            parts.append(f"firmware {words}")
        if words := self.system.words():
            parts.append(f"system {words}")
        return ", ".join(parts)
