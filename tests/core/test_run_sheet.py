"""The run sheet: what a hand at the bench would meet, for every sheet and plan of the demo and over random plans."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from functools import cache
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.sheets import SMALL, merged
from umbrak.core.memory.module import Module
from umbrak.core.plan.sizing import Member, duty_while_open
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine
from umbrak.core.platform.sheet import Bays, MemoryTest, Sheet
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.before import has_drives
from umbrak.core.runsheet.make import run_sheet
from umbrak.core.runsheet.step import Minutes, Phase, RunSheet, Step, Who, Work
from umbrak.core.runsheet.way import carriers_of
from umbrak.demo.seed import Scenario
from umbrak.formats.sheet.reading import sheet_from_data, shipped_sheets
from umbrak.formats.yaml_text import load_yaml


@cache
def sheets() -> dict[str, Sheet]:
    scenario = Scenario.read()
    demo = {sheet.id: sheet for m in scenario.machines for sheet in [scenario.parts(m)[0]]}
    return {**{name: read.sheet for name, read in shipped_sheets().items()}, **demo}


def make_sheet(text: str) -> Sheet:
    return sheet_from_data(merged(SMALL, load_yaml(text)[0].data))


def hold_true(sheet: Sheet, work: Work, made: RunSheet) -> None:
    """Everything that must be so of any run sheet."""
    steps, keys = made.steps, [s.key for s in made.steps]
    assert len(set(keys)) == len(keys)

    front = {s.id: s.behind for s in sheet.slots.values()}
    full = set(work.now)
    on_the_mat = 0
    for step in steps:
        if (a := step.action) is None:
            continue
        for slot in {a.source, a.target} & set(front):
            assert not set(front[slot]) & full, f"{step.text} reaches past a full slot"
        if a.source in front:
            assert a.source in full, f"{step.text}: nothing is there"
            full.remove(a.source)
        if a.target in front:
            assert a.target not in full, f"{step.text}: it is full"
            full.add(a.target)
        on_the_mat += (a.target == "mat") - (a.source == "mat")
        assert on_the_mat >= 0
    assert full == set(work.goal) and on_the_mat == 0

    opened = [s for s in steps if s.phase is Phase.OPEN and not s.hold]
    closed = [s for s in steps if s.phase is Phase.CLOSE]
    order = {s.key: i for i, s in enumerate(opened)}
    assert [order[c.closes or ""] for c in closed] == sorted((order[c.closes or ""] for c in closed), reverse=True)
    assert all(s.bays == () or any(set(c.bays) == set(s.bays) for c in closed) for s in opened)
    touched = {x for s in steps if s.action for x in s.slots}
    out = Counter(s.carrier for s in opened if s.carrier)
    assert out == Counter(carriers_of(sheet, touched))

    handled = [i for i, s in enumerate(steps) if s.action]
    if handled:
        assert all(i < handled[0] for i, s in enumerate(steps) if s.phase is Phase.OPEN)
        assert all(i > handled[-1] for i, s in enumerate(steps) if s.phase is Phase.CLOSE)
    for step in steps:
        assert bool(step.back_out) or not step.hold
        assert step.who is Who.ANYONE or step.hold
        assert 0 <= step.minutes.low <= step.minutes.high


def stands_right(sheet: Sheet, work: Work, made: RunSheet) -> None:
    """Power never comes to an open machine, nor past drives that nobody compared, unless the sheet says that it may."""
    steps = made.steps
    is_open: set[str] = set()
    compared = not has_drives(sheet)
    drives_out = False
    starts = 0
    for i, step in enumerate(steps):
        if step.phase is Phase.OPEN and not step.hold:
            is_open.add(step.key)
            drives_out = drives_out or step.key == "open:drives"
        if step.closes:
            is_open.discard(step.closes)
            if step.closes == "open:drives":
                drives_out, compared = False, compared or set(work.bays) <= set(step.bays)
        if step.key.startswith("start:bays"):
            compared = True
        if step.key.startswith("start:power"):
            starts += 1
            left = is_open - {"open:drives"}
            never = {
                k for k in left if k.startswith("open:airflow") or (step_of(made, k).carrier and made_closing(made, k))
            }
            closes = {k for k in left if made_closing(made, k)}
            assert not closes or (sheet.starts_open is True and starts == 1 and not never), f"open: {closes}"
            assert not drives_out or (sheet.starts_without_drives is True and starts == 1)
            assert drives_out or compared, "drives that nobody compared"
            assert steps[i - 1].key.startswith("start:cables"), "a console and cables come right before"
            if has_drives(sheet) and not drives_out:
                assert steps[i + 1].key.startswith("start:array"), "the array before anything else"
    if any(s.action for s in steps):
        assert starts == 1 + any(s.key == "prove:off" for s in steps) and not drives_out
        keys = [s.key for s in steps]
        last_start = max(i for i, s in enumerate(steps) if s.key.startswith("start:power"))
        assert all(i < last_start for i, s in enumerate(steps) if s.phase is Phase.CLOSE)
        assert ("prove:again" in keys) == (starts == 2) and (starts == 1 or keys.index("prove:again") > last_start)
        order = [
            k
            for k in keys
            if k
            in ("before:backups", "before:monitoring", "before:group", "before:settled", "before:firmware", "before:go")
        ]
        assert order == [
            k
            for k in (
                "before:backups",
                "before:monitoring",
                "before:group",
                "before:settled",
                "before:firmware",
                "before:go",
            )
            if k in order
        ]
        wanted = [s.proves for s in steps if s.proves]
        assert set(wanted) >= {Wanted.SLOTS, Wanted.TEST, Wanted.ALERTS, Wanted.SOAK, Wanted.DUTY} and len(
            wanted
        ) == len(set(wanted))


def step_of(made: RunSheet, key: str) -> Step:
    return next(s for s in made.steps if s.key == key)


def made_closing(made: RunSheet, key: str) -> bool:
    """Whether there is anything to close of an opening step."""
    return any(s.closes == key for s in made.steps)


#: Cases over every sheet: what is in the slots before and after, by a number a slot.
KINDS = [
    None,
    Module(capacity_gib=8, part="A8"),
    Module(capacity_gib=16, part="B16"),
    Module(capacity_gib=8, part="C8"),
]
SAID = [True, False, None]


@dataclass(frozen=True, repr=False)
class Drawn:
    """A sheet and work, in as few words as find it again."""

    sheet: Sheet
    work: Work

    def __repr__(self) -> str:
        s, w = self.sheet, self.work
        told = {k: getattr(s, k) for k in ("starts_open", "starts_without_drives", "bays", "memory_test")}
        return f"{s.id} {told} ways {list(s.access)} changes {w.goal.changed_from(w.now)} failed {set(w.failed)} bays {dict(w.bays)}"


@st.composite
def works(draw: Any) -> Drawn:
    sheet = draw(st.sampled_from(sorted(sheets().values(), key=lambda s: s.id)))
    # Sheets with and without ways, starts, bays: what nobody told is not a better machine.
    sheet = replace(
        sheet,
        starts_open=draw(st.sampled_from(SAID)),
        starts_without_drives=draw(st.sampled_from(SAID)),
        access=draw(st.sampled_from([sheet.access, {}, dict(list(sheet.access.items())[:1])])),
        bays=draw(st.sampled_from([sheet.bays, None, Bays(1, 2)])),
        memory_test=draw(
            st.sampled_from([None, *(MemoryTest(sheet.memory.source, "from a stick", "", w) for w in SAID)])
        ),
    )
    slots = list(sheet.slots)
    chosen = draw(st.lists(st.sampled_from(slots), max_size=10, unique=True))
    now = {s: draw(st.sampled_from([*KINDS, UNKNOWN])) for s in slots[:12]}
    goal = {**now, **{s: draw(st.sampled_from(KINDS)) for s in chosen}}
    failed = frozenset(s for s in chosen[:2] if now.get(s) is not None)
    count = sheet.bays.rows * sheet.bays.columns if sheet.bays else 0
    bays = {n: draw(st.sampled_from(["", f"D{n}"])) for n in range(1, count + 1) if draw(st.booleans())}
    work = Work(now=Layout(now), goal=Layout(goal), failed=failed, bays=bays, group=draw(st.sampled_from(["", "hall"])))
    return Drawn(sheet, replace(work, claims=draw(st.sampled_from([(), ("it runs 48 GB",)]))))


@given(works())
@settings(max_examples=500, deadline=None)
def test_any_plan_can_be_worked(given_: Drawn) -> None:
    sheet, work = given_.sheet, given_.work
    made = run_sheet(sheet, Machine(), work)
    hold_true(sheet, work, made)
    stands_right(sheet, work, made)


def test_every_plan_of_the_demo_can_be_worked() -> None:
    scenario = Scenario.read()
    for machine in scenario.machines:
        sheet, unit, layout = scenario.parts(machine)
        goals = [layout, Layout({})]
        for plan in [machine["plan"]] if "plan" in machine else []:
            changes = {s: m for e in plan["edits"] for s, m in scenario.parts({**machine, "slots": e})[2].items()}
            goals.append(Layout({**layout, **changes}))
        for goal in goals:
            work = Work(now=layout, goal=goal, failed=frozenset(machine.get("failed", ())))
            hold_true(sheet, work, run_sheet(sheet, unit, work))
            stands_right(sheet, work, run_sheet(sheet, unit, work))


APPLIANCE = """
channels: {A: {slots: [A1]}, B: {slots: [B1]}}
slots: {A1: {access: door}, B1: {access: strip, behind: [A1], facing: label to the cage}}
access:
  door: {minutes: 2, steps: [{do: door off, close: door on until both hooks click}]}
  strip:
    minutes: 30
    tools: [plastic wedge]
    ends_warranty: true
    cools_min: 12
    bays_out: [1, 2]
    airflow: [baffle]
    steps: [{do: drives out, close: drives back by bay}, {do: shell off, close: shell on}, {do: reach in, close: ""}]
