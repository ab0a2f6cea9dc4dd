"""Rail and rate, solved together: the volts of each supply, then what each socket runs at and what binds it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Unknown
from umbrak.core.platform.sheet import Processor, RailDomain, RateRow
from umbrak.core.seating import Seated, Seating


@dataclass(frozen=True, slots=True)
class RailSolution:
    """What one supply runs at."""

    domain: RailDomain
    #: None when no rail serves all, when it is undecided, or when it feeds nothing.
    volts: float | None
    #: Rails of the board at which every module whose rails are known may run, ascending.
    possible: tuple[float, ...]
    #: Slots whose module's rails are not known.
    untold: tuple[str | None, ...]
    #: True when several rails are possible and neither sheet nor machine says which.
    unchosen: bool = False
    #: True when the firmware's setting is not known, and modules would not run at every rail that it may be.
    setting_untold: bool = False
    #: Slots whose module does not run at every rail that the board may wire, where nobody tells which it does.
    board_untold: tuple[str | None, ...] = ()


def solve_rails(at: Seating) -> tuple[RailSolution, ...]:
    """The rail of each domain: the board's rails that every module may run at, then the sheet's policy."""
    return tuple(_solve_rail(at, d) for d in at.sheet.memory.rail_domains)


def _solve_rail(at: Seating, domain: RailDomain) -> RailSolution:
    seated = at.fed_by(domain)
    kinds = list({id(m): m for _, m in seated}.values())
    possible = tuple(v for v in sorted(domain.rails_v) if all(not m.rails_v or v in m.rails_v for m in kinds))
    # On a board of one rail what ran there runs at it, whatever else its part may do.
    fixed = len(domain.rails_v) == 1
    bare = {id(m) for m in kinds if not m.rails_v and not (fixed and m.part and at.known_here(m))}
    untold = tuple(slot for slot, m in seated if id(m) in bare) if bare else ()
    policy, setting = at.sheet.memory.rail_policy, at.machine.rail_setting
    if policy == "setting" and setting is not None:
        possible = tuple(v for v in possible if v == setting)
    if (
        not seated
        or not possible
        or untold
        or any(at.sheet.slots[s].channel in domain.channels for s in at.unknown_slots)
    ):
        return RailSolution(domain=domain, volts=None, possible=possible, untold=untold)
    if domain.seen_v is not None:
        lacking = tuple(
            s
            for s, m in seated
            if not set(domain.rails_v) <= set(m.rails_v)
            and not set(domain.seen_v) & set(m.rails_v)
            and not at.ran_within(m.rails_v, domain.channels)
        )
        if lacking:
            return RailSolution(domain=domain, volts=None, possible=possible, untold=(), board_untold=lacking)
    # A policy that nobody tells may be the firmware's setting too; what ran at none but these rails shows that it is one of them.
    if (
        policy in ("setting", None)
        and setting is None
        and len(possible) < len(domain.rails_v)
        and domain.seen_v is None
        and not at.ran_within(possible, domain.channels)
    ):
        return RailSolution(domain=domain, volts=None, possible=possible, untold=(), setting_untold=True)
    if len(possible) == 1 or policy == "lowest":
        return RailSolution(domain=domain, volts=possible[0], possible=possible, untold=())
    if policy == "highest":
        return RailSolution(domain=domain, volts=possible[-1], possible=possible, untold=())
    return RailSolution(domain=domain, volts=None, possible=possible, untold=(), unchosen=True)


@dataclass(frozen=True, slots=True)
class Bound:
    """One constraint on a data rate."""

    #: module, processor, population, rail, board or socket.
    by: str
    rate_mts: int
    slots: tuple[str, ...] = ()
    #: Which row, cap or socket, in words.
    clause: str | None = None


@dataclass(frozen=True, slots=True)
class RateSolution:
    """What one socket runs at."""

    socket: str
    #: None when it holds no memory or the rate cannot be told.
    rate_mts: int | None
    #: Every constraint at that value.
    bound_by: tuple[Bound, ...] = ()
    #: The lowest that something other than the modules' own ratings allows; None = nothing does.
    machine_mts: int | None = None
    #: Facts that are missing, as "SLOT.member" or "machine.member"; empty when it is told or nothing is fitted.
    needs: tuple[str, ...] = ()
    #: Slots concerned by what is missing.
    untold: tuple[str | None, ...] = ()
    #: Rail -> rate, for every rail possible here, where the rail makes a difference.
    by_rail: Mapping[float, int] | None = None


#: (name, what it hangs on, how it is made) -> what was made of just that before, or is now.
_Keep = Callable[[object, object, Callable[[], "RateSolution"]], "RateSolution"]


def _keep_nothing(name: object, hangs_on: object, make: Callable[[], RateSolution]) -> RateSolution:
    return make()


def solve_rates(at: Seating, rails: Sequence[RailSolution], keep: _Keep = _keep_nothing) -> Mapping[str, RateSolution]:
    """Socket -> its rate: the lowest of every module's rating, every filled channel's row, and the board's cap,
    then down to the nearest rate that the processor has; and the lowest over sockets where the sheet says they
    run alike."""
    rail_of = {channel: rail for rail in rails for channel in rail.domain.channels}
    tables: dict[str, _Tables] = {}
    solved = {}
    for s in at.live_sockets:
        socket = _Socket(at, s, rail_of, tables)
        solved[s] = keep(("rate", s), socket.hangs_on, socket.solve)
    return _alike(at, solved) if at.sheet.rate_alike == "machine" else solved


def _alike(at: Seating, solved: Mapping[str, RateSolution]) -> Mapping[str, RateSolution]:
    """Rates of sockets that run alike: all at the lowest, and none told while one of them is not."""
    rates = {s: r.rate_mts for s, r in solved.items() if r.rate_mts is not None}
    unsure = any(c.id in at.unsure_channels for s in solved for c in at.channels(s))
    needs = tuple(sorted({n for r in solved.values() for n in r.needs}))
    if needs or unsure:
        # One socket's rate is not told: it may be the slowest, and hold the others.
        held = {s: replace(solved[s], rate_mts=None, bound_by=(), by_rail=None, needs=needs) for s in rates}
        return {**solved, **held}
    lowest = min(rates.values(), default=0)
    bound = tuple(Bound("socket", lowest, (), f"{s} runs at {lowest}") for s, rate in rates.items() if rate == lowest)
    held = {s: replace(solved[s], rate_mts=lowest, bound_by=bound) for s, rate in rates.items() if rate > lowest}
    return {**solved, **held}


#: Constraints on a rate: (by, rate, words) -> the slots that they are about.
_Rows = dict[tuple[str, int, str], list[str | None]]


class _Socket:
    """One socket's rate, in three steps: whether it can be told at all, what constrains it, and the lowest of that."""

    def __init__(
        self, at: Seating, socket: str, rail_of: Mapping[str, RailSolution], tables: dict[str, _Tables]
    ) -> None:
        self.at = at
        self.tables = tables
        self.socket = socket
        self.rail_of = rail_of
        self.seated = at.seated_on(socket)
        self.slots = tuple(s for s, _ in self.seated)
        self.channels = [c for c in at.channels(socket) if at.seated[c.id]]

    @property
    def hangs_on(self) -> object:
        """All of the layout that its rate hangs on."""
        channels = self.at.channels(self.socket)
        unsure = [c.id in self.at.unsure_channels for c in channels] if self.at.unknown_slots else None
        supplies = {id(rail): rail for c in channels if (rail := self.rail_of[c.id])}
        return self.seated, unsure, [(r.volts, r.possible) for r in supplies.values()]

    def solve(self) -> RateSolution:
        if not self.seated:
            return RateSolution(self.socket, None)
        processor = self.at.processors[self.socket]
        if any(c.id in self.at.unsure_channels for c in self.at.channels(self.socket)):
            return self._undecided(processor)  # `fit.unknown` asks what is there
        if len(self.seated) > 1 and self.at.sheet.not_told("channels"):
            return self._undecided(processor)  # `sheet.open` asks which share one
        if isinstance(processor, Processor):
            return self._with(processor)
        if isinstance(processor, Unknown) and (same := self._whichever()):
            return same
        return self._untold([f"machine.processors.{self.socket}", *self._unrated()], self.slots)

    def _untold(self, needs: Iterable[str], slots: Iterable[str | None]) -> RateSolution:
        return RateSolution(self.socket, None, needs=tuple(sorted(set(needs))), untold=tuple(slots))

    def _undecided(self, processor: Processor | Unknown | None) -> RateSolution:
        """What the rate hangs on besides is asked for elsewhere; whether there is any rate to be told, and what its modules are
        rated, is asked all the same."""
        unrated = self._unrated()
        if isinstance(processor, Processor) and not processor.rate_table:
            return self._untold([f"sheet.processors.{processor.id}.rate_table", *unrated], self.slots)
        return self._untold(unrated, unrated.values()) if unrated else RateSolution(self.socket, None)

    def _unrated(self) -> Mapping[str, str | None]:
        """What is asked of modules whose rating is not known -> their slot."""
        return {f"{slot or self.socket}.rate_mts": slot for slot, m in self.seated if m.rate_mts is None}

    def _whichever(self) -> RateSolution | None:
        """The rate where it makes no difference which processor is fitted; None where it does."""
        choices = (self.at.sheet.processors[name] for name in self.at.sheet.sockets[self.socket].processors)
        each = [self._with(p) for p in choices]
        alike = each and all(r.rate_mts is not None and r.rate_mts == each[0].rate_mts for r in each)
        return each[0] if alike else None

    def _with(self, processor: Processor) -> RateSolution:
        """The rate with this processor."""
        tables = self.tables.setdefault(processor.id, _Tables(processor))
        unrated = self._unrated()
        rows, needs, untold = self._rows(tables)
        if unrated or needs:
            return self._untold([*unrated, *needs], [*unrated.values(), *untold])
        rated: dict[int, list[str | None]] = {}
        for slot, m in self.seated:
            rated.setdefault(m.rate_mts or 0, []).append(slot)
        slowest, reach = min(rated), min(rate for _, rate, _ in rows)
        rate = floor_rate(processor, min(slowest, reach))
        return RateSolution(
            self.socket,
            rate,
            bound_by=self._binding(rate, min(slowest, reach), {("module", slowest, ""): rated[slowest], **rows}),
            machine_mts=floor_rate(processor, reach),
            by_rail=self._by_rail(tables, slowest) or None,
        )

    def _rows(self, tables: _Tables) -> tuple[_Rows, list[str], list[str | None]]:
        """(what the processor's table and the board's cap say of the filled channels, what is missing, of which slots)"""
        rows: _Rows = {}
        needs: list[str] = []
        untold: list[str | None] = []
        for here, rail, alike in self._filled_alike(tables):
            told = tables.told(here, rail.volts)
            if len(told.rates) == 1 and told.row:
                key = (tables.kind(here, told, rail), told.rates[0], told.row.words)
                rows.setdefault(key, []).extend(s for each in alike for s, _ in each)
                continue
            for each in alike:
                needs += tables.told(each, rail.volts).needs or [f"sheet.processors.{tables.processor.id}.rate_table"]
                untold += [s for s, _ in each]
        if self.at.sheet.rate_cap_mts:
            rows["board", self.at.sheet.rate_cap_mts, "the board's cap"] = []
        return rows, needs, untold

    def _filled_alike(
        self, tables: _Tables
    ) -> Iterable[tuple[tuple[Seated, ...], RailSolution, list[tuple[Seated, ...]]]]:
        """(what is in one channel, its rail, what is in all that the table takes for the same at that rail)"""
        found: dict[object, tuple[tuple[Seated, ...], RailSolution, list[tuple[Seated, ...]]]] = {}
        for channel in self.channels:
            here, rail = self.at.seated[channel.id], self.rail_of[channel.id]
            key = (tables.asked_of(here), rail.volts, rail.possible)
            found.setdefault(key, (here, rail, []))[2].append(here)
        return found.values()

    def _binding(self, rate: int, lowest: int, rows: _Rows) -> tuple[Bound, ...]:
        """Every constraint at the lowest value; the processor too where it has no such rate."""
        binding = [
            Bound(by, rate, self.at.ordered(slots), clause or None)
            for (by, at, clause), slots in rows.items()
            if at == lowest
        ]
        if rate < lowest:
            binding.append(Bound("processor", rate, (), f"it has no rate between {rate} and {lowest}"))
        return tuple(binding)

    def _by_rail(self, tables: _Tables, slowest: int) -> dict[float, int]:
        """Rail -> what the socket would run at on it, for every rail that may be chosen and tells one rate."""
        found: dict[float, int] = {}
        rails = [self.rail_of[c.id] for c in self.channels]
        for volts in sorted({v for rail in rails if len(rail.possible) > 1 for v in rail.possible}):
            # A supply that lacks this rail stays at its own.
            options = [
                tables.told(self.at.seated[c.id], volts if volts in rail.possible else rail.volts).rates
                for c, rail in zip(self.channels, rails, strict=True)
            ]
            if all(len(o) == 1 for o in options):
                found[volts] = floor_rate(tables.processor, min(slowest, *(o[0] for o in options)))
        return found


