"""Boards by answers: whatever is answered, the sheet says it and no more, and what makes no board is told at its answer."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.formats.smbios_facts import Device, listing
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.processors import processors_of
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, match_slots
from umbrak.formats.faults import InputError
from umbrak.formats.reading import read_any
from umbrak.formats.sheet.begun import PRESETS, NoBoardError, answers_from, answers_of
from umbrak.formats.sheet.built import (
    KINDS,
    BoardAnswers,
    ChannelAnswer,
    Report,
    built_sheet,
    faults_of,
    names_of,
)
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.formats.sheet.lint import open_facts
from umbrak.formats.sheet.reading import read_sheet, shipped_sheets

CHANNELS = st.lists(
    st.builds(
        ChannelAnswer, slots=st.integers(0, 3), soldered=st.booleans(), soldered_gib=st.sampled_from([None, 2.0])
    ),
    min_size=1,
    max_size=12,
)
ANSWERS = st.builds(
    BoardAnswers,
    make=st.just("Ansel"),
    model=st.just("G9"),
    processors=st.integers(1, 8),
    channels=CHANNELS,
    channels_by=st.sampled_from(["guess", "board", "guide"]),
    stand=st.sampled_from(["main board", "memory boards", "risers", "tray"]),
    carriers=st.integers(1, 4),
    generation=st.sampled_from(["DDR2", "DDR3", "DDR4", "DDR5"]),
    form=st.sampled_from(["DIMM", "SO-DIMM"]),
    kinds=st.lists(st.sampled_from(list(KINDS)), unique=True, max_size=2),
    kinds_by=st.sampled_from(["seen", "guide"]),
    printed=st.sampled_from(["", "A1", "DIMM_A1", "P0_DIMM_A0", "1"]),
    bays=st.sampled_from([None, 4, 6]),
    rows=st.sampled_from([1, 2]),
    first_bay=st.sampled_from([0, 1]),
    limit_by=st.sampled_from([None, "plate", "sales page"]),
    limit_gib=st.just(64.0),
)


@settings(max_examples=60)
@given(ANSWERS, st.sampled_from([None, "8GB 2Rx8 PC3L-12800S-11-11-F3", "8GB 2Rx8 PC3-12800S-11-11-F3"]))
def test_a_board_says_what_was_answered_and_no_more(answers: BoardAnswers, label: str | None) -> None:
    if not answers.limit_by:
        answers = answers.model_copy(update={"limit_gib": None})
    module = (
        decode_label(label).module if label and answers.generation == "DDR3" and answers.form == "SO-DIMM" else None
    )
    if faults_of(answers):
        with pytest.raises(InputError) as refused:
            built_sheet(answers)
        assert all(f.path for f in refused.value.faults)
        return
    built = built_sheet(answers, Layout({"x": module} if module else {}))
    read = read_sheet(built.text)
    sheet = read.sheet
    assert {f.code for f in read.findings} <= {"fact-open", *(() if built.slots else ["no-slots"])}
    assert tuple(sheet.slots) == built.slots and len(sheet.sockets) == answers.processors
    assert [len(c.slots) for c in sheet.channels.values()] == [c.slots for c in answers.channels] * answers.processors
    assert [c.soldered is not None for c in sheet.channels.values()][: len(answers.channels)] == [c.soldered for c in answers.channels]  # fmt: skip
    # Nothing is told that nobody told: channels by a guess, rails at all, kinds that only run in it.
    guess = answers.channels_by == "guess" and not (
        len(built.slots) == 1 and not any(c.soldered for c in answers.channels)
    )
    assert (sheet.not_told("channels") is not None) == guess
    several = answers.generation == "DDR3"
    assert (sheet.not_told("memory.rails_v") is not None) == several
    if several:
        # A module of one rail shows that the board wires it; one of two shows of neither.
        seen = sheet.unsaid["memory.rails_v"].seen
        assert seen == ((1.5,) if module and module.rails_v == (1.5,) else ())
    assert (sheet.not_told("memory.accepts") is None) == bool(answers.kinds and answers.kinds_by == "guide")
    assert {"population", "memory.never_together"} <= set(sheet.unsaid)
    assert ("limits" in open_facts(sheet)) == (answers.limit_by is None)
    assert sheet.bay_numbers == range(answers.first_bay, answers.first_bay + (answers.bays or 0)) or not answers.bays


@pytest.mark.parametrize(
    ("said", "field", "words"),
    [
        ({"generation": None}, "generation", "PC3 is DDR3"),
        ({"form": None}, "form", "about 133 mm"),
        ({"model": ""}, "model", "The host name is no model"),
        ({"channels": [ChannelAnswer(slots=0)]}, "channels", "Not one slot"),
        ({"channels": [ChannelAnswer(slots=1), ChannelAnswer(slots=0)]}, "channels.1", "Channel B has neither"),
        ({"stand": "risers", "carriers": 3}, "carriers", "2 channels with slots cannot be shared evenly by 3 risers"),
        ({"names": ["A1", "a1"]}, "names", "2 slots are called A1: slots 1, 2 in order"),
        ({"behind": [[0, 9]]}, "behind", "another one of the board"),
        ({"behind": [[0, 1], [1, 0]]}, "behind", "in a ring"),
        ({"bays": 5, "rows": 2}, "rows", "5 bays do not lie in 2 even rows"),
        ({"limit_by": "plate"}, "limit_gib", "How many GB does its plate state"),
        ({"limit_gib": 32.0}, "limit_by", "Who states it"),
    ],
)
def test_what_makes_no_board_is_told_at_its_answer(said: dict[str, Any], field: str, words: str) -> None:
    answers = BoardAnswers(make="Ansel", model="G9", generation="DDR4", form="DIMM").model_copy(update=said)
    assert [(f.path, words in f.message) for f in faults_of(answers)] == [(field, True)]


def test_a_module_in_it_that_the_board_could_not_take() -> None:
    module = decode_label("8GB 2Rx8 PC3L-12800S-11-11-F3").module
    answers = BoardAnswers(make="Ansel", model="G9", generation="DDR4", form="DIMM")
    assert [f.path for f in faults_of(answers, [module])] == ["generation", "form"]


def test_presets_and_sheets_are_boards_to_begin_from() -> None:
    """Their shape comes, and of what they tell nothing: it is of another machine."""
    shapes = [p.answers for p in PRESETS] + [a for s in shipped_sheets().values() if (a := answers_of(s.sheet))]
    assert len(shapes) >= len(PRESETS) + 7
    for shape in shapes:
        named = shape.model_copy(update={"make": "Ansel", "model": "G9", "generation": "DDR4", "form": "DIMM"})
        sheet = read_sheet(built_sheet(named).text).sheet
        assert sheet.slots and not sheet.fills and not sheet.limits and not sheet.memory.accepts


def test_a_report_is_a_board_whose_names_are_its_own() -> None:
    reading = read_any(
        listing([Device(f"CPU{s}_DIMM_{c}1", 16384 if c == "A" else 0) for s in (1, 2) for c in "ABCD"]).encode()
    )
    begun = answers_from(reading)
    answers, why = begun.answers, begun.why
    assert "processor" in why and "channel" in why
    assert (answers.processors, [c.slots for c in answers.channels], answers.model) == (2, [1] * 4, "Lorne K12")  # fmt: skip
    order = begun.reports
    sheet = read_sheet(built_sheet(answers, report=Report(reading, order)).text).sheet
    assert None not in match_slots(sheet, reading.slots) and len(order) == 8
    # Renamed as printed, the slot keeps the name under which its machine reports it.
    renamed = answers.model_copy(update={"names": ["J7", *names_of(answers)[1:]]})
    sheet = read_sheet(built_sheet(renamed, report=Report(reading, order)).text).sheet
    assert match_slots(sheet, reading.slots)[0] == "J7"
    # A listing of memory alone tells no processor: its names do.
    bare = replace(reading, processors=())
    assert answers_from(bare) == begun
    # Of its sockets those have one in whose slots the machine sees modules; a label on a slot shows none.
    places = match_slots(sheet, bare.slots)
    (one,) = sheet.processors
    assert processors_of(sheet, bare, places) == {"CPU1": one, "CPU2": one}
    emptied = [s if n < 4 else replace(s, state=SlotState.EMPTY, module=None) for n, s in enumerate(bare.slots)]
    assert processors_of(sheet, replace(bare, slots=tuple(emptied)), places) == {"CPU1": one}
    assert processors_of(sheet, replace(bare, kind="labels"), places) == {}


_ALIKE, _OWN = ["X"] * 4, ["P1 1", "P1 2", "P2 1", "P2 2"]


@pytest.mark.parametrize(
    ("locators", "banks", "named"),
    [
        (_OWN, [None] * 4, _OWN),
        (_OWN, _ALIKE, _OWN),
        (_OWN, ["BANK 1", None, "BANK 3", ""], _OWN),
        (_ALIKE, _OWN, [f"{b} X" for b in _OWN]),
        ([None] * 4, _OWN, _OWN),
        ([*_OWN[:2], None, None], [None, "BANK 2", *_OWN[2:]], _OWN),
        (["P1 1", "P1 2", "P1 1", "P1 2"], [None, None, "P2", "P2"], ["P1 1", "P1 2", "P2 P1 1", "P2 P1 2"]),
    ],
)
def test_a_report_finds_its_slots_again_whatever_it_calls_them(
    locators: list[str | None], banks: list[str | None], named: list[str]
) -> None:
    slots = tuple(SlotFacts(n, b, SlotState.EMPTY) for n, b in zip(locators, banks, strict=True))
    reading = SurveyReading("smbios", slots=slots)
    assert list(read_sheet(draft_sheet(reading)).sheet.slots) == named
    assert match_slots(read_sheet(draft_sheet(reading)).sheet, slots) == tuple(named)
    begun = answers_from(reading)
    answers = begun.answers
    told = answers.model_copy(update={"make": "Ansel", "model": "G9", "generation": "DDR4", "form": "DIMM"})
    order = begun.reports
    built = read_sheet(built_sheet(told, report=Report(reading, order)).text).sheet
    assert (answers.names, list(order), match_slots(built, slots)) == (named, [0, 1, 2, 3], tuple(named))
    assert begun.nameless == {}


_PC4 = "16GB 2Rx4 PC4-2400T-R"


@pytest.mark.parametrize(
    ("lines", "processors", "channels", "left_out"),
    [
        # A second processor with less in it; a channel whose second slot is empty; a letter that is passed over.
        (["CPU1:", "A1", "B1", "C1", "D1", "CPU2:", "A1", "B1"], 2, [1, 1, 1, 1], ("CPU2 C1", "CPU2 D1")),
        (["A1", "A2", "B1"], 1, [2, 2], ("B2",)),
        (["A1", "B1", "D1"], 1, [1, 1, 1, 1], ("C1",)),
        (["4 slots", "A1", "B1"], 1, [2, 2], ("A2", "B2")),
        (
            ["We have a server with 2 CPUs, 24 slots, currently 4x16GB PC4-2133P in A1-A2 and B1-B2."],
            2,
            [1] * 12,
            tuple(f"{x}{n}" for x in "AB" for n in range(3, 13)),
        ),
        # Who tells of one that is empty has told of all.
        (["A1", "B1", "C1", "C2 empty"], 1, [1, 1, 2], ()),
    ],
)
def test_what_a_list_of_labels_leaves_out_is_on_the_board(
    lines: list[str], processors: int, channels: list[int], left_out: tuple[str, ...]
) -> None:
    text = "\n".join(n if n.endswith((":", "slots")) or " " in n else f"{n} {_PC4}" for n in lines)
    reading = read_any(text.encode())
    begun = answers_from(reading)
    assert (begun.answers.processors, [c.slots for c in begun.answers.channels]) == (processors, channels)
    assert begun.left_out == left_out and len(begun.reports) == len(reading.slots)
    said = {"make": "Ansel", "model": "G9", "generation": "DDR4", "form": "DIMM"}
    for sheet in (
        read_sheet(
            built_sheet(begun.answers.model_copy(update=said), report=Report(reading, begun.reports)).text
        ).sheet,
        read_sheet(draft_sheet(reading)).sheet,
    ):
        assert {*sheet.slots} - {*match_slots(sheet, reading.slots)} == {*left_out}
        assert sorted(len(c.slots) for c in sheet.channels.values()) == sorted(channels * processors)


@pytest.mark.parametrize(
    ("locators", "count", "channels", "left_out"),
    [
        (["DIMM_A1", "DIMM_B1"], 4, [2, 2], ("DIMM_A2", "DIMM_B2")),
        (["PROC 1 DIMM 1", "PROC 2 DIMM 1"], 4, [1, 1], ("PROC 1 DIMM 2", "PROC 2 DIMM 2")),
        # What the others are called nobody tells: the board has them all the same.
        (["ChannelA-DIMM0"], 2, [1, 1], ("slot 2",)),
        (["A1", "B1"], 6, [3, 3], ("A2", "A3", "B2", "B3")),
        (["A1", "B1"], 8, [1] * 8, tuple(f"slot {n}" for n in range(3, 9))),
        (["DIMM 1"], 1, [1], ()),
    ],
)
def test_a_list_of_modules_beside_a_count_of_slots_is_a_board_of_as_many(
    locators: list[str], count: int, channels: list[int], left_out: tuple[str, ...]
) -> None:
    """As systems list modules (DMTF CIM, PhysicalMemory): what is empty is not in it, and the array counts its devices."""
    modules = "\n".join(f"DeviceLocator : {n}\nCapacity : 17179869184\nSMBIOSMemoryType : 26\n" for n in locators)
    reading = read_any(f"{modules}\nMemoryDevices : {count}\n".encode())
    begun = answers_from(reading)
    assert ([c.slots for c in begun.answers.channels], begun.left_out) == (channels, left_out)
    said = {"model": "G9", "form": "DIMM"}
    sheet = read_sheet(
        built_sheet(begun.answers.model_copy(update=said), report=Report(reading, begun.reports)).text
    ).sheet
    assert len(sheet.slots) == count and match_slots(sheet, reading.slots) == tuple(locators)
    drafted = read_sheet(draft_sheet(reading)).sheet
    assert len(drafted.slots) == count and match_slots(drafted, reading.slots) == tuple(locators)


@pytest.mark.parametrize("locators", [[None] * 3, ["", "P1 1", ""], _ALIKE[:3]])
def test_what_has_no_name_is_placed_by_its_order_where_the_board_is_begun(locators: list[str | None]) -> None:
    reading = SurveyReading("smbios", slots=tuple(SlotFacts(n, None, SlotState.EMPTY) for n in locators))
    begun = answers_from(reading)
    answers = begun.answers
    assert answers.names == [n if n == "P1 1" else f"slot {i + 1}" for i, n in enumerate(locators)]
    assert begun.nameless == {i: i for i, n in enumerate(locators) if n != "P1 1"}


@pytest.mark.parametrize(
    ("names", "processors", "channels", "guessed"),
    [
        ([f"DIMM {n}" for n in range(4)], 1, [1] * 4, "Its names do not tell which slots share a channel: each has one of its own here."),
        ([f"DIMM {n}" for n in range(16)], 1, [2] * 8, "which slots share a channel: 2 in a row are taken for one."),
        ([f"DIMM {n}" for n in range(27)], 1, [3] * 9, "which slots share a channel: 3 in a row are taken for one."),
        ([f"DIMM {n}" for n in range(16)], 2, [1] * 8, "which processor: the first 8 slots are taken for the first, nor which share a channel: each"),
        (["DIMM_A1", "DIMM_B1"], 2, [1], "the first slot is taken for the first"),
        ([f"PROC {p} DIMM {n}" for p in (1, 2) for n in range(16)], 2, [2] * 8, "which slots share a channel: 2 in a row"),
        ([f"DIMM_{x}{n}" for x in "ABCD" for n in (1, 2)], 1, [2] * 4, ""),
    ],
)  # fmt: skip
def test_what_names_do_not_tell_is_taken_somehow_and_that_is_said(
    names: list[str], processors: int, channels: list[int], guessed: str
) -> None:
    devices = read_any(listing([Device(n) for n in names]).encode())
    reading = replace(devices, processors=devices.processors[:1] * processors)
    begun = answers_from(reading)
    assert (begun.answers.processors, [c.slots for c in begun.answers.channels]) == (processors, channels)
    assert guessed in begun.guessed and bool(guessed) == bool(begun.guessed)
    assert begun.answers.names == names and begun.answers.channels_by == "guess"
    drafted = read_sheet(draft_sheet(reading)).sheet
    hang = Counter(c.socket for c in drafted.channels.values() for _ in c.slots)
    assert list(hang.values()) == [sum(channels)] * processors


@pytest.mark.parametrize(
    ("names", "processors", "why_not"),
    [
        (["DIMM_A1", "DIMM_A2"], 2, "which slots hang on which processor is not in its names"),
        (["DIMM_A1", "DIMM_B1", "DIMM_C1"], 2, "which slots hang on which processor is not in its names"),
        (["CPU1_DIMM_A1", "CPU1_DIMM_B1"], 2, "it tells of 2 processors, and its names of slots of 1"),
        (["CPU1_DIMM_A1", "CPU1_DIMM_B1", "CPU2_DIMM_A1"], None, "its processors have unlike slots"),
        ([f"DIMM {n}" for n in range(37)], 1, "which slots share a channel, and 37 are more"),
        (
            [*(f"CPU1_DIMM_{x}{n}" for x in "ABCDEFG" for n in (1, 2)), "odd", "other"],
            2,
            "which slots hang on which processor",
        ),
        (
            [*(f"CPU1_DIMM_{x}{n}" for x in "ABCDEFG" for n in (1, 2)), "odd", "other"],
            None,
            "which slots share a channel",
        ),
        ([f"CPU{n}_DIMM_A1" for n in range(9)], None, "9 processors, and answers of no more than 8"),
        ([], 1, "no slot is in it"),
    ],
)
def test_a_board_that_answers_cannot_say_is_not_begun(names: list[str], processors: int | None, why_not: str) -> None:
    devices = read_any(listing([Device(n) for n in names]).encode())
    told = devices.processors[:1] * (processors or 0)
    with pytest.raises(NoBoardError, match=why_not):
        answers_from(replace(devices, processors=told))
