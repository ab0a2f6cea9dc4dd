"""The module: what is said of one, what follows from it, and what in it cannot be true."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from functools import lru_cache
from itertools import product
from typing import Any

from umbrak.core.memory.rates import RAILS_V, STANDARD_RATES_MTS, family_rails


class Generation(StrEnum):
    DDR2 = "DDR2"
    DDR3 = "DDR3"
    DDR4 = "DDR4"
    DDR5 = "DDR5"


class Form(StrEnum):
    DIMM = "DIMM"
    SO_DIMM = "SO-DIMM"
    OTHER = "other"


class Buffering(StrEnum):
    UNBUFFERED = "unbuffered"
    REGISTERED = "registered"
    LOAD_REDUCED = "load-reduced"
    FULLY_BUFFERED = "fully-buffered"
    OTHER = "other"


def most_ranks(buffering: Buffering | None) -> int:
    """The most package ranks that a module of this kind may have: two if unbuffered, four if registered, eight behind buffers or where
    the kind is not known (the raw cards of JEDEC Standard 21-C)."""
    return {Buffering.UNBUFFERED: 2, Buffering.REGISTERED: 4}.get(buffering, 8) if buffering else 8


#: A register, or load-reducing buffers behind one; the memory chips themselves; a serial link.
_BUSES = {
    "registered": "registered",
    "load-reduced": "registered",
    "unbuffered": "unbuffered",
    "fully-buffered": "fully buffered",
}


def bus_of(buffering: object) -> str | None:
    """What a controller drives of a module's kind; None where it is not known. One made for one of these seldom drives another."""
    return _BUSES.get(str(buffering))


#: Kinds whose modules carry error-correcting bits by their standard (JESD21-C 4.20: 72-bit RDIMM,
#: LRDIMM and FB-DIMM; JESD305: DDR5 RDIMM with 4 or 8 bits beside each half).
_ALWAYS_ECC = (Buffering.REGISTERED, Buffering.LOAD_REDUCED, Buffering.FULLY_BUFFERED)


#: How a module has failed.
MAPPED_OUT, IN_USE = "mapped-out", "in-use"


@dataclass(frozen=True, slots=True)
class MakerCode:
    """A maker by JEP106: bank (1 = no continuation byte) and code."""

    bank: int
    code: int


@dataclass(frozen=True, slots=True)
class Made:
    """When a module was made, as SPD and labels give it."""

    year: int
    week: int | None = None


@dataclass(frozen=True, slots=True)
class Module:
    """One memory module, as far as it is known: None is unknown, never "no".

    Build it from what a source says, then `complete` it; both keep unknown members unknown.
    """

    generation: Generation | None = None
    form: Form | None = None
    buffering: Buffering | None = None
    #: Whether it corrects errors over the bus; dies' own correction does not count.
    ecc: bool | None = None
    #: Beside 64 data bits (DDR5: beside each 32-bit half).
    ecc_bits: int | None = None
    capacity_gib: float | None = None
    package_ranks: int | None = None
    #: Dies stacked behind one load (3DS); 1 = not stacked.
    stack_height: int | None = None
    logical_ranks: int | None = None
    device_width: int | None = None
    die_gbit: float | None = None
    rate_mts: int | None = None
    #: Timing bin as printed: "T", "B", "11-11".
    timing: str | None = None
    #: Volts it may run at, ascending; empty = unknown.
    rails_v: tuple[float, ...] = ()
    height_mm: float | None = None
    maker: str | None = None
    maker_code: MakerCode | None = None
    part: str | None = None
    revision: str | None = None
    serial: str | None = None
    made: Made | None = None
    #: What a module is called that keeps its content without power ("NVDIMM-N"): it is no main memory, or only in part. None =
    #: nothing says so.
    keeps: str | None = None
    #: mapped-out (the machine has taken it out of use) or in-use (failing, and still counted); None = nothing against it.
    failed: str | None = None
    #: Members that nobody read off it: they are as its part number is known. Two modules do not differ by this.
    by_number: tuple[str, ...] = field(default=(), compare=False)

    @property
    def is_memory(self) -> bool:
        """Whether it is main memory, or nobody says otherwise: what keeps its content is none but for what of it is told to be."""
        return self.capacity_gib is not None or not self.keeps

    @property
    def is_sizeless(self) -> bool:
        """Whether nobody knows how much main memory it is."""
        return self.capacity_gib is None and self.is_memory

    def short(self) -> str:
        """The module in a few words, as the trade says it: "16 GB 2Rx8 DDR4-2400 registered"."""
        words = [
            f"{amount(self.capacity_gib)} GB" if self.capacity_gib else f"{self.keeps or 'module'} of unknown size"
        ]
        if self.package_ranks:
            stack = f"S{self.stack_height}" if (self.stack_height or 1) > 1 else ""
            words.append(f"{self.package_ranks}{stack}R" + (f"x{self.device_width}" if self.device_width else ""))
        if self.generation:
            name = self.generation.value
            if name == "DDR3" and self.rails_v and self.rails_v[0] < 1.5:
                name += "L" if 1.35 in self.rails_v else "U"
            words.append(name + (f"-{self.rate_mts}" if self.rate_mts else ""))
        elif self.rate_mts:
            words.append(f"{self.rate_mts} MT/s")
        if self.buffering:
            ecc = " ECC" if self.buffering is Buffering.UNBUFFERED and self.ecc else ""
            words.append(self.buffering.value + ecc)
        if self.form is Form.SO_DIMM:
            words.append("SO-DIMM")
        return " ".join(words)


