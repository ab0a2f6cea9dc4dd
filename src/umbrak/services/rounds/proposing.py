"""The search for a round's best proposal: machines, Shelf, offers and orders put together, solved, and told in people's words."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module, alike
from umbrak.core.plan.brief import shop_words
from umbrak.core.plan.sizing import need_of
from umbrak.core.rounds.holds import HeldBy, Hold, holds
from umbrak.core.rounds.problem import (
    FleetMachine,
    FleetOffer,
    FleetRoute,
    From,
    Pin,
    Round,
    Wave,
)
from umbrak.core.rounds.solve import RoundAnswer, RoundProgress, solve_round
from umbrak.core.rounds.ways import Kinds, Way, Ways, fitted
from umbrak.formats.documents import like_key
from umbrak.formats.kept import GOAL
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, load_machines, sound_layout
from umbrak.services.known.summaries import glyph_of
from umbrak.services.people.settings import money_settings
from umbrak.services.rounds.asked import AskedWave, RoundAsked, in_order
from umbrak.services.rounds.proposal import (
    BuyRow,
    HoldRow,
    PassedRow,
    Proposal,
    ProposedRow,
    ServedRow,
    WaveRow,
)
from umbrak.services.rounds.ways import Wanted, ways_of
from umbrak.services.shelf.view import USABLE, see_stock
from umbrak.store import plans as plan_store
from umbrak.store import shelf as shelf_store
from umbrak.store import sizings
from umbrak.store.purchases import purchases
from umbrak.store.rounds import RoundPlanRow, how_stands

#: Of the time there is: for what holds it back.
_HOLDS = 0.3


@dataclass(frozen=True)
class _Member:
    """A machine of the round."""

    machine: Loaded
    usable_gib: float
    #: Slots of whose content nobody knows the size.
    not_counted: int
    need_gib: float | None
    ways: tuple[Way, ...]
    #: Whether these are all that there are.
    ways_whole: bool
    #: Why it is not served, whatever the round is like; "" = it may be.
    why: str
    #: It is under way by a plan of this round: it gives up what that takes out.
    begun: bool = False
    #: What was not used for it, and why.
    left_out: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Source:
    """An offer as it stands behind one of the round's."""

    part: str
    words: str
    supplier: str
    lead_days: int | None


def stamp_of(m: Loaded) -> str:
    """Equal as long as a machine is what it was."""
    return f"{m.row.version}:{m.row.sheet_hash}:{m.survey.id}"


def propose(
    engine: Engine,
    asked: RoundAsked,
    version: int,
    plans: Sequence[RoundPlanRow],
    *,
    seconds: float,
    now: datetime,
    report: Callable[[str, RoundProgress | None], None],
    stopped: Callable[[], bool],
) -> Proposal:
    """The best that is found in the time there is.

    Parameters
        plans     what was made of the round before: what is under way or done stays as it is
        report    what is being done, and how far that is
    """
    kinds, today = Kinds(like_key), now.date()
    waves = [w for w in in_order(asked) if w.day >= today]
    with engine.connect() as db:
        money = money_settings(db)
        members = _members(db, asked, plans, hour=money.hour, kinds=kinds, report=report, stopped=stopped)
        offers, sources = _offers(db, asked, plans, kinds, today)
        shelf = free_on_shelf(db, plans, kinds)
    r = Round(
        machines=tuple(_fleet_machine(m, asked, waves) for m in members),
        waves=tuple(Wave(w.day.isoformat(), (w.day - today).days, w.hours) for w in waves),
        shelf=tuple(sorted(shelf.items())),
        offers=offers,
        budget=None if asked.budget is None else float(asked.budget),
        passing_on=asked.passing_on,
    )
    report("weighing waves, routes and purchases", None)
    search = seconds * (1 - _HOLDS)
    found = solve_round(r, search, report=lambda p: report("weighing waves, routes and purchases", p), stopped=stopped)
    report("what holds it back", None)
    held = () if stopped() else holds(r, found, seconds * _HOLDS, stopped)
    told = _Told(r, found, members, waves, sources, kinds, money.currency)
    return told.proposal(held, version, now, {str(p.plan_id): how_stands(p) for p in plans})


