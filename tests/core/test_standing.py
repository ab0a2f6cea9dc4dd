"""When a machine may go back on duty: soaks and sign-offs by tables, and machines that show only their total."""

from __future__ import annotations

from dataclasses import replace
from itertools import product
from math import exp

import pytest

from tests.core.test_proof import ALL, EIGHT, FOUR, GOAL, SHEET, P
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import actions
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.survey import SlotHealth
from umbrak.core.proof.compare import Comparison, Fresh, Handled, Seen, compare, exchanged
from umbrak.core.proof.soak import Events, Reading, Soak, Watched, days_needed, days_words, soak, upper_rate
from umbrak.core.proof.standing import Alerts, Evidence, MemoryTests, State, may_soak, standing
from umbrak.core.proof.wanted import Wanted


def read(day: float, whole: bool = False, **slots: tuple[int | None, int | None] | float) -> Reading:
    """Slot = (correctable, uncorrectable), or a temperature. [°C]"""
    health = {s: SlotHealth(temperature_c=h) if isinstance(h, float) else SlotHealth(*h) for s, h in slots.items()}
    return Reading(day, health, whole=whole)


def clean(*days: float, **slots: tuple[int | None, int | None]) -> list[Reading]:
    return [read(d, **(slots or {"A1": (0, 0), "B1": (0, 0)})) for d in days]


def channels(*days: float, count: int = 0) -> list[Reading]:
    return [Reading(d, {}, {c: SlotHealth(count * (d > 0), 0) for c in "AB"}) for d in days]


BOTH = Watched({"A1": 0.0, "B1": 0.0}, {"A1": "A", "B1": "B"}, counts=True)
NONE = replace(BOTH, counts=False)
UNSAID = replace(BOTH, counts=None)
ANEW = replace(BOTH, since={"A1": 2.0, "B1": 0.0})
PASSED = Events(passes=2)


