"""Random small problems for the optimiser, and the plain enumeration that judges it.

The enumerator gives each slot every candidate or nothing, asks `evaluate` and the wishes, and reckons money, trouble and
touches in its own way; it shares nothing else with the search.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from copy import deepcopy
from dataclasses import replace
from datetime import date
from decimal import Decimal
from itertools import product
from math import ceil, floor, inf
from random import Random
from typing import Any

from tests.core.sheets import SMALL, TWIN, merged
from umbrak.core.evaluate import evaluate_in, question
from umbrak.core.evidence.belief import believe
from umbrak.core.evidence.board import board_of
from umbrak.core.evidence.doubts import resting_of
from umbrak.core.evidence.table import Outcome
from umbrak.core.evidence.trial import Held, Trial
from umbrak.core.evidence.trouble import trouble_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module, against_itself
from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import SourceKind
from umbrak.core.routes.problem import Candidate, Origin, Problem, Wishes
from umbrak.core.routes.search import search
from umbrak.formats.sheet.reading import sheet_from_data

_UNBUFFERED = [
    "4GB 2Rx8 PC3L-12800U",
    "4GB 1Rx8 PC3-10600U",
    "8GB 2Rx8 PC3L-12800U",
    "8GB 2Rx8 PC3-12800U",
    "2GB 1Rx8 PC3-12800U",
] * 3 + ["8GB 2Rx8 PC3L-12800E"]
_REGISTERED = [
    "16GB 1Rx4 PC4-2666V-RC2",
    "32GB 2Rx4 PC4-2666V-RB2",
    "16GB 2Rx8 PC4-2400T-RE1",
    "32GB 2Rx4 PC4-2400T-RB1",
] * 3 + ["64GB 4DRx4 PC4-2666V-LD2"]
_MAKERS = ["Aldermoor", "Brisk", "Corvane"]


def random_problem(seed: int, told: Callable[[dict[str, Any]], None] = lambda _: None) -> Problem:
    """A problem of at most some hundred layouts. `told` leaves things out of its sheet's data."""
    r, less = Random(seed), Random(seed + 5)
    twin = r.random() < 0.5
    data = deepcopy(_twin(r) if twin else _small(r))  # what is left out of it is not left out of the next
    told(data)
    sheet = sheet_from_data(data)
    labels = _REGISTERED if twin else _UNBUFFERED
    most = 3 if len(sheet.slots) > 3 else 5

    def module(part: str) -> Module:
        m = decode_label(r.choice(labels)).module
        return replace(m, part=part, maker=r.choice(_MAKERS) if r.random() < 0.8 else None)

    candidates = tuple(_candidate(r, module(f"N{i}")) for i in range(r.randint(1, most - 1)))
    held = module("F0") if r.random() < 0.6 or not candidates else candidates[0].module
    processors = {s: r.choice(x.processors) if r.random() < 0.5 else x.processors[0] for s, x in sheet.sockets.items()}
    if twin and r.random() < 0.2:
        processors["P2"] = None  # type: ignore[assignment]
    live = [s for s in sheet.slots if processors[sheet.socket_of_slot[s]]]
    fitted = r.sample(live, min(r.choice([0, 1, 1, 2, 4]), len(live)))
    now = Layout({s: replace(held, serial=f"S{i}") for i, s in enumerate(fitted)})
    return Problem(
        sheet,
        Machine(processors, mode=r.choice([None, None, "mirroring"]), firmware="1.5"),
        now,
        candidates,
        replace(_wishes(r), less_memory=less.random() < 0.6, less_bandwidth=less.random() < 0.7),
        trials=tuple(_trial(r, sheet, c.module) for c in candidates if r.random() < 0.5),
        today=date(2026, 3, 1),
    )