def _members(
    db: Connection,
    asked: RoundAsked,
    plans: Sequence[RoundPlanRow],
    *,
    hour: float,
    kinds: Kinds,
    report: Callable[[str, RoundProgress | None], None],
    stopped: Callable[[], bool],
) -> list[_Member]:
    by_machine = {p.machine_id: p for p in plans}
    said = {k: need_of(s).total for k, s in sizings.find_sizings(db, asked.machines).items()}
    machines = load_machines(db, asked.machines)
    judged = {m.row.id: judge(m, m.layout) for m in machines}
    usable = {key: now.usable_gib for key, now in judged.items()}
    needs = {m.row.id: asked.needs.get(m.row.id) or said.get(m.row.id) or None for m in machines}

    def why(m: Loaded) -> str:
        plan, need = by_machine.get(m.row.id), needs[m.row.id]
        if m.row.retired_at:
            return "it is retired"
        if plan and plan.state == "under way":
            return "under way"
        if need is None:
            return "nobody said what it needs: say so in its Target, or here"
        if usable[m.row.id] >= need - 1e-9:
            return "it has what it needs"
        pin = asked.pins.get(m.row.id)
        return "left as it is: somebody pinned it so" if pin and pin.out else ""

    whys = {m.row.id: why(m) for m in machines}
    wanted = [Wanted(m, need) for m in machines if not whys[m.row.id] and (need := needs[m.row.id])]
    ways = ways_of(
        db, asked, wanted, hour=hour, kinds=kinds, stopped=stopped,
        report=lambda n, of: report(f"routes of machine {n + 1} of {of} that differ", None),
    )  # fmt: skip
    made = []
    for m in machines:
        looked, because = ways.get(m.row.id), whys[m.row.id]
        mine = looked.ways if looked else ()
        if not because and not mine:
            because = _no_way(looked, needs[m.row.id] or 0.0)
        plan = by_machine.get(m.row.id)
        begun = plan is not None and plan.state == "under way"
        if plan and begun and (way := _begun(db, m, plan, kinds)):
            mine = (way,)
        made.append(
            _Member(
                machine=m,
                usable_gib=usable[m.row.id],
                not_counted=judged[m.row.id].not_counted,
                need_gib=needs[m.row.id],
                ways=mine,
                ways_whole=begun or bool(whys[m.row.id]) or (looked is not None and looked.whole),
                why=because,
                begun=begun,
                left_out=looked.left_out if looked else (),
            )
        )
    return made


def _no_way(looked: Ways | None, need: float) -> str:
    if looked is None:
        return "its routes were not looked for: it was stopped before"
    if not looked.proved:
        return f"no way to {need:g} GB was found in the time there was"
    return f"no way to {need:g} GB from what is on the Shelf, offered or given up by others"


def _begun(db: Connection, m: Loaded, plan: RoundPlanRow, kinds: Kinds) -> Way | None:
    """What is under way needs nothing more, and gives up what it takes out."""
    row = plan_store.find_plan(db, plan.plan_id)
    if row is None:
        return None
    frees = fitted(sound_layout(m)) - fitted(row.goal)
    judged = judge(m, row.goal)
    return Way(
        route=FleetRoute("under way", uses=(), frees=kinds.counts(frees), hours=0.0),
        goal=row.goal,
        installed_gib=judged.installed_gib,
        usable_gib=judged.usable_gib,
        not_counted=judged.not_counted,
        trouble=0.0,
        verdict=judged.verdict.value,
        in_warranty=False,
        puts_in="",
        takes_out="",
    )


