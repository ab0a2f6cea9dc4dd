"""Whether to go on with a fault search, or to replace the few that are likeliest at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import isfinite

from sqlalchemy import Connection

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.proof.fault_search import AtOnce, Outcome, weigh_at_once
from umbrak.formats.documents import like_key
from umbrak.services.people.settings import MoneySettings, money_settings
from umbrak.services.shelf.view import USABLE
from umbrak.store import shelf as store


@dataclass(frozen=True, slots=True)
class Prices:
    """What another of a kind costs, and what hours cost."""

    money: MoneySettings
    #: Kind -> its cheapest offer; nothing where one lies on the Shelf.
    of_kind: Mapping[str, float]

    @classmethod
    def at_hand(cls, db: Connection) -> Prices:
        found: dict[str, float] = {}
        for r in store.all_offers(db):
            if not r.unreadable:
                found[r.kind] = min(found.get(r.kind, float(r.price)), float(r.price))
        found |= {r.kind: 0.0 for r in store.all_stock(db) if r.state in USABLE and r.count and not r.unreadable}
        return cls(money_settings(db), found)


@dataclass(frozen=True, slots=True)
class GoingOnView:
    """What a search would still take, and what could be done instead."""

    #: Boots and minutes until somebody is named, if each boot tells as much as the next one; half of the searches end sooner.
    boots: int
    minutes: float
    #: Slots for which the modules were planned that could be replaced at once; none where that takes too many.
    at_once: tuple[str, ...]
    odds: float
    #: Both beyond the one module that is replaced either way; None where hours or modules have no price.
    going_on_cost: float | None
    at_once_cost: float | None
    #: None where it is not known.
    at_once_is_cheaper: bool | None
    #: What is not priced: hours, modules, or nothing.
    unpriced: str
    currency: str


def see_going_on(goal: Layout, found: Outcome, prices: Prices) -> GoingOnView | None:
    """None where somebody is named, or nothing is left to try."""
    if not found.trials or not isfinite(found.trials[0].boots_left):
        return None
    best, money = found.trials[0], prices.money
    boots = max(1, round(best.boots_left))
    minutes = boots * best.minutes
    modules = [goal.get(s.name) for s in found.at_once]
    costs = [prices.of_kind.get(like_key(m)) if isinstance(m, Module) else None for m in modules]
    weighed = weigh_at_once(minutes, money.hour + money.downtime_hour, found.at_once_odds, costs) if modules else AtOnce(None, None)  # fmt: skip
    return GoingOnView(
        boots=boots,
        minutes=round(minutes),
        at_once=tuple(s.name for s in found.at_once),
        odds=found.at_once_odds,
        going_on_cost=weighed.going_on,
        at_once_cost=weighed.replacing,
        at_once_is_cheaper=weighed.replacing_is_cheaper,
        unpriced="" if weighed.replacing is not None or not modules else "modules" if weighed.going_on is not None else "hours",
        currency=money.currency,
    )  # fmt: skip
