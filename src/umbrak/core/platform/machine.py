"""One unit of a model, and what is in its slots."""

from __future__ import annotations

from collections.abc import Collection, ItemsView, Iterable, Iterator, KeysView, Mapping, ValuesView
from dataclasses import dataclass, field, replace
from enum import Enum
from typing import TypeVar, overload

from umbrak.core.memory.module import IN_USE, MAPPED_OUT, Module, healthy


class Unknown(Enum):
    """What sits in the slot is not known: not empty, not any module."""

    UNKNOWN = "unknown"


T = TypeVar("T")
UNKNOWN = Unknown.UNKNOWN
Occupant = Module | Unknown


@dataclass(frozen=True, slots=True)
class Machine:
    """What is particular to one unit: None, or a name left out, is unknown."""

    #: Socket -> processor id, or None where the socket is known to be empty.
    processors: Mapping[str, str | None] = field(default_factory=dict)
    firmware: str | None = None
    system: str | None = None
    os_bits: int | None = None
    #: What a 32-bit system with address extension can use. [GiB]
    os_cap_gib: float | None = None
    device_hole_mib: float | None = None
    mode: str | None = None
    rail_setting: float | None = None

    def __hash__(self) -> int:
        rest = (
            self.firmware,
            self.system,
            self.os_bits,
            self.os_cap_gib,
            self.device_hole_mib,
            self.mode,
            self.rail_setting,
        )
        return hash((tuple(sorted(self.processors.items())), rest))


#: What is asked of a unit -> what people call it.
_CALLED = {
    "firmware": "the firmware's version",
    "system": "the version of its system",
    "device_hole_mib": "what its devices take of a 32-bit system's memory",
    "os_cap_gib": "how much its system can use",
    "rail_setting": "the volts that its firmware is set to",
}


def fact_words(fact: str) -> str:
    """A fact of a unit for people: "which processor is in CPU2" of "processors.CPU2"."""
    kind, _, socket = fact.partition(".")
    return f"which processor is in {socket}" if kind == "processors" else _CALLED.get(fact, fact.replace("_", " "))


class Layout(Mapping[str, Occupant]):
    """Slot -> module or UNKNOWN; a slot left out is empty. Immutable, compared by content."""

    __slots__ = ("_hash", "_slots")

    def __init__(self, slots: Mapping[str, Occupant | None] | Iterable[tuple[str, Occupant | None]] = ()) -> None:
        self._hash: int | None = None
        self._slots = {slot: m for slot, m in sorted(dict(slots).items()) if m is not None}

    def __getitem__(self, slot: str) -> Occupant:
        return self._slots[slot]

    def __contains__(self, slot: object) -> bool:
        return slot in self._slots

    # Asked for by many rules, of every slot: Mapping's own go by way of an exception, or slot by slot.
    @overload
    def get(self, slot: str, /) -> Occupant | None: ...
    @overload
    def get(self, slot: str, /, default: Occupant | T) -> Occupant | T: ...
    def get(self, slot: str, /, default: object = None) -> object:
        return self._slots.get(slot, default)

    def keys(self) -> KeysView[str]:
        return self._slots.keys()

    def values(self) -> ValuesView[Occupant]:
        return self._slots.values()

    def items(self) -> ItemsView[str, Occupant]:
        return self._slots.items()

    def __eq__(self, other: object) -> bool:
        return self._slots == other._slots if isinstance(other, Layout) else super().__eq__(other)

    def __iter__(self) -> Iterator[str]:
        return iter(self._slots)

    def __len__(self) -> int:
        return len(self._slots)

    def __hash__(self) -> int:
        if self._hash is None:
            # Modules alike are mostly one object, and long to hash.
            modules = {id(m): m for m in self._slots.values()}
            hashes = {key: hash(m) for key, m in modules.items()}
            self._hash = hash(tuple((slot, hashes[id(m)]) for slot, m in self._slots.items()))
        return self._hash

    def __reduce__(self) -> tuple[type[Layout], tuple[dict[str, Occupant]]]:
        return Layout, (self._slots,)

    def __repr__(self) -> str:
        return f"Layout({self._slots!r})"

    def changed_from(self, other: Layout) -> tuple[str, ...]:
        """Slots whose occupant differs, sorted by name."""
        return tuple(sorted(s for s in {*self, *other} if self.get(s) != other.get(s)))


def marked(layout: Layout, failed: Iterable[str], in_use: Collection[str] = ()) -> Layout:
    """The layout with the modules in these slots marked as failed; the mark follows the module and not the slot.

    Parameters
        failed   slots; those that are empty or not known stay as they are
        in_use   those of them that the machine still uses
    """
    modules = {s: m for s in failed if isinstance(m := layout.get(s), Module)}
    new = {s: replace(m, failed=m.failed or (IN_USE if s in in_use else MAPPED_OUT)) for s, m in modules.items()}
    return Layout({**layout, **new})


def unmarked(layout: Layout) -> Layout:
    """The layout as if nothing had failed: one of its kind in each such slot."""
    return Layout({s: healthy(m) if isinstance(m, Module) else m for s, m in layout.items()})


def kept_without_power(layout: Mapping[str, Occupant]) -> dict[str, str]:
    """Slots whose module keeps its content without power -> what such are called."""
    return {s: m.keeps for s, m in layout.items() if isinstance(m, Module) and m.keeps}
