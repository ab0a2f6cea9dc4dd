"""What is known of one machine's slots and bays, each fact with where it comes from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.survey import SlotHealth


@dataclass(frozen=True, slots=True)
class Origin:
    """Where and when something is known from."""

    kind: str
    at: datetime
    #: The kind of source that had told of the slot before, where this one only adds to it.
    over: str | None = None

    @property
    def first(self) -> str:
        """The kind of source that told of it first."""
        return self.over or self.kind


@dataclass(frozen=True, slots=True)
class Disputed:
    """A report of a slot that is not believed yet."""

    kind: str
    at: datetime
    #: None = it says that the slot is empty.
    says: Occupant | None


@dataclass(frozen=True, slots=True)
class Drive:
    """A drive as told apart from others: its serial number, or what is written on it."""

    serial: str = ""
    label: str = ""


@dataclass(frozen=True, slots=True)
class Totals:
    """Totals that a machine told apart from its slots. [GiB]"""

    installed_gib: float | None
    usable_gib: float | None
    kind: str
    at: datetime
    #: What of it was in use.
    used_gib: float | None = None


@dataclass(frozen=True, slots=True)
class Claim:
    """The most that a machine's firmware claims it can hold. [GiB]"""

    gib: float
    kind: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Known:
    """All that is known of what is in a machine; what is left out is not known."""

    #: Without the marks of failed modules; empty slots are left out.
    slots: Layout = field(default_factory=Layout)
    #: Slots whose module the machine, or somebody, found at fault, in the order of their names.
    failed: tuple[str, ...] = ()
    #: Those of them that the machine still uses.
    in_use: tuple[str, ...] = ()
    #: A slot left out is known from where the survey itself is.
    sources: Mapping[str, Origin] = field(default_factory=dict)
    disputed: Mapping[str, Disputed] = field(default_factory=dict)
    #: Bay number -> its drive, None where it is empty.
    bays: Mapping[int, Drive | None] = field(default_factory=dict)
    #: What the machine counted and measured of each slot, as it told last.
    health: Mapping[str, SlotHealth] = field(default_factory=dict)
    totals: Totals | None = None
    claim: Claim | None = None