@pytest.mark.parametrize(
    ("watched", "readings", "day", "events", "passed", "left", "words"),
    [
        # What the rule let pass, and should not have.
        pytest.param(BOTH, [], 3.0, PASSED, None, 0.0, "not read yet", id="no reading on a machine that counts"),
        pytest.param(BOTH, [read(0, A1=(None, 0), B1=(None, 0)), read(3, A1=(None, 4), B1=(None, 0))], 3.0, PASSED, False, None, "A1 4", id="uncorrectable without correctable"),
        pytest.param(BOTH, clean(3.0), 3.0, PASSED, None, 0.0, "no slot was read twice", id="read once"),
        pytest.param(BOTH, [*clean(0.0, 2.0), read(3.0, whole=True, A1=(0, 0))], 3.0, PASSED, None, 1.0, "gone from the newest reading: B1", id="gone from the newest"),
        pytest.param(BOTH, [read(0, A1=(0, 0)), read(2.9, B1=(0, 0)), *clean(3.0)], 3.0, PASSED, None, 2.9, "B1: 0 in 0.1 days", id="a span of its own"),
        pytest.param(BOTH, clean(0.0, 3.0), 30.0, PASSED, None, 0.0, "was read 27 days ago", id="27 days old"),
        # What is right to pass, to fail, to wait.
        pytest.param(BOTH, clean(0.0, 1.0, 3.0), 3.0, PASSED, True, 0.0, "none counted", id="clean"),
        pytest.param(BOTH, clean(0.0, 3.0, A1=(5, 2), B1=(0, 0)), 3.0, PASSED, True, 0.0, "none counted", id="counted before it began"),
        pytest.param(BOTH, clean(0.0, 2.0), 2.0, PASSED, None, 1.0, "2.0 of 3 days", id="not over"),
        pytest.param(BOTH, [*clean(0.0), read(3, A1=(1, 0), B1=(0, 0))], 3.0, PASSED, None, 1.74, "A1: 1 in 3 days", id="one in three days"),
        pytest.param(BOTH, [*clean(0.0), read(5, A1=(1, 0), B1=(0, 0))], 5.0, PASSED, True, 0.0, "below 1 passes", id="one in five days"),
        pytest.param(BOTH, [*clean(0.0), read(3, A1=(300, 0), B1=(0, 0))], 3.0, PASSED, False, None, "300 in 3 days", id="300"),
        pytest.param(BOTH, [*clean(0.0, A1=(900, 0), B1=(0, 0)), *clean(15.0, 30.0, A1=(3, 0), B1=(0, 0))], 30.0, PASSED, True, 0.0, "3 in 30", id="a counter that began anew"),
        pytest.param(BOTH, [*clean(0.0, A1=(0, 3), B1=(0, 0)), *clean(3.0, A1=(0, 2), B1=(0, 0))], 3.0, PASSED, False, None, "A1 2", id="uncorrectable after a counter began anew"),
        pytest.param(BOTH, clean(0.0, 3.0, A1=(0, None), B1=(0, None)), 3.0, PASSED, None, 0.0, "uncorrectable", id="only correctable told"),
        pytest.param(BOTH, clean(0.0, 3.0), 3.0, replace(PASSED, restarts=1), False, None, "1 unplanned", id="a restart"),
        pytest.param(BOTH, clean(0.0, 3.0), 3.0, Events(passes=1, test_errors=2), False, None, "2 errors found", id="a test that found errors"),
        pytest.param(BOTH, channels(0.0, 3.0), 3.0, PASSED, True, 0.0, "none counted", id="a channel stands for its slots"),
        pytest.param(BOTH, channels(0.0, 3.0, count=1), 3.0, PASSED, None, 1.74, "1 in 3 days", id="a channel's error is every slot's"),
        pytest.param(ANEW, clean(0.0, 2.0, 3.0), 3.0, PASSED, None, 2.0, "begun anew", id="begun anew"),
        pytest.param(ANEW, clean(0.0, 2.0, 5.0), 5.0, PASSED, True, 0.0, "3.0 of 3 days for A1", id="begun anew and over"),
        pytest.param(ANEW, [*clean(0.0, 1.9), *clean(5.0, A1=(9, 0), B1=(0, 0))], 5.0, PASSED, None, 0.0, "not read twice: A1", id="not counted from before the change"),
        pytest.param(BOTH, [*clean(0.0, 3.0), read(3.0, A1=86.0)], 3.0, PASSED, False, None, "86 of 85 °C", id="too hot"),
        pytest.param(BOTH, [*clean(0.0, 3.0), read(3.0, A1=85.0)], 3.0, PASSED, True, 0.0, "85 of 85 °C", id="hot"),
        # A machine that counts nothing: passes, quiet days, a clean scrub. Silence says neither.
        pytest.param(UNSAID, [], 30.0, PASSED, None, 0.0, "nobody said whether", id="silence"),
        pytest.param(UNSAID, clean(0.0, 3.0), 3.0, PASSED, True, 0.0, "none counted", id="a reading says that it counts"),
        pytest.param(NONE, clean(0.0, 3.0, A1=(0, 1), B1=(0, 0))[:1] + clean(3.0, A1=(0, 2), B1=(0, 0)), 3.0, PASSED, False, None, "A1 1", id="a reading outweighs who said that it does not"),
        pytest.param(NONE, [], 3.0, Events(), None, 0.0, "0 passes", id="no test"),
        pytest.param(NONE, [], 3.0, PASSED, True, 0.0, "not applicable", id="counts none"),
        pytest.param(NONE, [], 1.0, PASSED, None, 2.0, "1.0 of 3", id="too few quiet days"),
        pytest.param(NONE, [], 3.0, Events(passes=2, test_errors=1), False, None, "1 errors", id="counts none, test failed"),
        pytest.param(NONE, [], 3.0, replace(PASSED, restarts=1), False, None, "unplanned", id="counts none, restarted"),
        pytest.param(replace(NONE, array=True), [], 3.0, PASSED, None, 0.0, "no scrub", id="an array that nobody scrubbed"),
        pytest.param(replace(NONE, array=True), [], 3.0, replace(PASSED, scrubbed=True), True, 0.0, "ended clean", id="scrubbed"),
        pytest.param(replace(NONE, array=True), [], 3.0, replace(PASSED, scrubbed=False), False, None, "found errors", id="a scrub that found errors"),
    ],
)  # fmt: skip
def test_the_soaks_rule(
    watched: Watched, readings: list[Reading], day: float, events: Events, passed: bool | None, left: float | None, words: str
) -> None:  # fmt: skip
    made = soak(readings, day, watched, events, 3.0)
    assert made.passed is passed, made.rules
    assert made.days_left == (None if left is None else pytest.approx(left, abs=0.01))
    assert words in repr(made.rules)


