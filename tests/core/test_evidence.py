"""What must hold of any evidence, beliefs by hand, and trouble with what it costs. (Situations: test_situations.py.)"""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from math import inf, prod
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.sheets import SMALL, TWIN, layout
from umbrak.core.evaluate import evaluate_in, question
from umbrak.core.evidence.belief import Belief, believe, reach_at_best
from umbrak.core.evidence.board import Board
from umbrak.core.evidence.doubt import Doubt, part_doubt
from umbrak.core.evidence.doubts import Resting, resting_of
from umbrak.core.evidence.ladder import Figure, Ladder
from umbrak.core.evidence.table import NUMBERS, USUAL, DoubtKind, Outcome, Table
from umbrak.core.evidence.trial import Held, Trial, unlike
from umbrak.core.evidence.trouble import NO_TROUBLE, Costs, break_even, range_of, trouble_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import organisation
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.statement import SourceKind
from umbrak.demo.seed import Scenario
from umbrak.formats.sheet.reading import sheet_from_data

TODAY = date(2026, 11, 23)
SHEET = sheet_from_data(SMALL)
PART = replace(decode_label("8GB 2Rx8 PC3L-12800U").module, part="ZZ-8", maker="Brisk")
OTHER = replace(decode_label("8GB 1Rx8 PC3L-12800U").module, part="YY-8", maker="Aldermoor")


def board(*figures: Figure, hard: float = inf) -> Board:
    ladders = {
        DoubtKind.REACH: Ladder(figures, hard, 0.0, "base"),
        DoubtKind.DENSITY: Ladder((Figure(4, "figure.density"),)),
    }
    return Board(SHEET, ("p",), "1.5", None, ladders)


def reach(on: Board, asks: float, runs: float = 0.0, **more: Any) -> Doubt:
    ladder = replace(on.ladders[DoubtKind.REACH], runs=runs)
    usual: dict[str, Any] = {"organisations": frozenset({organisation(PART)}), "most": {"slot": 8}}
    return Doubt(DoubtKind.REACH, "", SHEET.id, ("p",), asks, ladder, **{**usual, **more})


def trial(**more: Any) -> Trial:
    usual: dict[str, Any] = {
        "id": "t", "sheet": SHEET.id, "outcome": Outcome.FINE, "who": SourceKind.NAMED, "date": TODAY, "processor": "p",
        "part": "ZZ-8", "module": PART, "total_gib": 64, "soak_days": 14,
    }  # fmt: skip
    return Trial(**{**usual, **more})


# -- by hand ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("figure", "at", "chance"),
    [
        (Figure(32, "figure.processor"), 32, 0.995),  # not passed
        (Figure(32, "figure.processor"), 64, 0.995 * 0.7**2),  # once for passing it, once for the doubling
        (Figure(32, "figure.official"), 48, 0.995 * 0.95 ** (1 + 0.5849625)),
        (Figure(32, "figure.other"), 128, 0.995 * 0.9**3),
    ],
)
def test_a_ladder_starts_at_what_its_figures_leave(figure: Figure, at: float, chance: float) -> None:
    assert Ladder((figure,), base="base").prior(at, USUAL) == pytest.approx(chance)
    # Of several that are passed the most doubtful counts; beyond the address lines nothing works; what runs, runs.
    several = Ladder((figure, Figure(16, "figure.official")), hard=2 * at, runs=at / 8, base="base")
    assert several.prior(at / 8, USUAL) == 1 and several.prior(2.1 * at, USUAL) == 0
    assert several.prior(at, USUAL) <= chance + 1e-9


def test_what_ran_at_a_total_is_told_exactly_on_the_cells_between() -> None:
    """Two cells of T beside the figure 32: below 64 with 1 - S, from 64 on with S; what ran at 64 weighs that by 100^w."""
    on = board(Figure(32, "figure.processor"))
    s, w = 0.995 * 0.49, 0.7
    assert believe(on, reach(on, 64), [trial()], TODAY).works == pytest.approx(s * 100**w / (s * 100**w + 1 - s))
    part = 0.03 / (0.03 + 1 - s)  # how far the part may be to blame for what failed
    w = 0.7 * (1 - part)
    bad = trial(outcome=Outcome.NOT_SEEN, soak_days=0)
    assert believe(on, reach(on, 64), [bad], TODAY).works == pytest.approx(s * 0.1**w / (s * 0.1**w + 1 - s))
    odds = 0.97 / 0.03 * 0.1 ** (0.7 * part)
    assert believe(on, part_doubt(SHEET, ("p",), PART), [bad], TODAY).works == pytest.approx(odds / (1 + odds))


