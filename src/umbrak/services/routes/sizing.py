"""How much is worth having: a machine's need, the totals it can reach at each risk, whether it may be opened now."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.plan.sizing import Duty, Member, Need, Sizing, Use, duty_while_open, need_of, use_of
from umbrak.core.routes.answer import Ended
from umbrak.core.routes.problem import Wishes
from umbrak.services.errors import Stale
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import load_machine, load_machines
from umbrak.services.people.accounts import Role, need
from umbrak.services.routes.finding import RouteView, find_routes
from umbrak.store import sizings as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

#: Probability of trouble up to which a total counts as likely to work.
LIKELY = 0.25


@dataclass(frozen=True, slots=True)
class MemberView:
    id: UUID
    name: str
    usable_gib: float
    #: None = nobody said what it carries.
    load_gib: float | None
    #: The largest single load of it; None = nobody said.
    largest_gib: float | None

    def member(self) -> Member:
        return Member(self.name, self.usable_gib, self.load_gib, self.largest_gib)


@dataclass(frozen=True, slots=True)
class DutyView:
    group: str
    members: tuple[MemberView, ...]
    load_gib: float
    room_gib: float
    room_with_one_lost_gib: float
    #: Whether the rest carries the load while this machine is open; None where a load is not known.
    fits: bool | None
    fits_with_one_lost: bool | None
    unknown: tuple[str, ...]
    #: The largest single load of this machine, the most that one of the others has free, which one that is, and whether it
    #: finds room there; None where nobody said.
    largest_gib: float | None
    largest_room_gib: float | None
    largest_goes_to: str | None
    largest_fits: bool | None


@dataclass(frozen=True, slots=True)
class SizingView:
    #: 0 = nobody has said anything yet.
    version: int
    sizing: Sizing
    need: Need
    usable_gib: float
    #: What its memory is doing today, by what somebody saw or else the machine told; None where neither did.
    use: Use | None
    #: What the machine told of its use when it was last asked; None where it told none. [GiB]
    told_used_gib: float | None
    #: None where it is in no group.
    duty: DutyView | None


@dataclass(frozen=True, slots=True)
class PriceAt:
    """The cheapest way to a total at one risk."""

    #: None where nothing has a price.
    cost: Decimal | None
    modules: int
    trouble: float
    data_rate_mts: int | None
    balance: float | None
    verdict: str


@dataclass(frozen=True, slots=True)
class TotalView:
    """A total that this machine can reach."""

    usable_gib: float
    installed_gib: float
    #: What the machine's maker stands behind; what is likely to work; anything that may.
    vouched: PriceAt | None
    likely: PriceAt | None
    bold: PriceAt | None


@dataclass(frozen=True, slots=True)
class TotalsView:
    totals: tuple[TotalView, ...]
    currency: str
    proved: bool
    at_hand: int
    ended: Ended
    #: Whether nobody offers what they are reached with, and whether it has a price.
    assumed: bool
    priced: bool


def see_sizing(engine: Engine, machine_id: UUID) -> SizingView:
    """Raises NotFound."""
    with engine.connect() as db:
        return _view(db, machine_id)


def need_gib(db: Connection, machine_id: UUID) -> float | None:
    """What a machine is to have usable; None where nobody said."""
    found = store.find_sizing(db, machine_id)
    return (need_of(found[1]).total or None) if found else None


def set_sizing(engine: Engine, account: Account, machine_id: UUID, version: int, new: Sizing) -> SizingView:
    """Say what a machine is to carry. Raises NotFound, Stale when somebody else said so meanwhile."""
    need(account, Role.technician)
    with engine.begin() as db:
        load_machine(db, machine_id)
        if not store.keep_sizing(db, machine_id, version, new):
            raise Stale(
                "Somebody changed this need meanwhile; nothing of yours was saved.", _view(db, machine_id), None
            )
        record(db, "need said", account.id, machine_id, need=need_of(new).total)
        return _view(db, machine_id)


def _view(db: Connection, machine_id: UUID) -> SizingView:
    m = load_machine(db, machine_id)
    found = store.find_sizing(db, machine_id)
    version, sizing = found if found else (0, Sizing())
    usable = judge(m, m.layout).usable_gib
    told = m.survey.content.totals.used_gib if m.survey.content.totals else None
    used = sizing.used_gib if sizing.used_gib is not None else told
    return SizingView(
        version=version,
        sizing=sizing,
        need=need_of(sizing),
        usable_gib=usable,
        use=use_of(used, usable),
        told_used_gib=told,
        duty=duty_of(db, machine_id, m.row.about.duty_group),
    )


def duty_of(db: Connection, machine_id: UUID, group: str) -> DutyView | None:
    if not group:
        return None
    keys = store.machines_of_group(db, group)
    said = store.find_sizings(db, keys)
    members = [
        MemberView(
            id=m.row.id,
            name=m.row.name,
            usable_gib=judge(m, m.layout).usable_gib,
            load_gib=need_of(said[m.row.id]).load_today if m.row.id in said else None,
            largest_gib=need_of(said[m.row.id]).largest if m.row.id in said else None,
        )
        for m in load_machines(db, keys)
    ]
    opened = next((v.name for v in members if v.id == machine_id), "")
    duty: Duty = duty_while_open([v.member() for v in members], opened)
    return DutyView(
        group=group, members=tuple(members), load_gib=duty.load_gib, room_gib=duty.room_gib, room_with_one_lost_gib=duty.room_with_one_lost_gib, fits=duty.fits, fits_with_one_lost=duty.fits_with_one_lost, unknown=duty.unknown,
        largest_gib=duty.largest_gib, largest_room_gib=duty.largest_room_gib, largest_goes_to=duty.largest_goes_to, largest_fits=duty.largest_fits,
    )  # fmt: skip


def reachable_totals(
    engine: Engine, machine_id: UUID, seconds: float, stopped: Callable[[], bool] = lambda: False
) -> TotalsView:
    """The totals that this machine can reach with what is at hand, each with its cheapest way at each risk. A total that
    costs no less than a larger one at the same risk is left out. Raises NotFound."""
    found = find_routes(engine, machine_id, Wishes(usable_gib=1.0, less_bandwidth=True), seconds, stopped=stopped)
    by_total: dict[float, list[RouteView]] = {}
    for route in found.routes:
        by_total.setdefault(route.usable_gib, []).append(route)
    totals = [
        TotalView(
            usable,
            routes[0].evaluation.installed_gib,
            _cheapest([r for r in routes if r.in_warranty], found.priced),
            _cheapest([r for r in routes if 1 - (1 - r.trouble) / (1 - r.fails_early) <= LIKELY], found.priced),
            _cheapest(routes, found.priced),
        )
        for usable, routes in sorted(by_total.items(), reverse=True)
    ]
    return TotalsView(
        totals=tuple(totals), currency=found.money.currency, proved=found.proved, at_hand=found.on_shelf + found.on_offer,
        ended=found.ended, assumed=found.assumed, priced=found.priced,
    )  # fmt: skip


def _cheapest(routes: list[RouteView], priced: bool) -> PriceAt | None:
    if not routes:
        return None
    r = min(routes, key=lambda r: (r.cost, r.trouble, r.touches))
    told = [s.balance for s in r.evaluation.sockets if s.balance is not None]
    return PriceAt(
        cost=r.cost if priced else None,
        modules=r.modules,
        trouble=r.trouble,
        data_rate_mts=r.evaluation.data_rate_mts,
        balance=min(told, default=None),
        verdict=r.evaluation.verdict.value,
    )
