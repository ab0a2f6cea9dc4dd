"""What is asked of a round, and what it answers. Money is a float here: it is compared and bounded, never paid."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

#: Kinds of module with how many of each, in the order of kinds. A kind is whatever tells modules apart that may not stand for each other.
Counts = tuple[tuple[str, int], ...]


@dataclass(frozen=True, slots=True)
class FleetRoute:
    """One way of serving a machine, whoever the modules come from."""

    name: str
    #: Modules that come in beyond those fitted; that come out and are fit to serve elsewhere.
    uses: Counts
    frees: Counts
    #: Hours of hands.
    hours: float
    #: What it costs besides modules, and what trouble is expected to cost.
    cost: float = 0.0
    loss: float = 0.0


@dataclass(frozen=True, slots=True)
class Pin:
    """What somebody wants of a machine whatever it costs: served (in that wave, by that route), or not at all."""

    #: Place among the waves; among the machine's routes. None: any.
    wave: int | None = None
    route: int | None = None
    out: bool = False


@dataclass(frozen=True, slots=True)
class FleetMachine:
    name: str
    #: Equal for machines that are alike; () where nothing serves it.
    routes: tuple[FleetRoute, ...]
    #: What leaving it as it is weighs, in money.
    penalty: float
    #: Waves that its windows allow.
    waves: frozenset[int]
    #: Never two of one duty group are open in one wave. None: in no group.
    group: str | None = None
    #: Until its proof has lasted so long what it held is its way back. [d]
    soak_days: float = 0.0
    pin: Pin | None = None

    @property
    def wanted(self) -> bool:
        """Whether somebody pinned it to be served."""
        return self.pin is not None and not self.pin.out

    def may(self, route: int, wave: int) -> bool:
        """Whether its windows and its pin allow that."""
        if wave not in self.waves:
            return False
        pin = self.pin
        return pin is None or (not pin.out and pin.wave in (None, wave) and pin.route in (None, route))


@dataclass(frozen=True, slots=True)
class Wave:
    name: str
    #: Days from today.
    day: float
    #: Hours of hands that there are.
    hours: float


@dataclass(frozen=True, slots=True)
class FleetOffer:
    name: str
    kind: str
    #: Of a kit.
    price: float
    kit: int = 1
    #: Modules; None: as many as wanted.
    stock: int | None = None
    #: Days until it is there, were it ordered today.
    lead_days: float = 0.0


@dataclass(frozen=True, slots=True)
class Round:
    machines: tuple[FleetMachine, ...]
    #: In the order of their days.
    waves: tuple[Wave, ...]
    #: What lies on the Shelf and is free.
    shelf: Counts = ()
    offers: tuple[FleetOffer, ...] = ()
    #: What may be spent on modules; None: whatever it takes.
    budget: float | None = None
    #: Whether what comes out of one machine may serve another.
    passing_on: bool = True

    def __post_init__(self) -> None:
        days = [w.day for w in self.waves]
        if days != sorted(days):
            raise ValueError("waves are not in the order of their days")
        if any(w < 0 or w >= len(self.waves) for m in self.machines for w in m.waves):
            raise ValueError("a machine's windows name a wave that is not there")
        if any(
            (m.pin.wave or 0) >= len(self.waves) or (m.pin.route or 0) >= max(len(m.routes), 1)
            for m in self.machines
            if m.pin
        ):
            raise ValueError("a pin names a wave or a route that is not there")
        names = [m.name for m in self.machines]
        if len(set(names)) < len(names):
            raise ValueError("two machines have one name")

    def price_of(self, kind: str) -> float:
        """What one module costs of whoever offers it cheapest; nothing where nobody does."""
        return min((o.price / o.kit for o in self.offers if o.kind == kind and o.price), default=0.0)

    def least_cost(self, machine: int) -> float | None:
        """What serving a machine costs at least, its modules bought one by one; None where nothing serves it."""
        return min(
            (
                way.cost + way.loss + sum(self.price_of(kind) * n for kind, n in way.uses)
                for way in self.machines[machine].routes
            ),
            default=None,
        )

    def why_left(self, machine: int, let_in: str | None, currency: str = "") -> str:
        """Why a machine that could be served is not, in words; `let_in` says what would let it in, where something would."""
        left = self.machines[machine]
        if not left.waves:
            return "no wave is open to it"
        if let_in is not None:
            return let_in
        least = self.least_cost(machine)
        if least is not None and least >= left.penalty:
            money = f" {currency}" if currency else ""
            return f"serving it costs {least:.0f}{money}, leaving it weighs {left.penalty:.0f}"
        return "no wave has room for it with the money and the modules that there are"

    def first_wave(self, days: float) -> int:
        """The first wave that is so many days away, or more; `len(waves)` where none is."""
        return next((t for t, w in enumerate(self.waves) if w.day >= days - 1e-9), len(self.waves))


@dataclass(frozen=True, slots=True)
class Served:
    """Which machine goes when and how: places in the round's lists."""

    machine: int
    route: int
    wave: int