@dataclass(frozen=True, slots=True)
class Contradiction:
    """Members that cannot all be true, and why, in one sentence."""

    fields: tuple[str, ...]
    message: str


@lru_cache(maxsize=4096)
def alike(module: Module) -> Module:
    """The module without what only tells individuals apart: two that are alike may stand for each other."""
    m = module
    return replace(m, serial=None, made=None, by_number=()) if m.serial or m.made or m.by_number else m


def read_off(module: Module) -> Module:
    """What was read off the module itself, and what follows from that: nothing that its part number alone tells."""
    unread: dict[str, Any] = {n: () if n == "rails_v" else None for n in module.by_number}
    return complete(replace(module, **unread, by_number=()))[0] if unread else module


def known_by_number(module: Module, read: Module) -> Module:
    """The module, marked with every member that what was read of it does not come to."""
    told = complete(read)[0]
    names = (n for n in FIELD_NAMES if getattr(module, n) not in (None, (), getattr(told, n)))
    return replace(module, by_number=tuple(names))


def organisation(module: Module) -> tuple[object, ...]:
    """What the memory controller sees of a module: two of one organisation differ only in whose they are."""
    m = module
    return (m.generation, m.form, m.buffering, m.ecc, m.capacity_gib, m.package_ranks, m.device_width, m.die_gbit)


def healthy(module: Module) -> Module:
    """The module as it was before it failed: one of its kind."""
    return replace(module, failed=None) if module.failed else module


def usable_size(module: Module) -> float:
    """What a module adds to a total: nothing once the machine has mapped it out, or where nobody knows its size. [GiB]"""
    return 0 if module.failed == MAPPED_OUT else module.capacity_gib or 0


#: What is told of a module.
FIELD_NAMES: tuple[str, ...] = tuple(f.name for f in fields(Module) if f.name != "by_number")


def amount(value: float | None) -> str:
    """A number as people write it: no ".0", "unknown" for None.

    Examples
        >>> amount(16.0), amount(0.5), amount(None)
        ('16', '0.5', 'unknown')
    """
    return "unknown" if value is None else f"{value:g}" if value < 1e5 else f"{value:.0f}"


def complete(module: Module) -> tuple[Module, tuple[str, ...]]:
    """The module with every member that follows from the others, and which those are.

    Uses the identity `capacity_gib = logical_ranks * (64 / device_width) * die_gbit / 8`
    (data bits only: dies for error correction hold no capacity) and the standards' fixed facts:
    registered, load-reduced and fully buffered modules have ECC; beside 64 bits it is 8 bits,
    beside each DDR5 half 4 or 8 (8 where the devices are wider than 4 bits, since 36 bits do not
    divide); fully buffered ones are DDR2; DDR2, DDR4 and DDR5 have one rail, which tells the
    generation too. Of DDR3 the generation alone does not tell the rail: a survey says "DDR3" of
    DDR3L too.

    Returns
        (Module, names of the members that were filled, in the order of the fields)
    """
    said = module
    # Two passes: what the first fills (ranks, ECC) can be what the second needs.
    for _ in range(2):
        module = _fill(module)
    return module, tuple(
        n for n in FIELD_NAMES if getattr(said, n) in (None, ()) and getattr(module, n) not in (None, ())
    )