def mixed_problem(seed: int) -> Problem:
    """One with two or three kinds fitted, kits and the shelf among what can be had."""
    p, r = random_problem(seed), Random(seed + 10**6)
    labels = _REGISTERED if len(p.sheet.sockets) > 1 else _UNBUFFERED
    others = [c.module for c in p.candidates] + [
        replace(decode_label(r.choice(labels)).module, part=f"F{i}", maker=r.choice(_MAKERS)) for i in (1, 2)
    ]
    chosen = r.sample(others, min(2, len(others)))
    live = _live(p)
    now = dict(p.layout)
    for i, slot in enumerate(r.sample(live, min(r.choice([2, 3, 4]), len(live)))):
        now[slot] = replace(r.choice([*chosen, *(m for m in now.values() if isinstance(m, Module))]), serial=f"M{i}")
    # Few kinds can be had beside them, or there would be too many layouts.
    return replace(p, layout=Layout(now), candidates=p.candidates[:2])


def unknown_problem(seed: int) -> Problem:
    """One with slots of which nobody knows what is in them, of a sheet that tells much or little."""
    p, r = (random_problem if seed % 2 else hardly_told_problem)(seed), Random(seed + 2 * 10**6)
    live = _live(p)
    unknown = r.sample(live, min(r.choice([1, 1, 2]), len(live)))
    return replace(p, layout=Layout({**p.layout, **dict.fromkeys(unknown, UNKNOWN)}))


def nameless_problem(seed: int) -> Problem:
    """One in which the makers of some modules, and the parts of some that are fitted, are not told."""
    p, r = (random_problem if seed % 2 else mixed_problem)(seed), Random(seed + 7)

    def nameless(m: Module) -> Module:
        return replace(m, maker=None) if r.random() < 0.6 else m

    now = {s: nameless(m) for s, m in p.layout.items() if isinstance(m, Module)}
    now = {s: replace(m, part=None) if not m.maker and r.random() < 0.3 else m for s, m in now.items()}
    candidates = tuple(replace(c, module=nameless(c.module)) for c in p.candidates)
    return replace(p, layout=Layout(now), candidates=candidates, trials=())


def untold_problem(seed: int) -> Problem:
    """One of modules that the rules about places see alike and of which more or less is told: widths, dies, heights, ratings."""
    p, r = (random_problem if seed % 2 else mixed_problem)(seed), Random(seed + 11)
    one = next((c.module for c in p.candidates), None) or decode_label(_REGISTERED[0]).module

    def other(m: Module) -> Module:
        like = replace(one, part=m.part, maker=m.maker) if r.random() < 0.7 else m
        wide = r.choice([like.device_width, 4, 8, None])
        made = replace(
            like,
            device_width=wide,
            die_gbit=r.choice([like.die_gbit, None, 4, 16]),
            stack_height=r.choice([like.stack_height, None, 1, 2]),
            rate_mts=r.choice([like.rate_mts, 3200]),
            part=r.choice([m.part, m.part, "N0"]),
        )
        # What is told of each can be true: what cannot is not used at all.
        vaguer = (made, replace(made, logical_ranks=None), replace(made, logical_ranks=None, die_gbit=None))
        return next((v for v in vaguer if not against_itself(v)), replace(like, part=made.part))

    candidates = tuple(replace(c, part=m.part or "", module=m) for c in p.candidates for m in [other(c.module)])
    now = {s: other(m) if isinstance(m, Module) and r.random() < 0.3 else m for s, m in p.layout.items()}
    return replace(p, layout=Layout(now), candidates=candidates, trials=p.trials if r.random() < 0.3 else ())