@dataclass(frozen=True, slots=True)
class Bought:
    offer: int
    kits: int


class From(StrEnum):
    """Where a module comes from."""

    SHELF = "shelf"
    PULLED = "pulled"
    BOUGHT = "bought"


@dataclass(frozen=True, slots=True)
class Passed:
    """Modules of one kind that go into a machine, and where they come from."""

    kind: str
    count: int
    source: From
    #: The machine that they came out of; None where they did not.
    donor: int | None
    to: int


@dataclass(frozen=True)
class Plan:
    """A whole round: who is served when, what is bought. Exact: what does not keep every bound is no plan (`broken`)."""

    served: tuple[Served, ...]
    bought: tuple[Bought, ...]


def total(counts: Iterable[tuple[str, int]]) -> dict[str, int]:
    made: dict[str, int] = {}
    for kind, n in counts:
        made[kind] = made.get(kind, 0) + n
    return made


def cost_of(r: Round, plan: Plan) -> float:
    """What is minimised: modules, work, expected loss, and what leaving machines undone weighs."""
    done = {s.machine for s in plan.served}
    routes = (r.machines[s.machine].routes[s.route] for s in plan.served)
    undone = sum(m.penalty for i, m in enumerate(r.machines) if i not in done)
    return spent_on(r, plan) + sum(way.cost + way.loss for way in routes) + undone


def spent_on(r: Round, plan: Plan) -> float:
    """On modules."""
    return sum(r.offers[b.offer].price * b.kits for b in plan.bought)


def broken(r: Round, plan: Plan) -> list[str]:
    """What of the bounds a plan does not keep, in words; nothing where it is one."""
    said = []
    if len({s.machine for s in plan.served}) < len(plan.served):
        said.append("a machine is served twice")
    said += [
        f"{r.machines[s.machine].name} may not be opened so in {r.waves[s.wave].name}"
        for s in plan.served
        if not r.machines[s.machine].may(s.route, s.wave)
    ]
    for t, wave in enumerate(r.waves):
        here = [s for s in plan.served if s.wave == t]
        hours = sum(r.machines[s.machine].routes[s.route].hours for s in here)
        if hours > wave.hours + 1e-6:
            said.append(f"{wave.name}: {hours:g} of {wave.hours:g} hours")
        groups = [g for s in here if (g := r.machines[s.machine].group) is not None]
        said += [f"{wave.name}: two of {g} are open" for g in sorted({g for g in groups if groups.count(g) > 1})]
    said += [
        f"{o.name}: {b.kits * o.kit} of {o.stock} modules"
        for b in plan.bought
        for o in [r.offers[b.offer]]
        if o.stock is not None and b.kits * o.kit > o.stock
    ]
    if r.budget is not None and (spent := spent_on(r, plan)) > r.budget + 1e-6:
        said.append(f"{spent:g} of {r.budget:g} spent")
    if passed(r, plan) is None:
        said.append("modules are put in that are not there yet")
    return said


def passed(r: Round, plan: Plan) -> tuple[Passed, ...] | None:
    """Where every module comes from: what came out of others first, then the Shelf, then what was bought. None where one is
    put in that is not there by then.

    Modules of a kind are alike and what is there stays there until it is used, so whichever is taken the rest suffices or does not.
    """
    there: list[tuple[str, From, int | None, int, int]] = []  # kind, source, donor, from wave on, count
    if r.passing_on:
        for s in plan.served:
            m = r.machines[s.machine]
            ready = max(s.wave + 1, r.first_wave(r.waves[s.wave].day + m.soak_days))
            there += [(kind, From.PULLED, s.machine, ready, n) for kind, n in m.routes[s.route].frees]
    there += [(kind, From.SHELF, None, 0, n) for kind, n in r.shelf]
    for b in plan.bought:
        o = r.offers[b.offer]
        there.append((o.kind, From.BOUGHT, None, r.first_wave(o.lead_days), b.kits * o.kit))
    left = [x[4] for x in there]
    made = []
    for s in sorted(plan.served, key=lambda s: (s.wave, s.machine)):
        for kind, wanted in r.machines[s.machine].routes[s.route].uses:
            for i, (of, source, donor, ready, _) in enumerate(there):
                if wanted and of == kind and ready <= s.wave and left[i]:
                    n = min(wanted, left[i])
                    left[i] -= n
                    wanted -= n
                    made.append(Passed(kind=kind, count=n, source=source, donor=donor, to=s.machine))
            if wanted:
                return None
    return tuple(made)