FITS = part_doubt(SHEET, ("p",), PART)
ON = board(Figure(32, "figure.official"))


@pytest.mark.parametrize(
    ("doubt", "given", "weight"),
    [
        (FITS, {}, 0.7),
        (FITS, {"revision": "B"}, 0.7 * 0.6),  # the same number may carry other chips
        (FITS, {"part": "QQ-1"}, 0.7 * 0.6),  # like organisation
        (FITS, {"part": "QQ-1", "sheet": "other"}, 0.7 * 0.6 * 0.3),
        (FITS, {"sheet": "other"}, 0.7 * 0.3),
        (FITS, {"part": "QQ-1", "module": OTHER}, None),
        (FITS, {"module": OTHER}, None),  # that part, with other chips
        (FITS, {"part": None, "module": None}, None),
        (FITS, {"soak_days": 7}, 0.7 * 0.75),
        (FITS, {"date": TODAY - timedelta(days=1826)}, 0.7 / 2),
        (FITS, {"date": TODAY + timedelta(days=5), "who": SourceKind.OWN_PROOF}, 1.25),
        (reach(ON, 64), {}, 0.7),
        (reach(ON, 64), {"date": TODAY - timedelta(days=3652)}, 0.7),  # address lines do not age
        (reach(ON, 64), {"module": OTHER}, 0.7 * 0.8),
        (reach(ON, 64), {"sheet": "other", "soak_days": 0}, 0.7 * 0.3 * 0.8),
        (reach(ON, 64), {"sheet": "other", "processor": "q"}, None),
        (reach(ON, 64), {"total_gib": None}, None),
    ],
)
def test_what_a_trial_weighs(doubt: Doubt, given: dict[str, Any], weight: float | None) -> None:
    found = believe(ON, doubt, [trial(**given)], TODAY).contributions
    assert [c.weight for c in found] == ([] if weight is None else [pytest.approx(weight)])


def test_trouble_and_break_even_by_hand() -> None:
    on = board(Figure(32, "figure.processor"))
    beliefs = [believe(on, d, [], TODAY) for d in (reach(on, 64), FITS)]
    s = 0.995 * 0.49
    both = trouble_of(beliefs, Costs(hour=50, downtime_hour=20, returned=30, data=10_000, backup_tiers=2), comes=2)
    assert both.doubted == pytest.approx(1 - s * 0.97) and both.early == pytest.approx(1 - 0.997**2)
    assert both.probability == pytest.approx(1 - s * 0.97 * 0.997**2)
    seen = (1 - 0.75 * (1 - s)) * (1 - 0.5 * 0.03)
    chances = {t.outcome: t.probability for t in both.terms}
    assert chances == pytest.approx(
        {
            "not-seen": 1 - seen,
            "unstable": seen - s * 0.97,
            "early": s * 0.97 * (1 - 0.997**2),
            "quirks": s * 0.97 * (1 - 0.85 * 0.98),
        }
    )
    # Hours at 50, without the machine at 20, a return 30; of 10 000 two tiers of backup leave 100.
    costs = {"not-seen": 150, "unstable": 200 + 60 + 30 + 100, "early": 150, "quirks": 50}
    assert {t.outcome: t.cost for t in both.terms} == costs
    loss = sum(chances[o] * costs[o] for o in costs)
    assert both.expected_loss == pytest.approx(loss)
    official = trouble_of([], Costs(hour=50, returned=30), comes=2)
    found = break_even(200, both, official)
    # The saving is had only where it runs; of the loss the official route's own is taken off.
    assert found.worth_it == (200 * s * 0.97 > loss - official.expected_loss)
    assert found.eaten_by is not None and found.eaten_by.outcome == "unstable"
    assert break_even(500, both).eaten_by is None
    assert break_even(10, NO_TROUBLE).trouble is None and trouble_of([]) is NO_TROUBLE


