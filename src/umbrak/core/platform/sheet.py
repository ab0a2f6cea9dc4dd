"""The platform sheet, ready for use: repetition unrolled, every name unique, every reference resolved.

formats/sheet.py reads it from YAML; nothing here knows how it was written.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from fnmatch import fnmatchcase
from functools import cached_property
from typing import NewType

from umbrak.core.memory.module import Module
from umbrak.core.platform.fact import Unsaid
from umbrak.core.platform.statement import Source, Statement

#: Tells one revision of a sheet from every other, by its content: no other text of a sheet's may stand in its place.
SheetHash = NewType("SheetHash", str)


@dataclass(frozen=True, slots=True)
class ModuleTest:
    """Members that a module must have to match; unset members match anything."""

    #: (member of Module, wanted value), sorted.
    wanted: tuple[tuple[str, object], ...] = ()

    def matches(self, module: Module) -> bool | None:
        """True, False, or None when the answer hangs on a member that is unknown."""
        answer: bool | None = True
        for name, value in self.wanted:
            known = getattr(module, name)
            if known is None:
                answer = None
            elif known != value:
                return False
        return answer

    def unknown(self, module: Module) -> tuple[str, ...]:
        return tuple(name for name, _ in self.wanted if getattr(module, name) is None)

    def words(self) -> str:
        return " ".join(_member_word(n, v) for n, v in self.wanted)


def _member_word(name: str, value: object) -> str:
    if name == "ecc":
        return "with ECC" if value else "without ECC"
    words = {"device_width": "x{}", "stack_height": "stack height {}", "package_ranks": "{} package ranks"}
    return words.get(name, "{}").format(value)


@dataclass(frozen=True)
class RateRow:
    """One row of a rate table: what a channel runs at when its conditions hold."""

    rate_mts: int
    dpc: int | None = None
    #: Package ranks of the channel's modules, ascending: one number each, or one number for any of them.
    ranks: tuple[int, ...] = ()
    rail_v: float | None = None
    module: ModuleTest = ModuleTest()

    @cached_property
    def specificity(self) -> int:
        """Number of its conditions: of the rows that match, the one with the most wins."""
        return (self.dpc is not None) + bool(self.ranks) + (self.rail_v is not None) + len(self.module.wanted)

    @cached_property
    def words(self) -> str:
        """Its conditions, for people."""
        parts = []
        if self.dpc is not None:
            parts.append(f"{self.dpc} per channel")
        if self.ranks:
            parts.append("+".join(map(str, self.ranks)) + " ranks")
        if self.rail_v is not None:
            parts.append(f"{self.rail_v:g} V")
        if self.module.wanted:
            parts.append(self.module.words())
        return ", ".join(parts) or "always"


@dataclass(frozen=True, slots=True)
class Processor:
    """One processor as it behaves on this board."""

    id: str
    title: str
    source: Source
    rates_mts: tuple[int, ...] = ()
    rate_table: tuple[RateRow, ...] = ()
    refuses_above_mts: int | None = None
    #: slowed or refused: what becomes of modules rated above its list; None = not told.
    faster_modules: str | None = None
    limits: tuple[Statement, ...] = ()


@dataclass(frozen=True, slots=True)
class Socket:
    id: str
    processors: tuple[str, ...]
    may_be_absent: bool = False
    soldered: bool = False


@dataclass(frozen=True, slots=True)
class Channel:
    id: str
    #: As printed or said within its socket: "A" of "CPU1.A".
    name: str
    socket: str
    slots: tuple[str, ...] = ()
    controller: str | None = None
    soldered: Module | None = None


@dataclass(frozen=True, slots=True)
class Clearance:
    """Room above a slot [mm]."""

    fitted: float | None = None
    on_the_way: float | None = None


@dataclass(frozen=True, slots=True)
class Slot:
    id: str
    channel: str
    #: The locator as printed on the board.
    printed: str
    position: str | None = None
    tab: str | None = None
    access: str | None = None
    clearance: Clearance = Clearance()
    facing: str | None = None
    #: Where it is for the eye: "third teal from the fans".
    landmark: str | None = None
    #: What lights when the machine finds its module at fault.
    light: str | None = None
    carrier: str | None = None
    behind: tuple[str, ...] = ()
    #: Names under which a machine's own tables report it.
    locators: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Carrier:
    """A board, riser, tray or cartridge that slots stand on and that comes out as one."""

    id: str
    title: str
    numbering: str = ""
    access: str | None = None
    socket: str | None = None
    #: Whether its slots are numbered against the eye: from right to left.
    right_to_left: bool = False


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of module that the machine takes, or takes without its maker's word."""

    test: ModuleTest
    certified: bool = True


@dataclass(frozen=True, slots=True)
class RailDomain:
    """Slots and channels with soldered memory that share one supply."""

    id: str
    rails_v: tuple[float, ...]
    #: Channels whose memory it feeds.
    channels: tuple[str, ...]
    #: What is known to run where nobody tells the rails: then `rails_v` are all that the generation has.
    seen_v: tuple[float, ...] | None = None


