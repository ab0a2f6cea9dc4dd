"""Bodies of requests about the Shelf, offers, orders and rounds."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from umbrak.core.memory.label import MAX_LABEL_LENGTH
from umbrak.formats.documents import ModuleDoc, ShortText, Text
from umbrak.formats.quantities import BackupTiers, Cost, Currency, Day, KitSize, LeadDays, LineCount, Money, OnOffer
from umbrak.server.bodies.base import Body, Id, PartNumber, Version
from umbrak.services.rounds.asked import RoundAsked

StateName = Literal["new", "pulled", "suspect", "to-return"]


class StockBody(Body):
    module: ModuleDoc = Field(description="may be empty where the part is known here")
    count: LineCount = 1
    state: StateName = "new"
    part: PartNumber | None = None
    place: ShortText = ""
    note: Text = ""


class StockChange(Body):
    version: Version
    count: Annotated[int, Field(ge=0, le=100_000, description="0 takes the line off")] | None = None
    state: StateName | None = None
    place: ShortText | None = None
    note: Text | None = None


class OfferBody(Body):
    part: PartNumber
    module: ModuleDoc = Field(description="may be empty where the part is known here")
    supplier: ShortText = ""
    price: Money = Field(description="of one kit, in the installation's currency")
    kit: KitSize = 1
    stock: OnOffer | None = None
    lead_days: LeadDays | None = None
    listed: bool | None = None
    priced_on: Day | None = None


class MoneyBody(Body):
    currency: Currency
    hour: Cost = 0
    downtime_hour: Cost = 0
    returned: Cost = 0
    data: Cost = 0
    backup_tiers: BackupTiers = 0
    official_per_gb: Cost = 0
    third_party_per_gb: Cost = 0


class NewRoundBody(Body):
    name: ShortText = Field(default="", description="empty: the next number")
    asked: RoundAsked


class RoundBody(Body):
    version: Version
    asked: RoundAsked


class PurchaseBody(Body):
    supplier: ShortText
    reference: ShortText = ""
    ordered_on: Day
    due_on: Day | None = None
    plans: Annotated[
        list[Id], Field(max_length=1000, description="what it is for; none = all that lack something")
    ] = []
    cost: Money = Field(description="what it came to when it was looked at")


class ArrivalBody(Body):
    label: Annotated[str, StringConstraints(max_length=MAX_LABEL_LENGTH)] = Field(
        default="", description="label, part number or code as read; or `spd`"
    )
    spd: ModuleDoc | None = Field(default=None, description="the module as its SPD tells it")
    serial: ShortText = Field(default="", description="where the label does not have it; a scanned code may")
    place: ShortText = Field(default="", description="where on the Shelf it goes")


class DecisionBody(Body):
    keep: bool
    reference: ShortText = Field(default="", description="under which it goes back")
    place: ShortText = ""