def test_what_a_layout_rests_on() -> None:
    scenario = Scenario.read()
    given = next(m for m in scenario.machines if m["name"] == "gauge-01")
    sheet, machine, held = scenario.parts(given)
    ctx = question(sheet, machine, held)
    found = resting_of(ctx, evaluate_in(ctx))
    told = {(d.kind, d.asks, d.module and d.module.part) for d in found.doubts if d.lacks_word(USUAL)}
    assert told >= {(DoubtKind.REACH, 40, None)}
    assert any(d.kind is DoubtKind.PART and d.module and d.module.part == "ZX5S-32" for d in found.doubts)
    assert resting_of(ctx, evaluate_in(ctx), held).doubts == (), "what runs has settled itself"
    empty = question(sheet, machine, Layout())
    assert resting_of(empty, evaluate_in(empty)).doubts == ()


def test_a_part_that_carries_other_chips_is_another_module() -> None:
    tried = replace(decode_label("32GB 2Rx8 PC5-4800B-SB0").module, part="ZX")
    came = replace(decode_label("32GB 1Rx4 PC5-4800B-SC0").module, part="ZX")
    told = replace(tried, package_ranks=None, logical_ranks=None, device_width=None, die_gbit=None)
    assert unlike(tried, came) == ("1 package ranks instead of 2", "x4 devices instead of 8")
    assert unlike(tried, told) == unlike(None, came) == ()


def test_an_open_fact_counts_as_one_that_nobody_tells_and_each_once() -> None:
    """The density of four like modules is one fact, whatever asks for it."""
    bare = {**SMALL, "memory": {k: v for k, v in SMALL["memory"].items() if k != "accepts"}}
    sheet = sheet_from_data(bare)
    four = layout(dict.fromkeys(("A1", "B1", "A2", "B2"), "8GB 2Rx8 PC3L-12800U"))
    ctx = question(sheet, Machine(), four)
    untold = [d for d in resting_of(ctx, evaluate_in(ctx), Layout()).doubts if d.kind is DoubtKind.UNTOLD]
    assert len({d.about for d in untold}) == len(untold) and any("memory.accepts" in d.about for d in untold)
    assert all(d.prior(USUAL) in (0.9, 0.97, 0.5) and d.lacks_word(USUAL) for d in untold)


@pytest.mark.parametrize(
    ("ran", "comes", "chance"),
    [
        ([], ["8GB 2Rx8 PC4-2400T-UB1"], 0.5),
        ([], ["16GB 2Rx4 PC4-2400T-RA1"], 0.5),
        (["8GB 2Rx8 PC4-2400T-UB1"], ["16GB 2Rx4 PC4-2400T-RA1"], 0.15),
        (["16GB 2Rx4 PC4-2400T-RA1"], ["8GB 2Rx8 PC4-2400T-UB1"], 0.15),
        (["16GB 2Rx4 PC4-2400T-RA1"], ["16GB 2Rx4 PC4-2400T-RA1", "8GB 2Rx8 PC4-2400T-EB1"], 0.15),
        (["16GB 2Rx4 PC4-2400T-RA1"], ["64GB 4Rx4 PC4-2400T-LA1"], 0.9),
        (["8GB 2Rx8 PC4-2400T-UB1"], ["8GB 2Rx8 PC4-2400T-EB1"], 0.9),
        (["8GB 2Rx8 PC4-2400T-UB1"], ["16GB 2Rx8 PC4-2400T-UB1"], None),
    ],
)
def test_a_kind_that_did_not_run_is_doubted_by_what_did(ran: list[str], comes: list[str], chance: float | None) -> None:
    """Where nobody tells which kinds a board takes: the other bus hardly ever, a near relative mostly; without any hint, even."""
    memory = {k: v for k, v in SMALL["memory"].items() if k not in ("accepts", "rails_v", "rail_policy")}
    sheet = sheet_from_data({**SMALL, "memory": {**memory, "generation": "DDR4"}})
    before = layout(dict(zip(("A1", "B1"), ran, strict=False)))
    ctx = question(sheet, Machine(), layout(dict(zip(("A1", "B1"), comes, strict=False))), (), before)
    doubts = resting_of(ctx, evaluate_in(ctx), before).doubts
    found = [d.prior(USUAL) for d in doubts if d.kind is DoubtKind.UNTOLD and "memory.accepts" in d.about]
    assert found == ([] if chance is None else [chance])