@dataclass(frozen=True, slots=True)
class Mode:
    id: str
    usable_share: float = 1.0
    channels_used: int | None = None
    bandwidth_factor: float = 1.0
    alike: tuple[str, ...] = ()
    counts: tuple[int, ...] = ()
    spare_ranks: int = 0
    #: Whether the sheet tells what it keeps back.
    told: bool = True
    #: The only slots whose modules work in it; empty = every slot.
    slots: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class MemoryRules:
    """What memory the machine takes."""

    source: Source
    generation: str
    form: str
    rail_domains: tuple[RailDomain, ...]
    accepts: tuple[Kind, ...]
    #: lowest, highest or setting; None = not said.
    rail_policy: str | None = None
    refuses: tuple[ModuleTest, ...] = ()
    #: refused or loses; untold; None = not said.
    ecc_mixed: str | None = None
    #: Each: tests of which only one may be met within `together_within`.
    never_together: tuple[tuple[ModuleTest, ...], ...] = ()
    together_within: str = "machine"
    #: Package ranks that one load-reduced module takes of its channel's chip selects.
    load_reduced_counts_as: int | None = None
    modes: tuple[Mode, ...] = ()
    #: Whether memory under the device hole below 4 GiB is moved above it; None = not said.
    remaps_hole: bool | None = None


@dataclass(frozen=True, slots=True)
class FillOrder:
    """Which slots come first, for one group of slots (the whole machine, a socket, a carrier)."""

    source: Source
    #: Socket or carrier id, or "machine".
    where: str
    #: Number of modules -> the sets that hold them, in order. An ordered fill is its prefixes.
    layouts: Mapping[int, tuple[tuple[str, ...], ...]]
    #: Every slot of the group, in fill order.
    slots: tuple[str, ...]
    #: Severity words: refused, unsupported, slower; untold; None = nobody has looked.
    other_counts: str | None = None
    otherwise: str | None = None
    alike_in_set: tuple[str, ...] = ()
    larger_first: bool = False
    higher_ranks_far: bool = False

    def within(self, slots: Collection[str]) -> FillOrder:
        """The order as it is where only these slots work: the others are left out of its sets. Where a count comes about both
        by leaving some out and as it is written, it is as written."""
        if all(s in slots for s in self.slots):
            return self
        layouts: dict[int, tuple[tuple[str, ...], ...]] = {}
        whole: set[int] = set()
        for count, sets in sorted(self.layouts.items()):
            left = tuple(rest for each in sets if (rest := tuple(s for s in each if s in slots)))
            rest_count = sum(map(len, left))
            if rest_count == count:
                whole.add(count)
            elif not rest_count or rest_count in layouts:
                continue
            if rest_count == count or rest_count not in whole:
                layouts[rest_count] = left
        return replace(self, layouts=layouts, slots=tuple(s for s in self.slots if s in slots))


@dataclass(frozen=True, slots=True)
class EvenOrder:
    """What the sheet asks across sockets."""

    source: Source
    #: Like totals on every socket.
    even_over_sockets: bool = False
    #: Like modules in the like-named slots of every socket.
    symmetric: bool = False
    least_per_processor: int = 0
    otherwise: str | None = None


@dataclass(frozen=True, slots=True)
class Listed:
    """One line of the maker's qualified list; `part` may end in * for any ending."""

    part: str
    source: Source
    capacity_gib: float | None = None
    maker: str | None = None
    #: What the list says beside it: "only with firmware 9.4".
    note: str = ""


@dataclass(frozen=True, slots=True)
class AccessStep:
    do: str
    #: "" = there is nothing to close, None = not told.
    close: str | None = None
    #: Undone in this step; None = not told, as is what follows. [min]
    screws: int | None = None
    minutes: float | None = None
    back_minutes: float | None = None


@dataclass(frozen=True, slots=True)
class Access:
    """How a slot is reached."""

    id: str
    minutes: float = 0
    tools: tuple[str, ...] = ()
    #: None = not told.
    ends_warranty: bool | None = None
    cools_min: float = 0
    bays_out: tuple[int, ...] = ()
    bays_ease: tuple[int, ...] = ()
    #: Blanks, baffles and guides that steer the air and must go back.
    airflow: tuple[str, ...] = ()
    steps: tuple[AccessStep, ...] = ()
    #: How the hand comes to the slot; "" = nobody says.
    hand: str = ""


@dataclass(frozen=True, slots=True)
class Bays:
    rows: int
    columns: int
    numbering: str = ""
    #: Number of the first: 0 or 1.
    first_number: int = 1


@dataclass(frozen=True, slots=True)
class Reserve:
    """What the machine keeps for itself."""

    fixed_mib: float = 0
    share: float = 0
    tolerance_mib: float = 0


@dataclass(frozen=True, slots=True)
class FirstBoot:
    """Seconds of the first start: base + per module + per GiB, give or take `spread` of it."""

    base_s: float = 0
    per_module_s: float = 0
    per_gib_s: float = 0
    spread: float = 0