def rated_problem(seed: int) -> Problem:
    """One of two or three sockets, each at a rate of its own, with modules that differ in hardly more than how they are rated."""
    r = Random(seed + 19)
    three = r.random() < 0.3
    over = ["P1", "P2", "P3"][: 3 if three else 2]
    data = merged(merged(TWIN, _common(r)), {
        "rate_alike": None,
        "sockets": {s: {"processors": ["p", "q"] if r.random() < 0.3 else ["p"]} for s in over},
        "repeat": {"over": over, "channels": {"A": ["A1"], "B": ["B1"]}, "slots": {"*2": None, "*1": None}},
    })  # fmt: skip
    if r.random() < 0.3:
        data["repeat"]["population"] = [_order(r, [["A1"], ["B1"]])]
    sheet = sheet_from_data(data)

    def module(part: str) -> Module:
        size = r.choice(["16GB 1Rx4", "16GB 1Rx4", "32GB 2Rx4"])
        rate = r.choice(["2133P-RC0", "2400T-RC1", "2666V-RC2", "2666V-RC2", "3200AA-RC2"])
        return replace(decode_label(f"{size} PC4-{rate}").module, part=part, maker=r.choice(_MAKERS[:2]))

    candidates = tuple(_candidate(r, module(f"N{i}")) for i in range(r.randint(1, 2 if three else 3)))
    held = [module("F0"), r.choice([module("F1"), candidates[0].module])][: 1 if three else 2]
    fitted = r.sample(list(sheet.slots), r.choice([0, 1, 2, 3]))
    now = Layout({s: replace(r.choice(held), serial=f"S{i}") for i, s in enumerate(fitted)})
    wishes = Wishes(
        usable_gib=r.choice([None, 16, 32, 48]),
        keep_fitted=r.random() < 0.2,
        uneven=r.random() < 0.7,
        less_memory=r.random() < 0.6,
        less_bandwidth=r.random() < 0.7,
    )
    processors = {s: x.processors[-1] for s, x in sheet.sockets.items()}
    return Problem(sheet, Machine(processors), now, candidates, wishes, today=date(2026, 3, 1))


def _live(p: Problem) -> list[str]:
    """Slots on sockets that have, or may have, a processor."""
    return [s for s in p.sheet.slots if p.machine.processors.get(p.sheet.socket_of_slot[s], "not told")]


def hardly_told_problem(seed: int) -> Problem:
    """One whose sheet leaves out most of what the others tell: the order, limits, kinds, what stands together, rates."""
    r, numbers = Random(seed + 13), Random(seed + 17)

    def told(data: dict[str, Any]) -> None:
        for of in (data, data["memory"], *data["processors"].values()):
            for key in [k for k in _MAY_BE_UNTOLD if k in of]:
                if r.random() < 0.6:
                    del of[key]
        for limit in data.get("limits") or ():
            # That there is a limit is told, and not how much.
            amount = next((n for n in ("capacity_gib", "die_gbit") if n in limit), None)
            if amount and numbers.random() < 0.5:
                limit[amount] = "open"

    p = random_problem(seed, told)
    if seed % 5 == 4:
        # Nobody says which processors are in it, or whether there are any.
        p = replace(p, machine=replace(p.machine, processors={}))
    return replace(p, trials=p.trials if r.random() < 0.3 else ())


_MAY_BE_UNTOLD = (
    "population",
    "limits",
    "never_together",
    "accepts",
    "package_ranks_per_channel",
    "faster_modules",
    "rate_table",
    "rates_mts",
)


def kept_problem(seed: int) -> Problem:
    """One of the others, of whose fitted modules some keep their content, a few being of main memory in part, or are of a size
    that nobody knows."""
    r = Random(seed + 23)
    p = r.choice([random_problem, mixed_problem, hardly_told_problem])(seed)
    held = [s for s, m in p.layout.items() if isinstance(m, Module)]

    name = r.choice(["NVDIMM-N", "NVDIMM-N", None])

    def keeping(m: Occupant) -> Occupant:
        size = m.capacity_gib if isinstance(m, Module) and r.random() < 0.4 else None  # type: ignore[union-attr]
        return replace(m, keeps=name, capacity_gib=size if name else None) if isinstance(m, Module) else m

    kept = {s: keeping(p.layout[s]) for s in r.sample(held, min(len(held), r.choice([1, 1, 2])))}
    wishes = replace(p.wishes, move_content=r.random() < 0.3)
    return replace(p, layout=Layout({**p.layout, **kept}), wishes=wishes)


