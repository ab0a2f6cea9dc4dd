"""What was proposed for a round, as it is kept and shown."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter
from pydantic.dataclasses import dataclass

from umbrak.core.rounds.holds import HeldBy
from umbrak.core.rounds.problem import From
from umbrak.core.rounds.solve import Ended
from umbrak.formats.kept import Kept
from umbrak.formats.quantities import Day
from umbrak.services.known.summaries import GlyphGroup


@dataclass(frozen=True, slots=True, kw_only=True)
class ServedRow:
    """What is done with a machine."""

    day: Day
    route: str
    puts_in: str
    takes_out: str
    installed_gib: float
    usable_gib: float
    hours: float
    trouble: float
    loss: float
    verdict: str
    in_warranty: bool
    glyph: tuple[GlyphGroup, ...]
    #: What modules that are bought for it cost: of a kit, its share.
    money: Decimal
    #: Slots of whose content nobody knows the size then.
    not_counted: int = 0
    #: The whole layout, as plans keep theirs.
    goal: dict[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class ProposedRow:
    machine_id: UUID
    machine: str
    model: str
    group: str
    usable_gib: float
    #: None: nobody said.
    need_gib: float | None
    #: Its routes, by name, the cheapest first.
    ways: tuple[str, ...]
    #: Whether these are all that there are: what is proved of a round is proved of the routes that it chooses from. None: not told.
    ways_whole: bool | None = None
    #: Slots of whose content nobody knows the size: it has at least `usable_gib` now.
    not_counted: int = 0
    #: None: it is left as it is, `why` says why.
    served: ServedRow | None
    why: str
    #: What it was found with: anything else is a change since.
    stamp: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PassedRow:
    """Modules that go into a machine."""

    #: Equal for modules that are alike (formats.documents.like_key).
    kind: str
    words: str
    count: int
    source: From
    #: The machine that they came out of.
    donor: UUID | None
    to: UUID


@dataclass(frozen=True, slots=True, kw_only=True)
class BuyRow:
    part: str
    words: str
    supplier: str
    kits: int
    kit: int
    price: Decimal
    lead_days: int | None
    #: Modules of it that nothing needs.
    left_over: int


@dataclass(frozen=True, slots=True, kw_only=True)
class WaveRow:
    day: Day
    hours: float
    hours_used: float
    money: Decimal
    gib: float
    #: Probability that any machine of it has trouble.
    trouble: float
    machines: int
    #: What of the purchase goes into it.
    buy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class HoldRow:
    by: HeldBy
    day: Day | None
    machine_id: UUID | None
    words: str
    more: float
    gain: float
    sure: bool
    comes_in: tuple[str, ...]
    goes_out: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    at: datetime
    ended: Ended
    seconds: float
    #: What is weighed: modules, work, expected loss, what is left undone.
    cost: float
    #: How far that may be above the least, as a share and in money; None where nothing bounds it yet.
    gap: float | None
    gap_money: float | None
    spent: Decimal
    hours: float
    gib: float
    #: Probability of any trouble at all; machines with trouble, expected.
    trouble: float
    troubled: float
    #: What the modules that are passed on would cost to buy.
    saved: Decimal
    currency: str
    rows: tuple[ProposedRow, ...]
    waves: tuple[WaveRow, ...]
    passed: tuple[PassedRow, ...]
    buy: tuple[BuyRow, ...]
    holds: tuple[HoldRow, ...]
    #: Pins that cannot be held, by machine.
    unheld: tuple[str, ...]
    #: Offers and modules of the Shelf that are not used, and why.
    left_out: tuple[str, ...] = ()
    #: What it was asked: another version of the round is another question.
    version: int
    #: How each plan stood that the round had made before.
    knew: dict[str, str]


_ADAPTER: TypeAdapter[Proposal] = TypeAdapter(Proposal)


def _write(proposal: Proposal) -> dict[str, Any]:
    return dict(_ADAPTER.dump_python(proposal, mode="json"))


PROPOSAL: Kept[Proposal] = Kept("What was proposed for a round", _ADAPTER.validate_python, _write)
