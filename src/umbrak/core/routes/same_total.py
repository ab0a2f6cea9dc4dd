"""Layouts of one total that touch only some slots: what a search for the best leaves out, since nothing about hands is
among the measures by which it compares."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from umbrak.core.memory.module import Module, alike, usable_size
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.routes.material import Kind


def layouts_of_total(kinds: Sequence[Kind], now: Layout, slots: Sequence[str], in_them_gib: float) -> Iterator[Layout]:
    """Every layout whose modules in `slots` sum to so much, all other slots being as they are now, made of what is fitted
    and what can be had. Fewest modules first. Slots that hold something unknown stay as they are.

    Parameters
        kinds         what is fitted or can be had, and how many
        in_them_gib   what the slots hold together [GiB]
    """
    free = [s for s in slots if now.get(s) is not UNKNOWN]
    held = [alike(m) for s, m in now.items() if s not in free and isinstance(m, Module)]
    left = {k.index: len(k.cost) - 1 - sum(m == k.module for m in held) for k in kinds if k.module}
    usable = sorted(
        (k for k in kinds if k.module and k.module.failed is None and k.module.capacity_gib),
        key=lambda k: (-usable_size(k.module) if k.module else 0, k.index),
    )
    others: dict[str, Occupant | None] = {s: m for s, m in now.items() if s not in free}
    yield from (Layout({**others, **made}) for made in _fill(usable, left, free, in_them_gib))


def _fill(
    kinds: Sequence[Kind], left: Mapping[int, int], slots: Sequence[str], gib: float
) -> Iterator[dict[str, Occupant | None]]:
    if not slots:
        if gib == 0:
            yield {}
        return
    slot, rest = slots[0], slots[1:]
    for kind in kinds:
        size = usable_size(kind.module) if kind.module else 0
        if left[kind.index] and size <= gib:
            for made in _fill(kinds, {**left, kind.index: left[kind.index] - 1}, rest, gib - size):
                yield {slot: kind.module, **made}
    yield from ({slot: None, **made} for made in _fill(kinds, left, rest, gib))