def unseen_problem(seed: int) -> Problem:
    """One of which nobody saw some or any of what is fitted run."""
    r = Random(seed + 29)
    p = r.choice([random_problem, mixed_problem, hardly_told_problem, hardly_told_problem])(seed)
    share = r.choice([0.0, 0.0, 0.5])
    return replace(p, ran=Layout({s: m for s, m in p.layout.items() if m is not UNKNOWN and r.random() < share}))


#: Families of problems that are small enough for every layout to be enumerated.
FAMILIES = {
    "anything": random_problem,
    "several kinds fitted": mixed_problem,
    "makers not told": nameless_problem,
    "slots not known": unknown_problem,
    "facts not told": untold_problem,
    "sheets that hardly tell": hardly_told_problem,
    "sockets at rates of their own": rated_problem,
    "content that stays, sizes not known": kept_problem,
    "not all seen to run": unseen_problem,
}


def astray(p: Problem) -> str | None:
    """How a search that calls itself proved differs from the enumeration of every layout; "" where it does not, None where it is
    not proved."""
    found = search(p)
    if not found.proved:
        return None
    ours, (all_, least) = {w.measures.key(p.steps) for w in found.routes}, enumerate_frontier(p)
    if least is not None and (not found.routes or found.routes[0].cost != least):
        return f"the cheapest costs {found.routes[0].cost if found.routes else None}, not {least}"
    # What is cheaper by less than a step than what beats it is there as well.
    more = ours - all_ - {w.measures.key(p.steps) for w in found.routes[:1]}
    return "" if all_ <= ours and not more else f"missing {sorted(all_ - ours)[:3]}, too many {sorted(more)[:3]}"


def _candidate(r: Random, m: Module) -> Candidate:
    kit = r.choice([1, 1, 2, 4])
    made = Candidate(
        part=m.part or "",
        module=m,
        price=Decimal(r.choice([0, 9, 25, 40, 55])) * kit * int(m.capacity_gib or 1) / 4,
        kit=kit,
        stock=r.choice([None, None, 1, 2, 3, 4]),
        listed=r.choice([None, None, True, False]),
        origin=r.choice([Origin.OFFER, Origin.OFFER, Origin.SHELF]),
    )
    # What lies on the shelf is new one time in three.
    return replace(made, pulled=made.origin is Origin.SHELF and (made.price + kit) % 3 != 0)


def _wishes(r: Random) -> Wishes:
    def maybe(value: Any) -> Any:
        return value if r.random() < 0.12 else None

    return Wishes(
        usable_gib=maybe(r.choice([4, 8, 12, 32, 48])),
        budget=maybe(Decimal(r.choice([50, 200, 400]))),
        keep_warranty=r.random() < 0.15,
        third_party=r.random() < 0.85,
        over_official=r.random() < 0.85,
        free_slots=maybe(1),
        rate_mts=maybe(r.choice([1333, 1600, 2400])),
        keep_fitted=r.random() < 0.15,
        top_trouble=maybe(r.choice([0.0, 0.2, 0.5])),
        uneven=r.random() < 0.4,
    )


def _trial(r: Random, sheet: Sheet, m: Module) -> Trial:
    outcome = r.choice(list(Outcome))
    held = r.choice(
        [
            Held(),
            Held(most={"channel": r.choice([4, 16, 64])}),
            Held(makers=frozenset(r.sample(_MAKERS, 2)), most={"socket": 16}),
        ]
    )
    return Trial(
        f"t{m.part}", sheet.id, outcome, r.choice(list(SourceKind)), date(2025, 6, 1), None, m.part, None,
        r.choice([m, m, None]), r.choice([8, 16, 40, 96]), 20, source=r.choice(["", m.part or ""]), held=held,
    )  # fmt: skip


