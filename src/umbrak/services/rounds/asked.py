"""What a round is asked: which machines, in which waves, with what money, and what is pinned."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated
from uuid import UUID

from pydantic import ConfigDict, Field

from umbrak.formats.documents import Doc, ShortText
from umbrak.formats.kept import Kept
from umbrak.formats.quantities import Day, LeadDays, Money, SoakDays, TotalGib
from umbrak.services.errors import Refused

Hours = Annotated[float, Field(ge=0, le=10_000)]
_Id = Annotated[UUID, Field(strict=False)]
#: More are no round: it could not be looked over.
MOST_MACHINES, MOST_WAVES = 2000, 26


class _Asked(Doc):
    model_config = ConfigDict(defer_build=False, frozen=True)


class AskedWave(_Asked):
    #: No two waves are of one day: it is what tells them apart.
    day: Day
    #: Hours of hands, all people together.
    hours: Hours
    people: ShortText = ""


class AskedPin(_Asked):
    """A machine is to be served whatever it costs, in that wave, by that route; or left as it is."""

    day: Day | None = None
    route: ShortText | None = None
    out: bool = False


class RoundAsked(_Asked):
    machines: Annotated[list[_Id], Field(max_length=MOST_MACHINES)]
    waves: Annotated[list[AskedWave], Field(max_length=MOST_WAVES)]
    #: Machine -> what it is to have usable, where that is not its own need. [GiB]
    needs: dict[_Id, TotalGib] = {}
    #: Machine -> days of waves in which it may not be opened.
    closed: dict[_Id, list[Day]] = {}
    pins: dict[_Id, AskedPin] = {}
    #: What may be spent on modules; None: whatever it takes.
    budget: Money | None = None
    #: Whether what comes out of one machine may serve another.
    passing_on: bool = True
    keep_warranty: bool = False
    third_party: bool = True
    #: What a GB that a machine lacks weighs, where it is left as it is.
    short_gb: Money = Decimal(20)
    #: Days until a module is there whose supplier does not say.
    lead_untold: LeadDays = 14
    #: How long what came out of a machine stays its way back.
    soak_days: SoakDays = 3.0


def check(asked: RoundAsked) -> None:
    """Raises Refused, naming what cannot be."""
    days = [w.day for w in asked.waves]
    if not asked.machines:
        raise Refused("machines", "A round without machines: pick those that are to be served.")
    if len(set(asked.machines)) < len(asked.machines):
        raise Refused("machines", "A machine is in it twice.")
    if not days:
        raise Refused("waves", "A round without waves: when may the machines be opened?")
    if len(set(days)) < len(days):
        raise Refused("waves", "Two waves are of one day: put their hours together.")
    for key, pin in asked.pins.items():
        if pin.out and (pin.day or pin.route):
            raise Refused(f"pins.{key}", "Left as it is, or served so: not both.")
        if pin.day and pin.day not in days:
            raise Refused(f"pins.{key}", f"There is no wave on {pin.day.isoformat()}.")


def in_order(asked: RoundAsked) -> list[AskedWave]:
    return sorted(asked.waves, key=lambda w: w.day)


ASKED: Kept[RoundAsked] = Kept("What a round was asked", RoundAsked.model_validate, lambda a: a.model_dump(mode="json"))