def floor_rate(processor: Processor, rate: int) -> int:
    """Down to the nearest rate that the processor has; below its lowest, the rate itself. [MT/s]"""
    return max((r for r in processor.rates_mts if r <= rate), default=rate)


def channel_rate(processor: Processor, here: Sequence[Seated], volts: float | None) -> int | None:
    """What a channel filled like this runs at by the processor's table; None where no single row tells. [MT/s]"""
    rates = _row_rates(processor, here, volts).rates
    return rates[0] if len(rates) == 1 else None


@dataclass(frozen=True, slots=True)
class _Told:
    """What a rate table says of one channel: one rate, or several that an unknown member leaves open."""

    rates: tuple[int, ...]
    row: RateRow | None
    needs: tuple[str, ...] = ()


def _row_rates(processor: Processor, here: Sequence[Seated], volts: float | None) -> _Told:
    """The most specific row that matches; among equally specific ones the slowest."""
    sure: list[RateRow] = []
    maybe: list[RateRow] = []
    needs: list[str] = []
    for row in processor.rate_table:
        answer, missing = _row_matches(row, here, volts)
        if answer:
            sure.append(row)
        elif answer is None:
            maybe.append(row)
            needs += missing
    best = _most_specific(sure)
    options = {r.rate_mts for r in (best, *(_most_specific([*sure, m]) for m in maybe)) if r}
    if best is None and maybe:
        return _Told((), None, tuple(needs))
    return _Told(tuple(sorted(options)), best, tuple(needs) if len(options) > 1 else ())