def _common(r: Random) -> dict[str, Any]:
    mode = r.choice(
        [
            {"usable_share": 0.5, "bandwidth_factor": 0.8, "counts": [2, 4]},
            {"spare_ranks": 1},
            {"channels_used": 1, "alike": ["capacity_gib"]},
        ]
    )
    limits = [
        {"id": "top", "scope": "machine", "capacity_gib": r.choice([8, 32]), "official": True, "source": "guide"},
        {"id": "chan", "scope": "channel", "capacity_gib": r.choice([8, 32]), "official": True, "source": "guide"},
        {
            "id": "sock",
            "scope": "socket",
            "capacity_gib": r.choice([8, 48]),
            "hard": r.random() < 0.5,
            "source": "guide",
        },
        {"id": "die", "scope": "die", "die_gbit": r.choice([2, 4, 8]), "source": "cpu"},
        {
            "id": "new",
            "scope": "machine",
            "capacity_gib": 64,
            "official": True,
            "replaces": ["top"],
            "firmware": {"from": "2.0"},
            "source": "guide",
        },
    ]
    return {
        "memory": {
            "modes": {"mirroring": mode},
            "ecc_mixed": r.choice(["refused", "loses"]),
            "package_ranks_per_channel": r.choice([None, None, 2, 3]),
        },
        "listed": [{"part": "N0", "source": "guide"}] if r.random() < 0.6 else None,
        "limits": [x for x in limits if r.random() < 0.25] or None,
        "reserve": {"fixed_mib": 64, "share": 0.01},
    }  # fmt: skip


def _order(r: Random, sets: list[list[str]]) -> dict[str, Any]:
    flat = [s for each in sets for s in each]
    counts = {1: [flat[-1:]], len(flat): [flat]}
    return {
        **({"fill": sets} if r.random() < 0.7 else {"counts": counts}),
        "higher_ranks_far": r.random() < 0.3,
        "other_counts": r.choice(["refused", "unsupported", "slower"]),
        "otherwise": r.choice(["refused", "unsupported", "slower"]),
        "alike_in_set": r.choice([[], ["capacity_gib"], ["capacity_gib", "package_ranks"], ["part"]]),
        "larger_first": r.random() < 0.5,
        "source": "guide",
    }


def _small(r: Random) -> dict[str, Any]:
    """One socket: two channels of one or two slots, perhaps soldered memory, slots behind others, an end of warranty."""
    shape = r.choice(["2x2", "2x1", "soldered", "behind"])
    channels: dict[str, Any] = {"A": ["A1", "A2"], "B": ["B1", "B2"]}
    slots: dict[str, Any] = {"*1": {"position": "far"}, "*2": {"position": "near"}}
    if shape == "2x1":
        channels, slots = {"A": ["A1"], "B": ["B1"]}, {}
    elif shape == "soldered":
        channels = {
            "A": {
                "soldered": {
                    "generation": "DDR3",
                    "buffering": "unbuffered",
                    "capacity_gib": 4,
                    "package_ranks": 1,
                    "rate_mts": 1600,
                    "rails_v": [1.35, 1.5],
                    "ecc": False,
                }
            },
            "B": ["B1"],
        }
        slots = {}
    elif shape == "behind":
        channels, slots = {"A": ["A1"], "B": ["B1", "B2"]}, {"B1": {"behind": ["A1"]}, "B2": {"access": "deep"}}
    named = [s for c in channels.values() if isinstance(c, list) for s in c]
    sets = [[s for s in named if s.endswith(n)] for n in "12"]
    ordered = r.random() < 0.5 and shape in ("2x2", "2x1")
    return merged(
        {**SMALL, "channels": channels, "slots": slots},
        merged(
            _common(r),
            {
                "population": [_order(r, [s for s in sets if s])] if ordered else None,
                "access": {"deep": {"minutes": 20, "ends_warranty": True}} if shape == "behind" else None,
                "processors": {"p": {"refuses_above_mts": r.choice([None, 1333]), "limits": r.choice([None, [{"scope": "channel", "capacity_gib": 8, "hard": True}]])}},
            },
        ),
    )  # fmt: skip


