"""What is asked of the optimiser."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from enum import StrEnum
from functools import cached_property

from umbrak.core.evaluate import question
from umbrak.core.evidence.table import USUAL, Table
from umbrak.core.evidence.trial import Trial
from umbrak.core.evidence.trouble import Costs
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine, kept_without_power
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.rules.context import ByPlace, Context


class Origin(StrEnum):
    """Where a candidate comes from."""

    OFFER = "offer"
    SHELF = "shelf"
    #: Nobody offers it: more of what is fitted, or what the standards have and the sheet takes (core.routes.assumed).
    ASSUMED = "assumed"


@dataclass(frozen=True, slots=True)
class Candidate:
    """A module that can be had: on the shelf, or of a supplier's offer."""

    part: str
    module: Module
    #: Of one kit; what lies on the shelf is usually free.
    price: Decimal = Decimal(0)
    #: Modules in a kit; kits are bought whole.
    kit: int = 1
    #: Modules to be had; None = as many as wanted.
    stock: int | None = None
    lead_days: int | None = None
    #: Whether the machine's maker lists the part; None = as the sheet's own list says.
    listed: bool | None = None
    origin: Origin = Origin.OFFER
    #: Whether it ran elsewhere before, and was pulled out: such modules fail early more often than new ones.
    pulled: bool = False


@dataclass(frozen=True, slots=True)
class Wishes:
    """What a route must meet; what is left out is not asked."""

    usable_gib: float | None = None
    budget: Decimal | None = None
    keep_warranty: bool = False
    #: Whether modules that the machine's maker does not list may be put in.
    third_party: bool = True
    over_official: bool = True
    free_slots: int | None = None
    rate_mts: int | None = None
    #: Every module that is fitted stays in the machine, in its slot or another.
    keep_fitted: bool = False
    #: Highest probability of trouble, modules that fail early left out.
    top_trouble: float | None = None
    #: Whether layouts against the population order or with uneven channels may be proposed.
    uneven: bool = False
    #: Whether less usable memory, or less sustained bandwidth, than now may be left.
    less_memory: bool = False
    less_bandwidth: bool = False
    #: Whether what keeps its content without power may leave its slot.
    move_content: bool = False


@dataclass(frozen=True, slots=True)
class Steps:
    """Differences too small to choose by: values are floored to these before routes are compared."""

    money: Decimal = Decimal(10)
    gbs: float = 1.0
    probability: float = 0.01


@dataclass(frozen=True)
class Problem:
    """One machine and what may be done with it."""

    sheet: Sheet
    machine: Machine
    #: What is fitted.
    layout: Layout
    candidates: tuple[Candidate, ...] = ()
    wishes: Wishes = Wishes()
    statements: tuple[Statement, ...] = ()
    trials: tuple[Trial, ...] = ()
    #: The day by which the age of trials is reckoned.
    today: date = field(kw_only=True)
    costs: Costs = field(default_factory=Costs)
    table: Table = USUAL
    steps: Steps = field(default_factory=Steps)
    #: What of it is known to have run in this very machine; None = all that is fitted.
    ran: Layout | None = None

    @property
    def has_run(self) -> Layout:
        return self.layout if self.ran is None else self.ran

    def question(self, layout: Layout, near: ByPlace | None = None) -> Context:
        """A layout of the machine, to be judged as what is fitted turned into it. `near`: as `evaluate` has it."""
        return question(self.sheet, self.machine, layout, self.statements, self.layout, self.has_run, near)

    @cached_property
    def stays(self) -> Layout:
        """What keeps its content without power, and so stays where it is."""
        kept = {} if self.wishes.move_content else kept_without_power(self.layout)
        return Layout({s: self.layout[s] for s in kept})