def test_the_bound_of_a_rate() -> None:
    # None in t: exp(-r t) = 0.05. One in t: exp(-r t) (1 + r t) = 0.05.
    assert exp(-upper_rate(0, 2.0) * 2) == pytest.approx(0.05)
    r = upper_rate(1, 1.0)
    assert exp(-r) * (1 + r) == pytest.approx(0.05)
    assert days_needed(0) == pytest.approx(2.996, abs=1e-3) and upper_rate(3, 0) == float("inf")


NOTHING = Handled()


def seen(fresh: Fresh, goal: Layout = GOAL, handled: Handled = NOTHING) -> Comparison:
    return compare(SHEET, goal, evaluate(SHEET, P, goal), fresh, evaluate(SHEET, P, Layout(fresh.slots)), handled)


RIGHT = seen(Fresh(ALL))
UNTOLD = seen(Fresh({s: m for s, m in ALL.items() if s == "A1"}))
WRONG = seen(Fresh({**ALL, "A2": None}))
SOAKED = soak(clean(0.0, 3.0), 3.0, BOTH, PASSED, 3.0)
FINE = Evidence(RIGHT, MemoryTests(2, 0, 1), Alerts(""), SOAKED)


def half(passed: bool | None) -> Soak:
    return replace(SOAKED, passed=passed)


#: Of each thing that is wanted: evidence for it, its lack, evidence against it.
WAYS: dict[Wanted, dict[State, dict[str, object]]] = {
    Wanted.SLOTS: {State.THERE: {}, State.LACKING: {"seen": UNTOLD}, State.AGAINST: {"seen": WRONG}},
    Wanted.TEST: {
        State.THERE: {},
        State.LACKING: {"tests": MemoryTests(0, 0, 0)},
        State.AGAINST: {"tests": MemoryTests(3, 1, 2)},
    },
    Wanted.ALERTS: {
        State.THERE: {},
        State.LACKING: {"alerts": Alerts(None)},
        State.AGAINST: {"alerts": Alerts("ECC error", False)},
    },
    Wanted.SOAK: {State.THERE: {}, State.LACKING: {"soak": half(None)}, State.AGAINST: {"soak": half(False)}},
}


@pytest.mark.parametrize("waived", [(), tuple(WAYS), *((w,) for w in WAYS)], ids=str)
def test_sign_off_by_every_combination(waived: tuple[Wanted, ...]) -> None:
    """What is lacking is waived where a lead said so; what speaks against it never is; nothing else makes it complete."""
    for states in product((State.THERE, State.LACKING, State.AGAINST), repeat=len(WAYS)):
        told: dict[str, object] = {}
        for (_, ways), state in zip(WAYS.items(), states, strict=True):
            told |= ways[state]
        made = {i.what: i for i in standing(replace(FINE, **told), dict.fromkeys(waived, "no time"))}  # type: ignore[arg-type]
        for what, state in zip(WAYS, states, strict=True):
            expected = State.WAIVED if state is State.LACKING and what in waived else state
            assert made[what].state is expected and bool(made[what].reason) == (expected is State.WAIVED)
        assert all(i.settled for i in made.values()) == all(
            s is State.THERE or (s is State.LACKING and w in waived) for w, s in zip(WAYS, states, strict=True)
        )


