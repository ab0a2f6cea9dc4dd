"""Proof: the comparison by a table of cases, the soak's rule by hand, the fault search against what must be so."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.sheets import SMALL, merged
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant
from umbrak.core.proof.alerts import alert_is_expected
from umbrak.core.proof.compare import Comparison, Fresh, Seen, come_back, compare
from umbrak.core.proof.fault_search import SURE, look, weigh_at_once, what_to_do
from umbrak.core.proof.next_boot import Trial, _Scale, trials
from umbrak.core.proof.proposal import after_moves, contradicted
from umbrak.core.proof.states import At, Model
from umbrak.core.proof.suspects import SHOWINGS, Boot, Case, Kind, Showing, Suspect, Symptom
from umbrak.formats.sheet.reading import sheet_from_data

SHEET = sheet_from_data(
    merged(
        SMALL,
        {
            "reserve": {"fixed_mib": 512, "tolerance_mib": 128},
            "population": [
                {"fill": [["A1", "B1"], ["A2", "B2"]], "source": "guide", "clause": "2.1", "otherwise": "unsupported"}
            ],
        },
    )
)
P = Machine(processors={"CPU": "p"})
EIGHT = decode_label("8GB 2Rx8 PC3-12800E").module
FOUR = decode_label("4GB 1Rx8 PC3-12800E").module
GOAL = Layout({"A1": EIGHT, "B1": EIGHT, "A2": FOUR, "B2": FOUR})
ALL: dict[str, Occupant | None] = dict(GOAL)


def compared(fresh: Fresh, goal: Layout = GOAL) -> Comparison:
    seen = Layout({s: m for s, m in fresh.slots.items() if s not in fresh.failed})
    return compare(SHEET, goal, evaluate(SHEET, P, goal), fresh, evaluate(SHEET, P, seen))


@pytest.mark.parametrize(
    ("fresh", "slots", "words"),
    [
        pytest.param(Fresh(ALL), {}, "", id="right"),
        pytest.param(Fresh({**ALL, "A2": replace(FOUR, serial="7")}), {}, "", id="a serial learnt is no difference"),
        pytest.param(Fresh({**ALL, "A1": None}), {"A1": Seen.MISSING}, "not seen", id="missing"),
        pytest.param(Fresh(ALL, frozenset({"A1"})), {"A1": Seen.MISSING}, "as failed", id="switched off"),
        pytest.param(
            Fresh({**ALL, "A1": None, "A2": None}), {"A1": Seen.MISSING, "A2": Seen.MISSING}, "A1 and A2 share channel A", id="a channel"
        ),
        pytest.param(Fresh({**ALL, "A1": replace(EIGHT, capacity_gib=4)}), {"A1": Seen.SMALLER}, "4 of 8 GB", id="smaller"),
        pytest.param(Fresh({**ALL, "A1": replace(EIGHT, ecc=False)}), {"A1": Seen.UNLIKE}, "ECC no, not yes", id="unlike"),
        pytest.param(Fresh({**ALL, "A1": UNKNOWN}), {"A1": Seen.UNTOLD}, "does not tell", id="unknown"),
        pytest.param(Fresh({**ALL, "A1": Module(maker="Orrery")}), {"A1": Seen.UNTOLD}, "tells neither its size", id="something"),
        pytest.param(Fresh({**ALL, "A1": replace(EIGHT, capacity_gib=None)}), {"A1": Seen.UNTOLD}, "tells neither its size", id="no size"),
        pytest.param(Fresh({s: m for s, m in ALL.items() if s != "A1"}), {"A1": Seen.UNTOLD}, "does not tell", id="not told"),
        pytest.param(Fresh(ALL, rates=dict.fromkeys(ALL, 1066)), dict.fromkeys(ALL, Seen.SLOWER), "1066 of 1333", id="slower"),
        pytest.param(
            Fresh({**ALL, "A1": FOUR, "A2": EIGHT}), {"A1": Seen.ELSEWHERE, "A2": Seen.ELSEWHERE}, "it is in A2", id="changed places"
        ),
    ],
)  # fmt: skip
def test_slots_are_compared(fresh: Fresh, slots: dict[str, Seen], words: str) -> None:
    made = compared(fresh)
    assert {p.slot: p.seen for p in made.slots} == {**dict.fromkeys(GOAL, Seen.RIGHT), **slots}
    assert words in repr(made)
    assert made.right == (not slots), "a slot that nobody saw is never right"


def test_what_was_not_known_is_not_found_elsewhere() -> None:
    made = compared(Fresh({"A1": None, "A2": EIGHT}), Layout({"A1": UNKNOWN}))
    assert {p.slot: p.seen for p in made.slots} == {"A1": Seen.MISSING, "A2": Seen.EXTRA}


def test_one_more_and_one_elsewhere() -> None:
    goal = Layout({"A1": EIGHT, "B1": EIGHT})
    made = compared(Fresh({"A1": EIGHT, "B1": None, "B2": EIGHT, "A2": None}), goal)
    assert {p.slot: (p.seen, p.words) for p in made.slots} == {
        "A1": (Seen.RIGHT, ""),
        "B1": (Seen.ELSEWHERE, "it is in B2"),
        "B2": (Seen.EXTRA, "nothing was planned here"),
    }


@pytest.mark.parametrize(
    ("fresh", "name", "right", "words"),
    [
        (Fresh(ALL), "installed", True, ""),
        (Fresh({"A1": EIGHT}), "installed", None, ""),
        (Fresh({}, installed_gib=20), "installed", False, "4 GB short"),
        (Fresh({}, usable_gib=23.4), "usable", True, "as its sheet says"),
        (Fresh({}, usable_gib=22), "usable", False, "1.5 GB less"),
        (Fresh({}), "usable", None, "does not tell"),
        (Fresh({}, installed_gib=24, usable_gib=23.5), "reserved", True, ""),
        (Fresh({}, installed_gib=24, usable_gib=22.3), "reserved", False, ""),
    ],
)
def test_totals_have_their_tolerance(fresh: Fresh, name: str, right: bool | None, words: str) -> None:
    total = next(t for t in compared(fresh).totals if t.name == name)
    assert (total.right, words in total.words) == (right, True)


def test_what_the_machine_keeps_is_not_told_where_its_sheet_does_not() -> None:
    planned = replace(evaluate(SHEET, P, GOAL), usable_gib=24.0, tolerance_gib=None)
    totals = compare(SHEET, GOAL, planned, Fresh({}), planned).totals
    assert [t.planned_words for t in totals] == ["24 GB", "at most 24 GB", "not told"]
    # Of a slot that nobody looked into no total is more than a least, whatever the sheet tells.
    for tolerance in (None, 0.5):
        unseen = replace(planned, not_counted=1, tolerance_gib=tolerance)
        words = [t.planned_words for t in compare(SHEET, GOAL, unseen, Fresh({}), unseen).totals]
        assert words == ["at least 24 GB", "at least 24 GB", "not told"]
    mirrored = replace(planned, usable_gib=12.0)
    assert compare(SHEET, GOAL, mirrored, Fresh({}), mirrored).totals[2].planned_words == "at least 12 GB"


def test_snmp_cannot_tell_more_than_two_tebibytes() -> None:
    large = replace(evaluate(SHEET, P, GOAL), usable_gib=3000.0, installed_gib=3072.0)
    made = compare(SHEET, GOAL, large, Fresh({}, usable_gib=2048, kind="snmp"), large)
    assert made.totals[1].right is None and "2 TiB" in made.totals[1].words


def test_a_lower_rate_is_explained_or_not() -> None:
    slow = replace(FOUR, rate_mts=1066)
    explained = compared(Fresh({**ALL, "A2": slow}, rates=dict.fromkeys(ALL, 1066)))
    assert explained.rate.right is False and explained.rate.words.startswith("explained: ")
    assert "nothing known explains it" in compared(Fresh(ALL, rates=dict.fromkeys(ALL, 1066))).rate.words
    assert compared(Fresh(ALL, rates=dict.fromkeys(ALL, 1333))).rate.right is True


def test_the_machines_own_proposal_is_held_against_the_sheet() -> None:
    goal = Layout({"A1": EIGHT, "B1": EIGHT})
    moved = after_moves(goal, {"A1": "A2", "B1": "B2"})
    assert moved == Layout({"A2": EIGHT, "B2": EIGHT})
    found = contradicted(evaluate(SHEET, P, goal), evaluate(SHEET, P, moved))
    assert [c.clause for c in found] == ["Guide 2.1"]
    assert contradicted(evaluate(SHEET, P, moved), evaluate(SHEET, P, goal)) == ()
    for moves, why in (({"A2": "B2"}, "nothing is planned for A2"), ({"A1": "B1"}, "B1 is full"), ({"A1": "A2", "B1": "A2"}, "two modules")):  # fmt: skip
        with pytest.raises(ValueError, match=why):
            after_moves(goal, moves)


def test_what_was_not_there_and_is_now_came_back_by_itself() -> None:
    goal = Layout({"A1": EIGHT, "B1": EIGHT, "B2": None})
    now = Fresh({"A1": EIGHT, "B1": EIGHT, "B2": None})
    for earlier, back in (
        ([], ()),
        ([now], ()),
        ([Fresh({"A1": EIGHT})], ()),  # of B1 it told nothing
        ([Fresh({"A1": UNKNOWN, "B1": EIGHT})], ()),
        ([Fresh({"A1": None, "B1": EIGHT}), now], ("A1",)),
        ([Fresh({"A1": EIGHT, "B1": EIGHT}, failed=frozenset({"B1"})), Fresh({"A1": None})], ("A1", "B1")),
    ):
        assert come_back(goal, earlier, now) == back
    assert come_back(goal, [Fresh({"A1": None})], Fresh({"A1": None, "B1": EIGHT})) == (), "it is missing now"


@pytest.mark.parametrize(
    ("text", "unlisted", "expected"),
    [
        ("Memory in slot 2 is not certified", True, True),
        ("Memory in slot 2 is not certified", False, False),
        ("Correctable ECC error in slot 2: unsupported module", True, False),
        ("Memory in slot 2 is not certified", None, None),
        ("Unsupported memory in slot 2 was not detected", True, False),
        ("Slot 2: incompatible, mapped out", True, False),
        ("Slot 2: third-party module, temperature threshold", True, False),
        ("Fan 3 speed changed", True, None),
    ],
)
def test_alerts_about_third_party_parts_are_expected(text: str, unlisted: bool | None, expected: bool | None) -> None:
    assert alert_is_expected(text, unlisted) is expected


TOLD = Showing(True, 0.01, 0.3, 0)
WHOLE = Showing(False, 0.01, 0.0, 0)
CASE = Case({"A1": "A", "A2": "A", "B1": "B", "B2": "B"}, {"A1": "a", "A2": "b", "B1": "c"}, TOLD)


@pytest.mark.parametrize("showing", [TOLD, WHOLE])
@pytest.mark.parametrize("arrangement", [CASE.start, {"A1": "b", "B2": "a"}, {"B1": "c"}])
def test_the_results_of_a_boot_add_up_under_every_state(showing: Showing, arrangement: dict[str, str]) -> None:
    case = replace(CASE, showing=showing)
    model, at = Model(case), At.of(case, arrangement)
    boots = [
        Boot(arrangement, dark=frozenset(d)) for n in range(len(arrangement) + 1) for d in combinations(arrangement, n)
    ]
    results = boots if showing.told else [Boot(arrangement), Boot(arrangement, showed=True)]
    assert np.allclose(sum(model.likelihood(b, at) for b in results), 1.0)
    assert model.prior.sum() == pytest.approx(1) and model.by_label(model.prior).sum() == pytest.approx(1)
    nothing = model.likelihood(Boot(arrangement), at)
    assert np.allclose(1 - nothing, model.shows(at))


def test_drawing_moves_belief_from_bad_contacts_to_cured_ones_and_loses_none() -> None:
    model = Model(CASE)
    drawn = np.array([[True, False, False, True], [False] * 4])
    after, untouched = model.after_drawing(model.prior, drawn)
    assert (untouched == model.prior).all()
    assert after.sum() == pytest.approx(1)
    before, then = model.by_label(model.prior), model.by_label(after)
    assert np.allclose(then[:6], before[:6]), "neither modules nor slots are cured by it"
    # The contact of A1: surely (60 %) or with 0.65 (40 %), alone; two faults with 0.85.
    alone = model.seating_of[model.cured] == 0
    assert after[model.cured][alone].sum() == pytest.approx(
        model.prior[(model.cure > 0) & (model.contact == 0) & (model.label == 6)].sum() * (0.6 + 0.4 * 0.65), rel=0.05
    )


@pytest.mark.parametrize("told", [True, False])
def test_arrangements_weighed_together_are_weighed_as_one_by_one(told: bool) -> None:
    case = replace(CASE, showing=replace(CASE.showing, told=told))
    model = Model(case)
    belief, at = model.believe([Boot(case.start, dark=frozenset({"A1"}), showed=True)])
    less, kept = model.only(belief)
    assert np.allclose(less.by_label(kept), model.by_label(belief), atol=1e-4)
    candidates = [
        ({"A1": "c", "A2": "b", "B1": "a"}, frozenset[str]()),
        ({"A2": "b"}, frozenset({"A2"})),
        ({"B2": "a", "A2": "b"}, frozenset()),
    ]

    def scale() -> _Scale:
        return _Scale(less, kept, at, case.start, 5.0, 0.01)

    together = scale().weigh(iter(candidates))
    alone = [t for c in candidates for t in scale().weigh(iter([c]))]
    assert [t.tells for t in together] == pytest.approx([t.tells for t in alone])
    assert [t.boots_left for t in together] == pytest.approx([t.boots_left for t in alone])
    assert len({round(t.tells, 6) for t in together}) > 1


def told(case: Case, *boots: tuple[dict[str, str], str]) -> dict[Suspect, float]:
    return dict(look(case, [Boot(a, dark=frozenset(d.split())) for a, d in boots], 5.0, several=0).beliefs)


def test_a_fault_follows_its_module_or_stays() -> None:
    start, swapped = dict(CASE.start), {"A1": "c", "A2": "b", "B1": "a"}
    follows = told(CASE, (start, "A1"), (swapped, "B1"), (swapped, "B1"))
    stays = told(CASE, (start, "A1"), (swapped, "A1"), (swapped, "A1"))
    cured = told(CASE, (start, "A1"), *[(swapped, "")] * 5)
    assert max(follows, key=lambda s: follows[s]) == Suspect(Kind.MODULE, "a")
    assert stays[Suspect(Kind.SLOT, "A1")] + stays[Suspect(Kind.SEATING, "A1")] > 0.9
    assert max(cured, key=lambda s: cured[s]) == Suspect(Kind.SEATING, "A1")
    hidden = told(CASE, (start, "A1 A2"))
    assert hidden[Suspect(Kind.MODULE, "a")] == pytest.approx(hidden[Suspect(Kind.MODULE, "b")], rel=0.15)
    assert hidden[Suspect(Kind.MODULE, "a")] > 50 * hidden[Suspect(Kind.MODULE, "c")]


def test_a_light_is_evidence_and_no_proof() -> None:
    case = replace(CASE, showing=WHOLE)
    dim, lit = (look(case, [Boot(case.start, showed=True, named=frozenset(n))], 5.0) for n in ((), ("A1",)))
    a = Suspect(Kind.MODULE, "a")
    assert dict(lit.beliefs)[a] > 2 * dict(dim.beliefs)[a] and not lit.culprits


def test_it_seems_cured_until_so_many_clean_boots_have_shown_it() -> None:
    """Once drawn and gone it is told how many more boots make it sure; just then the contacts are named, as cured."""
    case = replace(CASE, showing=WHOLE)
    boots = [Boot(case.start, showed=True), Boot(case.start, reseated=frozenset(case.start))]
    found = look(case, boots, 5.0)
    while found.clean_boots is None and len(boots) < 12:
        boots.append(Boot(case.start))
        found = look(case, boots, 5.0)
    assert found.clean_boots and not found.culprits
    for left in range(found.clean_boots - 1, -1, -1):
        boots.append(Boot(case.start))
        found = look(case, boots, 5.0)
        assert (found.clean_boots == left) if left else found.cured
    assert {s.kind for s in found.culprits} == {Kind.SEATING} and found.odds >= 0.95
    assert "one of these sat badly" in what_to_do(found.culprits, found.cured, True, "A1")[0]


@pytest.mark.parametrize(
    ("named", "says"),
    [
        ([(Kind.MODULE, "A1")], "Fit another of its kind"),
        ([(Kind.MODULE, "A1"), (Kind.MODULE, "B1")], "Replace all of them, or try the first in another machine"),
        ([(Kind.MODULE, "A1"), (Kind.SLOT, "A1")], "Clean contacts first; then try the modules in another machine"),
        ([(Kind.SLOT, "A1"), (Kind.SEATING, "A1")], "If it comes back, leave A1 empty"),
        ([(Kind.SLOT, "A1")], "Plan without it"),
    ],
)
def test_what_to_do_says_nothing_of_costs_that_nobody_told(named: list[tuple[Kind, str]], says: str) -> None:
    told = what_to_do([Suspect(*s) for s in named], False, True, "A1")
    assert says in told[1] and "cheap" not in " ".join(told)


def test_the_way_to_a_slot_costs_its_minutes_once() -> None:
    near = replace(CASE, showing=WHOLE)
    deep = replace(near, ways=dict.fromkeys(near.slots, ("board out", 40.0)))
    boots = [Boot(near.start, showed=True)]
    model = Model(near)
    belief, at = model.believe(boots)
    for case in (near, deep):
        model.case = case
        for t in trials(model, belief, at, 5.0, lambda _: True, 3, SURE):
            touched = len(t.reseated) + len(set(near.start.items()) ^ set(t.arrangement.items()))
            way = 40 if case is deep and touched else 0
            assert (t.minutes == 5 + way) if not touched else t.minutes > 5 + way


def test_no_trial_is_another_with_idle_work_besides() -> None:
    channels = {f"{s}.{c}{i}": f"{s}.{c}" for s in ("P1", "P2") for c in "ABCDEF" for i in (1, 2)}
    case = Case(channels, {s: s.lower() for s in channels}, SHOWINGS[Symptom.TOTAL_SHORT], handled=frozenset({"P2.C2"}))
    for boots in ([Boot(case.start, dark=frozenset({"P2.C2"}))], [Boot(case.start, dark=frozenset({"P2.C2"}))] * 2):
        told = look(case, boots, 5.0).trials
        assert told

        def done(t: Trial) -> set[object]:
            return {*(set(t.arrangement.items()) ^ set(case.start.items())), *t.reseated}

        for i, first in enumerate(told):
            for other in told[i + 1 :]:
                assert not (done(first) <= done(other) and other.tells <= 1.01 * first.tells)


def test_modules_that_are_hard_to_tell_apart_may_be_replaced_at_once() -> None:
    """It shows with either alone in any slot, never with the third: not far from a name, two modules make up the belief."""
    case = replace(CASE, showing=WHOLE)
    boots = [Boot(case.start, showed=True), *[Boot({"A1": "a", "A2": "b"}, showed=True)] * 2, *[Boot({"A1": "c"})] * 6]
    boots += [Boot({"A2": "a", "B1": "b"}, showed=True), Boot({"B1": "a", "B2": "b"}, showed=True)]
    found = look(case, boots, 5.0)
    assert {s.name for s in found.at_once} == {"a", "b"} and 0.9 <= found.at_once_odds < 1 and not found.culprits
    assert 1 <= found.trials[0].boots_left < 6
    more = look(case, [*boots, Boot({"A1": "a"}, showed=True)], 5.0)
    assert more.culprits == (Suspect(Kind.MODULE, "a"),)


@pytest.mark.parametrize(
    ("minutes", "hour", "odds", "prices", "going_on", "replacing"),
    [
        (240, 50, 0.9, (60, 40), 200, 60),  # the dearer is bought either way; 40 + a tenth of going on
        (30, 50, 0.95, (300, 300), 25, 301.25),
        (240, 0, 0.9, (60, 40), None, None),  # nobody said what an hour costs
        (240, 50, 0.9, (60, None), 200, None),
        (240, 50, 0.95, (60,), 200, 10),
    ],
)
def test_telling_apart_is_weighed_against_replacing(
    minutes: float, hour: float, odds: float, prices: tuple[float | None, ...], going_on: float | None, replacing: float | None
) -> None:  # fmt: skip
    found = weigh_at_once(minutes, hour, odds, prices)
    assert (found.going_on, found.replacing) == (going_on, pytest.approx(replacing) if replacing is not None else None)


@st.composite
def faults(draw: st.DrawFn) -> tuple[Case, Suspect]:
    slots = [f"{c}{i}" for c in "ABCDEF"[: draw(st.integers(2, 6))] for i in (1, 2)]
    filled = draw(st.lists(st.sampled_from(slots), min_size=2, unique=True))
    showing = SHOWINGS[draw(st.sampled_from(list(Symptom)))]
    case = Case(
        {s: s[0] for s in slots},
        {s: f"m{s}" for s in sorted(filled)},
        showing,
        frozenset(draw(st.sets(st.sampled_from(slots)))),
    )
    return case, draw(st.sampled_from(case.suspects[:-1]))


@given(faults())
@settings(max_examples=40, deadline=None)
def test_a_fault_that_always_shows_is_named(given_: tuple[Case, Suspect]) -> None:
    """Whatever the search tries, it names the fault, by arrangements that the machine takes."""
    case, fault = given_
    boots: list[Boot] = []
    arrangement, reseated, drawn = dict(case.start), frozenset[str](), False
    for _ in range(90):
        at = {m: s for s, m in arrangement.items()}
        if boots and fault.kind is Kind.SEATING:
            drawn = drawn or fault.name in reseated or arrangement.get(fault.name) != case.start[fault.name]
        place = at.get(fault.name) if fault.kind is Kind.MODULE else fault.name if fault.name in arrangement else None
        shows = place is not None and not (fault.kind is Kind.SEATING and drawn)
        dark = frozenset({place} if shows and place else ())
        boots.append(Boot(arrangement, reseated, dark if case.showing.told else frozenset(), bool(dark)))
        found = look(case, boots, 5.0, allowed=lambda a: len(a) > 1 or len(case.start) < 3)
        assert sum(b for _, b in found.beliefs) == pytest.approx(1.0)
        if found.culprits:
            break
        assert found.trials and all(len(t.arrangement) > 1 or len(case.start) < 3 for t in found.trials)
        assert all(set(t.arrangement.values()) <= set(case.modules) for t in found.trials)
        assert found.trials[0].worth >= found.trials[-1].worth
        arrangement, reseated = dict(found.trials[0].arrangement), found.trials[0].reseated
    assert fault in found.culprits and found.odds >= 0.995 * 0.95
    assert what_to_do(found.culprits, found.cured, True, "A1")