def _fleet_machine(m: _Member, asked: RoundAsked, waves: Sequence[AskedWave]) -> FleetMachine:
    key = m.machine.row.id
    if m.begun and m.ways:
        first = frozenset({0} if waves else set())
        group = m.machine.row.about.duty_group or None
        return FleetMachine(
            name=str(key), routes=(m.ways[0].route,), penalty=0.0, waves=first, group=group, soak_days=asked.soak_days,
            pin=Pin(),
        )  # fmt: skip
    closed = set(asked.closed.get(key, ()))
    days = [w.day for w in waves]
    open_in = frozenset(t for t, day in enumerate(days) if day not in closed)
    asked_pin = asked.pins.get(key)
    names = [w.route.name for w in m.ways]
    pin = None
    if asked_pin and not asked_pin.out and m.ways:
        # A pin to a day that is over, or to a route that there is no more, holds nothing.
        pin = Pin(
            wave=days.index(asked_pin.day) if asked_pin.day in days else None,
            route=names.index(asked_pin.route) if asked_pin.route in names else None,
        )
    routes = tuple(w.route for w in m.ways) if not m.why else ()
    lacks = max(0.0, (m.need_gib or 0.0) - m.usable_gib)
    return FleetMachine(
        name=str(key), routes=routes, penalty=round(lacks * float(asked.short_gb), 2) if routes else 0.0, waves=open_in,
        group=m.machine.row.about.duty_group or None, soak_days=asked.soak_days, pin=pin,
    )  # fmt: skip


def free_on_shelf(db: Connection, made: Sequence[RoundPlanRow], kinds: Kinds | None = None) -> dict[str, int]:
    """Kind -> modules that are free for a round that made these plans: what those have reserved that are not begun is."""
    kinds = kinds or Kinds(like_key)
    plans = {p.plan_id for p in made if p.state in ("draft", "approved")}
    found = Counter[str]()
    for v in see_stock(db):
        own = sum(x.count for x in v.reserved if x.plan_id in plans)
        if v.state in USABLE and v.free + own:
            found[kinds.key(_numbered(v.module, v.part))] += v.free + own
    return dict(found)


def _numbered(module: Module, part: str | None) -> Module:
    """As candidates have it: under the number of its line."""
    return alike(module if module.part or not part else replace(module, part=part))


def _offers(
    db: Connection, asked: RoundAsked, plans: Sequence[RoundPlanRow], kinds: Kinds, today: date
) -> tuple[tuple[FleetOffer, ...], list[_Source]]:
    """What can be bought, and what is on order for this round already: that costs nothing more."""
    offers, sources = [], list[_Source]()
    for r in shelf_store.all_offers(db):
        if r.unreadable:
            continue
        module = _numbered(r.module, r.part)
        lead = asked.lead_untold if r.lead_days is None else r.lead_days
        offers.append(
            FleetOffer(
                name=r.part, kind=kinds.key(module), price=float(r.price), kit=r.kit, stock=r.stock, lead_days=lead
            )
        )
        sources.append(_Source(r.part, shop_words(module), r.supplier, r.lead_days))
    mine = {p.plan_id for p in plans}
    for bought in purchases(db):
        due = None if bought.due_on is None or bought.due_on < today else (bought.due_on - today).days
        for line in bought.lines:
            if pending := sum(n for plan, n in line.pending_for.items() if plan in mine):
                lead = asked.lead_untold if due is None else due
                kind = kinds.key(alike(line.wanted))
                offers.append(FleetOffer(name=line.part, kind=kind, price=0.0, stock=pending, lead_days=lead))
                sources.append(_Source(line.part, shop_words(line.module), f"on order, {bought.supplier}", due))
    return tuple(offers), sources