@pytest.mark.parametrize(
    ("evidence", "what", "state", "words"),
    [
        (replace(FINE, seen=None), Wanted.SLOTS, State.LACKING, "nobody has looked"),
        (replace(FINE, seen=UNTOLD), Wanted.SLOTS, State.LACKING, "nobody saw <A2>, <B1>, <B2>"),
        (replace(FINE, seen=WRONG), Wanted.SLOTS, State.AGAINST, "<A2> missing, installed 4 GB short"),
        (replace(FINE, tests=MemoryTests(0, 0, 1)), Wanted.TEST, State.LACKING, "did not end a pass"),
        (replace(FINE, alerts=Alerts("not certified", True)), Wanted.ALERTS, State.THERE, "expected of these parts"),
        (replace(FINE, alerts=Alerts("fan 3", None)), Wanted.ALERTS, State.LACKING, "nobody says whether"),
        (replace(FINE, soak=None), Wanted.SOAK, State.LACKING, "has not begun"),
        (replace(FINE, again=False), Wanted.AGAIN, State.LACKING, "since it was closed"),
        (replace(FINE, again=True), Wanted.AGAIN, State.THERE, "4 of 4"),
        (replace(FINE, searching=True), Wanted.SEARCH, State.AGAINST, "fault search is open"),
        (replace(FINE, open_steps=("Cover on", "Start it")), Wanted.STEPS, State.LACKING, "2 steps are open, from “Cover on” on"),
    ],
)  # fmt: skip
def test_what_is_lacking_is_named(evidence: Evidence, what: Wanted, state: State, words: str) -> None:
    item = next(i for i in standing(evidence, {}, lambda s: f"<{s}>") if i.what is what)
    assert (item.state, words in item.words) == (state, True), item


def test_the_soak_begins_when_slots_are_right_and_the_test_passed() -> None:
    assert may_soak(standing(replace(FINE, soak=None, alerts=Alerts(None), open_steps=("x",)), {})) == ""
    assert "A2 missing" in may_soak(standing(replace(FINE, seen=WRONG), {Wanted.SLOTS: "no"}))
    assert "nobody saw" in may_soak(standing(replace(FINE, seen=UNTOLD), {}))
    assert may_soak(standing(replace(FINE, seen=UNTOLD), {Wanted.SLOTS: "the board is soldered shut"})) == ""
    assert "memory test" in may_soak(standing(replace(FINE, tests=MemoryTests(1, 3, 1)), {Wanted.TEST: "no"}))


# -- right by its total ---------------------------------------------------------------------------------

#: Two 4 GB modules came out of A2 and B2, two of 8 GB went in: 32 GB, usable 31.5 give or take 0.125.
GREW = Layout({"A1": EIGHT, "B1": EIGHT, "A2": EIGHT, "B2": EIGHT})
SWAP = Handled(frozenset({"A2", "B2"}), (FOUR, FOUR, EIGHT, EIGHT), frozenset({"A2", "B2"}))