def _fill(m: Module) -> Module:
    new: dict[str, Any] = {}

    def put(name: str, value: Any) -> None:
        if value is not None and getattr(m, name) in (None, ()):
            new[name] = value

    if m.buffering is Buffering.FULLY_BUFFERED:
        put("generation", Generation.DDR2)
    if m.rails_v and m.generation is None:
        put("generation", _generation_of(m.rails_v, m.rate_mts))
    if m.buffering in _ALWAYS_ECC:
        put("ecc", True)
        # Registered and load-reduced SO-DIMMs are in no standard of these generations.
        if m.generation in (Generation.DDR4, Generation.DDR5) or m.buffering is Buffering.FULLY_BUFFERED:
            put("form", Form.DIMM)
    if m.form is Form.SO_DIMM:
        # MO-268, MO-310, MO-337 and their annexes: SO-DIMMs drive the bus directly.
        put("buffering", Buffering.UNBUFFERED)
    if m.ecc_bits is not None:
        put("ecc", m.ecc_bits > 0)
    if m.ecc is False:
        put("ecc_bits", 0)
    elif m.ecc and m.generation and (m.generation is not Generation.DDR5 or (m.device_width or 0) > 4):
        put("ecc_bits", 8)
    if m.generation and m.generation is not Generation.DDR3:
        put("rails_v", RAILS_V[m.generation])

    if m.package_ranks and m.stack_height:
        put("logical_ranks", m.package_ranks * m.stack_height)
    elif m.logical_ranks and m.stack_height and m.logical_ranks % m.stack_height == 0:
        put("package_ranks", m.logical_ranks // m.stack_height)
    elif m.logical_ranks and m.package_ranks and m.logical_ranks % m.package_ranks == 0:
        put("stack_height", m.logical_ranks // m.package_ranks)

    ranks, width, die, size = m.logical_ranks, m.device_width, m.die_gbit, m.capacity_gib
    if ranks and width and die:
        put("capacity_gib", _tidy(ranks * (64 / width) * die / 8))
    elif size and ranks and width:
        put("die_gbit", _tidy(size * 8 * width / (64 * ranks)))
    elif size and die and width:
        count = size * 8 * width / (64 * die)
        put("logical_ranks", int(count) if count == int(count) and count >= 1 else None)
    elif size and die and ranks:
        wide = 64 * ranks * die / (8 * size)
        put("device_width", int(wide) if wide in (4, 8, 16) else None)
    return replace(m, **new) if new else m


#: How far above its standard's rail a module may be said to run: what makers' own profiles ask for. [V]
_MOST_ABOVE_V = 0.5


def without_profile(module: Module) -> tuple[Module, str | None]:
    """The module as its generation's standard has it, where what was told of it is of its maker's own profile.

    A rail above the generation's is such: the same dies start at the standard's rail and at a rate of it, which the profile
    does not tell. Source: the supply of JESD79-2 to -5, and the base configuration that each SPD begins with.

    Returns
        (Module with the standard's rail, and without rate and timing, which may be the profile's; what is to be said of it
        in one sentence, None where the module is as it was)
    """
    standard = family_rails(module.generation)[-1] if module.generation else 0.0
    above = [v for v in module.rails_v if standard < v <= standard + _MOST_ABOVE_V]
    if not standard or not above:
        return module, None
    rails = tuple(v for v in module.rails_v if v not in above) or (standard,)
    words = f"{' and '.join(map(amount, above))} V is above {module.generation}'s {amount(standard)} V: a profile of its maker's, or a mistake"
    rate = (
        f"; the {module.rate_mts} MT/s may be of that profile too, so its rate at {amount(standard)} V is left unknown"
    )
    words += rate if module.rate_mts else ""
    return replace(module, rails_v=rails, rate_mts=None, timing=None), words


def _generation_of(rails_v: tuple[float, ...], rate_mts: int | None) -> Generation | None:
    """The only generation whose modules run at these rails; None where none or several do, or where it is too slow for its rate:
    then the rail may be of another's profile."""
    found = [g for g in Generation if set(rails_v) <= set(family_rails(g))]
    return found[0] if len(found) == 1 and (rate_mts or 0) <= max(STANDARD_RATES_MTS[found[0]]) else None


#: Members that have few values in the standards, and which.
_VALUES: dict[str, tuple[Any, ...]] = {
    "buffering": tuple(Buffering),
    "ecc": (True, False),
    "device_width": (4, 8, 16),
    "package_ranks": (1, 2, 4, 8),
    "stack_height": (1, 2, 4, 8),
}


def completions(module: Module, members: Iterable[str]) -> tuple[Module, ...]:
    """Every module that this one can be, by each value of its unknown members among these; members of which there are
    endlessly many values stay unknown. The module itself where nothing is tried, or where nothing fits together."""
    unknown = [n for n in members if n in _VALUES and getattr(module, n) is None]
    if not unknown:
        return (module,)
    found = []
    for values in product(*(_VALUES[n] for n in unknown)):
        filled = complete(replace(module, **dict(zip(unknown, values, strict=True))))[0]
        if not contradictions(filled):
            found.append(filled)
    return tuple(found) or (module,)


def _tidy(value: float) -> float:
    return int(value) if value == int(value) else value


#: Members as people call them, where that is not their own name with spaces.
_CALLED = {
    "capacity_gib": "size",
    "package_ranks": "ranks",
    "logical_ranks": "logical ranks",
    "die_gbit": "die density",
    "rate_mts": "rated data rate",
    "ecc": "ECC",
    "ecc_bits": "ECC bits",
    "rails_v": "supply",
    "height_mm": "height",
    "part": "part number",
    "keeps": "content kept without power",
}


def member_words(member: str) -> str:
    """A member's name for people: "size" of "capacity_gib"."""
    return _CALLED.get(member, member.replace("_", " "))


#: Member -> unit of its figures.
_UNITS = {"capacity_gib": "GB", "rate_mts": "MT/s", "die_gbit": "Gbit", "rails_v": "V", "height_mm": "mm"}


def value_words(member: str, value: object) -> str:
    """What a member is, for people: "16 GB", "yes", "1.35 or 1.5 V"; "not known" of None.

    Examples
        >>> value_words("rails_v", (1.35, 1.5)), value_words("ecc", False), value_words("capacity_gib", 16.0)
        ('1.35 or 1.5 V', 'no', '16 GB')
    """
    if value is None or value in ((), []):
        return "not known"
    if isinstance(value, bool):
        return "yes" if value else "no"
    shown = " or ".join(f"{v:g}" for v in value) if isinstance(value, (tuple, list)) else value
    shown = f"{shown:g}" if isinstance(shown, float) else str(shown)
    return f"{shown} {_UNITS[member]}" if member in _UNITS else shown


def densest(module: Module) -> float | None:
    """The densest dies that a module of its size can have: as few of them as the standards let make it up. [Gbit]

    `capacity_gib = logical_ranks * (64 / device_width) * die_gbit / 8`, with one rank and the widest dies where these are
    not known. None where its size is not known.
    """
    if module.capacity_gib is None:
        return None
    ranks = module.logical_ranks or module.package_ranks or 1
    return module.capacity_gib * 8 * (module.device_width or 16) / (64 * ranks)


def contradictions(module: Module) -> tuple[Contradiction, ...]:
    """What in the module cannot all be true, each with the members it concerns.

    Raises nothing: every module, however odd, gets an answer. Source of each check: the identity of
    `complete`, and the standards' fixed facts named there.
    """
    m = module
    found: list[Contradiction] = []

    def say(names: tuple[str, ...], message: str) -> None:
        found.append(Contradiction(names, message))

    if m.capacity_gib and m.logical_ranks and m.device_width and m.die_gbit:
        comes_to = m.logical_ranks * (64 / m.device_width) * m.die_gbit / 8
        if comes_to != m.capacity_gib:
            say(
                ("capacity_gib", "logical_ranks", "device_width", "die_gbit"),
                f"{m.logical_ranks} rank(s) of x{m.device_width} {amount(m.die_gbit)} Gbit dies make "
                f"{amount(comes_to)} GB, not {amount(m.capacity_gib)} GB",
            )
        elif m.die_gbit not in DIE_GBIT[m.generation] if m.generation else False:
            say(
                ("capacity_gib", "package_ranks", "device_width"),
                f"{amount(m.capacity_gib)} GB from {m.logical_ranks} rank(s) of x{m.device_width} needs "
                f"{amount(m.die_gbit)} Gbit dies, which {m.generation} does not have",
            )
    if m.package_ranks and m.stack_height and m.logical_ranks and m.package_ranks * m.stack_height != m.logical_ranks:
        say(
            ("package_ranks", "stack_height", "logical_ranks"),
            f"{m.package_ranks} package ranks stacked {m.stack_height} high are not {m.logical_ranks} logical ranks",
        )
    if m.ecc is not None and m.ecc_bits is not None and m.ecc != (m.ecc_bits > 0):
        say(("ecc", "ecc_bits"), f"{m.ecc_bits} error-correcting bits do not go with ECC {'yes' if m.ecc else 'no'}")
    if m.ecc is False and m.buffering in _ALWAYS_ECC:
        say(("ecc", "buffering"), f"a {m.buffering} module always has ECC")
    if m.buffering is Buffering.FULLY_BUFFERED and m.generation not in (None, Generation.DDR2):
        say(("buffering", "generation"), f"fully buffered modules are DDR2, not {m.generation}")
    if m.buffering in _ALWAYS_ECC and m.form is Form.SO_DIMM:
        say(("buffering", "form"), f"no {m.buffering} module is an SO-DIMM")
    if m.generation and m.rails_v:
        odd = [v for v in m.rails_v if v not in family_rails(m.generation)]
        if odd:
            say(("rails_v", "generation"), f"{', '.join(map(amount, odd))} V is no rail of {m.generation}")
    return tuple(found)


def odd_size(module: Module) -> str | None:
    """That dies of its generation make up no module of its size, in one sentence; None where they do, or where it is open.

    Every arrangement is tried that what is told of it leaves open: 1 to 64 logical ranks, each a power of two (JESD79-5: up
    to four package ranks of stacks of sixteen). Where ranks, width and size are all told, `contradictions` says it better.
    Only of what has 64 data bits: dies soldered to a board need not make them up.
    """
    m = module
    told = m.package_ranks or m.logical_ranks
    if not m.capacity_gib or not m.generation or (m.logical_ranks and m.device_width):
        return None
    counts = (m.logical_ranks,) if m.logical_ranks else [(told or 1) << n for n in range(7)]
    widths = (m.device_width,) if m.device_width else (4, 8, 16)
    dies = (m.die_gbit,) if m.die_gbit else DIE_GBIT[m.generation]
    if any(m.capacity_gib == ranks * 64 / width * die / 8 for ranks in counts for width in widths for die in dies):
        return None
    arranged = f" {told or '?'}Rx{m.device_width or '?'}" if told or m.device_width else ""
    made = f" of {amount(m.die_gbit)} Gbit dies" if m.die_gbit else ""
    return f"no {m.generation}{arranged} module{made} has {amount(m.capacity_gib)} GB"


@lru_cache(maxsize=4096)
def against_itself(module: Module) -> tuple[Contradiction, ...]:
    """All that is told of a module in a slot and cannot be true: `contradictions`, and an `odd_size`."""
    odd = odd_size(module)
    return (*contradictions(module), *([Contradiction(("capacity_gib",), odd)] if odd else []))


#: (form, generation) -> usual height of a module [mm], by JEDEC's outlines MO-237, MO-269, MO-309, MO-329 and, of a SO-DIMM,
#: MO-224, MO-268, MO-310, MO-337. There are taller and lower ones.
HEIGHT_MM: dict[tuple[str, str], float] = {
    ("DIMM", "DDR2"): 30.0,
    ("DIMM", "DDR3"): 30.0,
    ("DIMM", "DDR4"): 31.25,
    ("DIMM", "DDR5"): 31.25,
    **{("SO-DIMM", g): 30.0 for g in ("DDR2", "DDR3", "DDR4", "DDR5")},
}

#: Die densities of each generation's standard [Gbit]: JESD79-2, -3, -4, -5, addressing tables.
DIE_GBIT: dict[str, tuple[float, ...]] = {
    "DDR2": (0.25, 0.5, 1, 2, 4),
    "DDR3": (0.5, 1, 2, 4, 8),
    "DDR4": (2, 4, 8, 16),
    "DDR5": (8, 16, 24, 32, 64),
}