def _twin(r: Random) -> dict[str, Any]:
    """Two sockets of two channels of one slot each, unlike processors among them."""
    over: dict[str, Any] = {
        "repeat": {"channels": {"A": ["A1"], "B": ["B1"]}, "slots": {"*2": None, "*1": None}},
    }
    alike = {"rate_alike": r.choice(["machine", None])}
    if r.random() < 0.6:
        across = r.choice([{}, {"even_over": "sockets"}, {"symmetric": True}, {"least_per_processor": 2}])
        over["population"] = [{"source": "guide", **across}] if across else None
        over["repeat"]["population"] = [_order(r, [["A1"], ["B1"]])]
    return merged(merged(TWIN, merged(_common(r), over)), alike)


# -- the enumeration --------------------------------------------------------------------------------------


def enumerate_frontier(p: Problem) -> tuple[set[tuple[int, ...]], Decimal | None]:
    """Keys of every layout that nothing beats; the least that any costs."""
    kinds: dict[Module, dict[str, Any]] = {}

    def like(m: Module) -> Module:
        return replace(m, serial=None, made=None)

    for m in p.layout.values():
        if isinstance(m, Module):
            kinds.setdefault(like(m), {"fitted": 0, "sources": []})["fitted"] += 1
    for c in p.candidates:
        kinds.setdefault(like(c.module), {"fitted": 0, "sources": []})["sources"].append(c)
    keys, least, now = set(), None, _gives(p)
    # What nobody knows stays where it is, or goes.
    options = [[None, *kinds, *([UNKNOWN] if p.layout.get(s) is UNKNOWN else [])] for s in p.sheet.slots]
    for chosen in product(*options):
        layout = _with_individuals(p, dict(zip(p.sheet.slots, chosen, strict=True)))
        found = _key(p, layout, kinds, now)
        if found is not None:
            key, cost = found
            keys.add(key)
            least = cost if least is None else min(least, cost)
    unbeaten = {k for k in keys if not any(o != k and all(a <= b for a, b in zip(o, k, strict=True)) for o in keys)}
    return unbeaten, least


def _with_individuals(p: Problem, slots: dict[str, Occupant | None]) -> Layout:
    """The very modules that are fitted stay where a like one is wanted."""
    made = {}
    for slot, m in slots.items():
        held = p.layout.get(slot)
        stays = isinstance(held, Module) and isinstance(m, Module) and replace(held, serial=None) == m
        made[slot] = held if stays else m
    return Layout(made)