bays: {rows: 1, columns: 2}
first_boot: {base_s: 60, per_module_s: 30, per_gib_s: 1, spread: 0.5}
starts: {open: OPEN, without_drives: BARE}
"""
EIGHT = Module(capacity_gib=8, part="NEW8")
OLD = Module(capacity_gib=8, part="OLD8")


@pytest.mark.parametrize(
    ("is_open", "bare", "order"),
    [
        # What is closed before the first start, and what is left for afterwards.
        ("true", "true", "airflow | shell, drives, door"),
        ("false", "true", "airflow, door, shell | drives"),
        ("true", "false", "airflow, door, shell, drives |"),
        ("false", "false", "airflow, door, shell, drives |"),
    ],
)
def test_the_first_start_comes_as_early_as_the_sheet_allows(is_open: str, bare: str, order: str) -> None:
    sheet = make_sheet(APPLIANCE.replace("OPEN", is_open).replace("BARE", bare))
    made = run_sheet(
        sheet, Machine(), Work(Layout({"A1": OLD}), Layout({"A1": OLD, "B1": EIGHT}), bays={1: "D1", 2: "D2"})
    )
    keys = [s.key for s in made.steps]
    start = keys.index("start:power")
    names = {"close:airflow": "airflow", "close:door:1": "door", "close:strip:2": "shell", "close:drives": "drives"}
    before = [names[k] for k in keys[:start] if k in names]
    after = [names[k] for k in keys[start:] if k in names]
    want_before, want_after = ([x.strip() for x in side.split(",") if x.strip()] for side in order.split("|"))
    assert sorted(before) == sorted(want_before) and sorted(after) == sorted(want_after)
    assert before + after == ["airflow", "door", "shell", "drives"]


def test_the_sheet_says_all_of_it() -> None:
    sheet = make_sheet(APPLIANCE.replace("OPEN", "true").replace("BARE", "true"))
    duty = duty_while_open([Member("a", 64, 40), Member("b", 64, 20), Member("c", 32, 20)], "a")
    work = Work(
        Layout({"A1": OLD}), Layout({"A1": OLD, "B1": EIGHT}), bays={1: "D1"}, group="hall", duty=duty, claims=("it runs 16 GB",)
    )  # fmt: skip
    steps = {s.key: s for s in run_sheet(sheet, Machine(), work).steps}
    said = {
        "before:backups": "tier 2",
        "before:group": "with one more lost there is room for 32 GB only",
        "before:parts": "1 x 8 GB (NEW8)",
        "off:cool": "12 minutes",
        "open:warranty": "ends the warranty",
        "open:drives": "bay 2: not recorded; note its drive now",
        "open:strip:2": "plastic wedge",
        "module:1": "only to free the way",
        "module:2": "Label to the cage.",
        "module:3": "from the mat into A1",
        "start:power": "open and without its drives",
        "close:drives": "bay 1: D1",
        "close:door:1": "until both hooks click",
        "back:duty": "group hall",
    }
    for key, words in said.items():
        assert words in repr(steps[key]), key
    # 60 s + 2 x 30 s + 16 s = 136 s, give or take half.
    assert steps["start:power"].minutes == Minutes(1.1, 3.4)
    assert steps["before:group"].hold
    assert steps["modules:look"].back_out[0] == "Take 8 GB out of A1: 8 GB (OLD8)."
    assert "Shell off." in steps["back:duty"].back_out and "Shell off." not in steps["prove:seen"].back_out


def test_what_keeps_its_content_is_written_out_before_it_is_taken_out() -> None:
    sheet = make_sheet("channels: {A: {slots: [A1, A2]}}")
    kept = replace(OLD, keeps="NVDIMM-N")
    work = Work(now=Layout({"A1": OLD, "A2": kept}), goal=Layout({"A1": EIGHT}))
    made = run_sheet(sheet, Machine(), work)
    hold_true(sheet, work, made)
    (step,) = (s for s in made.steps if s.key == "before:content")
    assert (
        step.hold and step.slots == ("A2",) and "A2: nothing is needed any more of what NVDIMM-N holds" in step.checks
    )
    stays = run_sheet(sheet, Machine(), replace(work, goal=Layout({"A1": EIGHT, "A2": kept})))
    assert "before:content" not in {s.key for s in stays.steps}


def test_a_failed_module_is_found_matched_swapped_and_returned() -> None:
    sheet = make_sheet("""
