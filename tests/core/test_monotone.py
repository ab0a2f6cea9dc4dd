"""Less knowledge never gives a better answer, and undecided is told exactly where a fact decides: over every judged case and
every demo machine, each fact of module, machine and sheet blanked in turn."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from importlib.resources import files
from itertools import islice
from pathlib import Path
from typing import Any

import pytest
import yaml

from tests.core.facts import Situation, blanks, pairs
from tests.core.sheets import layout as layout_of
from tests.core.test_cases import CASES, SHEETS, spread
from umbrak.core.evaluate import Evaluation, evaluate, evaluate_in, question
from umbrak.core.evidence.belief import believe
from umbrak.core.evidence.board import board_of
from umbrak.core.evidence.doubts import resting_of
from umbrak.core.evidence.trouble import trouble_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.plan.arrange import next_set
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.rules.finding import Verdict
from umbrak.formats.documents import MachineDoc, StatementDoc
from umbrak.formats.yaml_text import load_yaml

TODAY = date(2026, 12, 2)
_RANK = {Verdict.NO_GO: 0, Verdict.AT_RISK: 1, Verdict.GO: 2}


def _documents() -> dict[str, dict[str, Any]]:
    """Sheet id -> its document, of all that ship and those of the cases."""
    places = [files("umbrak.demo").joinpath("sheets"), files("umbrak.formats.sheet").joinpath("archetypes"), Path(__file__).parents[1] / "cases" / "sheets"]  # fmt: skip
    texts = [p.read_text("utf-8") for place in places for p in place.iterdir() if p.name.endswith(".yaml")]
    return {d.data["id"]: d.data for text in texts for d in load_yaml(text)}


DOCUMENTS = _documents()


def of_case(case: dict[str, Any]) -> Situation:
    sheet, but = SHEETS[case["sheet"]], case.get("skip_slots", [])
    machine = MachineDoc(**case["machine"]).value() if "machine" in case else Machine()
    before = layout_of(spread(sheet, case["before"], but)) if "before" in case else None
    stated = tuple(StatementDoc(**s).value(f"stated-{i}") for i, s in enumerate(case.get("statements", [])))
    return Situation(sheet, machine, layout_of(spread(sheet, case["slots"], but)), before, stated)


def of_demo() -> dict[str, Situation]:
    """What is in each demo machine, and what its plan makes of it."""
    found = {}
    text = files("umbrak.demo").joinpath("machines.yaml").read_text("utf-8")
    for m in yaml.safe_load(text)["machines"]:
        sheet = SHEETS[m["sheet"]]
        machine = MachineDoc(**m["facts"], processors=m["processors"]).value()
        slots = {s: o for s, o in spread(sheet, m["slots"], []).items() if o is not None}
        found[m["name"]] = Situation(sheet, machine, layout_of(slots))
        for edit in m.get("plan", {}).get("edits", []):
            slots |= spread(sheet, edit, [])
        if "plan" in m:
            found[f"{m['name']} as planned"] = Situation(
                sheet,
                machine,
                layout_of(slots),
                layout_of({s: o for s, o in spread(sheet, m["slots"], []).items() if o}),
            )
    return found


SITUATIONS = {f"{c['sheet']}: {c['name']}": of_case(c) for c in CASES} | of_demo()


def judged(s: Situation) -> Evaluation:
    return evaluate(s.sheet, s.machine, s.layout, s.statements, s.before)


def betters(vague: Evaluation, sure: Evaluation) -> bool:
    """Whether the answer with less knowledge is the better one."""
    if _RANK[vague.at_worst] > _RANK[sure.at_worst]:
        return True
    # Undecided tells no more than its worst, which is no better; it is better than nothing but a no-go that became it.
    decided = Verdict.UNDECIDED not in (vague.verdict, sure.verdict)
    return decided and _RANK[vague.verdict] > _RANK[sure.verdict]


@pytest.mark.parametrize("name", SITUATIONS)
def test_a_blanked_fact_never_betters_the_answer_and_is_asked_exactly_where_it_decides(name: str) -> None:
    situation = SITUATIONS[name]
    sure, wrong = judged(situation), []
    for blank in blanks(situation, DOCUMENTS[situation.sheet.id]) if situation.layout else ():
        vague = judged(blank.vague)
        if betters(vague, sure):
            wrong.append((blank.what, f"{sure.verdict}/{sure.at_worst} became {vague.verdict}/{vague.at_worst}"))
        if blank.values:
            tried = [judged(v) for v in blank.values]
            worst = min((e.at_worst for e in tried), key=lambda v: _RANK[v])
            verdicts = {e.verdict for e in tried}
            verdict = verdicts.pop() if len(verdicts) == 1 else Verdict.UNDECIDED
            if (vague.verdict, vague.at_worst) != (verdict, worst):
                wrong.append(
                    (blank.what, f"{vague.verdict}/{vague.at_worst} where its values come to {verdict}/{worst}")
                )
    assert not wrong


#: The suite asks of every so many-th pair of a situation, another one in each; `python -m bench.blanked` of all.
_EVERY = 197


def bettered(name: str, first: int = 0, every: int = 1) -> Iterator[str]:
    """Which two facts, blanked together, better an answer that lacks one of them alone."""
    situation = SITUATIONS[name]
    if not situation.layout:
        return
    for pair in islice(pairs(situation, DOCUMENTS[situation.sheet.id]), first, None, every):
        both = judged(pair.without_both)
        for fact, without in zip(pair.facts, pair.without_one, strict=True):
            one = judged(without)
            if betters(both, one):
                yield f"{name}: {' and '.join(pair.facts)}: without {fact} {one.verdict}/{one.at_worst}, without both {both.verdict}/{both.at_worst}"


@pytest.mark.parametrize("name", SITUATIONS)
def test_two_blanked_facts_better_no_answer_that_lacks_one(name: str) -> None:
    assert not list(bettered(name, sum(name.encode()) % _EVERY, _EVERY))


def trouble_in(s: Situation) -> float | None:
    """The trouble that is predicted of it without a trial; None where it cannot work."""
    ctx = question(s.sheet, s.machine, s.layout, s.statements, s.before)
    found = evaluate_in(ctx)
    if found.verdict is Verdict.NO_GO:
        return None
    resting, board = resting_of(ctx, found, s.before or Layout()), board_of(s.sheet, s.machine, s.statements)
    return trouble_of([believe(board, d, (), TODAY) for d in resting.doubts], comes=resting.comes).probability


@pytest.mark.parametrize("name", SITUATIONS)
def test_a_blanked_fact_leaves_no_less_trouble_than_the_best_that_it_could_be(name: str) -> None:
    """Every third fact, another one in each situation."""
    s, wrong = SITUATIONS[name], []
    of_fact = blanks(s, DOCUMENTS[s.sheet.id]) if s.layout else iter(())
    for blank in islice(of_fact, len(name) % 3, None, 3):
        best = min((t for v in blank.values if (t := trouble_in(v)) is not None), default=None)
        vague = trouble_in(blank.vague)
        if best is not None and vague is not None and vague < best - 1e-9:
            wrong.append(f"{blank.what}: {best:.3f} became {vague:.3f}")
    assert not wrong


#: A module of each architecture's kind, as its label says.
LABELS = {
    "one-socket-two-so-dimm": "8GB 1Rx8 PC4-2400T-SA1",
    "soldered-plus-one": "8GB 1Rx8 PC4-2400T-SA1",
    "one-socket-two-by-two": "8GB 1Rx8 PC4-2666V-UA2",
    "four-channels-of-two": "16GB 1Rx4 PC4-2666V-RC2",
    "three-channels": "4GB 2Rx8 PC3L-10600E",
    "two-risers-fully-buffered": "2GB 2Rx8 PC2-5300F",
    "two-sockets-six-by-two": "16GB 1Rx4 PC4-2666V-RC2",
    "two-sockets-eight-by-two": "32GB 2Rx8 PC5-4800B-RA0",
    "four-sockets-memory-boards": "16GB 1Rx4 PC4-2666V-RC2",
}


def asks(e: Evaluation) -> list[str]:
    return [f.message for f in e.findings if f.severity.value == "ask"]


@pytest.mark.parametrize("name", [n for n in of_demo() if "as planned" not in n])
def test_like_for_like_on_a_machine_that_runs_asks_one_thing_at_most(name: str) -> None:
    """Each empty slot filled with the like of what is fitted, one and all."""
    s = SITUATIONS[name]
    like = next(m for m in s.layout.values() if isinstance(m, Module))
    empty = [x for x in s.sheet.slots if x not in s.layout and s.machine.processors[s.sheet.socket_of_slot[x]]]
    for count in {1, len(empty)} if empty else set():
        goal = Layout({**s.layout, **dict.fromkeys(empty[:count], like)})
        assert len(asks(evaluate(s.sheet, s.machine, goal, (), s.layout))) <= 1


@pytest.mark.parametrize("name", LABELS)
def test_a_plan_on_a_freshly_built_board_asks_three_things_at_most(name: str) -> None:
    """A board of which nobody has looked anything up: the next sets, or without an order one module more at a time."""
    sheet, like = SHEETS[name], decode_label(LABELS[name]).module
    machine = Machine({x: None if s.may_be_absent else s.processors[0] for x, s in sheet.sockets.items()})
    ran = Layout({next(iter(sheet.slots)): like})
    if sheet.fills:
        ran = Layout(dict.fromkeys((s for each in next(iter(sheet.fills[0].layouts.values())) for s in each), like))
    layout = ran
    for _ in sheet.slots:
        empty = [x for x in sheet.slots if x not in layout and machine.processors[sheet.socket_of_slot[x]]]
        grown = next_set(sheet, machine, layout, like) if sheet.fills else Layout({**layout, **dict.fromkeys(empty[:1], like)})  # fmt: skip
        if grown is None or grown == layout:
            break
        layout = grown
        e = evaluate(sheet, machine, layout, (), ran)
        assert len(asks(e)) <= 3 and e.verdict is Verdict.UNDECIDED, asks(e)