class _Told:
    """An answer in people's words."""

    def __init__(
        self,
        r: Round,
        found: RoundAnswer,
        members: Sequence[_Member],
        waves: Sequence[AskedWave],
        sources: Sequence[_Source],
        kinds: Kinds,
        currency: str,
    ) -> None:
        self._round, self._found, self._members, self._waves = r, found, members, waves
        self._sources, self._kinds, self._currency = sources, kinds, currency
        self._served = {s.machine: s for s in found.plan.served}
        #: What a module that is bought costs, of each kind: kits and what is left over shared out.
        self._each = self._share()

    def proposal(self, held: Sequence[Hold], version: int, now: datetime, knew: Mapping[str, str]) -> Proposal:
        found, rows = self._found, tuple(self._row(i, held) for i in range(len(self._members)))
        served = [row.served for row in rows if row.served]
        runs = math.prod(1 - s.trouble for s in served)
        return Proposal(
            at=now,
            ended=found.ended,
            seconds=round(found.seconds, 2),
            cost=round(found.cost, 2),
            gap=found.gap if math.isfinite(found.gap) else None,
            gap_money=round(found.gap_money, 2) if math.isfinite(found.gap_money) else None,
            spent=_money(found.spent),
            hours=round(sum(s.hours for s in served), 2),
            gib=sum(row.served.usable_gib - row.usable_gib for row in rows if row.served),
            trouble=1 - runs,
            troubled=sum(s.trouble for s in served),
            saved=_money(sum(self._round.price_of(p.kind) * p.count for p in found.passed if p.source is From.PULLED)),
            currency=self._currency,
            rows=rows,
            waves=tuple(self._wave(t, w, rows) for t, w in enumerate(self._waves)),
            passed=tuple(
                PassedRow(
                    kind=p.kind,
                    words=shop_words(self._kinds.modules[p.kind]),
                    count=p.count,
                    source=p.source,
                    donor=None if p.donor is None else self._id(p.donor),
                    to=self._id(p.to),
                )
                for p in found.passed
            ),
            buy=tuple(self._buy(b.offer, b.kits) for b in found.plan.bought),
            holds=tuple(self._hold(h) for h in held),
            unheld=tuple(self._members[i].machine.row.name for i in found.unheld),
            left_out=tuple(dict.fromkeys(words for m in self._members for words in m.left_out)),
            version=version,
            knew=dict(knew),
        )

    def _id(self, machine: int) -> UUID:
        return self._members[machine].machine.row.id

    def _name(self, machine: int) -> str:
        return self._members[machine].machine.row.name

    def _taken(self, source: From) -> Counter[str]:
        found: Counter[str] = Counter()
        for p in self._found.passed:
            if p.source is source:
                found[p.kind] += p.count
        return found

    def _share(self) -> dict[str, float]:
        spent, used = Counter[str](), self._taken(From.BOUGHT)
        for b in self._found.plan.bought:
            o = self._round.offers[b.offer]
            spent[o.kind] += o.price * b.kits  # type: ignore[assignment]
        return {kind: spent[kind] / n for kind, n in used.items() if n}

    def _money_of(self, machine: int) -> float:
        return sum(
            self._each.get(p.kind, 0.0) * p.count
            for p in self._found.passed
            if p.to == machine and p.source is From.BOUGHT
        )

    def _row(self, i: int, held: Sequence[Hold]) -> ProposedRow:
        m, s = self._members[i], self._served.get(i)
        row = m.machine.row
        return ProposedRow(
            machine_id=row.id,
            machine=row.name,
            model=m.machine.sheet.title,
            group=row.about.duty_group,
            usable_gib=m.usable_gib,
            need_gib=m.need_gib,
            ways=tuple(w.route.name for w in m.ways),
            ways_whole=m.ways_whole,
            not_counted=m.not_counted,
            served=None if s is None else self._serve(i, m, m.ways[s.route], s.wave),
            why="" if s is not None else m.why or self._why_left(i, held),
            stamp=stamp_of(m.machine),
        )

    def _serve(self, i: int, m: _Member, way: Way, wave: int) -> ServedRow:
        return ServedRow(
            day=self._waves[wave].day,
            route=way.route.name,
            puts_in=way.puts_in,
            takes_out=way.takes_out,
            installed_gib=way.installed_gib,
            usable_gib=way.usable_gib,
            not_counted=way.not_counted,
            hours=way.route.hours,
            trouble=way.trouble,
            loss=way.route.loss,
            verdict=way.verdict,
            in_warranty=way.in_warranty,
            glyph=glyph_of(m.machine, way.goal),
            money=_money(self._money_of(i)),
            goal=GOAL.write(way.goal),
        )

    def _why_left(self, i: int, held: Sequence[Hold]) -> str:
        return self._round.why_left(i, next(self._lets_in(i, held), None), self._currency)

    def _lets_in(self, i: int, held: Sequence[Hold]) -> Iterator[str]:
        """What would let a machine into the round, in words."""
        for h in held:
            if i in h.comes_in and h.by is HeldBy.GROUP and h.machine == i:
                group = self._round.machines[i].group
                yield f"another of {group} is open in every wave that has room for it"
            elif i in h.comes_in:
                yield self._hold(h).words + " would let it in"

    def _wave(self, t: int, w: AskedWave, rows: Sequence[ProposedRow]) -> WaveRow:
        here = [i for i, s in self._served.items() if s.wave == t]
        served = [s for i in here if (s := rows[i].served)]
        bought = Counter[str]()
        for p in self._found.passed:
            if p.to in here and p.source is From.BOUGHT:
                bought[shop_words(self._kinds.modules[p.kind])] += p.count
        return WaveRow(
            day=w.day,
            hours=w.hours,
            hours_used=round(sum(s.hours for s in served), 2),
            money=_money(sum(self._money_of(i) for i in here)),
            gib=sum(s.usable_gib - rows[i].usable_gib for i in here if (s := rows[i].served)),
            trouble=1 - math.prod(1 - s.trouble for s in served),
            machines=len(here),
            buy=", ".join(f"{n} × {words}" for words, n in sorted(bought.items())),
        )

    def _buy(self, offer: int, kits: int) -> BuyRow:
        o, source = self._round.offers[offer], self._sources[offer]
        had = sum(
            b.kits * self._round.offers[b.offer].kit
            for b in self._found.plan.bought
            if self._round.offers[b.offer].kind == o.kind
        )
        return BuyRow(
            part=source.part, words=source.words, supplier=source.supplier, kits=kits, kit=o.kit, price=_money(o.price * kits),
            lead_days=source.lead_days, left_over=max(0, had - self._taken(From.BOUGHT)[o.kind]),
        )  # fmt: skip

    def _hold(self, h: Hold) -> HoldRow:
        day = None if h.wave is None else self._waves[h.wave].day
        name = "" if h.machine is None else self._name(h.machine)
        words = {
            HeldBy.BUDGET: f"{h.more:.2f} {self._currency} more",
            HeldBy.HOURS: f"{h.more:g} more {'hour' if h.more == 1 else 'hours'} on {day_words(day)}",
            HeldBy.STOCK: f"{h.more:g} more on offer × {shop_words(self._kinds.modules[h.kind]) if h.kind else ''}",
            HeldBy.WINDOW: f"a wave more for {name}",
            HeldBy.GROUP: f"{name} open beside another of {'' if h.machine is None else self._round.machines[h.machine].group}",
            HeldBy.PIN: f"{name} without its pin",
        }[h.by]
        return HoldRow(
            by=h.by,
            day=day,
            machine_id=None if h.machine is None else self._id(h.machine),
            words=words,
            more=h.more,
            gain=round(h.gain, 2),
            sure=h.sure,
            comes_in=tuple(self._name(i) for i in h.comes_in),
            goes_out=tuple(self._name(i) for i in h.goes_out),
        )


def day_words(day: date | None) -> str:
    """ "Fri 11 Dec"; "" for none."""
    return f"{day:%a} {day.day} {day:%b}" if day else ""


def _money(amount: float) -> Decimal:
    return Decimal(str(round(amount, 2))).quantize(Decimal("0.01"))