@pytest.mark.parametrize(
    ("goal", "fresh", "handled", "right", "words"),
    [
        pytest.param(GREW, Fresh({}, usable_gib=31.5), SWAP, True, "no other filling", id="usable"),
        pytest.param(GREW, Fresh({}, installed_gib=32), SWAP, True, "no other filling", id="installed"),
        pytest.param(GREW, Fresh({}, usable_gib=31.5), replace(SWAP, labelled=frozenset({"A2"})), False, "hold its label", id="a label not looked at"),
        pytest.param(GREW, Fresh({}, usable_gib=28), SWAP, False, "3.5 GB less", id="another total"),
        pytest.param(GREW, Fresh({}, usable_gib=23.5), SWAP, False, "8 GB less", id="as before"),
        pytest.param(GREW, Fresh({}), SWAP, False, "does not tell", id="no total"),
        # 8 GB in A2 and nothing in B2, or 4 GB in both: the total is the same.
        pytest.param(Layout({"A1": EIGHT, "B1": EIGHT, "A2": EIGHT}), Fresh({}, installed_gib=24), Handled(frozenset({"A2", "B2"}), (FOUR, FOUR, EIGHT), frozenset({"A2"})), False, "with another filling too", id="two fillings"),
        # One of the untouched 8 GB dark and both 4 GB in still: also 16 GB.
        pytest.param(Layout({"A1": EIGHT, "B1": EIGHT}), Fresh({}, installed_gib=16), Handled(frozenset({"A2", "B2"}), (FOUR, FOUR)), False, "with another filling too", id="one dark, two left in"),
        pytest.param(GREW, Fresh({}, usable_gib=31.5), replace(SWAP, modules=(FOUR, FOUR, EIGHT, replace(EIGHT, capacity_gib=None))), False, "another filling", id="a size that nobody knows"),
        # Told slots are what they are; only the others are by the total.
        pytest.param(GREW, Fresh({"A1": EIGHT, "B1": EIGHT, "A2": EIGHT}, installed_gib=32), SWAP, True, "no other filling", id="one slot untold"),
        pytest.param(GREW, Fresh({"A1": EIGHT, "B1": EIGHT, "A2": FOUR}, installed_gib=32), SWAP, False, "4 of 8 GB", id="a told slot is wrong"),
        # A rounded number leaves room for what a finer one would rule out.
        pytest.param(Layout({"A1": EIGHT, "B1": replace(EIGHT, capacity_gib=0.5)}), Fresh({}, installed_gib=8.5), Handled(), True, "no other filling", id="a decimal"),
        pytest.param(Layout({"A1": EIGHT, "B1": replace(EIGHT, capacity_gib=0.5)}), Fresh({}, installed_gib=8), Handled(), False, "0.5 GB short", id="rounded off"),
    ],
)  # fmt: skip
def test_right_by_its_total(goal: Layout, fresh: Fresh, handled: Handled, right: bool, words: str) -> None:
    made = seen(fresh, goal, handled)
    assert made.right is right and words in repr(made), made
    if right:
        assert {p.seen for p in made.slots} <= {Seen.RIGHT, Seen.BY_TOTAL} and made.slots


@pytest.mark.parametrize(
    ("was", "now", "kind", "right", "words"),
    [
        # The failed one is to be replaced by its like: its number tells whether it was.
        ("0077AA", "00-77-aa", EIGHT, False, "S/N 00-77-aa is the module that was to come out of A1"),
        ("0077AA", "0099BB", EIGHT, True, ""),
        ("0077AA", None, EIGHT, True, "Whether the module in A1 is the new one nothing tells"),
        (None, "0099BB", EIGHT, True, "Whether the module in A1 is the new one nothing tells"),
        # A number that several modules have tells none of them.
        ("1234", "1234", EIGHT, True, "Whether the module in A1 is the new one nothing tells"),
        # Of another kind than the old one: what is seen tells it.
        ("0077AA", None, FOUR, True, ""),
    ],
)
def test_a_module_that_was_to_leave_is_known_by_its_number(
    was: str | None, now: str | None, kind: Module, right: bool, words: str
) -> None:
    before = Layout(
        {"A1": replace(kind, serial=was), "B1": replace(EIGHT, serial="1234"), "B2": replace(FOUR, serial="5")}
    )
    goal = Layout({"A1": EIGHT, "B1": before["B1"], "B2": before["B2"]})
    done = actions(SHEET, before, goal, {"A1"})
    handled = Handled(frozenset({"A1"}), (), frozenset(), *exchanged(before, done))
    look = Fresh({**before, "A1": replace(EIGHT, serial=now), "A2": None})
    made = seen(look, goal, handled)
    assert made.right is right and words in repr(made), made
    assert words or not made.remarks
    assert not seen(look, goal, replace(handled, labelled=frozenset({"A1"}))).remarks, (
        "its label was held against the plan"
    )


def test_a_slot_that_was_emptied_is_looked_at() -> None:
    goal = Layout({"A1": EIGHT})
    handled = Handled(frozenset({"B1"}), (EIGHT,))
    assert seen(Fresh({"A1": EIGHT, "B1": None}), goal, handled).right
    assert not seen(Fresh({"A1": EIGHT, "B1": EIGHT}), goal, handled).right
    assert seen(Fresh({"A1": EIGHT}), goal, handled).untold == ("B1",)


@pytest.mark.parametrize(
    ("days", "words"), [(1, "1 day"), (1.0004, "1 day"), (0.1, "0.1 days"), (3, "3 days"), (26.97, "27 days")]
)
def test_one_day_is_a_day(days: float, words: str) -> None:
    assert days_words(days) == words
