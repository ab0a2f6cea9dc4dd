"""What is known of one machine's slots and bays, each fact with where it comes from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.survey import SlotHealth


@dataclass(frozen=True, slots=True)
class Report:
    """A kind of source that tells what is in the slots."""

    #: How sure what it tells is, and of what; in words, since it is a matter of which fact.
    sure: str
    #: Whether what it tells of is at work as it tells: then the machine runs with it.
    running: bool = True
    #: Whether empty slots are always in it too.
    tells_empty: bool = True


_BY_FIRMWARE = "as its firmware tells; makers and rates are often unfilled or wrong"
#: How sure each kind of source is. Reasoned from where each has it from: the module's own memory (SPD), the firmware's tables
#: (SMBIOS, DSP0134), a controller's copy of both (Redfish, DSP0268), a counter that knows no modules (SNMP), the eye.
REPORTS: Mapping[str, Report] = {
    "spd": Report("sure: the module’s own words", running=False, tells_empty=False),
    "labels": Report("fairly sure: as printed, read by eye", running=False, tells_empty=False),
    "slot-table": Report(
        "as somebody keeps it; of what was changed since it may not know", running=False, tells_empty=False
    ),
    "by hand": Report("fairly sure: as somebody saw it", running=False),
    "part": Report("as others of its part number are told of; nobody read it off this one", running=False),
    "redfish": Report("as its controller tells; rates may be clocks", tells_empty=False),
    "smbios": Report(_BY_FIRMWARE),
    "smbios-text": Report(_BY_FIRMWARE),
    "cim": Report(_BY_FIRMWARE, tells_empty=False),
    "lshw": Report(_BY_FIRMWARE),
    "profiler": Report(_BY_FIRMWARE, tells_empty=False),
    "inxi": Report(_BY_FIRMWARE),
    "fru": Report("as its controller keeps inventory; of what was changed since it may not know", tells_empty=False),
    "decode-dimms": Report(
        "sure: the modules’ own words; which slot each is in is guessed", running=False, tells_empty=False
    ),
    "kernel": Report("totals and counters; modules only as large as its driver says", tells_empty=False),
    "snmp": Report("a total only: what its system can use"),
    "proof": Report("sure: proved slot by slot when it was fitted"),
    "total": Report("fairly sure: by its total and the labels, when it was fitted"),
    "run sheet": Report("as its run sheet says that it was fitted; nobody saw it since", running=False),
}


@dataclass(frozen=True, slots=True)
class Origin:
    """Where and when something is known from."""

    kind: str
    at: datetime
    #: The kind of source that had told of the slot before, where this one only adds to it.
    over: str | None = None
    #: Whether it is known all the same that the machine runs with it: it was reported before, and this agrees; or somebody says so.
    ran: bool = False

    @property
    def first(self) -> str:
        """The kind of source that told of it first."""
        return self.over or self.kind

    @property
    def is_running(self) -> bool:
        """Whether the machine is known to run with what is told; a kind that is not known shows nothing."""
        report = REPORTS.get(self.first)
        return self.ran or (report is not None and report.running)

    def after(self, before: Origin, agrees: bool) -> Origin:
        """The same over what was known before: what ran is not less known to run because something else tells the same of it."""
        return replace(self, ran=self.ran or (agrees and before.is_running))


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
class Running:
    """The data rate to which a machine's firmware had set its modules, of several the lowest. [MT/s]"""

    rate_mts: int
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
    running: Running | None = None
