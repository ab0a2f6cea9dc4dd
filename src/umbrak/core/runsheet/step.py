"""What a run sheet is made of, and what it is made from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from umbrak.core.plan.actions import Action
from umbrak.core.plan.sizing import Duty
from umbrak.core.platform.machine import Layout
from umbrak.core.proof.wanted import Wanted


class Phase(StrEnum):
    BEFORE = "before"
    OFF = "off"
    OPEN = "open"
    HANDLE = "modules"
    CLOSE = "close"
    START = "first start"
    PROVE = "proof"
    BACK = "back on duty"
    AFTER = "afterwards"


class Who(StrEnum):
    """Who may tick a step."""

    ANYONE = "anyone"
    #: Somebody else than who did the steps before it, or a lead.
    SECOND = "second"


@dataclass(frozen=True, slots=True)
class Minutes:
    """How long a step takes, as a range. [min]"""

    low: float = 0.0
    high: float = 0.0

    def __add__(self, other: Minutes) -> Minutes:
        return Minutes(round(self.low + other.low, 2), round(self.high + other.high, 2))


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do, small enough for one screen."""

    #: Unique within its sheet.
    key: str
    phase: Phase
    text: str
    why: str = ""
    #: How, in order.
    details: tuple[str, ...] = ()
    #: Each to be looked at by itself before the step is done.
    checks: tuple[str, ...] = ()
    slots: tuple[str, ...] = ()
    bays: tuple[int, ...] = ()
    carrier: str | None = None
    tools: tuple[str, ...] = ()
    minutes: Minutes = Minutes()
    #: True where the minutes pass without a hand.
    waits: bool = False
    hold: bool = False
    who: Who = Who.ANYONE
    #: How to go back from here to the machine as it was, in order.
    back_out: tuple[str, ...] = ()
    #: What is done with a module.
    action: Action | None = None
    #: Key of the opening step that this one closes.
    closes: str | None = None
    #: What of the proof it stands for: then nobody ticks it, it is done when the proof has that, or a lead waived it.
    proves: Wanted | None = None
    #: Whether users are without the machine meanwhile, although it is not taken apart.
    needs_down: bool = False

    @property
    def is_down(self) -> bool:
        """Whether users are without the machine during it."""
        return self.needs_down or self.phase in _DOWN


_DOWN = (Phase.OFF, Phase.OPEN, Phase.HANDLE, Phase.CLOSE, Phase.START, Phase.PROVE)


@dataclass(frozen=True, slots=True)
class Work:
    """What is to be done with a machine in one stage, and what stands around it."""

    now: Layout
    goal: Layout
    #: Slots whose module is at fault: it is replaced where the goal has one there.
    failed: frozenset[str] = frozenset()
    stage: int = 1
    stages: int = 1
    #: What people call the plan.
    title: str = ""
    #: Bay -> what tells its drive apart; "" where the bay is known to be empty. Bays left out are not known.
    bays: Mapping[int, str] = field(default_factory=dict)
    #: Name of the duty group; "" = none.
    group: str = ""
    #: Whether the rest of the group carries the load meanwhile; None where it is in none, or nobody told.
    duty: Duty | None = None
    #: What the plan rests on that nobody vouches for, in words.
    claims: tuple[str, ...] = ()
    backup_tiers: int = 1
    #: How long it is watched before it is back on duty. [d]
    soak_days: float = 3.0
    under_warranty: bool = False
    #: (firmware or system, the version that runs, the one that the plan wants) of those that the plan changes.
    versions: tuple[tuple[str, str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class RunSheet:
    """The steps of one stage, in order."""

    title: str
    stage: int
    stages: int
    steps: tuple[Step, ...]

    @property
    def hands_on(self) -> Minutes:
        """What the work takes of a person between switching off and closing. [min]"""
        return sum((s.minutes for s in self.steps if not s.waits), Minutes())

    @property
    def down(self) -> Minutes:
        """How long users are without it: what needs it down before, the work, reconnecting, and the proof that comes before the
        soak. [min]"""
        return sum((s.minutes for s in self.steps if s.is_down), Minutes())