# -- of any evidence --------------------------------------------------------------------------------------

GIBS = st.sampled_from([8, 16, 32, 40, 64, 96, 128])
HELD = st.builds(
    Held,
    most=st.dictionaries(st.sampled_from(["slot", "channel", "socket"]), st.sampled_from([4.0, 16.0, 32.0, 64.0])),
    makers=st.frozensets(st.sampled_from(["Brisk", "Aldermoor", "Corvane"])),
    facts=st.frozensets(st.sampled_from(["x", "y"])),
    firmware=st.sampled_from([None, "1.5", "2.0"]),
)
TRIAL = st.builds(
    trial,
    id=st.uuids().map(str),
    outcome=st.sampled_from(Outcome),
    who=st.sampled_from(SourceKind),
    date=st.dates(date(2015, 1, 1), date(2027, 1, 1)),
    soak_days=st.floats(0, 400),
    total_gib=st.none() | GIBS,
    sheet=st.sampled_from([SHEET.id, SHEET.id, "other"]),
    module=st.sampled_from([PART, OTHER, None]),
    part=st.sampled_from(["ZZ-8", "YY-8", None]),
    source=st.sampled_from(["", "a", "b"]),
    held=HELD,
)
TRIALS = st.lists(TRIAL, max_size=6)
VERSIONS = st.sampled_from([(), (), ("firmware",), ("firmware", "system")])
FIGURES = st.lists(
    st.builds(Figure, GIBS, st.sampled_from([n for n in NUMBERS if n.startswith("figure.")]), st.just(""), VERSIONS),
    max_size=4,
)
BOARDS = st.builds(lambda f, hard: board(*f, hard=hard), FIGURES, st.sampled_from([inf, 128.0]))


@st.composite
def doubted(draw: st.DrawFn) -> tuple[Board, Doubt]:
    on = draw(BOARDS)
    kind = draw(
        st.sampled_from([DoubtKind.REACH, DoubtKind.REACH, DoubtKind.PART, DoubtKind.UNTOLD, DoubtKind.MIXED_MAKERS])
    )
    if kind is DoubtKind.REACH:
        asks = draw(GIBS)
        most = draw(st.dictionaries(st.sampled_from(["slot", "channel", "socket"]), st.sampled_from([4.0, 32.0, 64.0])))
        return on, reach(on, asks, draw(st.sampled_from([0.0, asks / 2])), most=most)
    if kind is DoubtKind.PART:
        return on, FITS
    if kind is DoubtKind.UNTOLD:
        return on, Doubt(kind, "", SHEET.id, ("p",), number="untold", about="x")
    together = frozenset({"Brisk", "Aldermoor"})
    return on, Doubt(kind, "", SHEET.id, ("p",), number="mixed.makers", together=together)


def works(on: Board, doubt: Doubt, trials: list[Trial], table: Table = USUAL) -> float:
    return believe(on, doubt, trials, TODAY, table).works


EPS = 1e-9


@settings(max_examples=1000)
@given(doubted(), TRIALS, TRIAL)
def test_a_fine_trial_never_raises_trouble_and_a_failed_one_never_lowers_it(
    case: tuple[Board, Doubt], trials: list[Trial], one: Trial
) -> None:
    before, after = works(*case, trials), works(*case, [*trials, one])
    assert 0 <= after <= 1 + EPS
    assert after >= before - EPS if one.outcome.ran else after <= before + EPS


@settings(max_examples=1000)
@given(doubted(), TRIALS, st.randoms())
def test_neither_order_nor_copies_matter(case: tuple[Board, Doubt], trials: list[Trial], shuffle: Any) -> None:
    copied = [*trials, *(replace(t, id=f"copy of {t.id}") for t in trials)]
    shuffle.shuffle(copied)
    assert works(*case, copied) == pytest.approx(works(*case, trials), abs=1e-12)
    on, doubt = case
    if doubt.ladder.figures:
        twice = replace(doubt, ladder=replace(doubt.ladder, figures=doubt.ladder.figures * 2))
        assert works(on, twice, trials) == works(on, doubt, trials)