channels: {A: {slots: [A1]}, B: {slots: [B1]}}
slots: {A1: {light: A1}, B1: {landmark: nearest the fans}}
lights: {A1: amber beside the slot}
""")
    new = replace(EIGHT, package_ranks=2, maker="Brand")
    work = Work(
        now=Layout({"A1": replace(OLD, package_ranks=1, maker="Other"), "B1": OLD}), goal=Layout({"A1": new, "B1": OLD}), failed=frozenset({"A1"}), under_warranty=True
    )  # fmt: skip
    made = run_sheet(sheet, Machine(), work)
    hold_true(sheet, work, made)
    steps = {s.key: s for s in made.steps}
    assert "amber beside the slot" in repr(steps["before:locate:A1"])
    assert steps["before:match:A1"].details == (
        "differs and matters: ranks",
        "not known of one of them, so to be read off both: generation, buffering, device width, rated data rate",
        "differs, only the sticker: maker, part number",
    )
    assert [s.text for s in made.steps if s.action] == [
        "Take the failed 8 GB out of A1",
        "Put 8 GB into A1",
    ]
    assert "under warranty" in steps["after:return:A1"].text
    assert not any("into" in w and "OLD8" in w for w in steps["prove:seen"].back_out), (
        "what has failed does not go back in"
    )
    # The goal may name the very same kind: it is another individual all the same.
    alike = run_sheet(sheet, Machine(), replace(work, goal=work.now))
    assert sum(1 for s in alike.steps if s.action) == 2


def test_a_stage_waits_for_the_one_before_it() -> None:
    sheet = make_sheet("channels: {A: {slots: [A1]}, B: {slots: [B1]}}")
    one = Layout({"A1": EIGHT})
    first = run_sheet(sheet, Machine(), Work(Layout({}), one, stage=1, stages=2))
    second = run_sheet(sheet, Machine(), Work(one, Layout({"A1": EIGHT, "B1": EIGHT}), stage=2, stages=2))
    assert next(s for s in first.steps if s.key == "back:duty").text == "Stage 1 is proved: go on with stage 2?"
    assert second.steps[0].hold and "stage 1 is proved" in second.steps[0].text
    assert next(s for s in second.steps if s.key == "open:untold").phase is Phase.OPEN


def test_boards_come_out_once_and_are_worked_one_after_the_other() -> None:
    sheet = sheets()["brannoch-q64"]
    slots = [f"CPU{n}.{i}" for i in range(1, 5) for n in (1, 2, 3)]
    work = Work(Layout(dict.fromkeys(slots, OLD)), Layout(dict.fromkeys(slots, EIGHT)))
    made = run_sheet(sheet, Machine(), work)
    hold_true(sheet, work, made)
    boards = [s.carrier for s in made.steps if s.action]
    assert len([a for a, b in pairwise(boards) if a != b]) == 2