def _key(
    p: Problem, layout: Layout, kinds: dict[Module, dict[str, Any]], now: tuple[float, float]
) -> tuple[tuple[int, ...], Decimal] | None:
    counts = Counter(replace(m, serial=None) for m in layout.values() if isinstance(m, Module))
    cost, pulled = Decimal(0), 0
    for m, n in counts.items():
        more = n - kinds[m]["fitted"]
        if more > 0:
            found = _cheapest(kinds[m]["sources"], more)
            if found is None:
                return None
            cost, pulled = cost + found[0], pulled + min(found[1], more)
    soldered = any(c.soldered for c in p.sheet.channels.values())
    if not counts and not soldered:
        return None
    ctx = question(p.sheet, p.machine, layout, p.statements, p.layout, p.ran)
    judged = evaluate_in(ctx)
    codes = {f.code for f in judged.findings if f.severity == "risk"}
    if any(f.severity == "stop" for f in judged.findings):
        return None
    told = dict(sorted(((c.part, c.listed) for c in p.candidates if c.listed is not None), key=lambda t: not t[1]))
    board, resting = board_of(p.sheet, p.machine, p.statements), resting_of(ctx, judged, p.layout, told)
    beliefs = [believe(board, d, p.trials, p.today, p.table) for d in resting.doubts]
    found = trouble_of(beliefs, table=p.table, comes=resting.comes, pulled=pulled)
    trouble = found.probability
    steps = [a for a in actions(p.sheet, p.layout, layout) if a.do is not Do.KEEP]
    touches = sum((a.source in p.sheet.slots) + (a.target in p.sheet.slots) for a in steps)
    live = _live(p)
    free = len([s for s in live if s not in layout])
    sustained = sum(s.sustained_gbs or 0 for s in judged.sockets)
    w = p.wishes
    listed = {line.part for line in p.sheet.listed} - {c for c, is_it in told.items() if not is_it}
    listed |= {c for c, is_it in told.items() if is_it}
    if (
        judged.usable_gib < (w.usable_gib or 0)
        or cost > (inf if w.budget is None else w.budget)
        or (w.keep_warranty and "risk.warranty" in codes)
        or (not w.third_party and any(m.part not in listed and n > kinds[m]["fitted"] for m, n in counts.items()))
        or (not w.over_official and judged.over_official is not False)
        or free < (w.free_slots or 0)
        or (w.rate_mts and (judged.data_rate_mts or 0) < w.rate_mts)
        or (w.keep_fitted and any(counts[m] < k["fitted"] for m, k in kinds.items()))
        or (w.keep_fitted and any(m is UNKNOWN and layout.get(s) is not UNKNOWN for s, m in p.layout.items()))
        or (not w.move_content and "risk.content" in codes)
        or (not w.less_memory and judged.usable_gib < now[0] - 1e-6)
        or (not w.less_bandwidth and sustained < now[1] - 1e-6)
        or (w.top_trouble is not None and found.doubted > w.top_trouble + 1e-9)
    ):
        return None
    excused = {"order.balance", "order.channel-single"} if soldered else set()
    # Asked of modules alone: whether it is against the order is not known.
    open_ = {id(f) for f in judged.findings if f.needs and not any(n.startswith("sheet.") for n in f.needs)}
    against = [f for f in judged.findings if f.code.startswith("order.") and id(f) not in open_]
    if not w.uneven and any(f.code not in excused for f in against):
        return None

    def floored(value: float, step: float) -> int:
        return floor(round(value / step, 6))

    money, gbs, part = float(p.steps.money), p.steps.gbs, p.steps.probability
    return (
        floor(float(cost) / money), floored(trouble, part), -floored(sustained, gbs), -floored(judged.usable_gib, 0.0001), -free, touches,
    ), cost  # fmt: skip


def _gives(p: Problem) -> tuple[float, float]:
    """Usable memory and sustained bandwidth now; nothing of what does not run."""
    judged = evaluate_in(question(p.sheet, p.machine, p.layout, p.statements, p.layout, p.ran))
    if any(f.severity == "stop" for f in judged.findings):
        return 0.0, 0.0
    return judged.usable_gib, sum(s.sustained_gbs or 0 for s in judged.sockets)


def _cheapest(sources: list[Candidate], wanted: int) -> tuple[Decimal, int] | None:
    """The least that so many modules cost and the fewest that were pulled for that, trying every number of kits of every source."""
    most = [ceil(wanted / c.kit) if c.stock is None else min(ceil(wanted / c.kit), c.stock // c.kit) for c in sources]
    options = [
        (
            sum((k * c.price for k, c in zip(kits, sources, strict=True)), Decimal(0)),
            sum(k * c.kit for k, c in zip(kits, sources, strict=True) if c.pulled),
        )
        for kits in product(*(range(n + 1) for n in most))
        if sum(k * c.kit for k, c in zip(kits, sources, strict=True)) >= wanted
    ]
    return min(options, default=None)