@settings(max_examples=1000)
@given(BOARDS, TRIALS, GIBS, GIBS, st.floats(0.5, 1))
def test_more_distance_never_lowers_trouble(
    on: Board, trials: list[Trial], one: float, other: float, soak: float
) -> None:
    """More asked of a ladder; a fine trial that is less like, older, shorter or of who is less believed."""
    near, far = sorted((one, other))
    assert works(on, reach(on, near, most={}), trials) >= works(on, reach(on, far, most={}), trials) - EPS
    told = trial(total_gib=far, source="a source of its own")
    less = [
        replace(told, sheet="other"),
        replace(told, module=OTHER),
        replace(told, soak_days=14 * soak),
        replace(told, who=SourceKind.HEARSAY),
    ]
    for doubt in (reach(on, near), FITS):
        best = works(on, doubt, [*trials, told])
        worse = [works(on, doubt, [*trials, t]) for t in less]
        assert max(worse) <= best + EPS, (best, worse)


@settings(max_examples=500)
@given(BOARDS, st.lists(st.sampled_from(range(4)), min_size=1, max_size=3, unique=True), TRIALS)
def test_the_point_lies_in_its_range_and_parts_come_to_the_whole(
    on: Board, which: list[int], trials: list[Trial]
) -> None:
    all_of = (reach(on, 64), FITS, part_doubt(SHEET, ("p",), OTHER), reach(on, 40))
    resting = Resting(tuple(all_of[i] for i in which), 2)
    beliefs: list[Belief] = [believe(on, d, trials, TODAY) for d in resting.doubts]
    found, spread = trouble_of(beliefs, comes=2), range_of(on, resting, trials, TODAY)
    assert found.probability == pytest.approx(1 - prod(b.works for b in beliefs) * 0.997**2)
    assert sum(t.probability for t in found.terms if t.outcome != "quirks") == pytest.approx(found.probability)
    assert all(t.probability >= -1e-12 for t in found.terms)
    assert 0 <= spread.low <= found.probability <= spread.high <= 1
    assert all(spread.low <= w.trouble.probability <= spread.high for w in spread.ways)


@settings(max_examples=500)
@given(
    BOARDS, TRIALS, GIBS, st.dictionaries(st.sampled_from(["slot", "channel", "socket"]), st.sampled_from([4.0, 32.0]))
)
def test_the_bound_of_a_total_is_never_below_any_layout(
    on: Board, trials: list[Trial], asks: float, most: dict[str, float]
) -> None:
    ladder = on.ladders[DoubtKind.REACH]
    assert reach_at_best(on, ladder, asks, trials, TODAY) >= works(on, reach(on, asks, most=most), trials) - EPS


def test_hearsay_moves_odds_at_most_tenfold_whatever_is_said() -> None:
    on = board(Figure(32, "figure.processor"))
    many = [trial(id=str(i), who=SourceKind.HEARSAY, source=f"thread {i}") for i in range(40)]
    prior = reach(on, 64).prior(USUAL)
    found = works(on, reach(on, 64), many)
    assert found / (1 - found) == pytest.approx(10 * prior / (1 - prior))


def test_modules_of_a_socket_without_a_processor_ran_nowhere() -> None:
    """Moved to one that has one they are more than ran, though nothing is bought; left where they are they rest on nothing."""
    sheet, label = sheet_from_data(TWIN), "16GB 1Rx4 PC4-2666V-RC2"
    machine = Machine({"P1": "p", "P2": None})
    now, moved = layout({"P1.A1": label, "P2.A1": label}), layout({"P1.A1": label, "P1.B1": label})

    def resting(goal: Layout) -> Resting:
        ctx = question(sheet, machine, goal, (), now)
        return resting_of(ctx, evaluate_in(ctx), now)

    assert resting(now) == Resting((), 0)
    found = resting(moved)
    assert found.comes == 1 and {d.kind for d in found.doubts} >= {DoubtKind.REACH}
