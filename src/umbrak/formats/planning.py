"""Checked documents of what routes are asked with: trials, candidates, wishes, costs."""

from __future__ import annotations

from dataclasses import fields
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from umbrak.core.evidence.table import Outcome
from umbrak.core.evidence.trial import Held, Trial
from umbrak.core.evidence.trouble import Costs
from umbrak.core.plan.sizing import Duty, Member, duty_while_open
from umbrak.core.platform.statement import SourceKind
from umbrak.core.routes.assumed import Guess
from umbrak.core.routes.problem import Candidate, Origin, Wishes
from umbrak.formats.documents import Doc, Gib, ModuleDoc, Mts, Name, SourceKindName, Text, checked_label, module_from
from umbrak.formats.quantities import Cost, Currency, Day, KitSize, LeadDays, Money, OnOffer, SoakDays

ModuleGiven = Annotated[Text | ModuleDoc, AfterValidator(checked_label)]


class HeldDoc(Doc):
    """What the machine held besides; each may be left out."""

    most: dict[Literal["slot", "channel", "controller", "socket"], Gib] = {}
    makers: Annotated[list[Name], Field(max_length=100)] = []
    firmware: Name | None = None
    system: Name | None = None

    def value(self) -> Held:
        return Held(
            {str(k): v for k, v in self.most.items()},
            frozenset(self.makers),
            firmware=self.firmware,
            system=self.system,
        )


class TrialDoc(Doc):
    """What somebody put where, and how it went."""

    sheet: Name
    outcome: Literal["fine", "quirks", "not-seen", "unstable"]
    who: SourceKindName
    date: Day
    processor: Name | None = None
    part: Name | None = None
    revision: Name | None = None
    module: ModuleGiven | None = None
    total_gib: Gib | None = None
    soak_days: SoakDays = 0
    source: Text = Field("", description="where it is told: a thread, a document; those of one source do not add up")
    held: HeldDoc = Field(default_factory=HeldDoc)

    def value(self, name: str) -> Trial:
        module = module_from(self.module) if self.module is not None else None
        return Trial(
            id=name,
            sheet=self.sheet,
            outcome=Outcome(self.outcome),
            who=SourceKind(self.who),
            date=self.date,
            processor=self.processor,
            part=self.part or (module.part if module else None),
            revision=self.revision or (module.revision if module else None),
            module=module,
            total_gib=self.total_gib,
            soak_days=self.soak_days,
            source=self.source,
            held=self.held.value(),
        )


class CandidateDoc(Doc):
    """A module that can be had. An offer has a price; one from the shelf costs nothing unless it says so."""

    part: Name
    module: ModuleGiven
    price: Money | None = None
    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")] | None = None
    kit: KitSize = Field(1, description="modules in a kit; kits are bought whole")
    stock: OnOffer | None = Field(None, description="modules to be had; left out: as many as wanted")
    lead_days: LeadDays | None = None
    listed: bool | None = None
    origin: Literal["offer", "shelf"] = Field("offer", alias="from")
    new: bool | None = Field(
        None, description="whether nobody used it before; left out: what is offered is, what lies on the shelf is not"
    )

    @model_validator(mode="after")
    def _has_a_price(self) -> CandidateDoc:
        if self.origin == "offer" and self.price is None:
            raise ValueError(f"what {self.part} costs is needed: give its price, or from: shelf")
        return self

    def value(self) -> Candidate:
        # One line of the shelf is one module, unless it says how many.
        stock = 1 if self.origin == "shelf" and self.stock is None else self.stock
        return Candidate(
            part=self.part,
            module=module_from(self.module),
            price=self.price or Decimal(0),
            kit=self.kit,
            stock=stock,
            lead_days=self.lead_days,
            listed=self.listed,
            origin=Origin(self.origin),
            pulled=self.origin == "shelf" if self.new is None else not self.new,
        )


class WishesDoc(Doc):
    """What a route must meet; what is left out or null is not asked."""

    usable_gib: Annotated[float, Field(ge=0, le=1 << 24)] | None = None
    budget: Money | None = None
    keep_warranty: bool | None = None
    third_party: bool | None = None
    over_official: bool | None = None
    free_slots: Annotated[int, Field(ge=0, le=1024)] | None = None
    rate_mts: Mts | None = None
    keep_fitted: bool | None = None
    top_trouble: Annotated[float, Field(ge=0, le=1)] | None = None
    uneven: bool | None = None
    less_memory: bool | None = None
    less_bandwidth: bool | None = None
    move_content: bool | None = Field(
        None, description="whether what keeps its content without power may leave its slot"
    )

    def value(self) -> Wishes:
        given = {f.name: v for f in fields(Wishes) if (v := getattr(self, f.name)) is not None}
        return Wishes(**given)


class GuessDoc(Doc):
    """What a GB is thought to cost where no candidate is named."""

    official_per_gb: Money | None = None
    third_party_per_gb: Money | None = None
    currency: Currency | None = None

    def value(self) -> Guess:
        return Guess(self.official_per_gb, self.third_party_per_gb)


class CostsDoc(Doc):
    """What hours, returns and lost data cost, in the currency of the prices."""

    hour: Cost = 0
    downtime_hour: Cost = 0
    returned: Cost = Field(0, alias="return")
    data_by_backup_tiers: Cost | Annotated[list[Cost], Field(min_length=1, max_length=10)] = Field(
        0, description="what losing the data would cost with the backups there are; a list: with none, one, two tiers of backup, of which the first counts"
    )  # fmt: skip

    def value(self) -> Costs:
        data = self.data_by_backup_tiers
        return Costs(self.hour, self.downtime_hour, self.returned, data[0] if isinstance(data, list) else data)


Load = Annotated[float, Field(ge=0, le=1 << 24)]


class MemberDoc(Doc):
    """A machine of a duty group."""

    id: Name
    usable_gib: Load
    load_gib: Load | None = None
    largest_gib: Load | None = Field(None, description="the largest single load that it carries")


class DutyDoc(Doc):
    """A duty group and the member that is opened: the first one where none is named."""

    group: Name
    members: Annotated[list[MemberDoc], Field(max_length=1000)] = []
    opened: Name | None = None

    def value(self) -> Duty | None:
        members = [Member(m.id, m.usable_gib, m.load_gib, m.largest_gib) for m in self.members]
        return duty_while_open(members, self.opened or members[0].id) if members else None