def _most_specific(rows: Iterable[RateRow]) -> RateRow | None:
    return min(rows, key=lambda r: (-r.specificity, r.rate_mts), default=None)


def _row_matches(row: RateRow, here: Sequence[Seated], volts: float | None) -> tuple[bool | None, list[str]]:
    """Whether the row's conditions hold for the channel's modules; None with what is missing."""
    missing: list[str] = []
    if row.dpc is not None and row.dpc != len(here):
        return False, []
    if row.rail_v is not None:
        if volts is None:
            missing.append("machine.rail_setting")
        elif volts != row.rail_v:
            return False, []
    if row.ranks:
        known = [m.package_ranks for _, m in here if m.package_ranks is not None]
        lacking = [f"{slot}.package_ranks" for slot, m in here if m.package_ranks is None]
        if len(row.ranks) == 1:
            if row.ranks[0] not in known:
                if not lacking:
                    return False, []
                missing += lacking
        elif lacking:
            if len(here) != len(row.ranks):
                return False, []
            missing += lacking
        elif tuple(sorted(known)) != row.ranks:
            return False, []
    if row.module.wanted:
        answers = [(slot, row.module.matches(m), m) for slot, m in here]
        if not any(a for _, a, _ in answers):
            unsure = [f"{slot}.{name}" for slot, a, m in answers if a is None for name in row.module.unknown(m)]
            if not unsure:
                return False, []
            missing += unsure
    return (None, missing) if missing else (True, [])


