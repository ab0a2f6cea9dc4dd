"""Machines that are alike put together, and a whole answer taken apart again.

A duty group's type is the multiset of its members' kinds; like groups are put together. That is exact: so many openings a cell and wave
can always be shared out so that no group has two open in one wave (`share_out`).
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from umbrak.core.rounds.problem import FleetMachine, Round, Served


def likeness(m: FleetMachine) -> FleetMachine:
    """Equal for machines that may stand for each other in a round."""
    return replace(m, name="", group=None)


@dataclass(frozen=True, slots=True)
class Cell:
    """Machines that are alike and belong to groups that are."""

    like: FleetMachine
    #: Place of the type of its group among `Fleet.groups`.
    kind: int
    #: Members of a single group.
    of_each: int
    machines: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Fleet:
    cells: tuple[Cell, ...]
    #: Type -> its groups, each the machines of each of its cells: {place of cell: machines}.
    groups: tuple[tuple[Mapping[int, tuple[int, ...]], ...], ...]


def fleet_of(r: Round) -> Fleet:
    by_group: dict[object, list[int]] = defaultdict(list)
    for i, m in enumerate(r.machines):
        by_group[m.group if m.group is not None else (i,)].append(i)
    alike = [likeness(m) for m in r.machines]
    numbers = {like: n for n, like in enumerate(dict.fromkeys(alike))}
    types: dict[tuple[tuple[int, int], ...], list[dict[int, list[int]]]] = defaultdict(list)
    for members in by_group.values():
        held: dict[int, list[int]] = defaultdict(list)
        for i in members:
            held[numbers[alike[i]]].append(i)
        types[tuple(sorted((n, len(at)) for n, at in held.items()))].append(held)
    cells, groups = list[Cell](), list[tuple[Mapping[int, tuple[int, ...]], ...]]()
    likes = list(numbers)
    for kind, (shape, like_groups) in enumerate(types.items()):
        at = {}
        for n, of_each in shape:
            at[n] = len(cells)
            cells.append(
                Cell(
                    like=likes[n],
                    kind=kind,
                    of_each=of_each,
                    machines=tuple(i for held in like_groups for i in held[n]),
                )
            )
        groups.append(tuple({at[n]: tuple(members) for n, members in held.items()} for held in like_groups))
    return Fleet(tuple(cells), tuple(groups))


#: (cell, route, wave) -> how many machines.
Openings = Mapping[tuple[int, int, int], int]


def taken_apart(fleet: Fleet, openings: Openings) -> tuple[Served, ...]:
    """Which machine each opening is. No group has two open in a wave, no machine is opened twice.

    Raises ValueError where more are opened than there are, in all or in a wave.
    """
    served = []
    for kind, groups in enumerate(fleet.groups):
        mine = [
            (cell, route, wave)
            for (cell, route, wave), n in sorted(openings.items())
            if fleet.cells[cell].kind == kind
            for _ in range(n)
        ]
        rows = {c: fleet.cells[c].of_each for c in groups[0]}
        for (cell, route, wave), (group, place) in zip(mine, share_out(mine, rows, len(groups)), strict=True):
            served.append(Served(groups[group][cell][place], route, wave))
    return tuple(sorted(served, key=lambda s: (s.wave, s.machine)))


def share_out(openings: Iterable[tuple[int, int, int]], rows: Mapping[int, int], groups: int) -> list[tuple[int, int]]:
    """(group, member) of each opening (cell, route, wave), so that no group has two in a wave and no member two at all.

    A colouring of the edges of a bipartite graph, members of a cell against waves, with a colour a group: as many colours as the
    highest degree suffice (König 1916), found by turning chains of two colours round.

    Parameters
        rows   cell -> members that a single group has of it

    Raises
        ValueError   a cell or a wave has more openings than that allows
    """
    edges = [(cell, wave) for cell, _, wave in openings]
    seen = Counter(cell for cell, _ in edges)
    by_wave = Counter(wave for _, wave in edges)
    if any(n > groups * rows[cell] for cell, n in seen.items()) or any(n > groups for n in by_wave.values()):
        raise ValueError("more machines are opened than the groups have or may have open")
    # A cell of several members a group is cut into as many rows, each of at most `groups` openings.
    so_far: Counter[int] = Counter()
    ends: list[tuple[tuple[int, int], int]] = []
    for cell, wave in edges:
        ends.append(((cell, so_far[cell] // groups), wave))
        so_far[cell] += 1
    at: dict[tuple[object, int], int] = {}  # (end, colour) -> edge
    colours = [-1] * len(ends)
    for e, (row, wave) in enumerate(ends):
        left, right = ("row", row), ("wave", wave)
        a = next(c for c in range(groups) if (left, c) not in at)
        b = next(c for c in range(groups) if (right, c) not in at)
        if a != b:
            _turn(at, colours, ends, (right, a, b))
        colours[e] = a
        at[left, a] = at[right, a] = e
    return [(colour, row[1]) for colour, (row, _) in zip(colours, ends, strict=True)]


def _turn(
    at: dict[tuple[object, int], int],
    colours: list[int],
    ends: list[tuple[tuple[int, int], int]],
    start: tuple[object, int, int],
) -> None:
    """Change the two colours along the chain from an end, so that the first is free there."""
    end, a, b = start
    chain, want = [], a
    while (end, want) in at:
        edge = at[end, want]
        chain.append(edge)
        row, wave = ends[edge]
        end = ("wave", wave) if end == ("row", row) else ("row", row)
        want = b if want == a else a
    for edge in chain:
        row, wave = ends[edge]
        for side in (("row", row), ("wave", wave)):
            if at.get((side, colours[edge])) == edge:
                del at[side, colours[edge]]
    for edge in chain:
        colours[edge] = b if colours[edge] == a else a
        row, wave = ends[edge]
        at[("row", row), colours[edge]] = at[("wave", wave), colours[edge]] = edge