@dataclass(frozen=True, slots=True)
class MemoryTest:
    """How this model's memory is tested."""

    source: Source
    #: How it is started, and where its result is read.
    start: str = ""
    read: str = ""
    #: Whether it can be done without the drives; None = not told.
    without_drives: bool | None = None


@dataclass(frozen=True, slots=True)
class Allocation:
    """How one workload of this model is given a stated share of memory, to see whether it really gets it."""

    source: Source
    do: str = ""
    #: What has to be there for it.
    needs: str = ""
    #: Whether the system shares or compresses pages, so that use shows less than was given; None = not told.
    sharing_hides: bool | None = None


@dataclass(frozen=True, slots=True)
class Note:
    """Something to know that no rule decides."""

    text: str
    source: Source


@dataclass(frozen=True, slots=True)
class Place:
    """Where a thing lies on the board, in coarse grid units."""

    x: float
    y: float


@dataclass(frozen=True)
class Sheet:
    """A model of machine and its rules. Compared and hashed by its content hash."""

    id: str
    title: str
    kind: str
    hash: SheetHash
    maker: str | None
    sources: Mapping[str, Source]
    processors: Mapping[str, Processor]
    sockets: Mapping[str, Socket]
    channels: Mapping[str, Channel]
    slots: Mapping[str, Slot]
    memory: MemoryRules
    fills: tuple[FillOrder, ...] = ()
    evens: tuple[EvenOrder, ...] = ()
    limits: tuple[Statement, ...] = ()
    listed: tuple[Listed, ...] = ()
    carriers: Mapping[str, Carrier] = field(default_factory=dict)
    access: Mapping[str, Access] = field(default_factory=dict)
    bays: Bays | None = None
    reserve: Reserve | None = None
    first_boot: FirstBoot | None = None
    starts_open: bool | None = None
    starts_without_drives: bool | None = None
    memory_test: MemoryTest | None = None
    allocation: Allocation | None = None
    reports: Mapping[str, str] = field(default_factory=dict)
    #: Light -> what it tells.
    lights: Mapping[str, str] = field(default_factory=dict)
    #: Whether those of faults show only with power on and the cover off.
    lights_open: bool | None = None
    os_notes: tuple[Note, ...] = ()
    #: "machine" when every socket runs at the slowest one's rate.
    rate_alike: str | None = None
    rate_cap_mts: int | None = None
    interleave_ways: Mapping[str, tuple[int, ...]] = field(default_factory=dict)
    geometry: Mapping[str, Place] = field(default_factory=dict)
    archetype: bool = False
    notes: str | None = None
    #: Other names under which reports and people know it.
    models: tuple[str, ...] = ()
    #: Facts that are not told, by their place in the text (core.platform.fact.FACTS).
    unsaid: Mapping[str, Unsaid] = field(default_factory=dict)
    #: Limits without a number, those of processors too: open, untold, or told to be none (then infinite).
    limits_without: tuple[Statement, ...] = ()

    def __hash__(self) -> int:
        return hash(self.hash)

    def __eq__(self, other: object) -> bool:
        # Its list may be widened by other numbers of what it lists, which no text of the sheet tells.
        return isinstance(other, Sheet) and other.hash == self.hash and other.listed == self.listed

    def not_told(self, fact: str) -> Unsaid | None:
        """How a fact is not told; None where it is."""
        return self.unsaid.get(fact)

    @cached_property
    def channels_of(self) -> Mapping[str, tuple[Channel, ...]]:
        """Socket id -> its channels, in the sheet's order."""
        return {s: tuple(c for c in self.channels.values() if c.socket == s) for s in self.sockets}

    @cached_property
    def socket_of_slot(self) -> Mapping[str, str]:
        return {s.id: self.channels[s.channel].socket for s in self.slots.values()}

    def lists(self, part: str | None) -> bool:
        """Whether the maker's qualified list has the part."""
        return part is not None and any(fnmatchcase(part.upper(), line.part.upper()) for line in self.listed)

    @property
    def bay_numbers(self) -> range:
        """Numbers of its drive bays; empty where it has none."""
        if self.bays is None:
            return range(0)
        return range(self.bays.first_number, self.bays.first_number + self.bays.rows * self.bays.columns)

    def way_to(self, slot: str) -> Access | None:
        """How a slot is reached: its own way, or that of the carrier that it stands on; None where nobody says."""
        known = self.slots.get(slot)
        carrier = self.carriers.get(known.carrier or "") if known else None
        return self.access.get((known and known.access) or (carrier and carrier.access) or "")

    @cached_property
    def tells_room(self) -> bool:
        """Whether it tells of any slot how much room there is above it."""
        return any(s.clearance != Clearance() for s in self.slots.values())

    @cached_property
    def slot_order(self) -> Mapping[str, int]:
        """Slot id -> its place in the sheet, by which everything listed is sorted."""
        return {slot: i for i, slot in enumerate(self.slots)}
