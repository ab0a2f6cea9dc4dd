"""The same optimum by a plain mixed-integer program over slots: the judge of the search where enumeration is too long.

A binary for every slot and kind, one for every listed count of a socket, one for every set and what it is alike in. It
knows only what `server_problem` makes: orders a socket in sets alike in size and ranks, larger first, even sockets,
chip selects, kits.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from random import Random
from typing import Any

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import lil_array

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.routes.problem import Candidate, Problem, Wishes
from umbrak.formats.sheet.reading import sheet_from_data

_SIZES = ["16GB 1Rx8", "16GB 2Rx8", "32GB 2Rx8", "64GB 2Rx4", "96GB 2Rx4", "128GB 4Rx4"]


def server_sheet(sockets: int, channels: int, slots: int) -> dict[str, Any]:
    """A server of DDR5: an order a socket, sets of one slot of every channel, sockets alike, 8 chip selects a channel."""
    names = "ABCDEFGHIJKL"[:channels]
    rows = [{"dpc": n, "rate_mts": r} for n, r in ((1, 4800), (2, 4400), (3, 4000))]
    order = {
        "fill": [[f"{c}{i + 1}" for c in names] for i in range(slots)],
        "other_counts": "slower", "otherwise": "slower", "alike_in_set": ["capacity_gib", "package_ranks"], "larger_first": True,
    }  # fmt: skip
    over = [f"P{n + 1}" for n in range(sockets)]
    return {
        "umbrak-sheet": 1, "id": "server", "title": "Server", "class": "server", "rate_alike": "machine",
        "sources": {"guide": {"title": "Guide", "kind": "machine-maker"}},
        "processors": {"p": {"rates_mts": [4000, 4400, 4800], "rate_table": rows}},
        "sockets": {s: {"processors": ["p"]} for s in over},
        "memory": {"generation": "DDR5", "form": "DIMM", "rails_v": [1.1], "accepts": [{"buffering": "registered", "ecc": True}], "package_ranks_per_channel": 8},
        "repeat": {"over": over, "channels": {c: [f"{c}{i + 1}" for i in range(slots)] for c in names}, "population": [order]},
        "population": [{"source": "guide", "symmetric": True}],
    }  # fmt: skip


def offers(r: Random, count: int) -> tuple[Candidate, ...]:
    """Unlike offers: sizes, rates, makers, kits, stocks."""
    made = []
    for i in range(count):
        form = _SIZES[i % len(_SIZES)]
        module = decode_label(f"{form} PC5-{r.choice([4400, 4800, 5600])}B-RA0").module
        kit = r.choice([1, 1, 1, 2, 4, 8])
        price = Decimal(round((module.capacity_gib or 0) * r.uniform(3.2, 5.0) * kit))
        maker = r.choice(["Aldermoor", "Brisk", "Corvane", "Dunlin"])
        stock = r.choice([None, None, None, 24, 48])
        made.append(
            Candidate(
                part=f"P{i:02}",
                module=replace(module, part=f"P{i:02}", maker=maker, revision=None),
                price=price,
                kit=kit,
                stock=stock,
            )
        )
    return tuple(made)


#: Sockets, channels of each, slots of each.
SMALLER = [(2, 4, 2), (2, 6, 2), (4, 4, 2), (2, 4, 3), (4, 2, 2), (2, 8, 2)]
LARGER = [(2, 6, 2), (2, 4, 3), (4, 4, 2), (2, 8, 2), (4, 6, 2), (2, 12, 2), (4, 8, 2), (4, 8, 3)]


def server_problem(seed: int, shapes: Sequence[tuple[int, int, int]] = SMALLER) -> Problem:
    """A server of one of these shapes with the first set fitted, or a part of it taken out."""
    r = Random(seed)
    sheet = sheet_from_data(server_sheet(*r.choice(shapes)))
    held = replace(decode_label("16GB 1Rx8 PC5-4800B-RC0").module, part="OLD", maker="Aldermoor")
    now = Layout({s: replace(held, serial=s) for s in sheet.slots if s.endswith("1")})
    per_slot = r.choice([20, 28, 40, 60])
    wishes = Wishes(
        usable_gib=float(per_slot * len(sheet.slots)),
        keep_fitted=r.random() < 0.3,
        free_slots=r.choice([None, None, len(sheet.slots) // 4]),
        # The program knows nothing of what there is now.
        less_memory=True,
        less_bandwidth=True,
    )
    return Problem(sheet, Machine(), now, offers(r, r.randint(5, 12)), wishes, today=date(2026, 3, 1))


def optimum(p: Problem, measure: str, time_limit: float | None = None, presolve: bool = False) -> float | None:
    """The least cost, the most memory (cost aside) or the fewest touches; None where there is no way.

    Without the solver's presolve, which has been seen to call programs of this kind infeasible that are not.

    Columns: x[slot, kind]; kits[offer]; count[socket, listed count]; size[set, what it is alike in].
    """
    kinds: list[Module] = list(
        dict.fromkeys(replace(m, serial=None) for m in p.layout.values() if isinstance(m, Module))
    )
    fitted = [sum(replace(m, serial=None) == k for m in p.layout.values() if isinstance(m, Module)) for k in kinds]
    kinds += [c.module for c in p.candidates]
    fitted += [0] * len(p.candidates)
    slots, n = list(p.sheet.slots), len(kinds)
    alike = sorted({(k.capacity_gib, k.package_ranks) for k in kinds})
    columns: dict[object, int] = {}
    for key in [
        *((s, k) for s in slots for k in range(n)),
        *(("kits", i) for i in range(len(p.candidates))),
        *((f.where, c) for f in p.sheet.fills for c in f.layouts),
        *((f.where, j, a) for f in p.sheet.fills for j in range(len(f.layouts[max(f.layouts)])) for a in alike),
    ]:
        columns[key] = len(columns)
    rows: list[tuple[dict[object, float], float, float]] = []

    def row(terms: dict[object, float], low: float, high: float) -> None:
        rows.append((terms, low, high))

    for f in p.sheet.fills:
        sets = f.layouts[max(f.layouts)]
        row({(f.where, c): 1.0 for c in f.layouts}, 1, 1)  # every socket holds some
        for j, each in enumerate(sets):
            row({(f.where, j, a): 1.0 for a in alike}, 0, 1)
            for s in each:
                listed = {(f.where, c): -1.0 for c in f.layouts if any(s in x for x in f.layouts[c])}
                row({**{(s, k): 1.0 for k in range(n)}, **listed}, 0, 0)
                for a in alike:
                    of = {(s, k): 1.0 for k in range(n) if (kinds[k].capacity_gib, kinds[k].package_ranks) == a}
                    row({**of, (f.where, j, a): -1.0}, -np.inf, 0)
            if j:
                size: dict[object, float] = {(f.where, j, a): float(a[0] or 0) for a in alike}
                row({**size, **{(f.where, j - 1, a): -float(a[0] or 0) for a in alike}}, -np.inf, 0)
    if not p.sheet.fills:  # the channels of a socket hold the same, and every socket some
        for channels in p.sheet.channels_of.values():
            of_channel = [
                {(s, k): float(m.capacity_gib or 0) for s in c.slots for k, m in enumerate(kinds)} for c in channels
            ]
            for one in of_channel[1:]:
                row({**one, **{key: -n for key, n in of_channel[0].items()}}, 0, 0)
            row({(s, k): 1.0 for c in channels for s in c.slots for k in range(n)}, 1, np.inf)
    for channel in p.sheet.channels.values():
        row({(s, k): float(kinds[k].package_ranks or 0) for s in channel.slots for k in range(n)}, 0, 8)
    symmetric = any(e.symmetric for e in p.sheet.evens)
    first, *others = [[s for c in cs for s in c.slots] for cs in p.sheet.channels_of.values()]
    for other in others if symmetric else ():
        for s, t in zip(first, other, strict=True):
            for a in alike:
                of = [k for k in range(n) if (kinds[k].capacity_gib, kinds[k].package_ranks) == a]
                row({**{(s, k): 1.0 for k in of}, **{(t, k): -1.0 for k in of}}, 0, 0)
    for k in range(n):
        used: dict[object, float] = {(s, k): 1.0 for s in slots}
        own = k - (n - len(p.candidates))
        row({**used, **({("kits", own): -float(p.candidates[own].kit)} if own >= 0 else {})}, -np.inf, fitted[k])
        if p.wishes.keep_fitted and fitted[k]:
            row(used, fitted[k], np.inf)
    gib: dict[object, float] = {(s, k): float(kinds[k].capacity_gib or 0) for s in slots for k in range(n)}
    row(gib, p.wishes.usable_gib or 0, np.inf)
    row({(s, k): 1.0 for s in slots for k in range(n)}, 0, len(slots) - (p.wishes.free_slots or 0))

    goal = np.zeros(len(columns))
    if measure == "cost":
        for i, c in enumerate(p.candidates):
            goal[columns["kits", i]] = float(c.price)
    elif measure == "usable":
        for key, value in gib.items():
            goal[columns[key]] = -value
    else:  # touches: what is held and what comes, less twice what stays
        for s in slots:
            for k in range(n):
                held = p.layout.get(s)
                stays = isinstance(held, Module) and replace(held, serial=None) == kinds[k]
                goal[columns[s, k]] = -1 if stays else 1
    matrix = lil_array((len(rows), len(columns)))
    for i, (terms, _, _) in enumerate(rows):
        for key, value in terms.items():
            matrix[i, columns[key]] = value
    top = np.ones(len(columns))
    for i, c in enumerate(p.candidates):
        top[columns["kits", i]] = len(slots) if c.stock is None else c.stock // c.kit
    solved = milp(
        goal,
        constraints=LinearConstraint(matrix.tocsr(), np.array([r[1] for r in rows]), np.array([r[2] for r in rows])),
        integrality=np.ones(len(columns)),
        bounds=Bounds(0, top),
        options={"mip_rel_gap": 0.0, "presolve": presolve, **({"time_limit": time_limit} if time_limit else {})},
    )
    if solved.status != 0:
        return None
    return {"usable": -solved.fun, "touches": solved.fun + len(p.layout)}.get(measure, solved.fun)
