"""Edges that a slip of the hand would move: each row is one that nothing else holds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from functools import partial
from typing import Any

import numpy as np
import pytest

from tests.core.sheets import SMALL, TWIN, found, judge, layout, merged
from umbrak.core.evaluate import evaluate_in, question
from umbrak.core.evidence.doubts import resting_of
from umbrak.core.evidence.table import USUAL
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Generation, Module
from umbrak.core.plan.arrange import dealt_out, next_set
from umbrak.core.plan.sizing import Member, Use, duty_while_open, use_of
from umbrak.core.platform.known import Origin
from umbrak.core.platform.machine import Layout, Machine, marked
from umbrak.core.platform.statement import Source, SourceKind, Statement
from umbrak.core.platform.survey import (
    FirmwareFacts,
    ProcessorFacts,
    SlotFacts,
    SlotHealth,
    SurveyReading,
    SystemFacts,
    sheet_likeness,
)
from umbrak.core.proof.compare import Comparison, RateProof, Seen, SlotProof, TotalProof
from umbrak.core.proof.soak import Events, Reading, Watched, soak
from umbrak.core.questions import _chips as chips
from umbrak.core.questions import _names as names_of
from umbrak.core.routes.bound import least_cost
from umbrak.core.routes.dominance import _FACTORS, distinct_rows
from umbrak.core.routes.material import kinds_of
from umbrak.core.routes.problem import Candidate, Problem, Steps, Wishes
from umbrak.core.routes.problem import Origin as Origins
from umbrak.core.rules.facts import _is_odd_size as is_odd_size
from umbrak.core.rules.uses import _untold_counting_matters as untold_counting
from umbrak.core.solve import floor_rate
from umbrak.formats.sheet.reading import sheet_from_data

R16, R32 = "16GB 1Rx4 PC4-2666V-RC2", "32GB 2Rx4 PC4-2666V-RB2"
L4, L8 = "4GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3L-12800U"


@pytest.mark.parametrize(("lowest", "rate"), [(800, 800), (1066, 1066), (1332, 1066), (1333, 1333), (1599, 1333), (1600, 1600), (9999, 1600)])  # fmt: skip
def test_a_rate_goes_down_to_the_processors_nearest(lowest: int, rate: int) -> None:
    assert floor_rate(sheet_from_data(SMALL).processors["p"], lowest) == rate


@pytest.mark.parametrize(
    ("processors", "slots", "rate"),
    [
        ({"P1": "p", "P2": "p"}, {"P1.A1": R16, "P2.A1": R16}, 2666),
        ({"P1": "q", "P2": "p"}, {"P1.A1": "16GB 1Rx4 PC4-2400T-RC2", "P2.A1": R16}, 2400),
        ({"P1": "p", "P2": "q"}, {"P1.A1": R16, "P2.A1": "16GB 1Rx4 PC4-2133P-RC2"}, 2133),
        # A socket without memory has no say, one whose rate is not told has every say.
        ({"P1": "p", "P2": "q"}, {"P1.A1": R16}, 2666),
        ({"P1": "p", "P2": "p"}, {"P1.A1": R16, "P2.A1": "16GB DDR4 RDIMM"}, None),
    ],
)
def test_the_machines_rate_is_the_lowest_of_its_sockets(processors: Any, slots: Any, rate: int | None) -> None:
    apart = merged(TWIN, {"rate_alike": None})
    assert judge(apart, slots, Machine(processors)).data_rate_mts == rate


def says(gib: float, kind: SourceKind, name: str, **more: Any) -> Statement:
    return Statement(name, "machine", Source(name, kind), capacity_gib=gib, **more)


#: Nobody states a total.
DIES = merged(SMALL, {"limits": [{"source": "guide", "scope": "die", "die_gbit": "none"}]})
MAKER, CLAIM, HEARD = SourceKind.MACHINE_MAKER, SourceKind.SURVEY, SourceKind.HEARSAY


@pytest.mark.parametrize(
    ("statements", "codes"),
    [
        ([says(8, CLAIM, "claim")], {"risk.unproved"}),
        # Who is more trusted and allows as much settles it, at just that much too; who allows less does not, nor who is less trusted.
        ([says(8, CLAIM, "claim"), says(16, MAKER, "maker", official=True)], set()),
        ([says(8, CLAIM, "claim"), says(15, MAKER, "maker", official=True)], {"risk.over-official", "risk.unproved"}),
        ([says(8, CLAIM, "claim"), says(64, HEARD, "heard")], {"risk.unproved"}),
        # People are not pardoned as a machine's tables are.
        ([says(8, HEARD, "heard"), says(16, MAKER, "maker", official=True)], {"risk.unproved"}),
    ],
)
def test_who_vouches_for_a_total(statements: list[Statement], codes: set[str]) -> None:
    judged = judge(DIES, {"A1": L8, "B1": L8}, statements=tuple(statements))
    assert {c for c, severity, _ in found(judged) if severity == "risk"} == codes


def test_the_notch_of_ddr5_alone_is_told() -> None:
    sheet = merged(SMALL, {"memory": {"generation": "DDR5", "rails_v": [1.1], "rail_policy": None, "accepts": [{"buffering": "unbuffered", "ecc": False}]}})  # fmt: skip
    wrong = judge(sheet, {"A1": "16GB 1Rx8 PC5-4800B-RA0", "B1": "16GB 1Rx8 PC5-4800B-RA0"})
    assert {c for c, _, _ in found(wrong) if c.partition(".")[0] in ("fit", "kind", "power")} == {"fit.form"}
    right = judge(sheet, {"A1": "16GB 1Rx8 PC5-4800B-UA0", "B1": "16GB 1Rx8 PC5-4800B-UA0"})
    assert "fit.form" not in {c for c, _, _ in found(right)}
    # A kind that DDR5 does not have tells no notch.
    odd = merged(sheet, {"memory": {"accepts": [{"buffering": "fully-buffered"}]}})
    assert "fit.form" not in {c for c, _, _ in found(judge(odd, {"A1": "16GB 1Rx8 PC5-4800B-RA0"}))}
    # Nobody tells which kinds it takes: what went into its slots tells the notch; where nothing ran, nobody does.
    del sheet["memory"]["accepts"]
    for now, verdict in (
        ({"A1": "16GB 1Rx8 PC5-4800B-UA0"}, "no-go"),
        ({"A1": "16GB 1Rx8 PC5-4800B-RA0"}, "go"),
        ({}, "undecided"),
    ):
        judged = judge(sheet, {"A1": "32GB 2Rx8 PC5-4800B-RA0"}, before=now)
        assert (("fit.form", "stop", ("A1",)) in found(judged)) is (verdict == "no-go")
        assert judged.verdict == verdict


PAIRS = merged(TWIN, {"repeat": {"population": [{"fill": [["A1", "B1"], ["A2", "B2"]]}]}})
BOTH = Machine({"P1": "p", "P2": "p"})


@pytest.mark.parametrize(
    ("now", "then"),
    [
        # Of two places with as few the first; a fitted module of the set stays where it is.
        ({}, {"P1.A1": R16, "P1.B1": R16}),
        ({"P1.A1": R16, "P2.A1": R16}, {"P1.A1": R16, "P1.B1": R16, "P2.A1": R16}),
        ({"P1.B1": R16, "P1.A1": R16, "P2.A1": R16}, {"P1.A1": R16, "P1.B1": R16, "P2.A1": R16, "P2.B1": R16}),
    ],
)
def test_the_next_set_goes_where_fewest_are_and_the_first_of_equals(now: Any, then: Any) -> None:
    assert next_set(sheet_from_data(PAIRS), BOTH, layout(now), decode_label(R16).module) == layout(then)


def test_of_as_many_modules_the_poorer_socket_gets_the_next() -> None:
    now = {"P1.A1": R32, "P1.B1": R16, "P1.A2": R32, "P1.B2": R16}
    dealt = dealt_out(sheet_from_data(PAIRS), BOTH, layout(now))
    assert dealt is not None
    assert [sum(m.capacity_gib or 0 for s, m in dealt.items() if s[:2] == p and isinstance(m, Module)) for p in ("P1", "P2")] == [48, 48]  # fmt: skip


SEEN = SurveyReading("smbios", slots=tuple(SlotFacts(s) for s in ("A1", "A2", "B1", "B2")))


@pytest.mark.parametrize(
    ("reading", "score", "same"),
    [
        (replace(SEEN, slots=()), 0, False),
        (replace(SEEN, slots=SEEN.slots[:3]), 2, False),
        (replace(SEEN, slots=(*SEEN.slots, SlotFacts("C9"))), 0, False),
        (replace(SEEN, slots=(*SEEN.slots[:3], SlotFacts("Z9"))), 1, False),
        (SEEN, 3, False),
        (replace(SEEN, processors=(ProcessorFacts("CPU", "Some p 4 cores"),)), 3, False),
        (replace(SEEN, processors=(ProcessorFacts("CPU", "Corrin Tarn"),)), 6, False),
        (replace(SEEN, system=SystemFacts("Maker", "Small")), 7, True),
        (replace(SEEN, system=SystemFacts("Maker", "Small"), firmware=FirmwareFacts(version="1")), 7, True),
        (replace(SEEN, slots=(SlotFacts("A1", module=decode_label(R16).module),)), 0, False),
    ],
)
def test_what_speaks_for_a_sheet(reading: SurveyReading, score: int, same: bool) -> None:
    sheet = sheet_from_data(merged(SMALL, {"processors": {"p": {"title": "Corrin Tarn"}}}))
    likeness = sheet_likeness(sheet, reading)
    assert (likeness.score, likeness.same_model) == (score, same)
    assert len(likeness.reasons) == {0: 0, 1: 1, 2: 1, 3: 2, 6: 3, 7: 3}[score]


@pytest.mark.parametrize(
    ("maker", "model", "score", "same"),
    [
        ("Maker", "GL4-R", 7, True),
        ("maker", "gl4 r", 7, True),
        (None, "GULL IV", 7, True),
        # A family's name in a longer one is no name, nor is a maker alone.
        ("Maker", "GL4-R2", 3, False),
        ("Maker", "GL4", 3, False),
        ("GL4-R", None, 3, False),
        ("Maker", None, 3, False),
        (None, "", 3, False),
    ],
)
def test_a_model_is_known_by_any_of_its_names(maker: str | None, model: str | None, score: int, same: bool) -> None:
    sheet = sheet_from_data(merged(SMALL, {"models": ["GL4-R", "GULL IV", "--"]}))
    likeness = sheet_likeness(sheet, replace(SEEN, system=SystemFacts(maker, model)))
    assert (likeness.score, likeness.same_model) == (score, same)


LISTED = merged(SMALL, {"listed": [{"part": "X-1", "source": "guide"}], "limits": [{"source": "guide", "scope": "machine", "capacity_gib": 8, "official": True}]})  # fmt: skip
X8, Y8 = {"generation": "DDR3", "form": "DIMM", "buffering": "unbuffered", "ecc": False, "capacity_gib": 8, "package_ranks": 2, "device_width": 8, "rails_v": [1.35, 1.5], "rate_mts": 1600, "part": "Y-1"}, L8 + " P/N: Z-9"  # fmt: skip


@pytest.mark.parametrize(
    ("before", "then", "kinds"),
    [
        (None, {"A1": X8, "B1": X8}, {"reach", "part"}),
        # What runs settles its parts and as much as its total, at just that much too; no other part, and no more.
        ({"A1": X8, "B1": X8}, {"A1": X8, "A2": X8}, set()),
        ({"A1": X8}, {"A1": X8, "B1": X8}, {"reach"}),
        ({"A1": X8, "B1": X8}, {"A1": X8, "B1": Y8}, {"part"}),
        ({"A1": X8, "B1": X8}, {"A1": X8, "B1": Y8, "A2": X8}, {"reach", "part"}),
    ],
)
def test_doubts_that_what_runs_has_settled(before: Any, then: Any, kinds: set[str]) -> None:
    ctx = question(sheet_from_data(LISTED), Machine(), layout(then))
    found = resting_of(ctx, evaluate_in(ctx), None if before is None else layout(before))
    assert {d.kind.value for d in found.doubts if d.lacks_word(USUAL)} & {"reach", "part"} == kinds


def slot(seen: Seen) -> SlotProof:
    return SlotProof(slot="A1", seen=seen, planned=None, found=None)


def total(right: bool | None) -> TotalProof:
    return TotalProof(name="installed", planned=1, seen=1, tolerance=0, right=right, words="")


@pytest.mark.parametrize(
    ("slots", "totals", "rate", "right"),
    [
        ([Seen.RIGHT], [True], True, True),
        ([Seen.RIGHT, Seen.RIGHT], [None], None, True),
        *(([Seen.RIGHT, odd], [True], True, False) for odd in (Seen.MISSING, Seen.UNLIKE, Seen.SMALLER, Seen.EXTRA)),
        *(([odd, Seen.RIGHT], [True], True, False) for odd in (Seen.MISSING, Seen.UNLIKE, Seen.SMALLER, Seen.EXTRA)),
        ([Seen.RIGHT], [True, False], True, False),
        ([Seen.RIGHT], [True], False, False),
        ([Seen.UNTOLD], [True], True, False),
        ([], [True], True, False),
    ],
)
def test_all_of_a_comparison_has_to_be_right(slots: Any, totals: Any, rate: bool | None, right: bool) -> None:
    found_ = Comparison(tuple(map(slot, slots)), tuple(map(total, totals)), RateProof(1, 1, rate, ""), ())
    assert found_.right is right


@pytest.mark.parametrize(
    ("label", "pieces"),
    [
        ("16GB 2Rx8 PC4-2400T-RE1-11", {"capacity_gib": "16GB", "package_ranks": "2Rx8", "device_width": "2Rx8", "generation": "PC4", "rate_mts": "2400", "timing": "T", "buffering": "RE1"}),
        ("x 8GB  1Rx4 PC3L-12800R odd", {"capacity_gib": "8GB", "package_ranks": "1Rx4", "rails_v": "L", "rate_mts": "12800", "buffering": "R"}),
        ("P/N: HLV5R-16 32 GB", {"part": "P/N: HLV5R-16", "capacity_gib": "32 GB"}),
        ("(4x32GB) DDR5-4800 CL40 odd one", {"kit": "4x32GB", "rate_mts": "4800", "timing": "CL40"}),
    ],
)  # fmt: skip
def test_the_pieces_of_a_label_stand_where_they_are_said_to(label: str, pieces: dict[str, str]) -> None:
    reading = decode_label(label)
    told = {u.field: label[u.start : u.end] for u in reading.understood}
    assert {f: told.get(f, "")[: len(words)] for f, words in pieces.items()} == pieces
    for u in reading.understood:
        assert label[u.start : u.end].strip() == label[u.start : u.end] != ""
    rest = " ".join(label[a:b] for a, b in reading.not_understood).split()
    assert [w for w in rest if w in ("x", "odd", "one")] == [w for w in label.split() if w in ("x", "odd", "one")]


@pytest.mark.parametrize(("used", "use"), [(0.0, Use.IDLE), (45.0, Use.IDLE), (45.1, Use.FITTING), (91.9, Use.FITTING), (92.0, Use.STARVED)])  # fmt: skip
def test_where_idle_ends_and_starving_begins(used: float, use: Use) -> None:
    assert use_of(used, 100) is use


@pytest.mark.parametrize(
    ("rails", "words"),
    [((1.35, 1.5), "DDR3L-1600"), ((1.5,), "DDR3-1600"), ((1.25, 1.35, 1.5), "DDR3L-1600"), ((1.25,), "DDR3U-1600"), ((), "DDR3-1600")],
)  # fmt: skip
def test_low_voltage_in_a_few_words(rails: tuple[float, ...], words: str) -> None:
    module = replace(decode_label(L8).module, rails_v=rails)
    assert module.short() == f"8 GB 2Rx8 {words} unbuffered"


MODES = merged(TWIN, {"memory": {"modes": {"spare": {"spare_ranks": 1}, "mirror": {"usable_share": 0.5, "alike": ["capacity_gib"]}}}})  # fmt: skip


@pytest.mark.parametrize(
    ("mode", "slots", "fires"),
    [
        ("spare", {"P1.A1": R16}, "risk"),
        ("spare", {"P1.A1": R16, "P1.A2": R16}, ""),
        ("spare", {"P1.A1": R32}, ""),
        ("spare", {"P1.A1": "16GB DDR4-2666 RDIMM"}, "ask"),
        ("mirror", {"P1.A1": R16, "P1.B1": R16}, ""),
        ("mirror", {"P1.A1": R16, "P1.B1": R32}, "risk"),
        ("mirror", {"P1.A1": R16, "P1.B1": "PC4-2666V-RC2"}, "ask"),
    ],
)
def test_what_a_mode_needs(mode: str, slots: Any, fires: str) -> None:
    judged = judge(MODES, slots, Machine({"P1": "p", "P2": None}, mode=mode))
    assert "".join(s for c, s, _ in sorted(found(judged)) if c == "mode.unmet") == fires
    needs = [n for f in judged.findings if f.code == "mode.unmet" for n in f.needs]
    assert needs == ([] if fires != "ask" else ["P1.A1.package_ranks"] if mode == "spare" else ["P1.B1.capacity_gib"])


KINDS = merged(SMALL, {"memory": {"accepts": {"open": "which kinds", "seen": [{"buffering": "unbuffered", "ecc": False}]}}})  # fmt: skip
ECC4 = "4GB 2Rx8 PC3L-12800E"


@pytest.mark.parametrize(
    ("slots", "before", "asked"),
    [
        ({"A1": L4}, None, ()),
        ({"A1": ECC4}, None, ("A1",)),
        ({"A1": L4, "B1": ECC4}, None, ("B1",)),
        ({"A1": ECC4, "B1": ECC4}, {"A1": ECC4}, ()),
        ({}, None, ()),
    ],
)
def test_kinds_that_were_seen_or_ran_are_not_asked(slots: Any, before: Any, asked: tuple[str, ...]) -> None:
    judged = judge(KINDS, slots, before=before)
    assert [f.slots for f in judged.findings if "memory.accepts" in "".join(f.needs)] == ([asked] if asked else [])


def test_the_worst_slot_decides_a_soak() -> None:
    quiet, loud = SlotHealth(correctable=0), SlotHealth(correctable=40)
    readings = [Reading(0.0, {"A1": quiet, "A2": quiet}), Reading(3.0, {"A1": quiet, "A2": loud})]
    watched = Watched({"A1": 0.0, "A2": 0.0}, {}, counts=True)
    made = soak(readings, 3.0, watched, Events(), 3.0, lambda s: f"slot {s}")
    rate = next(r for r in made.rules if r.name == "correctable")
    assert made.passed is False and rate.words.startswith("slot A2: 40 in 3 days")


def offer(price: int, kit: int = 1, stock: int | None = None) -> Candidate:
    return Candidate(
        part="X-1", module=decode_label(L8 + " P/N: X-1").module, price=Decimal(price), kit=kit, stock=stock
    )


@pytest.mark.parametrize(
    ("offers", "costs", "breaks"),
    [
        # One more is worth its price each time; then there are no more.
        ([offer(8, stock=3)], [0, 8, 16, 24], (3,)),
        # Kits are whole: of three in stock one kit of two can be had.
        ([offer(10, kit=2, stock=3)], [0, 10, 10], (2,)),
        ([offer(10, kit=2, stock=3), offer(8)], [0, 8, 10, 18, 26], (2, 4)),
        ([offer(10, kit=2), offer(8, stock=1)], [0, 8, 10, 18, 20], (2, 4)),
    ],
)
def test_what_so_many_of_a_kind_cost(offers: list[Candidate], costs: list[int], breaks: tuple[int, ...]) -> None:
    (kind,) = kinds_of(sheet_from_data(SMALL), Layout(), offers, 4)
    assert [c / 1000 for c in kind.cost] == costs
    assert kind.breaks() == breaks
    for count in range(len(costs)):
        bought = kind.bought(count)
        assert sum(b.price for b in bought) == costs[count] and sum(b.modules for b in bought) >= count


NOW = datetime(2031, 3, 1, tzinfo=UTC)
DDR5 = Module(generation=Generation.DDR5, package_ranks=1, device_width=8)


def runs_with(kind: str) -> bool:
    return Origin(kind, NOW).is_running


@pytest.mark.parametrize(
    ("found_", "wanted"),
    [
        (lambda: chips(DDR5, True), "10"),  # 2 * ceil(40 / 8)
        (lambda: chips(DDR5, False), "8"),
        (lambda: chips(replace(DDR5, package_ranks=None), True), "10 or 20"),
        (lambda: names_of(sheet_from_data(SMALL), ("A1", "A2", "B1")), "A1, A2, B1"),
        (lambda: names_of(sheet_from_data(SMALL), ("A1", "A2", "B1", "B2")), "A1, A2, B1 and 1 more"),
        (lambda: is_odd_size(Module(generation=Generation.DDR4)), False),
        (lambda: is_odd_size(Module(generation=Generation.DDR5)), None),
        (lambda: untold_counting([(None, Module()), (None, Module())], 16), False),
        (lambda: untold_counting([(None, Module()), (None, Module())], 15), True),
        (lambda: duty_while_open([Member("a", 64, 40)], "a").room_with_one_lost_gib, 0),
        (lambda: marked(layout({"A1": L8}), ["A1"])["A1"].failed, "mapped-out"),
        (lambda: marked(layout({"A1": L8}), ["A1"], ["A1"])["A1"].failed, "in-use"),
        (lambda: Steps(), Steps(Decimal(10), 1.0, 0.01)),
        (lambda: sheet_from_data(SMALL) == "small", False),
        *((partial(runs_with, kind), runs) for kind, runs in (("smbios", True), ("labels", False), ("nobody knows", False))),
        (lambda: Origin("by hand", NOW, over="smbios").is_running, True),
    ],
)  # fmt: skip
def test_figures_and_words_at_their_edges(found_: Callable[[], object], wanted: object) -> None:
    assert found_() == wanted


@pytest.mark.parametrize(
    ("slots", "offers", "wishes", "least"),
    [
        # Nothing can be had: what is soldered or in is enough, or there is no way.
        ({}, [], {}, 0),
        ({}, [], {"usable_gib": 8}, None),
        # A module for 8 GB, and no less; kits whole, no more of them than there are.
        ({}, [offer(10)], {"usable_gib": 8}, 10_000),
        ({}, [offer(10)], {"usable_gib": 9}, 20_000),
        ({}, [offer(10, kit=2)], {"usable_gib": 8}, 10_000),
        ({}, [offer(10, kit=2, stock=3)], {"usable_gib": 24}, None),
        ({}, [offer(10, kit=2, stock=4)], {"usable_gib": 24}, 20_000),
    ],
)
def test_what_any_route_costs_at_least(slots: Any, offers: list[Candidate], wishes: Any, least: int | None) -> None:
    p = Problem(
        sheet_from_data(SMALL), Machine(), layout(slots), tuple(offers), Wishes(**wishes), today=date(2026, 3, 1)
    )
    assert least_cost(p, kinds_of(p.sheet, p.layout, offers, 4), 4) == least


def test_of_one_part_the_shelf_comes_first_and_one_word_lists_it() -> None:
    shelf = replace(offer(8), origin=Origins.SHELF)
    (kind,) = kinds_of(sheet_from_data(SMALL), layout({}), [offer(5), shelf], 4)
    assert [c.origin for c in kind.sources] == [Origins.SHELF, Origins.OFFER]
    for listed, told in (((True, None), True), ((None, None), False), ((True, False), False)):
        offers = [replace(offer(5 + i), listed=x) for i, x in enumerate(listed)]
        (kind,) = kinds_of(sheet_from_data(SMALL), layout({}), offers, 4)
        assert kind.listed is told


@pytest.mark.parametrize(
    ("over", "slots", "code", "words"),
    [
        # One module that fails is one, and two modules on a claim are several.
        ({}, {"A1": {"capacity_gib": 8, "failed": "in-use"}}, "fit.failed", "A1: the module is failing"),
        ({"memory": {"rail_policy": "setting"}}, {"A1": L8}, "power.policy", "a firmware setting that is not known"),
        ({"memory": {"rail_policy": None}}, {"A1": L8}, "power.policy", "not said by the sheet"),
        ({"processors": {"p": {"rate_table": "open"}, "q": {"source": "cpu", "rate_table": [{"rate_mts": 1333}]}, "r": {"source": "cpu", "rate_table": "open"}}}, {"A1": L8}, "speed.untold", "nobody tells what rates P runs"),
    ],
)  # fmt: skip
def test_messages_at_their_edges(over: Any, slots: Any, code: str, words: str) -> None:
    said = [f.message for f in judge(merged(SMALL, over), slots).findings if f.code == code]
    assert any(words in m for m in said), said


def test_two_on_a_claim_are_better_in_stages() -> None:
    over = {"limits": [{"scope": "machine", "capacity_gib": 12, "official": True, "source": "guide"}]}
    said = {n: [f.message for f in judge(merged(SMALL, over), dict.fromkeys(slots, L8), before={}).findings if f.code == "risk.staging"] for n, slots in ((1, ["A1"]), (2, ["A1", "B1"]))}  # fmt: skip
    assert said == {1: [], 2: ["Guide states less: A1 first, proved, then the other 1 risks less"]}


def test_the_two_that_differ_most_change_places() -> None:
    over = {
        "memory": {"package_ranks_per_channel": "none"},
        "channels": {"A": ["A1", "A2", "A3"], "B": ["B1"]},
        "slots": {"A1": {"position": "far"}, "A2": {"position": "middle"}, "A3": {"position": "near"}},
        "population": [{"fill": [["A1", "A2", "A3"]], "higher_ranks_far": True, "source": "guide", "otherwise": "slower"}],
    }  # fmt: skip
    slots = {s: {"capacity_gib": 8, "package_ranks": r} for s, r in (("A1", 1), ("A2", 2), ("A3", 4))}
    said = [f for f in judge(merged(SMALL, over), slots).findings if f.code == "order.rank-far"]
    assert [f.slots for f in said] == [("A1", "A3")]


def test_rows_that_share_a_mark_and_differ_are_told_apart() -> None:
    """Equal rows are found by a number of 64 bits; two that differ and share it are made of its factors."""
    factor = int(_FACTORS[0].astype(np.int64))
    rows = np.array([[factor, 0], [0, 1], [factor, 0]], np.int64)
    distinct, group = distinct_rows(rows)
    assert len(distinct) == 2 and (distinct[group] == rows).all()