class _Tables:
    """A processor's rate table, asked about many channels: those that are filled alike are looked up once."""

    def __init__(self, processor: Processor) -> None:
        self.processor = processor
        tested = {name for row in processor.rate_table for name, _ in row.module.wanted}
        self._members = sorted({*tested, "package_ranks"})
        self._told: dict[object, _Told] = {}
        self._kinds: dict[object, str] = {}
        #: id -> (the module, its number); what the table asks of modules -> its number.
        self._numbers: dict[int, tuple[Module, int]] = {}
        self._kinds_of: dict[tuple[object, ...], int] = {}

    def _key(self, here: Sequence[Seated], volts: float | None) -> object:
        return volts, self.asked_of(here)

    def asked_of(self, here: Sequence[Seated]) -> tuple[int, ...]:
        """A number for each module: two of one number are the same to the table."""
        return tuple([self._number(m) for _, m in here])

    def _number(self, module: Module) -> int:
        known = self._numbers.get(id(module))
        if known is None or known[0] is not module:
            values = tuple([getattr(module, n) for n in self._members])
            known = self._numbers[id(module)] = module, self._kinds_of.setdefault(values, len(self._kinds_of))
        return known[1]

    def told(self, here: Sequence[Seated], volts: float | None) -> _Told:
        key = self._key(here, volts)
        known = self._told.get(key)
        if known is None:
            known = _row_rates(self.processor, here, volts)
            if known.needs:
                return known  # names slots: not the same for another channel
            self._told[key] = known
        return known

    def kind(self, here: Sequence[Seated], told: _Told, rail: RailSolution) -> str:
        """Why the row is as low as it is: the channel's population, its rail, or simply the processor."""
        key = (self._key(here, rail.volts), rail.possible)
        if key not in self._kinds:
            self._kinds[key] = self._kind(here, floor_rate(self.processor, told.rates[0]), rail)
        return self._kinds[key]

    def _kind(self, here: Sequence[Seated], rate: int, rail: RailSolution) -> str:
        def best(seated: Sequence[Seated], volts: float | None) -> int:
            rates = self.told(seated, volts).rates
            return floor_rate(self.processor, rates[0]) if len(rates) == 1 else 0

        alone = [[_single_rank(s)] for s in {id(m): (slot, m) for slot, m in here}.values()]
        if min(best(one, rail.volts) for one in alone) > rate:
            return "population"
        if any(best(here, v) > rate for v in rail.possible if v != rail.volts):
            return "rail"
        if any(min(best(one, v) for one in alone) > rate for v in rail.possible):
            return "population"  # it would take the other rail besides
        return "processor"


def _single_rank(seated: Seated) -> Seated:
    """The same module, alone and with one rank: the lightest load a channel can carry."""
    slot, module = seated
    alone: Module = replace(module, package_ranks=1, stack_height=1, logical_ranks=1)
    return slot, alone
