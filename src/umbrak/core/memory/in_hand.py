"""Two modules beside each other, as somebody who has both labels compares them."""

from __future__ import annotations

from dataclasses import dataclass

from umbrak.core.memory.module import FIELD_NAMES, Module

#: What tells one module from another that does the same.
_ONLY_STICKERS = ("maker", "maker_code", "part", "revision", "serial", "made", "timing", "height_mm")
#: What two modules must be known to have in common before anybody can say that one does for the other.
_DECIDING = ("capacity_gib", "generation", "buffering", "package_ranks", "device_width", "rate_mts")


@dataclass(frozen=True, slots=True)
class Differences:
    """Members of two modules, in the order of a module's."""

    #: What differs and matters; what differs and is only the sticker. Both are known of both.
    differs: tuple[str, ...]
    stickers: tuple[str, ...]
    #: What would decide, and is not known of one of them.
    untold: tuple[str, ...]


def differences(one: Module, other: Module) -> Differences:
    """How two modules differ, and what is not known. Of one part number nothing is left to be told."""
    both = {n: (getattr(one, n), getattr(other, n)) for n in FIELD_NAMES}
    differing = [n for n, (a, b) in both.items() if None not in (a, b) and () not in (a, b) and a != b]
    same_part = one.part is not None and one.part == other.part
    return Differences(
        differs=tuple(n for n in differing if n not in _ONLY_STICKERS),
        stickers=tuple(n for n in differing if n in _ONLY_STICKERS),
        untold=() if same_part else tuple(n for n in both if n in _DECIDING and None in both[n]),
    )
