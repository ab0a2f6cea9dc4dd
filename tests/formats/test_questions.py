"""A sheet as questions: every answer changes the text where it must, and nowhere else."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path as File
from typing import Any

import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

from umbrak.formats.faults import InputError
from umbrak.formats.sheet.answers import Answer, NewSource, answered
from umbrak.formats.sheet.asked import SECTIONS, asks
from umbrak.formats.sheet.questions import question_at, questions_of
from umbrak.formats.sheet.reading import read_sheet
from umbrak.formats.sheet.shapes import Shape
from umbrak.formats.yaml_splice import rewritten, same
from umbrak.formats.yaml_text import Path, load_yaml

SHEETS = {f.stem: f.read_text("utf-8") for f in sorted(File("src/umbrak/demo/sheets").glob("*.yaml"))}
#: One in which single slots of a repeated block are told by their whole names.
SHEETS["halvard-r24 with single slots"] = SHEETS["halvard-r24"].replace(
    '    "*2": {tab: grey',
    '    CPU2.A2: {printed: J7}\n    CPU1.F1: {tab: red, landmark: by the fan}\n    "*2": {tab: grey',
)
#: The same in other hands: in lines throughout and remarked upon, in lines from elsewhere, on few long lines.
HANDS = {
    "as written": lambda text: text,
    "in lines, remarked": lambda text: "\n".join(
        f"{line}   # {i}" if i % 3 == 0 and line else line
        for i, line in enumerate(yaml.safe_dump(load_yaml(text)[0].data, sort_keys=False).split("\n"))
    ),
    "from elsewhere": lambda text: yaml.safe_dump(load_yaml(text)[0].data, sort_keys=False).replace("\n", "\r\n"),
    "in brackets": lambda text: yaml.safe_dump(load_yaml(text)[0].data, default_flow_style=True, width=10_000),
}


def said(shape: Shape, depth: int = 3) -> st.SearchStrategy[Any]:
    """Anything that has a shape."""
    match shape.kind:
        case "text":
            odd = st.sampled_from(
                ["a: b", "x # y", "- z", "[q", "yes", "2.4", "*1", "it's", 'a "b"', "{socket} {slot}", "no", "ä/€"]
            )
            return odd | st.text("abc XY19._-", min_size=1, max_size=9)
        case "number":
            whole = st.integers(int(shape.least or 0) + 1, int(min(shape.most or 99, 9999)))
            return (
                whole
                if shape.whole
                else whole | st.floats(shape.least or 0, min(shape.most or 99, 99)).map(lambda x: round(x, 2))
            )
        case "flag":
            return st.booleans()
        case "choice":
            return st.sampled_from(shape.options)
        case "list":
            assert shape.of
            return st.lists(said(shape.of, depth - 1), min_size=1, max_size=3)
        case "named":
            assert shape.of
            return st.dictionaries(
                st.text("abXY1.*- ", min_size=1, max_size=5), said(shape.of, depth - 1), min_size=1, max_size=3
            )
        case "record":
            parts = {f.name: said(f.shape, depth - 1) for f in shape.fields if depth > 0 or f.required}
            needed = {f.name: parts[f.name] for f in shape.fields if f.required}
            return st.fixed_dictionaries(needed, optional={n: s for n, s in parts.items() if n not in needed})


def answers(shape: Shape, slots: list[str]) -> st.SearchStrategy[Answer]:
    """Anything that can be answered to a question of a shape."""
    value = (
        said(shape)
        if not slots or shape.of is None
        else st.dictionaries(st.sampled_from(slots), said(shape.of), max_size=len(slots))
    )
    told = st.builds(Answer, st.just("told"), value, clause=st.none() | st.sampled_from(["3.2", "table 9", ""]))
    ways = [told, st.just(Answer("left"))]
    if not slots:
        ways += [st.just(Answer("none"))] if "none" in shape.words else []
        for word in ("open", "untold"):
            if word in shape.words:
                ways.append(
                    st.builds(
                        Answer,
                        st.just(word),
                        words=st.sampled_from(["", "nobody found it: 4.2"]),
                        looked=st.sampled_from(["", "2026-11-02"]),
                    )
                )
    return st.one_of(ways)


def _leaves(data: Any, path: Path = ()) -> Iterator[Path]:
    yield path
    if isinstance(data, dict | list):
        for k, v in data.items() if isinstance(data, dict) else enumerate(data):
            yield from _leaves(v, (*path, k))


def _differ(old: Any, new: Any, path: Path = ()) -> Iterator[Path]:
    """The innermost places at which two documents differ."""
    if same(old, new):
        return
    if isinstance(old, dict) and isinstance(new, dict):
        for k in {**old, **new}:
            yield from _differ(old[k], new[k], (*path, k)) if k in old and k in new else iter([(*path, k)])
    elif isinstance(old, list) and isinstance(new, list):
        for i in range(max(len(old), len(new))):
            yield from _differ(old[i], new[i], (*path, i)) if i < min(len(old), len(new)) else iter([(*path, i)])
    else:
        yield path


def may_change(text: str, new: Any) -> set[int]:
    """Lines, from 1, that hold something that is to be other, or that a new thing can only be put into."""
    document = load_yaml(text)[0]
    lines: set[int] = set()
    for path in _differ(document.data, new):
        at = path
        while at not in document.places:
            at = at[:-1]
        now = new
        for step in path[:-1]:
            now = now[step] if isinstance(now, dict | list) else None
        at = at[:-1] if now in ({}, []) else at  # a block that is empty has no lines of its own
        inside = [p for p in document.places if p[: len(at)] == at]
        if at == path or now in ({}, []) or at[:-1] == path[:-1] or "{" in text or "[" in text:
            first = min(document.places[p][0] for p in inside)
            lines |= set(range(first, max(document.places[p][0] for p in inside) + 1))
    return lines


@settings(max_examples=80, deadline=None)
@given(st.data())
def test_an_answer_changes_only_the_lines_it_must(data: st.DataObject) -> None:
    text = HANDS[data.draw(st.sampled_from(sorted(HANDS)))](SHEETS[data.draw(st.sampled_from(sorted(SHEETS)))])
    for _ in range(data.draw(st.integers(1, 3))):
        document = load_yaml(text)[0]
        question = data.draw(st.sampled_from(questions_of(document, None)))
        ask = asks()[question.ask]
        slots = sorted(question.value or {}) if ask.board == "slots" else []
        answer = data.draw(
            answers(ask.shape, slots if ask.board == "slots" else [])
            if slots or ask.board != "slots"
            else st.just(Answer("left"))
        )
        after = answered(text, question.key, answer)
        now = next((q for q in questions_of(load_yaml(after)[0], None) if q.key == question.key), None)
        if now and question.key not in ("repeat.over", "processors", "sockets", "repeat.channels", "channels"):
            told = answer.state == "told" and answer.value not in ({}, [], None)
            assert not told or same(now.value, answer.value) or ask.board == "slots"
            if ask.board == "slots" and told:
                assert same(now.value, {k: v for k, v in answer.value.items() if v not in ("", [])})
        lines, free = text.split("\n"), may_change(text, load_yaml(after)[0].data)
        stays = iter(after.split("\n"))
        for i, line in enumerate(lines, 1):
            if i in free and not line.lstrip().startswith("#"):
                continue
            assert line in stays, f"line {i} is gone: {line!r}"
        text = after


@settings(max_examples=80, deadline=None)
@given(st.data())
def test_any_change_of_the_data_is_written_as_it_is(data: st.DataObject) -> None:
    text = HANDS[data.draw(st.sampled_from(sorted(HANDS)))](SHEETS[data.draw(st.sampled_from(sorted(SHEETS)))])
    new = load_yaml(text)[0].data
    path = data.draw(st.sampled_from([p for p in _leaves(new) if p]))
    held: Any = new
    for step in path[:-1]:
        held = held[step]
    value = data.draw(
        st.recursive(
            said(Shape("text")) | st.integers(-(10**9), 10**9) | st.booleans(),
            lambda c: (
                st.lists(c, max_size=3) | st.dictionaries(st.text("aB*: #1", min_size=1, max_size=4), c, max_size=3)
            ),
            max_leaves=8,
        )
    )
    match data.draw(st.sampled_from(["set", "gone", "put"])):
        case "set":
            held[path[-1]] = value
        case "gone":
            del held[path[-1]]
        case _ if isinstance(held, list):
            held.insert(int(path[-1]), value)
        case _:
            held["another"] = value
    assert same(load_yaml(rewritten(text, new))[0].data, new)


#: A place's text, key, answer, and what becomes of the text.
WRITTEN: list[tuple[str, str, Answer, str]] = [
    ("memory:\n  form: DIMM # as seen\n  rails_v: open   # ask\n", "memory.rails_v", Answer("told", [1.35, 1.5]), "memory:\n  form: DIMM # as seen\n  rails_v: [1.35, 1.5]   # ask\n"),
    ("memory: {form: DIMM, rails_v: {open: which, seen: [1.35]}}\n", "memory.rails_v", Answer("untold", [1.35], "guide 4.2", "2026-11-02"), "memory: {form: DIMM, rails_v: {untold: guide 4.2, looked: \"2026-11-02\", seen: [1.35]}}\n"),
    ("memory:\n  # what it takes\n  form: DIMM\n\n  # and not\n  refuses: []\n", "memory.generation", Answer("told", "DDR4"), "memory:\n  # what it takes\n  generation: DDR4\n  form: DIMM\n\n  # and not\n  refuses: []\n"),
    ("channels: {A: [A1, A2]}\nslots:\n  \"*1\": {tab: teal}   # far ones\n  \"*2\": {tab: grey}\n", "slots.tab", Answer("told", {"A1": "blue", "A2": "grey"}), "channels: {A: [A1, A2]}\nslots:\n  \"*1\": {tab: blue}   # far ones\n  \"*2\": {tab: grey}\n"),
    ("channels: {A: [A1, A2], B: [B1]}\nslots:\n  \"*1\": {tab: teal}   # far ones\n", "slots.tab", Answer("told", {"A1": "teal", "B1": "red"}), "channels: {A: [A1, A2], B: [B1]}\nslots:\n  \"*1\": {tab: teal}   # far ones\n  B1: {tab: red}\n"),
    ("title: X # plate\nsources: {guide: {title: G, kind: survey}}\nmemory: {form: DIMM}\n", "memory.form", Answer("told", "DIMM", new_source=NewSource("X guide, rev C", "machine-maker"), clause="3.4"), "title: X # plate\nsources: {guide: {title: G, kind: survey}, x-guide-rev-c: {title: \"X guide, rev C\", kind: machine-maker}}\nmemory: {source: x-guide-rev-c, clause: \"3.4\", form: DIMM}\n"),
    ("population:\n- fill:\n  - [A1]\n  - [B1]   # second\n  larger_first: true\nlimits: []\n", "population", Answer("told", [{"fill": [["A1"], ["B1"], ["A2", "B2"]], "larger_first": True}]), "population:\n- fill:\n  - [A1]\n  - [B1]   # second\n  - [A2, B2]\n  larger_first: true\nlimits: []\n"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "key", "answer", "then"), WRITTEN)
def test_answers_as_they_are_written(text: str, key: str, answer: Answer, then: str) -> None:
    assert answered(text, key, answer) == then


@pytest.mark.parametrize(
    ("text", "key", "answer", "why"),
    [
        ("memory: {a: &x 1, b: *x}", "memory.form", Answer("told", "DIMM"), None),
        ("memory: &m {form: DIMM}\nother: *m", "memory.form", Answer("told", "SO-DIMM"), "only a person"),
        ("memory: [1", "memory.form", Answer("told", "DIMM"), "no YAML"),
        ("memory: {}", "memory.colour", Answer("told", "red"), "asks nothing"),
        ("memory: {}", "memory.form", Answer("untold"), "cannot be untold"),
        ("memory: {}", "memory.accepts", Answer("none"), "cannot be none"),
        ("memory: {}", "memory.form", Answer("told"), "say what it is"),
        ("channels: {A: [A1]}", "slots.tab", Answer("told", {"A9": "red"}), "no slot A9"),
        ("- a", "title", Answer("told", "x"), "one block"),
    ],
)
def test_what_cannot_be_answered_says_why(text: str, key: str, answer: Answer, why: str | None) -> None:
    if why is None:
        assert "DIMM" in answered(text, key, answer)
        return
    with pytest.raises(InputError) as raised:
        answered(text, key, answer)
    assert why in str(raised.value.faults[0].message)


def test_every_field_of_a_sheet_is_asked_and_every_fault_leads_to_its_question() -> None:
    for text in SHEETS.values():
        document = load_yaml(text)[0]
        questions = questions_of(document, read_sheet(text).sheet)
        keys = [q.key for q in questions]
        assert len(keys) == len(set(keys))
        for path in document.places:
            leaf = not any(p[:-1] == path for p in document.places)
            if leaf and path[0] not in ("umbrak-sheet", "id", "archetype"):
                assert question_at(keys, ".".join(map(str, path))), path
        told = {q.key.partition(".")[0] for q in questions if q.state == "told"}
        assert {*document.data} - {"umbrak-sheet", "id", "archetype"} <= told | {"slots"}
    assert {a.section for a in asks().values()} == set(range(1, len(SECTIONS) + 1))
